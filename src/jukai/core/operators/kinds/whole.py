"""Whole numbers: a count is rounded, and says so."""

from __future__ import annotations

import math
from collections.abc import Callable

from jukai.core.notes import Note

__all__ = ["whole_number"]


def whole_number(value: float, where: str, say: Callable[[Note], None]) -> int:
    """Return the nearest whole number, halves up; that it was rounded is said."""
    whole = math.floor(value + 0.5)
    if whole != value:
        say(Note("info", f"{where.replace('_', ' ').capitalize()} {value:g} is rounded to {whole}.", field=where))
    return whole
