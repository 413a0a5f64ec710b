"""A count: a whole number, or a formula that is rounded to one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Declared, Value, declare
from jukai.core.operators.kinds.number import NumberKind

__all__ = ["CountKind", "count"]


@dataclass(frozen=True, kw_only=True)
class CountKind(NumberKind):
    """A whole number."""

    name: ClassVar[str] = "count"
    whole: ClassVar[bool] = True


def count(
    description: str, *, default: int | None = None, otherwise: str = "", chapter: str = "", **more: Unpack[Declared]
) -> Value:
    """Declare a count; ``ge`` and ``le`` are its limits, ``relevant`` says when it counts."""
    return declare(CountKind(otherwise=otherwise, chapter=chapter), default, description, **more)
