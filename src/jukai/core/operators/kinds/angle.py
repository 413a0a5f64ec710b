"""An angle in degrees: a number, or a formula."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Declared, Value, declare
from jukai.core.operators.kinds.number import NumberKind

__all__ = ["AngleKind", "angle"]


@dataclass(frozen=True, kw_only=True)
class AngleKind(NumberKind):
    """An angle in degrees."""

    name: ClassVar[str] = "angle"
    measures: ClassVar[str] = "angle"
    unit: str = "°"


def angle(
    description: str,
    *,
    default: float | None = None,
    otherwise: str = "",
    instead_of: str = "",
    follows: str = "",
    chapter: str = "",
    **more: Unpack[Declared],
) -> Value:
    """Declare an angle; ``ge``, ``gt``, ``le`` and ``lt`` are its limits, ``relevant`` says when it counts."""
    kind = AngleKind(otherwise=otherwise, instead_of=instead_of, follows=follows, chapter=chapter)
    return declare(kind, default, description, **more)
