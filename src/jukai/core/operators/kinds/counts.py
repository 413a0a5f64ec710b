"""Counts along the axes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Declared, Value, declare
from jukai.core.operators.kinds.vector import VectorKind

__all__ = ["CountsKind", "counts"]


@dataclass(frozen=True, kw_only=True)
class CountsKind(VectorKind):
    """Whole numbers along the first ``axes`` axes."""

    name: ClassVar[str] = "counts"
    whole: ClassVar[bool] = True
    measures: ClassVar[str] = ""
    lowest: ClassVar[float] = 1.0
    unit: str = ""


def counts(
    description: str,
    *,
    axes: int = 3,
    default: Value = None,
    otherwise: str = "",
    chapter: str = "",
    **more: Unpack[Declared],
) -> Value:
    """Declare counts along the first ``axes`` axes; ``relevant`` says when they count."""
    return declare(CountsKind(otherwise=otherwise, axes=axes, chapter=chapter), default, description, **more)
