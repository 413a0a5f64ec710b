"""The frame and the title block of a sheet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.drawing.options import SheetOptions
from jukai.core.drawing.paper import PAPERS, THICK, THIN, Group, Page, Stroke

__all__ = ["Header", "draw_frame", "room_of"]

_LEFT, _REST = 20.0, 10.0
"""Borders: 20 mm on the left for filing, 10 mm else (ISO 5457)."""
_BLOCK = (180.0, 30.0)
"""Title block across and up (ISO 7200: 180 mm wide)."""


@dataclass(frozen=True, slots=True)
class Header:
    """What the title block says."""

    owner: str
    title: str
    finish: str = ""
    mass: str = ""
    date: str = ""
    revision: str = ""
    drawn: str = ""


def room_of(paper: str) -> tuple[float, float, float, float]:
    """Return left, bottom, right, top of what is free for views: within the frame, over the title block."""
    width, height = PAPERS[paper]
    return (_LEFT + 4, _REST + _BLOCK[1] + 4, width - _REST - 4, height - _REST - 4)


def draw_frame(page: Page, header: Header, scale: str, options: SheetOptions) -> None:
    """Draw the border, the title block and the sign of the projection."""
    w, h = page.width, page.height
    frame = page.root.group("frame")
    _box(frame, _LEFT, _REST, w - _REST, h - _REST, THICK * 1.4)
    x0, y0 = w - _REST - _BLOCK[0], _REST
    block = page.root.group("title-block")
    _box(block, x0, y0, w - _REST, y0 + _BLOCK[1], THICK)
    rows = y0 + _BLOCK[1] / 2
    block.line((x0, rows), (w - _REST, rows))
    cells = (
        ((0, 70, "Owner", header.owner), (70, 126, "Finish", header.finish), (126, 150, "Date", header.date), (150, 180, "Drawn by", header.drawn)),
        ((0, 70, "Title", header.title), (70, 92, "Scale", scale), (92, 110, "Paper", options.paper), (110, 126, "Revision", header.revision),
         (126, 150, "Mass", header.mass), (150, 180, "Projection", "")),
    )  # fmt: skip
    for (bottom, top), row in zip(((rows, y0 + _BLOCK[1]), (y0, rows)), cells, strict=True):
        for left, right, label, words in row:
            if left:
                block.line((x0 + left, bottom), (x0 + left, top))
            cell = block.group("cell", label=label, value=words)
            cell.text((x0 + left + 1.5, top - 3.4), label, 1.8)
            cell.text(
                (x0 + left + 1.5, bottom + 3.2), _shortened(words, right - left - 3), 3.5 if label == "Title" else 2.5
            )
    _sign(block, (x0 + 165.0, y0 + 5.4), first=options.angle == "first")
    block.text((x0 - 3, y0 + 2), "Dimensions in mm", 2.5, "end")


def _shortened(words: str, room: float) -> str:
    most = int(room / 1.55)
    return words if len(words) <= most else words[: max(most - 1, 1)] + "…"


def _box(g: Group, left: float, bottom: float, right: float, top: float, width: float) -> None:
    g.line((left, bottom), (right, bottom), (right, top), (left, top), (left, bottom), width=width)


def _sign(g: Group, at: tuple[float, float], *, first: bool) -> None:
    """Draw a cone, small end left, and its view from the left: right of it in first angle, left in third (ISO 5456-2)."""
    sign = g.group("projection", angle="first" if first else "third")
    x, y = at
    cone = x - 6.5 if first else x + 6.5
    rings = x + 6.5 if first else x - 6.5
    sign.line(
        (cone - 4, y - 1.75),
        (cone + 4, y - 3.5),
        (cone + 4, y + 3.5),
        (cone - 4, y + 1.75),
        (cone - 4, y - 1.75),
        width=THIN,
    )
    a = np.linspace(0, 2 * np.pi, 49)
    for r in (1.75, 3.5):
        sign.items.append(Stroke(np.stack([rings + r * np.cos(a), y + r * np.sin(a)], axis=1), THIN))
    for left, right in ((cone - 5.2, cone + 5.2), (rings - 4.6, rings + 4.6)):
        sign.line((left, y), (right, y), width=THIN * 0.7, dash=(2.4, 0.6, 0.4, 0.6))
    sign.line((rings, y - 4.6), (rings, y + 4.6), width=THIN * 0.7, dash=(2.4, 0.6, 0.4, 0.6))
