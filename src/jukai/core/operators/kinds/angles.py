"""Angles, one for each thing that another value lists."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.errors import ValueProblem
from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, Value, ValueKind, declare

__all__ = ["AnglesKind", "angles"]

_MOST = 200


@dataclass(frozen=True, kw_only=True)
class AnglesKind(ValueKind[tuple[float, ...]]):
    """Degrees in the order of what ``beside`` lists; those left out are 0."""

    name: ClassVar[str] = "angles"
    unit: str = "°"
    beside: str = ""

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "array", "items": dict(NUMBER), "maxItems": _MOST}

    def resolve(self, raw: object, scope: Scope, where: str) -> tuple[float, ...]:
        """Return the angles."""
        if not isinstance(raw, list) or len(raw) > _MOST:
            raise ValueProblem(
                f"{where.replace('_', ' ').capitalize()} is a list of angles.", field=where, hint="For example [0, 15]."
            )
        out = []
        for k, row in enumerate(raw):
            out.append(scope.number(row, measures="angle", where=where))
            scope.show(f"{where}/{k}", out[-1])
        return tuple(out)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the list with each number replaced."""
        if not isinstance(raw, list):
            return raw
        return [change(Leaf("number", row, f"{where}/{k}", "angle")) for k, row in enumerate(raw)]

    def edited(self, raw: object, path: Sequence[str], value: object, where: str) -> object:
        """Return the list with one angle changed; it grows to hold it."""
        if not path or not path[0].isdigit() or int(path[0]) >= _MOST:
            return super().edited(raw, path, value, where)
        rows = [*raw] if isinstance(raw, list | tuple) else []
        rows += [0] * (int(path[0]) + 1 - len(rows))
        return super().edited(rows, path, value, where)

    def key(self, value: tuple[float, ...]) -> object:
        """Return the angles."""
        return list(value)

    def describe(self) -> Schema:
        """Return which value lists what they are for."""
        return {"beside": self.beside}


def angles(description: str, *, beside: str, otherwise: str = "", chapter: str = "", **more: Unpack[Declared]) -> Value:
    """Declare an angle for each of what the value ``beside`` lists."""
    return declare(AnglesKind(beside=beside, otherwise=otherwise, chapter=chapter), None, description, **more)
