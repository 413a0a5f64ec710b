"""An axis: ``x``, ``y``, ``z``, ``longest``, or a point and a direction."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.errors import ValueProblem
from jukai.core.operators.inputs import AxisSpec
from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, ValueKind, declare
from jukai.core.operators.kinds.vector import numbers_schema

__all__ = ["AxisKind", "axis"]

NAMED = ("x", "y", "z", "longest")


@dataclass(frozen=True, kw_only=True)
class AxisKind(ValueKind[AxisSpec]):
    """A line with a direction."""

    name: ClassVar[str] = "axis"
    measures: ClassVar[str] = "length"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        own = {"type": "object", "properties": {"point": numbers_schema(3), "direction": numbers_schema(3)},
               "required": ["point", "direction"]}  # fmt: skip
        return {"oneOf": [{"enum": list(NAMED)}, own]}

    def resolve(self, raw: object, scope: Scope, where: str) -> AxisSpec:
        """Return the axis."""
        if isinstance(raw, str) and raw in NAMED:
            return AxisSpec(raw)
        if isinstance(raw, dict) and set(raw) == {"point", "direction"}:
            point, direction = (self._three(raw[key], key, scope, where) for key in ("point", "direction"))
            if not any(direction):
                raise ValueProblem(
                    "The axis has no direction: all three numbers are 0.", field=where, hint="For example [0, 0, 1]."
                )
            return AxisSpec(None, point, direction)
        raise ValueProblem(
            f"{where.capitalize()} is no axis.",
            field=where,
            hint='Write "x", "y", "z", "longest", or a point and a direction.',
        )

    def _three(self, row: object, key: str, scope: Scope, where: str) -> tuple[float, float, float]:
        if not isinstance(row, list) or len(row) != 3:
            raise ValueProblem(f"The {key} of an axis is a list of three numbers.", field=where)
        a, b, c = (scope.number(v, measures="length", where=where) for v in row)
        for i, found in enumerate((a, b, c)):
            scope.show(f"{where}/{key}/{i}", found)
        return a, b, c

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return a point and a direction with each number replaced; a name of an axis is no number."""
        if not isinstance(raw, dict):
            return raw
        return {
            k: [change(Leaf("number", x, f"{where}/{k}/{i}", "length")) for i, x in enumerate(v)]
            if isinstance(v, list)
            else v
            for k, v in raw.items()
        }

    def written(self, default: AxisSpec) -> object:
        """Return an axis as it would stand in a file."""
        return default.name or {"point": list(default.point or ()), "direction": list(default.direction or ())}


def axis(description: str, *, default: AxisSpec, chapter: str = "", **more: Unpack[Declared]) -> AxisSpec:
    """Declare an axis."""
    return declare(AxisKind(chapter=chapter), default, description, **more)
