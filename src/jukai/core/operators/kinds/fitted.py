"""A length whose formula may speak of ``fit``, a length that the operator finds: ``fit + 1``."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, Value, ValueKind, declare

__all__ = ["FittedKind", "FittedLength", "fitted"]

_PROBES = (1.0, 2.0, 3.141592653589793)


@dataclass(frozen=True, slots=True, eq=False)
class FittedLength:
    """A length that follows one that is found: ``at(found)`` is what it comes to, mm."""

    at: Callable[[float], float]


@dataclass(frozen=True, kw_only=True)
class FittedKind(ValueKind[FittedLength]):
    """A length, as a number or a formula that may speak of ``fit``."""

    name: ClassVar[str] = "fitted"
    begins: ClassVar[bool] = False
    measures: ClassVar[str] = "length"
    unit: str = "mm"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return dict(NUMBER)

    def resolve(self, raw: object, scope: Scope, where: str) -> FittedLength:
        """Return what works it out; a formula that can't be read is told at once."""
        found = FittedLength(lambda fit: scope.fitted(raw, fit, where=where))
        first = [found.at(p) for p in _PROBES]
        if first[0] == first[1] == first[2]:
            scope.show(where, first[0])
        return found

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the only leaf is replaced with."""
        return change(Leaf("number", raw, where, "length"))

    def key(self, value: FittedLength) -> object:
        """Return what it comes to at a few places."""
        return [value.at(p) for p in (*_PROBES, 0.1, 17.0, 1234.5)]


def fitted(description: str, *, otherwise: str, chapter: str = "", **more: Unpack[Declared]) -> Value:
    """Declare a length that is found by the operator where nothing is written."""
    return declare(FittedKind(otherwise=otherwise, chapter=chapter), None, description, **more)
