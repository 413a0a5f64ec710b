"""Curves into drawings: SVG (W3C, 1.1) and DXF (R2000), exactly: lines, arcs and cubics stay what they are."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.curve_pieces import CurveShape
from jukai.core.geometry.curve_segments import Circular, Segment, segments_of
from jukai.core.geometry.paths import Arc
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.resolve import Resolver

__all__ = ["CURVE_FORMATS", "Drawn", "drawing_of", "write_curves"]

CURVE_FORMATS = ("svg", "dxf")


@dataclass(frozen=True, slots=True, eq=False)
class Drawn:
    """A curve that is written: its name and its shape, two columns of a profile, three of a path."""

    name: str
    shape: CurveShape


def write_curves(curves: Sequence[Drawn], ending: str) -> bytes:
    """Return a drawing in mm, 1 : 1; up is up.

    Raises
    ------
    ValueProblem
        For another format, for a path in space as SVG, and for a curve without length.
    """
    if ending not in CURVE_FORMATS:
        raise ValueProblem(
            f"There is no format '{ending[:20]}' for curves.",
            field="format",
            hint=f"There is: {', '.join(CURVE_FORMATS)}.",
        )
    rows = [(c, segments_of(c.shape)) for c in curves]
    for c, segments in rows:
        if not segments:
            raise ValueProblem(f"'{c.name}' has no length.", hint="Move its points apart.")
        if ending == "svg" and c.shape.at.shape[1] == 3:
            raise ValueProblem(f"'{c.name}' is a path in space; an SVG is flat.", field="format", hint="Take DXF.")
    return _svg(rows) if ending == "svg" else _dxf(rows)


def drawing_of(bench: Bench, names: Sequence[str], ending: str) -> bytes:
    """Return a drawing of some of a bench's curves, by id or name; of none named all that can be drawn.

    Raises
    ------
    ValueProblem
        When there is no such curve, or as for ``write_curves``.
    """
    every = {key: c for c in bench.curves for key in (c.name, c.id)}
    for name in names:
        if name not in every:
            known = ", ".join(f"{c.id} ({c.name})" for c in bench.curves[:12]) or "none"
            raise ValueProblem(f"There is no curve '{name[:60]}'.", hint=f"There is: {known}.")
    chosen = [every[n] for n in names] or [c for c in bench.curves if ending != "svg" or c.kind == "profile"]
    if not chosen:
        raise ValueProblem("There is no curve to be drawn.", hint="Paths in space go into DXF, profiles into both.")
    resolver = Resolver(bench)
    return write_curves([Drawn(c.name, resolver.shape(c)) for c in chosen], ending)


def _closed(shape: CurveShape) -> bool:
    return shape.closed and len(shape.at) > 2


# -- SVG --------------------------------------------------------------------------------------------
def _svg(rows: Sequence[tuple[Drawn, list[Segment]]]) -> bytes:
    low, high = _bounds([s for _, segments in rows for s in segments])
    wide, tall = np.maximum(high - low, 1e-6)
    box = " ".join(_n(x) for x in (low[0], -high[1], wide, tall))
    # a line as fine as can still be seen, whatever the size
    pen = _n(max(wide, tall) / 500)
    paths = "\n".join(
        f'  <path id={quoteattr(c.name)} d="{_path(segments, closed=_closed(c.shape))}"/>' for c, segments in rows
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{_n(wide)}mm" height="{_n(tall)}mm" viewBox="{box}">\n'
        f'<g fill="none" stroke="black" stroke-width="{pen}">\n{paths}\n</g>\n</svg>\n'
    ).encode()


def _path(segments: Sequence[Segment], *, closed: bool) -> str:
    def at(p: Floats) -> str:
        return f"{_n(p[0])} {_n(-p[1])}"

    out = [f"M{at(segments[0].p)}"]
    for k, s in enumerate(segments):
        last = closed and k == len(segments) - 1
        if isinstance(s.circle, Circular):
            # half turns and more have no single arc that all readers agree on: two halves
            for q, sweep in _halves(s, s.circle):
                out.append(f"A{_n(s.circle.radius)} {_n(s.circle.radius)} 0 0 {int(sweep < 0)} {at(q)}")
        elif s.inner is not None:
            out.append(f"C{at(s.inner[0])} {at(s.inner[1])} {at(s.q)}")
        elif not last:
            out.append(f"L{at(s.q)}")
    return "".join(out) + ("Z" if closed else "")


def _halves(s: Segment, c: Circular) -> list[tuple[Floats, float]]:
    if abs(c.sweep) < 0.9 * math.pi:
        return [(s.q, c.sweep)]
    a = c.start + c.sweep / 2
    return [(c.centre + c.radius * np.array([math.cos(a), math.sin(a)]), c.sweep / 2), (s.q, c.sweep / 2)]


def _bounds(segments: Sequence[Segment]) -> tuple[Floats, Floats]:
    """Return bounds that hold all segments: control points, and circles whole."""
    rows = [p for s in segments for p in (s.p, s.q, *(() if s.inner is None else s.inner))]
    for s in segments:
        if isinstance(s.circle, Circular):
            a = s.circle.start + s.circle.sweep * np.linspace(0, 1, 65)
            rows += list(s.circle.centre + s.circle.radius * np.column_stack([np.cos(a), np.sin(a)]))
    every = np.array(rows)
    return every.min(axis=0), every.max(axis=0)


def _n(x: float) -> str:
    text = f"{float(x):.12g}"
    return "0" if text == "-0" else text


# -- DXF --------------------------------------------------------------------------------------------
def _dxf(rows: Sequence[tuple[Drawn, list[Segment]]]) -> bytes:
    from ezdxf.filemanagement import new

    document = new("R2000", units=4)  # mm
    space = document.modelspace()
    names: set[str] = set()
    for c, segments in rows:
        layer = _layer(c.name, names)
        document.layers.add(layer)
        flat = c.shape.at.shape[1] == 2
        whole = all(s.inner is None for s in segments)
        if flat and whole:
            _polyline(space, segments, layer, closed=_closed(c.shape))
            continue
        run: list[Segment] = []
        for s in segments:
            if flat and s.inner is None:
                run.append(s)
                continue
            if run:
                _polyline(space, run, layer, closed=False)
                run = []
            _spline(space, s, layer)
        if run:
            _polyline(space, run, layer, closed=False)
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


def _layer(name: str, taken: set[str]) -> str:
    """Return a name that layers may have; characters that they may not have become lines."""
    plain = "".join("-" if ch in '<>/\\":;?*|=`,' or ord(ch) < 32 else ch for ch in name).strip()[:200] or "curve"
    found, k = plain, 2
    while found.lower() in taken or found == "0":
        found, k = f"{plain} {k}", k + 1
    taken.add(found.lower())
    return found


def _polyline(space: Any, segments: Sequence[Segment], layer: str, *, closed: bool) -> None:
    """Write lines and arcs as one polyline; a bulge is tan(sweep / 4)."""
    rows = []
    for s in segments:
        bulge = math.tan(s.circle.sweep / 4) if isinstance(s.circle, Circular) else 0.0
        rows.append((float(s.p[0]), float(s.p[1]), 0.0, 0.0, bulge))
    if not closed:
        last = segments[-1].q
        rows.append((float(last[0]), float(last[1]), 0.0, 0.0, 0.0))
    space.add_lwpolyline(rows, close=closed, dxfattribs={"layer": layer})


def _spline(space: Any, s: Segment, layer: str) -> None:
    """Write a cubic, a line in space, or a part of a circle in space, exactly."""

    def three(p: Floats) -> tuple[float, float, float]:
        return float(p[0]), float(p[1]), float(p[2]) if len(p) == 3 else 0.0

    look = {"layer": layer}
    if isinstance(s.circle, Arc):
        _arc(space, s.circle, look)
    elif s.inner is None:
        space.add_line(three(s.p), three(s.q), dxfattribs=look)
    else:
        points = [three(p) for p in (s.p, *s.inner, s.q)]
        space.add_open_spline(points, degree=3, knots=[0, 0, 0, 0, 1, 1, 1, 1], dxfattribs=look)


def _arc(space: Any, arc: Arc, look: dict[str, Any]) -> None:
    """Write a part of a circle in space: its numbers are those of the plane that its extrusion direction gives."""
    from ezdxf.math import OCS

    normal = np.cross(arc.start, arc.ahead)
    normal /= np.linalg.norm(normal)
    plane = OCS(normal.tolist())
    centre, start = plane.from_wcs(arc.centre.tolist()), plane.from_wcs(arc.start.tolist())
    begin = math.degrees(math.atan2(start[1], start[0]))
    space.add_arc(
        centre, float(np.linalg.norm(arc.start)), begin, begin + math.degrees(arc.sweep),
        dxfattribs={**look, "extrusion": normal.tolist()},
    )  # fmt: skip
