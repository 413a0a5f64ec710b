"""A length in mm: a number, or a formula."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Declared, Value, declare
from jukai.core.operators.kinds.number import NumberKind

__all__ = ["LengthKind", "length"]


@dataclass(frozen=True, kw_only=True)
class LengthKind(NumberKind):
    """A length in mm."""

    name: ClassVar[str] = "length"
    measures: ClassVar[str] = "length"
    unit: str = "mm"


def length(
    description: str,
    *,
    default: float | None = None,
    otherwise: str = "",
    instead_of: str = "",
    follows: str = "",
    chapter: str = "",
    **more: Unpack[Declared],
) -> Value:
    """Declare a length; ``ge``, ``gt``, ``le`` and ``lt`` are its limits, ``relevant`` says when it counts."""
    kind = LengthKind(otherwise=otherwise, instead_of=instead_of, follows=follows, chapter=chapter)
    return declare(kind, default, description, **more)
