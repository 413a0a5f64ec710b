"""A vector: lengths along the axes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.errors import ValueProblem
from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, Value, ValueKind, declare
from jukai.core.operators.kinds.whole import whole_number

__all__ = ["VectorKind", "numbers_schema", "vector"]


def numbers_schema(axes: int) -> Schema:
    """Return the JSON Schema of a list of as many numbers."""
    return {"type": "array", "items": NUMBER, "minItems": axes, "maxItems": axes}


@dataclass(frozen=True, kw_only=True)
class VectorKind(ValueKind[tuple[float, ...]]):
    """Numbers along the first ``axes`` axes."""

    name: ClassVar[str] = "vector"
    begins: ClassVar[bool] = True
    solvable: ClassVar[bool] = True
    measures: ClassVar[str] = "length"
    lowest: ClassVar[float] = 0.0
    unit: str = "mm"
    axes: int = 3

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return numbers_schema(self.axes)

    def resolve(self, raw: object, scope: Scope, where: str) -> tuple[float, ...]:
        """Return the numbers."""
        if not isinstance(raw, list) or len(raw) != self.axes:
            words = "two" if self.axes == 2 else "three"
            raise ValueProblem(
                f"{where.replace('_', ' ').capitalize()} is a list of {words} numbers.",
                field=where,
                hint=f"For example {[20] * self.axes}.",
            )
        out = []
        for i, part in enumerate(raw):
            value = scope.number(part, measures=self.measures, where=where)
            if self.whole:
                value = whole_number(value, where, scope.say)
            scope.show(f"{where}/{i}", value)
            out.append(value)
        return tuple(out)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the list with each number replaced."""
        if not isinstance(raw, list):
            return raw
        return [change(Leaf("number", x, f"{where}/{i}", self.measures)) for i, x in enumerate(raw)]

    def describe(self) -> Schema:
        """Return how many numbers there are."""
        return {"axes": self.axes}


def vector(
    description: str,
    *,
    axes: int = 3,
    default: Value = None,
    otherwise: str = "",
    chapter: str = "",
    **more: Unpack[Declared],
) -> Value:
    """Declare lengths along the first ``axes`` axes; ``relevant`` says when they count."""
    return declare(VectorKind(otherwise=otherwise, axes=axes, chapter=chapter), default, description, **more)
