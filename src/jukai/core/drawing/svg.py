"""A page as SVG 1.1: true size in millimetres, lines as vectors, text as text."""

from __future__ import annotations

import base64
from functools import cache
from pathlib import Path

import numpy as np

from jukai.core.drawing.paper import Fill, Group, Page, Stroke, Text
from jukai.core.xml import attribute, content

__all__ = ["svg_bytes"]

_FONT = Path(__file__).parent / "fonts" / "BarlowSemiCondensed-Medium.woff2"
_CAPITAL = 0.7
"""Height of the font's capitals as a share of its size."""


@cache
def _font() -> str:
    return base64.b64encode(_FONT.read_bytes()).decode()


def svg_bytes(page: Page) -> bytes:
    """Return the page as a file of its own: its lettering is inside."""
    style = (
        "@font-face{font-family:'Barlow Semi Condensed';font-weight:500;src:url(data:font/woff2;base64,"
        + _font()
        + ")}"
        "text{font-family:'Barlow Semi Condensed',sans-serif;font-weight:500;font-feature-settings:'tnum'}"
    )
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{page.width:g}mm" height="{page.height:g}mm" viewBox="0 0 {page.width:g} {page.height:g}">',
        f"<title>{content(page.title)}</title><style>{style}</style>",
        f'<rect width="{page.width:g}" height="{page.height:g}" fill="#fff"/>',
        '<g fill="none" stroke="#000" stroke-linecap="round" stroke-linejoin="round">',
    ]
    _group(page.root, page.height, out)
    out.append("</g></svg>\n")
    return "\n".join(out).encode()


def _group(g: Group, height: float, out: list[str]) -> None:
    data = "".join(f" data-{k}={attribute(v)}" for k, v in g.data.items())
    out.append(f'<g class="{content(g.name)}"{data}>')
    for item in g.items:
        if isinstance(item, Group):
            _group(item, height, out)
        elif isinstance(item, Text):
            x, y = item.at[0], height - item.at[1]
            turn = f' transform="rotate({-item.turn:g} {x:.3f} {y:.3f})"' if item.turn else ""
            anchor = "" if item.anchor == "start" else f' text-anchor="{item.anchor}"'
            out.append(
                f'<text x="{x:.3f}" y="{y:.3f}" font-size="{item.height / _CAPITAL:.3f}" fill="#000" stroke="none"{anchor}{turn}>{content(item.text)}</text>'
            )
        elif isinstance(item, Fill):
            out.append(f'<path d="{_path(item.points, height)}Z" fill="#000" stroke="none"/>')
        else:
            out.append(_stroke(item, height))
    out.append("</g>")


def _stroke(s: Stroke, height: float) -> str:
    dash = f' stroke-dasharray="{" ".join(f"{d:g}" for d in s.dash)}"' if s.dash else ""
    return f'<path d="{_path(s.points, height)}" stroke-width="{s.width:g}"{dash}/>'


def _path(points: np.ndarray, height: float) -> str:
    return "M" + "L".join(f"{x:.4f} {height - y:.4f}" for x, y in points.tolist())
