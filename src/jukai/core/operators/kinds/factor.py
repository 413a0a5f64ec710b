"""A factor: a plain number without a unit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Declared, Value, declare
from jukai.core.operators.kinds.number import NumberKind

__all__ = ["FactorKind", "factor"]


@dataclass(frozen=True, kw_only=True)
class FactorKind(NumberKind):
    """A plain number."""

    name: ClassVar[str] = "factor"


def factor(
    description: str,
    *,
    default: float | None = None,
    otherwise: str = "",
    instead_of: str = "",
    chapter: str = "",
    **more: Unpack[Declared],
) -> Value:
    """Declare a plain number; ``ge``, ``gt``, ``le`` and ``lt`` are its limits, ``relevant`` says when it counts."""
    return declare(
        FactorKind(otherwise=otherwise, instead_of=instead_of, chapter=chapter), default, description, **more
    )
