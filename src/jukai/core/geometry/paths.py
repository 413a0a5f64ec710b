"""Paths in space: their pieces and rounded corners, and places along them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.curve_pieces import CurveShape, Piece, part_of_cubic, pieces_of, steps_for_arc
from jukai.core.geometry.curves import fillets_of
from jukai.core.geometry.kernels import kernel, piece

__all__ = ["Arc", "Path", "Rounding", "Stations", "path_through"]

_DENSE = 65
"""Places of a curved piece by which its length is measured."""
_CORNER = math.cos(math.radians(1.0))
"""Pieces that meet at more than a degree make a corner."""
_FEW_STATIONS = 64


@dataclass(frozen=True, slots=True, eq=False)
class Arc:
    """A part of a circle: ``centre`` + cos(a) ``start`` + sin(a) ``ahead``, a from 0 to ``sweep`` radians."""

    centre: Floats
    start: Floats
    ahead: Floats
    sweep: float
    straight: bool = False

    def point(self, t: Floats) -> Floats:
        """Return points at parameters from 0 to 1."""
        a = np.asarray(t)[..., None] * self.sweep
        return np.asarray(self.centre + np.cos(a) * self.start + np.sin(a) * self.ahead)

    def slope(self, t: Floats) -> Floats:
        """Return derivatives by the parameter."""
        a = np.asarray(t)[..., None] * self.sweep
        return np.asarray(self.sweep * (np.cos(a) * self.ahead - np.sin(a) * self.start))

    def tangent(self, *, at_end: bool) -> Floats:
        """Return the unit direction at an end."""
        d = self.slope(np.array(1.0 if at_end else 0.0))
        return np.asarray(d / np.linalg.norm(d))


class Rounding(NamedTuple):
    """What became of the radius that a corner asks for, or with ``cut`` of its chamfer; 0 where it can't have one."""

    point: int
    asked: float
    radius: float
    cut: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Stations:
    """Places along a path.

    Attributes
    ----------
    points : (k, 3) mm; of a closed path the last leads on to the first.
    before, after : (k, 3) unit directions in which the path comes and goes; the same but at corners.
    corner : (k,) whether the path has a corner there.
    length : (k,) of the path up to each, mm.
    long : of the whole path, mm.
    """

    points: Floats
    before: Floats
    after: Floats
    corner: Bools
    length: Floats
    long: float
    closed: bool

    @property
    def share(self) -> Floats:
        """How far along each stands, 0 to 1."""
        return self.length / max(self.long, 1e-300)


@dataclass(frozen=True, slots=True, eq=False)
class Path:
    """A path as pieces that follow each other.

    Attributes
    ----------
    pieces : none of them without length.
    roundings : what became of radii at its points.
    size : its greatest extent, mm.
    lengths : (m,) of each piece, mm.
    """

    pieces: tuple[Piece | Arc, ...]
    closed: bool
    roundings: tuple[Rounding, ...]
    size: float
    lengths: Floats
    _control: Floats
    _table: tuple[Floats, Floats]

    @staticmethod
    def of(pieces: Sequence[Piece | Arc], roundings: Sequence[Rounding], size: float, *, closed: bool) -> Path:
        """Return the path of some pieces; those without length are left out."""
        control = np.array([np.zeros((4, 3)) if isinstance(p, Arc) else p.control for p in pieces]).reshape(-1, 4, 3)
        along = _lengths_along(pieces, control)
        kept = np.flatnonzero(along[:, -1] > 1e-12 * max(size, 1e-300)) if len(pieces) else np.zeros(0, int)
        along, control = along[kept], control[kept]
        lengths = along[:, -1].copy()
        start = np.concatenate([[0.0], np.cumsum(lengths)[:-1]]) if len(kept) else np.zeros(0)
        # one table for all: the length up to each place, the number of its piece and how far through it
        t = np.arange(len(kept))[:, None] + np.linspace(0.0, 1.0, _DENSE)
        table = ((start[:, None] + along).ravel(), t.ravel())
        return Path(tuple(pieces[int(i)] for i in kept), closed, tuple(roundings), size, lengths, control, table)

    @property
    def long(self) -> float:
        """The length of the whole, mm."""
        return float(self.lengths.sum())

    @property
    def flat(self) -> bool:
        """Whether it is all of straight pieces."""
        return all(p.straight for p in self.pieces)

    def steps(self, tolerance: float, reach: float = 0.0) -> list[int]:
        """Return into how many chords each piece is cut to stay within a tolerance, mm, out to ``reach`` from the path."""
        return [_steps(p, tolerance, reach) for p in self.pieces]

    def stations(self, steps: Sequence[int]) -> Stations:
        """Return the path cut into as many chords for each piece, evenly by length."""
        n = np.asarray(steps)
        piece = np.repeat(np.arange(len(n)), n)
        share = (np.arange(len(piece)) - np.repeat(np.cumsum(n) - n, n)) / n[piece]
        return self._cut(piece, self.lengths[piece] * share)

    def stations_at(self, shares: Floats) -> Stations:
        """Return places at shares of the length, ascending from 0 to 1, and where pieces meet."""
        ends = np.concatenate([[0.0], np.cumsum(self.lengths)])
        want = np.asarray(shares) * ends[-1]
        k = np.clip(np.searchsorted(ends, want, side="right") - 1, 0, len(self.lengths) - 1)
        far, left = want - ends[k], ends[k + 1] - want
        inner = (far > 1e-9 * ends[-1]) & (left > 1e-9 * ends[-1])
        piece = np.concatenate([np.arange(len(self.lengths)), k[inner]])
        length = np.concatenate([np.zeros(len(self.lengths)), far[inner]])
        order = np.lexsort((length, piece))
        return self._cut(piece[order], length[order])

    def _cut(self, piece: np.ndarray, far: Floats) -> Stations:
        """Return stations at lengths within pieces, in order; each piece has one at its start."""
        start = np.concatenate([[0.0], np.cumsum(self.lengths)[:-1]])
        length = start[piece] + far
        begins = far == 0
        t = np.where(begins, 0.0, np.clip(np.interp(length, *self._table) - piece, 0.0, 1.0))
        points, after = self._at(piece, t)
        m = len(self.pieces)
        last, leaving = self._at(np.arange(m), np.ones(m))
        before = after.copy()
        before[begins] = np.roll(leaving, 1, axis=0)[piece[begins]]
        if not self.closed:
            before[0] = after[0]
            points, length = np.concatenate([points, last[-1:]]), np.append(length, self.long)
            before, after = (np.concatenate([v, leaving[-1:]]) for v in (before, after))
        corner = np.einsum("ij,ij->i", before, after) < _CORNER
        # where it runs on smoothly the two differ by rounding, or by less than can be seen: one direction for both
        middle = _unit(before + after)
        if not corner.any():
            return Stations(points, middle, middle, corner, length, self.long, self.closed)
        b, a = np.where(corner[:, None], before, middle), np.where(corner[:, None], after, middle)
        return Stations(points, b, a, corner, length, self.long, self.closed)

    def _at(self, piece: np.ndarray, t: Floats) -> tuple[Floats, Floats]:
        """Return points and unit directions at parameters of pieces."""
        if len(piece) > _FEW_STATIONS:
            points, slopes = np.empty((len(piece), 3)), np.empty((len(piece), 3))
            _places(self._control, piece.astype(np.int64), np.ascontiguousarray(t, dtype=np.float64), points, slopes)
        else:
            points, slopes = _bezier(self._control[piece], t)
        for k, p in enumerate(self.pieces):
            if isinstance(p, Arc):
                here = piece == k
                points[here], slopes[here] = p.point(t[here]), p.slope(t[here])
        return points, _unit(slopes)


def path_through(shape: CurveShape) -> Path:
    """Return the path of a curve; one of two columns lies in the plane Y = 0, across along X, up along Z.

    Corners between straight pieces may be round; those of curved pieces where the whole curve lies in a plane, else they stay.
    """
    flat = shape.at.shape[1] == 2
    at, out, into = (_in_space(rows) if flat else rows for rows in (shape.at, shape.out, shape.into))
    whole = replace(shape, at=at, out=out, into=into)
    pieces: list[Piece | Arc] = list(pieces_of(whole))
    size = whole.size
    pieces, roundings = _rounded(whole, pieces)
    return Path.of(pieces, roundings, size, closed=whole.closed and len(whole.at) > 2)


def _in_space(rows: Floats) -> Floats:
    return np.column_stack([rows[:, 0], np.zeros(len(rows)), rows[:, 1]])


def _rounded(shape: CurveShape, pieces: list[Piece | Arc]) -> tuple[list[Piece | Arc], list[Rounding]]:
    """Cut corners that ask for a radius off straight pieces, and put arcs there."""
    n = len(shape.at)
    closed = shape.closed and n > 2
    legs = shape.legs
    axes = _plane_of(shape) if _beside_curved(shape, pieces) else None
    if axes is not None:
        return _rounded_in_plane(shape, axes)
    asked = [i for i in (range(n) if closed else range(1, n - 1)) if shape.fillet[i] > 0 or legs[i] > 0]
    need: dict[int, float] = {}
    out: list[Rounding] = []
    for i in asked:
        a, b = pieces[i - 1], pieces[i]
        turn = _turn(a.tangent(at_end=True), b.tangent(at_end=False))
        if a.straight and b.straight and 1e-9 < turn < math.pi - 1e-6:
            need[i] = float(legs[i]) or float(shape.fillet[i]) * math.tan(turn / 2)
        else:
            out.append(Rounding(i, float(legs[i] or shape.fillet[i]), 0.0, cut=bool(legs[i])))
    taken: dict[int, float] = {}
    for i, want in need.items():
        factor = 1.0
        for beside, other in ((pieces[i - 1], (i - 1) % n), (pieces[i], (i + 1) % n)):
            p, q = _ends(beside)
            total, room = want + need.get(other, 0.0), float(np.linalg.norm(q - p))
            if total > room:
                factor = min(factor, room / total)
        taken[i] = want * factor
        size = float(legs[i] or shape.fillet[i])
        out.append(Rounding(i, size, size * factor, cut=bool(legs[i])))
    trimmed: list[Piece | Arc] = []
    for k, each in enumerate(pieces):
        start, stop = taken.get(k, 0.0), taken.get((k + 1) % n, 0.0)
        if not each.straight or not (start or stop):
            trimmed.append(each)
        else:
            p, q = _ends(each)
            d = _unit((q - p)[None])[0]
            trimmed.append(_line(p + d * start, q - d * stop))
        if (k + 1) % n in taken and (closed or k + 1 < n):
            at = (k + 1) % n
            trimmed.append(_corner_cut(shape, at, pieces, taken) if legs[at] else _corner_arc(shape, at, pieces, taken))
    return trimmed, sorted(out)


def _beside_curved(shape: CurveShape, pieces: list[Piece | Arc]) -> bool:
    """Return whether a corner that asks for a radius or a chamfer has a curved piece beside it."""
    asked = np.flatnonzero((shape.fillet > 0) | (shape.legs > 0))
    return any(not (pieces[i - 1].straight and pieces[i % len(pieces)].straight) for i in asked if pieces)


def _plane_of(shape: CurveShape) -> Floats | None:
    """Return two unit axes (2, 3) of the plane that a curve in space lies in, None where it leaves any."""
    rows = np.concatenate([shape.at, shape.at + shape.out, shape.at + shape.into]) - shape.at[0]
    _, size, axes = np.linalg.svd(rows, full_matrices=False)
    flat = size[2] <= 1e-9 * size[0] < size[1]
    return np.asarray(axes[:2]) if flat else None


def _rounded_in_plane(shape: CurveShape, axes: Floats) -> tuple[list[Piece | Arc], list[Rounding]]:
    """Round corners of curved pieces too, as those of a profile in the plane that the curve lies in."""
    zero = shape.at[0]
    flat = replace(shape, at=(shape.at - zero) @ axes.T, out=shape.out @ axes.T, into=shape.into @ axes.T)
    pieces = pieces_of(flat)
    corners = fillets_of(flat, pieces)
    by_point = {f.point: f for f in corners if f.radius > 0}
    out: list[Piece | Arc] = []
    n = len(shape.at)
    for k, each in enumerate(pieces):
        control = part_of_cubic(each.control, each.start, each.stop)
        out.append(Piece(zero + control @ axes, straight=each.straight))
        f = by_point.get((k + 1) % n)
        if f is None or (k + 1 == len(pieces) < n):
            continue
        start, stop, centre = (np.array(p) for p in (f.start, f.stop, f.centre))
        if f.cut:
            out.append(_line(zero + start @ axes, zero + stop @ axes))
        else:
            away = start - centre
            ahead = math.copysign(1.0, f.sweep) * np.array([-away[1], away[0]])
            out.append(Arc(zero + centre @ axes, away @ axes, ahead @ axes, abs(f.sweep)))
    return out, [Rounding(f.point, f.asked, f.radius, f.cut) for f in corners]


def _corner_arc(shape: CurveShape, i: int, pieces: list[Piece | Arc], taken: dict[int, float]) -> Arc:
    a, b = pieces[i - 1].tangent(at_end=True), pieces[i].tangent(at_end=False)
    turn = _turn(a, b)
    radius = taken[i] / math.tan(turn / 2)
    inward = _unit((b - a * float(a @ b))[None])[0]
    start = shape.at[i] - a * taken[i]
    return Arc(start + inward * radius, -inward * radius, a * radius, turn)


def _corner_cut(shape: CurveShape, i: int, pieces: list[Piece | Arc], taken: dict[int, float]) -> Piece:
    a, b = pieces[i - 1].tangent(at_end=True), pieces[i].tangent(at_end=False)
    return _line(shape.at[i] - a * taken[i], shape.at[i] + b * taken[i])


def _line(p: Floats, q: Floats) -> Piece:
    return Piece(np.array([p, p + (q - p) / 3, p + (q - p) * (2 / 3), q]), straight=True)


def _ends(piece: Piece | Arc) -> tuple[Floats, Floats]:
    assert isinstance(piece, Piece)  # noqa: S101 - only straight ones are asked for
    return piece.control[0], piece.control[3]


def _turn(a: Floats, b: Floats) -> float:
    return math.atan2(float(np.linalg.norm(np.cross(a, b))), float(a @ b))


def _unit(rows: Floats) -> Floats:
    return np.asarray(rows / np.maximum(np.sqrt(np.einsum("ij,ij->i", rows, rows)), 1e-300)[:, None])


def _bezier(control: Floats, t: Floats) -> tuple[Floats, Floats]:
    """Return points (k, 3) and derivatives of cubic pieces (k, 4, 3) at parameters (k,).

    Where a handle has no length, the derivative is that a little further on.
    """
    t, s = t[:, None], 1 - t[:, None]
    c0, c1, c2, c3 = (control[:, i] for i in range(4))
    points = s**3 * c0 + 3 * s * s * t * c1 + 3 * s * t * t * c2 + t**3 * c3
    ends = t[:, 0] == 1
    points[ends] = c3[ends]
    slopes = _derivative(control, t)
    still = np.linalg.norm(slopes, axis=1) <= 1e-9 * np.abs(control - control[:, :1]).max(axis=(1, 2))
    if still.any():
        near = np.clip(t[still] + np.where(t[still] < 0.5, 1e-4, -1e-4), 0, 1)
        slopes[still] = _derivative(control[still], near)
    return points, slopes


@piece
def _slope(c: Array, t: float, out: Array) -> float:
    """Write the derivative of a cubic (4, 3) at a parameter; return its length."""
    s = 1 - t
    total = 0.0
    for a in range(3):
        d = 3 * (s * s * (c[1, a] - c[0, a]) + 2 * t * s * (c[2, a] - c[1, a]) + t * t * (c[3, a] - c[2, a]))
        out[a] = d
        total += d * d
    return float(total**0.5)


@kernel
def _places(control: Array, which: Array, t: Array, points: Array, slopes: Array) -> None:
    """Write points and derivatives (k, 3) of cubic pieces (m, 4, 3) ``which`` at parameters, as ``_bezier`` does."""
    for i in range(which.shape[0]):
        c = control[which[i]]
        u, s = t[i], 1 - t[i]
        reach = 0.0
        for a in range(3):
            points[i, a] = s * s * s * c[0, a] + 3 * s * s * u * c[1, a] + 3 * s * u * u * c[2, a] + u * u * u * c[3, a]
            if u == 1:
                points[i, a] = c[3, a]
            for k in range(1, 4):
                reach = max(reach, abs(c[k, a] - c[0, a]))
        if _slope(c, u, slopes[i]) <= 1e-9 * reach:
            near = u + 1e-4 if u < 0.5 else u - 1e-4
            _slope(c, near, slopes[i])


def _derivative(control: Floats, t: Floats) -> Floats:
    d = 3 * np.diff(control, axis=-2)
    s = 1 - t
    return np.asarray(s * s * d[..., 0, :] + 2 * t * s * d[..., 1, :] + t * t * d[..., 2, :])


def _lengths_along(pieces: Sequence[Piece | Arc], control: Floats) -> Floats:
    """Return the length of each piece up to even parameters, (m, _DENSE): of curved ones by Simpson's rule between them."""
    m = len(pieces)
    whole = np.zeros(m)
    for i, p in enumerate(pieces):
        if isinstance(p, Arc):
            whole[i] = p.sweep * float(np.linalg.norm(p.start))
        elif p.straight:
            whole[i] = float(np.linalg.norm(p.control[3] - p.control[0]))
    out = whole[:, None] * np.linspace(0.0, 1.0, _DENSE)
    bent = [i for i, p in enumerate(pieces) if not p.straight and not isinstance(p, Arc)]
    if bent:
        t = np.linspace(0.0, 1.0, 2 * _DENSE - 1)[None, :, None]
        speed = np.linalg.norm(_derivative(control[bent][:, None], t), axis=2)
        each = (speed[:, :-1:2] + 4 * speed[:, 1::2] + speed[:, 2::2]) / (6 * (_DENSE - 1))
        out[bent, 1:] = np.cumsum(each, axis=1)
    return out


def _steps(piece: Piece | Arc, tolerance: float, reach: float) -> int:
    if piece.straight:
        return 1
    if isinstance(piece, Arc):
        return steps_for_arc(float(np.linalg.norm(piece.start)) + reach, piece.sweep, tolerance)
    c = piece.control
    turned = _unit(_bezier(np.broadcast_to(c, (17, 4, 3)), np.linspace(0.0, 1.0, 17))[1])
    bent = float(np.arccos(np.clip(np.einsum("ij,ij->i", turned[:-1], turned[1:]), -1, 1)).sum())
    # what lies ``reach`` from the path bends with it: as an arc of that radius
    outer = steps_for_arc(reach, bent, tolerance) if reach > 0 and bent > 1e-3 else 1
    # second differences bound the distance between a cubic and its chords (Wang 1984)
    bound = 6 * max(float(np.linalg.norm(c[0] - 2 * c[1] + c[2])), float(np.linalg.norm(c[1] - 2 * c[2] + c[3])))
    return max(outer, math.ceil(math.sqrt(bound / (8 * tolerance)) - 1e-9))
