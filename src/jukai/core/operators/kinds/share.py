"""A share: 0 to 1, written as a number, a formula, or ``"25 %"``; shown in per cent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Relevant, Schema, Scope, Value, declare
from jukai.core.operators.kinds.number import NumberKind

__all__ = ["ShareKind", "share"]


@dataclass(frozen=True, kw_only=True)
class ShareKind(NumberKind):
    """A share of a whole.

    Attributes
    ----------
    plays : it goes round, so that it can be run through in a loop.
    """

    name: ClassVar[str] = "share"
    begins: ClassVar[bool] = False
    lowest: ClassVar[float] = 0.0
    unit: str = "%"
    plays: bool = False

    def resolve(self, raw: object, scope: Scope, where: str) -> float:
        """Return the share; per cent are hundredths."""
        if isinstance(raw, str) and raw.rstrip().endswith("%"):
            value = scope.number(raw.rstrip()[:-1], measures="", where=where) / 100
        else:
            value = scope.number(raw, measures="", where=where)
        scope.show(where, value)
        return value

    def number_at(self, raw: object, path: Sequence[str], where: str) -> object:
        """Return the share; per cent that are written out as hundredths."""
        raw = self.read(raw, path, where)
        text = raw.rstrip() if isinstance(raw, str) else ""
        try:
            return float(text[:-1]) / 100 if text.endswith("%") else raw
        except ValueError:
            return f"({text[:-1]}) / 100"

    def describe(self) -> Schema:
        """Return whether it can be played."""
        return {"plays": self.plays}

    def words(self, number: float) -> str:
        """Return a share in per cent."""
        return f"{100 * number:g} %"


def share(
    description: str,
    *,
    default: float | None = None,
    otherwise: str = "",
    instead_of: str = "",
    follows: str = "",
    chapter: str = "",
    ge: float = 0,
    le: float = 1,
    plays: bool = False,
    **more: Unpack[Relevant],
) -> Value:
    """Declare a share, 0 to 1 unless other limits are given; ``relevant`` says when it counts."""
    kind = ShareKind(otherwise=otherwise, instead_of=instead_of, follows=follows, chapter=chapter, plays=plays)
    return declare(kind, default, description, ge=ge, le=le, **more)
