"""Curves from DXF drawings: lines, polylines with bulges, arcs, circles, ellipses, splines."""

from __future__ import annotations

import io
import logging
from typing import Any, cast

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.curve_chains import Chain, as_curves, joined, refuse_far
from jukai.core.json_data import JsonObject

__all__ = ["read_dxf"]

_KINDS = ("LINE", "LWPOLYLINE", "POLYLINE", "ARC", "CIRCLE", "ELLIPSE", "SPLINE")
_WHAT = "lines, polylines, arcs, circles, ellipses and splines"
_NEAR = 1e-6
"""Share of the drawing's size up to which ends meet."""
_INCH = 25.4
_UNITS = {1: _INCH, 2: 12 * _INCH, 3: 63_360 * _INCH, 4: 1.0, 5: 10.0, 6: 1000.0, 7: 1e6, 8: _INCH / 1e6, 9: _INCH / 1000, 10: 36 * _INCH,
          13: 1e-3, 14: 100.0, 15: 1e4, 16: 1e5}  # fmt: skip
"""Millimetres of the units that a drawing's head names ($INSUNITS); what names none is taken as mm."""


def read_dxf(data: bytes) -> list[JsonObject]:
    """Return the curves of a drawing's model space, mm: profiles where they lie in Z = 0, else paths.

    Pieces of a layer whose ends meet are joined to one curve. Bulges and arcs become cubic pieces of a quarter turn at most (off by less
    than 3e-4 of the radius), splines cubic ones by inserting their knots.

    Raises
    ------
    FileProblem
        When it is no DXF, or has nothing that can be read.
    """
    logging.getLogger("ezdxf").setLevel(logging.CRITICAL)
    from ezdxf import recover

    if not data.strip():
        raise FileProblem("The file is empty.")
    try:
        drawing, _ = recover.read(io.BytesIO(data))
        factor = _UNITS.get(int(drawing.header.get("$INSUNITS", 4)), 1.0)
        layers: dict[str, list[Chain]] = {}
        for n, e in enumerate(drawing.modelspace(), 1):
            if e.dxftype() in _KINDS:
                layers.setdefault(str(e.dxf.layer), []).extend(_chains(e, n, factor))
    except FileProblem:
        raise
    except Exception as e:  # noqa: BLE001 - the library raises what it meets in a broken file
        text = " ".join(str(e).split()).rstrip(".")[:120] or type(e).__name__
        raise FileProblem(f"The file can't be read as DXF: {text}.", hint="Save it anew as DXF, ASCII.") from None
    found = [c for rows in layers.values() for c in rows]
    if not found:
        return as_curves([], _WHAT)
    refuse_far(found)
    size = float(np.ptp(np.concatenate([c.points for c in found]), axis=0).max())
    chains = [c for layer, rows in layers.items() for c in _named(joined(rows, _NEAR * size), layer)]
    for c in chains:
        if max(abs(float(p[2])) for p in c.points) <= 1e-9 * max(size, 1e-300):
            c.points = [p[:2] for p in c.points]
            c.inner = [None if row is None else (row[0][:2], row[1][:2]) for row in c.inner]
    return as_curves(chains, _WHAT)


def _named(chains: list[Chain], layer: str) -> list[Chain]:
    """Call the curves of a layer by its name, with their numbers where there are several; those of layer 0 by what they are."""
    if layer != "0":
        for k, c in enumerate(chains, 1):
            c.name = layer[:140] if len(chains) == 1 else f"{layer[:140]} {k}"
    return chains


def _chains(entity: Any, number: int, factor: float) -> list[Chain]:
    from ezdxf.path import Command, make_path

    name = f"{entity.dxftype().capitalize()} {number}"
    path = make_path(entity)
    out: list[Chain] = []

    def at(p: Any) -> np.ndarray:
        return np.array([p.x, p.y, p.z]) * factor

    chain = Chain(name, [at(path.start)])
    for c in cast("list[Any]", path.commands()):
        if c.type == Command.LINE_TO:
            chain.line(at(c.end))
        elif c.type == Command.CURVE4_TO:
            chain.cubic(at(c.ctrl1), at(c.ctrl2), at(c.end))
        elif c.type == Command.CURVE3_TO:
            start, middle, end = chain.points[-1], at(c.ctrl), at(c.end)
            chain.cubic(start + (middle - start) * (2 / 3), end + (middle - end) * (2 / 3), end)
        else:
            out.append(chain)
            chain = Chain(name, [at(c.end)])
    chain.closed = bool(path.is_closed and len(chain.points) > 2)
    return [*out, chain]
