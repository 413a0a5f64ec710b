"""A seed: the whole number that a random choice begins with."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Relevant, declare
from jukai.core.operators.kinds.number import NumberKind

__all__ = ["SeedKind", "seed"]


@dataclass(frozen=True, kw_only=True)
class SeedKind(NumberKind):
    """A whole number; another one gives another result of the same sort, the same one always the same."""

    name: ClassVar[str] = "seed"
    whole: ClassVar[bool] = True
    begins: ClassVar[bool] = False
    solvable: ClassVar[bool] = False
    lowest: ClassVar[float] = 0.0


def seed(
    description: str = "Another seed gives another result of the same sort.",
    *,
    default: int = 1,
    chapter: str = "",
    **more: Unpack[Relevant],
) -> int:
    """Declare a seed: 0 to 2³¹ − 1; ``relevant`` says when it counts."""
    return declare(SeedKind(chapter=chapter), default, description, ge=0, le=2**31 - 1, **more)
