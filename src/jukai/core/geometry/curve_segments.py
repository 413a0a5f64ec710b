"""Curves as they are, not sampled: straight, circular and cubic segments, with their radii and chamfers."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.curve_pieces import CurveShape, Piece, part_of_cubic, pieces_of
from jukai.core.geometry.curves import fillets_of
from jukai.core.geometry.paths import Arc, path_through

__all__ = ["Circular", "Segment", "segments_of"]


@dataclass(frozen=True, slots=True, eq=False)
class Circular:
    """A part of a circle in the plane: from ``start`` radians through ``sweep``, counter-clockwise where that is positive."""

    centre: Floats
    radius: float
    start: float
    sweep: float


@dataclass(frozen=True, slots=True, eq=False)
class Segment:
    """One segment: its ends and, unless it is straight, the inner points of a cubic or its circle.

    Attributes
    ----------
    p, q : (2,) or (3,) ends, mm.
    inner : (2, d) inner Bezier points of a cubic, or None.
    circle : of a part of a circle; in space an ``Arc``.
    """

    p: Floats
    q: Floats
    inner: Floats | None = None
    circle: Circular | Arc | None = None


def segments_of(shape: CurveShape) -> list[Segment]:
    """Return the segments of a profile (two columns) or a path (three), in their order; those without length are left out."""
    rows = _of_profile(shape) if shape.at.shape[1] == 2 else _of_path(shape)
    least = 1e-12 * max(shape.size, 1e-300)
    return [
        s for s in rows
        if s.inner is not None or s.circle is not None or float(np.abs(s.q - s.p).max()) > least
    ]  # fmt: skip


def _of_profile(shape: CurveShape) -> list[Segment]:
    pieces = pieces_of(shape)
    corners = {f.point: f for f in fillets_of(shape, pieces) if f.radius > 0}
    out: list[Segment] = []
    for i in range(len(shape.at)):
        f = corners.get(i)
        if f is not None:
            start, stop, centre = np.array(f.start), np.array(f.stop), np.array(f.centre)
            away = start - centre
            arc = None if f.cut else Circular(centre, f.radius, math.atan2(away[1], away[0]), f.sweep)
            out.append(Segment(start, stop, circle=arc))
        if i < len(pieces):
            out.append(_of_piece(pieces[i]))
    return out


def _of_piece(piece: Piece) -> Segment:
    if piece.straight:
        p, q = piece.control[0], piece.control[3]
        return Segment(p + (q - p) * piece.start, p + (q - p) * piece.stop)
    c = part_of_cubic(piece.control, piece.start, piece.stop)
    return Segment(c[0], c[3], c[1:3])


def _of_path(shape: CurveShape) -> list[Segment]:
    out = []
    for piece in path_through(shape).pieces:
        if isinstance(piece, Arc):
            ends = piece.point(np.array([0.0, 1.0]))
            out.append(Segment(ends[0], ends[1], circle=piece))
        else:
            c = piece.control
            out.append(Segment(c[0], c[3], None if piece.straight else c[1:3]))
    return out
