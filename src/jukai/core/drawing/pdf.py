"""A page as PDF: true size, lines as vectors, the lettering embedded."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

from jukai.core.drawing.paper import Fill, Group, Page, Stroke, Text

__all__ = ["pdf_bytes"]

_FONT = Path(__file__).parent / "fonts" / "BarlowSemiCondensed-Medium.ttf"
_NAME = "Lettering"
_CAPITAL = 0.7


def pdf_bytes(page: Page) -> bytes:
    """Return the page as a file; the same page gives the same bytes."""
    from reportlab.lib.units import mm
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont
    from reportlab.pdfgen.canvas import Canvas

    if _NAME not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont(_NAME, str(_FONT)))
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(page.width * mm, page.height * mm), invariant=True)
    canvas.setTitle(page.title)
    canvas.setCreator("Jukai")
    canvas.scale(mm, mm)
    canvas.setLineCap(1)
    canvas.setLineJoin(1)
    _group(page.root, canvas)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _group(g: Group, canvas: Any) -> None:
    c: Any = canvas
    for item in g.items:
        if isinstance(item, Group):
            _group(item, c)
        elif isinstance(item, Text):
            _text(item, c)
        else:
            _path(item, c)


def _text(t: Text, c: Any) -> None:
    c.saveState()
    c.translate(*t.at)
    c.rotate(t.turn)
    c.setFont(_NAME, t.height / _CAPITAL)
    draw = {"start": "drawString", "middle": "drawCentredString", "end": "drawRightString"}[t.anchor]
    getattr(c, draw)(0, 0, t.text)
    c.restoreState()


def _path(s: Stroke | Fill, c: Any) -> None:
    path = c.beginPath()
    rows = s.points.tolist()
    path.moveTo(*rows[0])
    for row in rows[1:]:
        path.lineTo(*row)
    if isinstance(s, Fill):
        path.close()
        c.drawPath(path, stroke=0, fill=1)
        return
    c.setLineWidth(s.width)
    c.setDash(list(s.dash))
    c.drawPath(path, stroke=1, fill=0)
