"""Several curves of the bench, in order."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.errors import ValueProblem
from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, ValueKind, declare

__all__ = ["CurvesKind", "curves"]

MOST = 200


@dataclass(frozen=True, kw_only=True)
class CurvesKind(ValueKind[tuple[CurveInput, ...]]):
    """Ids of curves, at least ``least`` of them; ``closed`` where each must be that."""

    name: ClassVar[str] = "curves"
    refers: ClassVar[str] = "curve"
    of: str = "profile"
    least: int = 2
    closed: bool = False

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "array", "items": {"type": "string"}, "minItems": self.least, "maxItems": MOST}

    def resolve(self, raw: object, scope: Scope, where: str) -> tuple[CurveInput, ...]:
        """Return the curves, sampled, in order."""
        if not isinstance(raw, list) or not self.least <= len(raw) <= MOST:
            raise ValueProblem(
                f"{where.replace('_', ' ').capitalize()} is a list of {self.least} to {MOST} curves.",
                field=where,
                hint='Their ids, in order: ["c1", "c2"].',
            )
        return tuple(scope.curve(row, where, of=self.of) for row in raw)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the list with each name replaced."""
        if not isinstance(raw, list):
            return raw
        return [change(Leaf("curve", row, f"{where}/{i}")) for i, row in enumerate(raw)]

    def key(self, value: tuple[CurveInput, ...]) -> object:
        """Return the curves' own keys."""
        return [c.key for c in value]

    def describe(self) -> Schema:
        """Return what sort of curves it takes, and how many at least."""
        return {"of": [self.of, "closed"] if self.closed else [self.of], "axes": self.least}


def curves(
    description: str,
    *,
    of: str = "profile",
    least: int = 2,
    closed: bool = False,
    chapter: str = "",
    **more: Unpack[Declared],
) -> tuple[CurveInput, ...]:
    """Declare several curves of the bench, in order."""
    return declare(CurvesKind(of=of, least=least, closed=closed, chapter=chapter), ..., description, **more)
