"""A place along an axis: mm from the body's start, or a share of its length (``"25 %"``)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.inputs import Along
from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, ValueKind, declare

__all__ = ["AlongKind", "along"]


@dataclass(frozen=True, kw_only=True)
class AlongKind(ValueKind[Along]):
    """A place along an axis."""

    name: ClassVar[str] = "along"
    measures: ClassVar[str] = "length"
    unit: str = "mm"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return dict(NUMBER)

    def resolve(self, raw: object, scope: Scope, where: str) -> Along:
        """Return the place."""
        if isinstance(raw, str) and raw.rstrip().endswith("%"):
            return Along(scope.number(raw.rstrip()[:-1], measures="", where=where), share=True)
        value = scope.number(raw, measures="length", where=where)
        scope.show(where, value)
        return Along(value)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the only leaf is replaced with."""
        return change(Leaf("number", raw, where, "length"))

    def written(self, default: Along) -> object:
        """Return a place as it would stand in a file."""
        return f"{default.value:g} %" if default.share else default.value


def along(description: str, *, default: Along, chapter: str = "", **more: Unpack[Declared]) -> Along:
    """Declare a place along the axis."""
    return declare(AlongKind(chapter=chapter), default, description, **more)
