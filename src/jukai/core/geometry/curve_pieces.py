"""What curves are made of: straight, Bezier and smooth pieces between their points."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np

from jukai.core.geometry.arrays import Floats, Ints

__all__ = [
    "CurveShape",
    "Fillet",
    "Piece",
    "Sampled",
    "bezier",
    "part_of_cubic",
    "pieces_of",
    "smooth_handles",
    "steps_for_arc",
]


@dataclass(frozen=True, slots=True, eq=False)
class CurveShape:
    """A curve as numbers, in a plane or in space.

    Attributes
    ----------
    at : (n, 2) or (n, 3) points, mm.
    fillet : (n,) radius asked for at each point, 0 for none.
    join : how the piece after each point runs: ``straight``, ``bezier`` or ``smooth``.
    out, into : Bezier handles, relative to their points.
    closed : whether the last point is joined to the first.
    tolerance : greatest distance between curve and chords, mm; None is the size / 500.
    count : chords per piece, instead of the tolerance.
    chamfer : (n,) how far from each point its corner is cut off straight, 0 for not; None for nowhere.
    """

    at: Floats
    fillet: Floats
    join: tuple[str, ...]
    out: Floats
    into: Floats
    closed: bool = False
    tolerance: float | None = None
    count: int | None = None
    chamfer: Floats | None = None

    @property
    def legs(self) -> Floats:
        """(n,) of the chamfer asked for at each point, 0 for none."""
        return np.zeros(len(self.at)) if self.chamfer is None else self.chamfer

    @staticmethod
    def straight(points: object, *, closed: bool = False, fillet: object = None) -> CurveShape:
        """Return a polyline."""
        at = np.asarray(points, dtype=np.float64)
        none = np.zeros_like(at)
        radii = np.zeros(len(at)) if fillet is None else np.asarray(fillet, dtype=np.float64)
        return CurveShape(at, radii, ("straight",) * len(at), none, none, closed)

    @property
    def size(self) -> float:
        """The greatest extent of the points, mm."""
        return float(np.ptp(self.at, axis=0).max()) if len(self.at) else 0.0


@dataclass(frozen=True, slots=True)
class Fillet:
    """The arc that stands at one corner. ``radius`` may be less than ``asked``; 0 when none fits.

    With ``cut`` it is cut off straight instead, ``radius`` from the corner.
    """

    point: int
    asked: float
    radius: float
    centre: tuple[float, float]
    start: tuple[float, float]
    stop: tuple[float, float]
    sweep: float
    flat: bool = False
    cut: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Sampled:
    """A curve as a polyline.

    Attributes
    ----------
    points : (k, 2) float64.
    corner : (k,) bool, where the polyline follows a corner of the curve rather than a bend.
    piece : (k,) int32, the piece or corner that the chord after each sample belongs to:
        2 * i for the piece after point i, 2 * i + 1 for the fillet at point i.
    closed : as the curve.
    fillets : the arcs, in the order of their points.
    """

    points: Floats
    corner: np.ndarray
    piece: Ints
    closed: bool
    fillets: tuple[Fillet, ...] = ()


@dataclass(slots=True)
class Piece:
    """A straight or cubic piece, in the plane or in space, and the part of it that fillets leave."""

    control: Floats
    straight: bool
    start: float = 0.0
    stop: float = 1.0
    dense: Floats = field(default_factory=lambda: np.zeros((0, 2)))

    def point(self, t: Floats) -> Floats:
        """Return points at parameters from 0 to 1."""
        return bezier(self.control, t)

    def slope(self, t: Floats) -> Floats:
        """Return derivatives by the parameter."""
        d = 3 * np.diff(self.control, axis=0)
        t = np.asarray(t)[..., None]
        return (1 - t) ** 2 * d[0] + 2 * t * (1 - t) * d[1] + t**2 * d[2]

    def tangent(self, *, at_end: bool) -> Floats:
        """Return the unit direction at an end; 0 where all its points are one."""
        c = self.control[::-1] if at_end else self.control
        for other in c[1:]:
            d = other - c[0]
            length = _norm(d)
            if length > 0:
                return np.asarray(-d / length if at_end else d / length)
        return np.zeros(c.shape[1])

    @property
    def length(self) -> float:
        """The length of its chord."""
        return _norm(self.control[3] - self.control[0])


def _norm(d: Floats) -> float:
    return float(np.hypot(*d)) if len(d) == 2 else float(np.linalg.norm(d))


def bezier(control: Floats, t: Floats | float) -> Floats:
    """Return points of a Bezier curve of any degree (de Casteljau).

    Parameters
    ----------
    control : (d + 1, 2) control points.
    t : (...,) parameters.
    """
    t = np.asarray(t, dtype=np.float64)[..., None]
    points = [np.broadcast_to(c, (*t.shape[:-1], control.shape[1])) for c in control]
    while len(points) > 1:
        points = [p + (q - p) * t for p, q in pairwise(points)]
    return np.asarray(points[0])


def part_of_cubic(control: Floats, start: float, stop: float) -> Floats:
    """Return the control points (4, d) of a cubic between two parameters (de Casteljau, twice)."""
    c = _first_part(control, stop) if stop < 1 else control
    return _first_part(c[::-1], 1 - start / stop)[::-1] if start > 0 else c


def _first_part(control: Floats, t: float) -> Floats:
    rows, out = control, [control[0]]
    while len(rows) > 1:
        rows = rows[:-1] + (rows[1:] - rows[:-1]) * t
        out.append(rows[0])
    return np.array(out)


def steps_for_arc(radius: float, angle: float, tolerance: float) -> int:
    """Return the chords an arc of ``angle`` radians needs to stay within ``tolerance``."""
    if tolerance >= radius:
        return max(1, math.ceil(angle / (2 * math.pi / 3) - 1e-9))
    return max(1, math.ceil(angle / (2 * math.acos(1 - tolerance / radius)) - 1e-9))


def smooth_handles(p0: Floats, p1: Floats, p2: Floats, p3: Floats) -> tuple[Floats, Floats]:
    """Return the inner Bezier points of a centripetal Catmull-Rom piece from ``p1`` to ``p2``.

    Barry & Goldman 1988 with the knots of Lee 1989: no loops or cusps within a piece (Yuksel,
    Schaefer & Keyser 2011).
    """
    d1, d2, d3 = (math.sqrt(max(_norm(b - a), 1e-300)) for a, b in ((p0, p1), (p1, p2), (p2, p3)))
    b1 = (d1**2 * p2 - d2**2 * p0 + (2 * d1**2 + 3 * d1 * d2 + d2**2) * p1) / (3 * d1 * (d1 + d2))
    b2 = (d3**2 * p1 - d2**2 * p3 + (2 * d3**2 + 3 * d3 * d2 + d2**2) * p2) / (3 * d3 * (d3 + d2))
    return b1, b2


def pieces_of(shape: CurveShape) -> list[Piece]:
    """Return the pieces of a curve, the one after each point, whole."""
    n = len(shape.at)
    count = n if shape.closed and n > 2 else max(n - 1, 0)
    out = []
    for i in range(count):
        j = (i + 1) % n
        p, q = shape.at[i], shape.at[j]
        kind = shape.join[i]
        if kind == "bezier":
            inner = (p + shape.out[i], q + shape.into[j])
        elif kind == "smooth":
            p0 = _smooth_neighbour(shape, i - 1, count, 2 * p - q, end=i - 1)
            p3 = _smooth_neighbour(shape, j, count, 2 * q - p, end=j + 1)
            inner = smooth_handles(p0, p, q, p3)
        else:
            inner = (p + (q - p) / 3, p + (q - p) * (2 / 3))
        out.append(Piece(np.array([p, *inner, q]), straight=kind not in ("bezier", "smooth")))
    return out


def _smooth_neighbour(shape: CurveShape, piece: int, count: int, mirrored: Floats, *, end: int) -> Floats:
    """Return the point before or after a smooth piece, or a mirrored one where the run ends."""
    n = len(shape.at)
    if shape.closed:
        piece, end = piece % n, end % n
    if 0 <= piece < count and 0 <= end < n and shape.join[piece] == "smooth":
        return np.asarray(shape.at[end])
    return mirrored
