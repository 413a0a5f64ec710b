"""How a drawing sheet is laid out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from jukai.core.geometry.section import Plane

__all__ = ["SheetOptions"]


@dataclass(frozen=True, slots=True)
class SheetOptions:
    """How a sheet is laid out.

    Attributes
    ----------
    paper : of ``PAPERS``.
    scale : paper for bench; None takes the largest of ``SCALES`` that fits.
    angle : where the views stand: first angle (the side from the left stands right, the top below), or third (left, above).
    lettering : height of capitals, mm.
    section : where a cut is drawn, or None.
    """

    paper: str = "A3"
    scale: float | None = None
    angle: Literal["first", "third"] = "first"
    lettering: float = 3.5
    section: Plane | None = None
