"""Paper: its sizes, scales, and what can stand on it. Millimetres of paper, from the lower left."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from jukai.core.geometry.arrays import Floats

__all__ = [
    "LETTERINGS",
    "PAPERS",
    "SCALES",
    "THICK",
    "THIN",
    "Fill",
    "Group",
    "Page",
    "Paper",
    "Stroke",
    "Text",
    "scale_words",
]

Paper = Literal["A4", "A3", "A2", "A1"]
PAPERS: dict[str, tuple[float, float]] = {"A4": (297, 210), "A3": (420, 297), "A2": (594, 420), "A1": (841, 594)}
"""Trimmed sizes across and up, lying (ISO 5457)."""
SCALES = (50.0, 20.0, 10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.002, 0.001)
"""Paper for bench (ISO 5455), the largest first."""
LETTERINGS = (2.5, 3.5, 5.0, 7.0)
"""Heights of capitals, mm (ISO 3098-1)."""
THICK, THIN = 0.5, 0.25
"""Widths of outlines and of all thin lines (ISO 128-2, group 0.5)."""


def scale_words(scale: float) -> str:
    """Return a scale as it is written: ``1 : 2``, ``5 : 1``."""
    return f"{scale:g} : 1" if scale >= 1 else f"1 : {1 / scale:g}"


@dataclass(frozen=True, slots=True, eq=False)
class Stroke:
    """A line through points (k, 2); ``dash`` are lengths of dashes and gaps in mm."""

    points: Floats
    width: float = THIN
    dash: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class Fill:
    """A black area round points (k, 2)."""

    points: Floats


@dataclass(frozen=True, slots=True)
class Text:
    """Words; ``height`` is that of capitals, ``turn`` in degrees, ``anchor`` what stands at the place."""

    at: tuple[float, float]
    text: str
    height: float
    anchor: Literal["start", "middle", "end"] = "start"
    turn: float = 0.0


@dataclass(slots=True)
class Group:
    """What belongs together on a page; ``data`` says what it is to who reads the file."""

    name: str
    data: dict[str, str] = field(default_factory=dict)
    items: list[Stroke | Fill | Text | Group] = field(default_factory=list)

    def group(self, kind: str, /, **data: str) -> Group:
        """Begin a group within."""
        inner = Group(kind, data)
        self.items.append(inner)
        return inner

    def line(self, *points: tuple[float, float], width: float = THIN, dash: tuple[float, ...] = ()) -> None:
        """Draw a line."""
        self.items.append(Stroke(np.array(points, dtype=np.float64), width, dash))

    def text(self, at: tuple[float, float], words: str, height: float, anchor: Literal["start", "middle", "end"] = "start",
             turn: float = 0.0) -> None:  # fmt: skip
        """Write."""
        self.items.append(Text(at, words, height, anchor, turn))

    def arrow(self, tip: tuple[float, float], direction: tuple[float, float], length: float) -> None:
        """Draw a filled arrowhead of 15° that points along a unit direction (ISO 129-1)."""
        x, y = tip
        u, v = direction
        half = length * 0.1317
        back = (x - u * length, y - v * length)
        rows = [(x, y), (back[0] - v * half, back[1] + u * half), (back[0] + v * half, back[1] - u * half)]
        self.items.append(Fill(np.array(rows)))


@dataclass(slots=True)
class Page:
    """A sheet of paper."""

    width: float
    height: float
    title: str
    root: Group
