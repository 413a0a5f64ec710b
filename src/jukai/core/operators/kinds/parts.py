"""Several other parts of the bench, whose bodies the step takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.errors import ValueProblem
from jukai.core.operators.inputs import Body
from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, ValueKind, declare

__all__ = ["PartsKind", "parts"]

MOST = 500


@dataclass(frozen=True, kw_only=True)
class PartsKind(ValueKind[tuple[Body, ...]]):
    """Ids or names of parts, each once; where they stand counts with ``placed``, as this part sees them with ``seen``."""

    name: ClassVar[str] = "parts"
    refers: ClassVar[str] = "part"
    placed: bool | str = True

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "array", "items": {"type": "string"}, "minItems": 1, "maxItems": MOST}

    def resolve(self, raw: object, scope: Scope, where: str) -> tuple[Body, ...]:
        """Return the bodies, worked out, in order."""
        if not isinstance(raw, list) or not 1 <= len(raw) <= MOST or len({str(r) for r in raw}) < len(raw):
            raise ValueProblem(
                f"{where.replace('_', ' ').capitalize()} is a list of 1 to {MOST} parts, each named once.",
                field=where,
                hint='Their ids: ["p2", "p3"].',
            )
        return tuple(scope.body(row, where, upto=None, placed=self.placed) for row in raw)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the list with each name replaced."""
        if not isinstance(raw, list):
            return raw
        return [change(Leaf("part", row, f"{where}/{i}")) for i, row in enumerate(raw)]

    def key(self, value: tuple[Body, ...]) -> object:
        """Return the bodies' own keys."""
        return [b.key for b in value]


def parts(
    description: str, *, placed: bool | str = True, chapter: str = "", **more: Unpack[Declared]
) -> tuple[Body, ...]:
    """Declare several other parts of the bench."""
    return declare(PartsKind(placed=placed, chapter=chapter), ..., description, **more)
