"""A finish of the bench, by its name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, ValueKind, declare

__all__ = ["FinishKind", "finish"]


@dataclass(frozen=True, kw_only=True)
class FinishKind(ValueKind[str]):
    """The name of a finish."""

    name: ClassVar[str] = "finish"
    refers: ClassVar[str] = "finish"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "string"}

    def resolve(self, raw: object, scope: Scope, where: str) -> str:
        """Return the name, if the bench has the finish."""
        return scope.finish(raw, where)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the name is replaced with."""
        return change(Leaf("finish", raw, where))


def finish(
    description: str, *, otherwise: str = "as the faces beside them", chapter: str = "", **more: Unpack[Declared]
) -> str | None:
    """Declare a finish; ``otherwise`` says what the faces have when none is given."""
    return declare(FinishKind(otherwise=otherwise, chapter=chapter), None, description, **more)
