"""Angles about the first axes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Declared, Value, declare
from jukai.core.operators.kinds.vector import VectorKind

__all__ = ["TurnsKind", "turns"]


@dataclass(frozen=True, kw_only=True)
class TurnsKind(VectorKind):
    """Degrees about X, Y and Z."""

    name: ClassVar[str] = "turns"
    measures: ClassVar[str] = "angle"
    lowest: ClassVar[float] = -36_000.0
    unit: str = "°"


def turns(
    description: str, *, default: Value = None, otherwise: str = "", chapter: str = "", **more: Unpack[Declared]
) -> Value:
    """Declare angles about X, Y and Z; ``relevant`` says when they count."""
    return declare(TurnsKind(otherwise=otherwise, chapter=chapter), default, description, **more)
