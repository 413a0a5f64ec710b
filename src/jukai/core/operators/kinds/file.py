"""A file beside the bench."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.inputs import FileInput
from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, ValueKind, declare

__all__ = ["FileKind", "file"]


@dataclass(frozen=True, kw_only=True)
class FileKind(ValueKind[FileInput]):
    """The name of a file; its bytes are read when the operator asks for them.

    Attributes
    ----------
    endings : of the files that will do, where not any mesh does: ``png``.
    """

    name: ClassVar[str] = "file"
    refers: ClassVar[str] = "file"
    endings: tuple[str, ...] = ()

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "string"}

    def resolve(self, raw: object, scope: Scope, where: str) -> FileInput:
        """Return the file, not read yet."""
        return scope.file(raw, where)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the name is replaced with."""
        return change(Leaf("file", raw, where))

    def key(self, value: FileInput) -> object:
        """Return name and hash of the file."""
        return [value.name, value.hash]

    def describe(self) -> Schema:
        """Return the endings of the files that will do."""
        return {"of": list(self.endings)}


def file(description: str, *, endings: Sequence[str] = (), chapter: str = "", **more: Unpack[Declared]) -> FileInput:
    """Declare a file beside the bench: a mesh, or one with one of some endings."""
    return declare(FileKind(endings=tuple(endings), chapter=chapter), ..., description, **more)
