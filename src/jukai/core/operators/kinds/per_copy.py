"""A number for each copy: one for all of them, or a formula of ``copy`` (from 0) and ``copies``."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, Value, ValueKind, declare

__all__ = ["PerCopyKind", "per_copy"]

_UNITS = {"length": "mm", "angle": "°", "": ""}


@dataclass(frozen=True, kw_only=True)
class PerCopyKind(ValueKind[tuple[float, ...]]):
    """As many numbers as ``beside``, the key of a count before it, says.

    Attributes
    ----------
    of : what they measure: ``length``, ``angle`` or nothing.
    """

    name: ClassVar[str] = "per_copy"
    solvable: ClassVar[bool] = False
    beside: str = "count"
    of: str = ""

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return dict(NUMBER)

    def resolve(self, raw: object, scope: Scope, where: str) -> tuple[float, ...]:
        """Return a number for each copy; on the screen stands that of the last one."""
        count = scope.done.get(self.beside, scope.taken.get(self.beside, 1))
        out = scope.each(raw, int(count), measures=self.of, where=where)
        scope.show(where, out[-1])
        return out

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the only leaf is replaced with."""
        return change(Leaf("number", raw, where, self.of))

    def key(self, value: tuple[float, ...]) -> object:
        """Return the numbers."""
        return list(value)

    def describe(self) -> Schema:
        """Return what they measure, and which value says how many there are."""
        return {"of": [self.of] if self.of else [], "beside": self.beside}


def per_copy(
    description: str, *, of: str, otherwise: str, beside: str = "count", chapter: str = "", **more: Unpack[Declared]
) -> Value:
    """Declare a number for each copy."""
    kind = PerCopyKind(of=of, beside=beside, unit=_UNITS[of], otherwise=otherwise, chapter=chapter)
    return declare(kind, None, description, **more)
