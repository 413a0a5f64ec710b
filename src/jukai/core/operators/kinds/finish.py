"""A finish of the bench, by its name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from jukai.core.operators.kinds.base import Change, Leaf, Schema, Scope, ValueKind, declare

__all__ = ["FinishKind", "finish"]


@dataclass(frozen=True, kw_only=True)
class FinishKind(ValueKind):
    """The name of a finish."""

    name: ClassVar[str] = "finish"
    refers: ClassVar[str] = "finish"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "string"}

    def resolve(self, raw: object, scope: Scope, where: str) -> Any:
        """Return the name, if the bench has the finish."""
        return scope.finish(raw, where)

    def mapped(self, raw: object, change: Change, where: str = "") -> Any:
        """Return what the name is replaced with."""
        return change(Leaf("finish", raw, where))


def finish(description: str, *, otherwise: str = "as the faces beside them", chapter: str = "", **more: Any) -> Any:
    """Declare a finish; ``otherwise`` says what the faces have when none is given."""
    return declare(FinishKind(otherwise=otherwise, chapter=chapter), None, description, **more)
