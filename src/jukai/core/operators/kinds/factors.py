"""Factors along the first axes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Declared, Value, declare
from jukai.core.operators.kinds.vector import VectorKind

__all__ = ["FactorsKind", "factors"]


@dataclass(frozen=True, kw_only=True)
class FactorsKind(VectorKind):
    """Plain numbers along X, Y and Z."""

    name: ClassVar[str] = "factors"
    measures: ClassVar[str] = ""
    lowest: ClassVar[float] = -1e6
    unit: str = ""


def factors(
    description: str, *, default: Value = None, otherwise: str = "", chapter: str = "", **more: Unpack[Declared]
) -> Value:
    """Declare factors along X, Y and Z; ``relevant`` says when they count."""
    return declare(FactorsKind(otherwise=otherwise, chapter=chapter), default, description, **more)
