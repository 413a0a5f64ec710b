"""A file beside the bench."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from jukai.core.operators.kinds.base import Change, Leaf, Schema, Scope, ValueKind, declare

__all__ = ["FileKind", "file"]


@dataclass(frozen=True, kw_only=True)
class FileKind(ValueKind):
    """The name of a file; its bytes are read when the operator asks for them."""

    name: ClassVar[str] = "file"
    refers: ClassVar[str] = "file"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "string"}

    def resolve(self, raw: object, scope: Scope, where: str) -> Any:
        """Return the file, not read yet."""
        return scope.file(raw, where)

    def mapped(self, raw: object, change: Change, where: str = "") -> Any:
        """Return what the name is replaced with."""
        return change(Leaf("file", raw, where))

    def key(self, value: Any) -> Any:
        """Return name and hash of the file."""
        return [value.name, value.hash]


def file(description: str, *, chapter: str = "", **more: Any) -> Any:
    """Declare a file beside the bench."""
    return declare(FileKind(chapter=chapter), ..., description, **more)
