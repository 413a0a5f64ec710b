"""Curves from SVG drawings (W3C, Scalable Vector Graphics 1.1 and 2): paths and basic shapes, transforms and units."""

from __future__ import annotations

import io
import math
import re
import warnings
from typing import Any

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.curve_chains import Chain, as_curves, refuse_far
from jukai.core.json_data import JsonObject

__all__ = ["read_svg"]

_MM = 25.4 / 96
"""A CSS pixel, mm."""
_THEIR_MM = 0.0393701 * 25.4
"""A millimetre as the library has it, which rounds the inches of one."""
_WHAT = "paths, rectangles, circles, ellipses, lines, polylines and polygons"


def read_svg(data: bytes) -> list[JsonObject]:
    """Return the curves of a drawing as profiles, mm, up where the drawing has up, its lower left corner at zero.

    Units are those of CSS: what has none is a pixel, a 96th of an inch, scaled as the ``viewBox`` says. Arcs become cubic pieces
    of a quarter turn at most (off by less than 3e-4 of the radius).

    Raises
    ------
    FileProblem
        When it is no SVG, declares entities, or has nothing that can be read.
    """
    import svgelements as svg

    if re.search(rb"<!\s*ENTITY", data, re.IGNORECASE):
        raise FileProblem("The drawing declares entities: none are read.")
    if b"<svg" not in data[:100_000] and b":svg" not in data[:100_000]:
        raise FileProblem("The file is no SVG: it has no <svg> element.")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            drawing = svg.SVG.parse(io.BytesIO(data), reify=True)
            shapes = [e for e in drawing.elements() if isinstance(e, svg.Shape) and not _hidden(e)]
            chains = [c for n, e in enumerate(shapes, 1) for c in _chains(svg, e, n)]
        if str(drawing.values.get("width", "")).strip().endswith(("mm", "cm")):
            chains = [_scaled(c, 1 / _THEIR_MM) for c in chains]
    except FileProblem:
        raise
    except RecursionError:
        raise FileProblem("The drawing is nested too deep.") from None
    except Exception as e:  # noqa: BLE001 - the library raises what it meets in a broken file
        raise FileProblem(f"The drawing can't be read: {_said(e)}.", hint="Save it anew as plain SVG.") from None
    refuse_far(chains)
    return as_curves(_set_down(chains), _WHAT)


def _set_down(chains: list[Chain]) -> list[Chain]:
    """Move a drawing so that its lower left corner is the zero point: where a page begins says nothing about a curve."""
    places = [p for c in chains for p in (*c.points, *(q for row in c.inner if row is not None for q in row))]
    if not places:
        return chains
    low = np.min(places, axis=0)
    moved = ([None if row is None else (row[0] - low, row[1] - low) for row in c.inner] for c in chains)
    return [Chain(c.name, [p - low for p in c.points], inner, c.closed) for c, inner in zip(chains, moved, strict=True)]


def _scaled(c: Chain, by: float) -> Chain:
    inner = [None if row is None else (row[0] * by, row[1] * by) for row in c.inner]
    return Chain(c.name, [p * by for p in c.points], inner, c.closed)


def _said(e: Exception) -> str:
    text = re.sub(r"\s+", " ", str(e)).strip().rstrip(".")
    return text[:120] or type(e).__name__


def _hidden(e: Any) -> bool:
    values = getattr(e, "values", None) or {}
    style = str(values.get("style", ""))
    return (
        values.get("display") == "none"
        or values.get("visibility") == "hidden"
        or "display:none" in style.replace(" ", "")
    )


def _chains(svg: Any, shape: Any, number: int) -> list[Chain]:
    path = abs(svg.Path(shape))
    name = str(getattr(shape, "id", None) or f"Curve {number}")[:150]
    subs = [svg.Path(sub) for sub in path.as_subpaths()]
    out = []
    for i, sub in enumerate(subs):
        chain = _chain(svg, sub, name if len(subs) == 1 else f"{name}, {i + 1}")
        if chain is not None:
            out.append(chain)
    return out


def _at(p: Any) -> np.ndarray:
    return np.array([p.x * _MM, -p.y * _MM])


def _arc(chain: Chain, arc: Any) -> None:
    """Go on along an elliptical arc, a quarter turn at most at a time (the handles of R. Goldapp, 1991: tangents at both ends)."""
    centre = _at(arc.center)
    u, v = _at(arc.prx) - centre, _at(arc.pry) - centre
    n = max(1, math.ceil(abs(arc.sweep) / (math.pi / 2) - 1e-9))
    step = arc.sweep / n
    k = 4 / 3 * math.tan(step / 4)
    for i in range(n):
        a, b = arc.get_start_t() + i * step, arc.get_start_t() + (i + 1) * step
        p, q = (centre + math.cos(t) * u + math.sin(t) * v for t in (a, b))
        dp, dq = (math.cos(t) * v - math.sin(t) * u for t in (a, b))
        chain.cubic(p + k * dp, q - k * dq, _at(arc.end) if i == n - 1 else q)


def _chain(svg: Any, sub: Any, name: str) -> Chain | None:
    chain: Chain | None = None
    bent: tuple[type, np.ndarray] | None = None  # what the last piece was, and its last control point
    for segment in sub:
        if isinstance(segment, svg.Move):
            chain = Chain(name, [_at(segment.end)])
            continue
        if chain is None:
            chain = Chain(name, [_at(segment.start)])
        before, bent = bent, None
        start = chain.points[-1]
        if isinstance(segment, svg.Close):
            chain.closed = True
        elif isinstance(segment, svg.CubicBezier):
            a, b = _first_control(segment, segment.control1, start, before), _at(segment.control2)
            chain.cubic(a, b, _at(segment.end))
            bent = (type(segment), b)
        elif isinstance(segment, svg.QuadraticBezier):
            middle, end = _first_control(segment, segment.control, start, before), _at(segment.end)
            chain.cubic(start + (middle - start) * (2 / 3), end + (middle - end) * (2 / 3), end)
            bent = (type(segment), middle)
        elif isinstance(segment, svg.Arc):
            _arc(chain, segment)
        else:
            chain.line(_at(segment.end))
    if chain is not None and not chain.closed and len(chain.points) > 2:
        near = 1e-9 * max(1.0, float(np.abs(chain.points[0]).max()))
        chain.closed = bool(np.linalg.norm(chain.points[0] - chain.points[-1]) <= near)
    return chain


def _first_control(segment: Any, control: Any, start: np.ndarray, before: tuple[type, np.ndarray] | None) -> np.ndarray:
    """Return the first control point of a piece; of one that goes on smoothly (S, T) the last one's mirrored, if that was of the same kind.

    The library mirrors that of a piece of the other kind, too, which the standard does not.
    """
    if not segment.smooth:
        return _at(control)
    if before is None or before[0] is not type(segment):
        return start
    return np.asarray(2 * start - before[1])
