"""What kinds have in common that are one number."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from jukai.core.operators.kinds.base import NUMBER, Change, Leaf, Schema, Scope, ValueKind
from jukai.core.operators.kinds.whole import whole_number

__all__ = ["NumberKind"]


@dataclass(frozen=True, kw_only=True)
class NumberKind(ValueKind[float]):
    """One number, or a formula for it."""

    begins: ClassVar[bool] = True
    solvable: ClassVar[bool] = True

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return dict(NUMBER)

    def resolve(self, raw: object, scope: Scope, where: str) -> float:
        """Return the number."""
        value = scope.number(raw, measures=self.measures, where=where)
        if self.whole:
            value = whole_number(value, where, scope.say)
        scope.show(where, value)
        return value

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the only leaf is replaced with."""
        return change(Leaf("number", raw, where, self.measures))
