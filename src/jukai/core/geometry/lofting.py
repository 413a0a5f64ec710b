"""Closed sections of different points made alike: turned to each other, corners paired with corners, cut at the same places."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.kernels import FEW, kernel, piece

__all__ = ["Course", "Outline", "alike", "least_turn", "pairs_of_corners"]

_EVEN = 512
"""Places by which two outlines are held against each other."""
_SAME, _NEAR = 1 / 2048, 1 / 12
"""Shares of the way round: nearer than the first a point stands for a place, nearer than the second a corner may."""
_MOST_CORNERS = 400
"""Corners beyond which outlines are paired by their length alone."""


@dataclass(frozen=True, eq=False)
class Outline:
    """A closed polyline, counter-clockwise.

    Attributes
    ----------
    points : (n, 2) mm.
    corner : (n,) whether a point is a corner of what is drawn, rather than of its chords.
    """

    points: Floats
    corner: Bools

    @cached_property
    def share(self) -> Floats:
        """How far round each point stands, (n + 1,) from 0 to 1; the last is the first again."""
        step = np.hypot(*(np.roll(self.points, -1, axis=0) - self.points).T)
        out = np.concatenate([[0.0], np.cumsum(step)])
        return np.asarray(out / max(float(out[-1]), 1e-300))

    def at(self, places: Floats) -> Floats:
        """Return points (k, 2) at shares of the way round; whole turns make no difference."""
        share = self.share
        x = np.asarray(places) % 1.0
        ring = np.concatenate([self.points, self.points[:1]])
        i = np.clip(np.searchsorted(share, x, side="right") - 1, 0, len(share) - 2)
        t = (x - share[i]) / np.maximum(share[i + 1] - share[i], 1e-300)
        return np.asarray(ring[i] + (ring[i + 1] - ring[i]) * t[:, None])

    def turned_to(self, start: float) -> Outline:
        """Return the same outline that begins at a place: at its point there, if one is as good as there, else with a new point."""
        share = self.share[:-1]
        gap = np.abs((share - start + 0.5) % 1.0 - 0.5)
        k = int(np.argmin(gap))
        if gap[k] <= _SAME:
            return Outline(np.roll(self.points, -k, axis=0), np.roll(self.corner, -k))
        after = int(np.searchsorted(share, start % 1.0))
        points = np.insert(self.points, after, self.at(np.array([start]))[0], axis=0)
        corner = np.insert(self.corner, after, False)
        return Outline(np.roll(points, -after, axis=0), np.roll(corner, -after))


def least_turn(a: Outline, b: Outline) -> float:
    """Return the place of ``b`` that lies best where ``a`` begins: as little as can be is left between them.

    Both are set about their middles and made of one size; of all starts the one with the least sum of squared distances, by
    their circular correlation.
    """
    places = np.arange(_EVEN) / _EVEN
    z, w = (_centred(o.at(places)) for o in (a, b))
    fit = np.fft.ifft(np.conj(np.fft.fft(z)) * np.fft.fft(w)).real
    best = float(fit.max())
    # of starts as good as each other, as of a circle or a square, the one nearest to its own
    good = np.flatnonzero(fit >= best - 1e-6 * max(abs(best), 1e-300))
    k = int(good[np.argmin(np.minimum(good, _EVEN - good))])
    before, here, after = (float(fit[(k + d) % _EVEN]) for d in (-1, 0, 1))
    bend = before - 2 * here + after
    start = (k + (0.5 * (before - after) / bend if bend < 0 else 0.0)) / _EVEN % 1.0
    corners = b.share[:-1][b.corner]
    if a.corner[0] and len(corners):  # a corner begins with a corner
        gap = np.abs((corners - start + 0.5) % 1.0 - 0.5)
        if gap.min() <= _NEAR:
            return float(corners[int(np.argmin(gap))])
    return start


def _centred(points: Floats) -> np.ndarray:
    z = points[:, 0] + 1j * points[:, 1]
    z = z - z.mean()
    return np.asarray(z / max(float(np.abs(z).mean()), 1e-300))


def pairs_of_corners(a: Outline, b: Outline) -> Array:
    """Return pairs (k, 2) of corners of two outlines that begin alike, in order, by how far round they stand and how much they turn.

    Dynamic programming over both (H. Fuchs, Z. M. Kedem, S. P. Uselton, Optimal surface reconstruction from planar contours,
    1977, on corners alone). Those that stand more than a twelfth of the way round from each other are not paired.
    """
    rows, cols = np.flatnonzero(a.corner), np.flatnonzero(b.corner)
    if not len(rows) or not len(cols) or max(len(rows), len(cols)) > _MOST_CORNERS:
        return np.zeros((0, 2), np.int64)
    best = np.empty((len(rows) + 1, len(cols) + 1))
    pairs = np.empty((min(len(rows), len(cols)), 2), dtype=np.int64)
    found = _paired(a.share[rows], b.share[cols], _turns(a)[rows], _turns(b)[cols], _NEAR / 2, best, pairs)
    pairs = pairs[:found][::-1]
    return np.column_stack([rows[pairs[:, 0]], cols[pairs[:, 1]]])


def _turns(o: Outline) -> Floats:
    """Radians by which an outline turns at each of its points."""
    step = np.roll(o.points, -1, axis=0) - o.points
    before = np.roll(step, 1, axis=0)
    return np.asarray(np.arctan2(before[:, 0] * step[:, 1] - before[:, 1] * step[:, 0], (before * step).sum(axis=1)))


def alike(outlines: list[Outline]) -> Floats:
    """Return outlines that begin alike as rings of as many points each, (m, n, 2): corners of one stand on corners of the next.

    Where neighbours have no corner for each other's, there is a point as far round between those that are paired. Between such
    places each ring is cut as finely as the finest; one that has as many points there as are needed keeps its own.
    """
    maps = [_map(a, b) for a, b in pairwise(outlines)]
    # where corners of each stand on the first
    marks = [np.array([0.0])]
    for k, o in enumerate(outlines):
        places = o.share[:-1][o.corner]
        for a, b in reversed(maps[:k]):
            places = np.interp(places, b, a)
        marks.append(places)
    first = _once(np.concatenate(marks))
    where = [first]
    for a, b in maps:
        where.append(np.interp(where[-1], a, b))
    shares = [o.share[:-1] for o in outlines]
    ends = [np.append(w, 1.0) for w in where]
    # its own points between such places: from which, and how many
    low = [np.searchsorted(s, e[:-1] + 1e-9, side="right") for s, e in zip(shares, ends, strict=True)]
    many = [
        np.maximum(np.searchsorted(s, e[1:] - 1e-9) - begin, 0) for s, e, begin in zip(shares, ends, low, strict=True)
    ]
    counts = np.max(many, axis=0)
    gap = np.repeat(np.arange(len(counts)), counts + 1)
    k = np.arange(len(gap)) - np.repeat(np.cumsum(counts + 1) - counts - 1, counts + 1)
    rings = []
    for o, e, begin, own in zip(outlines, ends, low, many, strict=True):
        ring = o.at(e[gap] + (e[gap + 1] - e[gap]) * (k / (counts[gap] + 1)))
        kept = (own == counts)[gap] & (k > 0)
        ring[kept] = o.points[(begin[gap] + k - 1)[kept]]
        rings.append(ring)
    return np.stack(rings)


def _map(a: Outline, b: Outline) -> tuple[Floats, Floats]:
    """Return places of one outline and those of the next that belong to them, ascending from 0 to 1."""
    pairs = pairs_of_corners(a, b)
    rows = np.column_stack([a.share[pairs[:, 0]], b.share[pairs[:, 1]]])
    rows = rows[((rows > 1e-9) & (rows < 1 - 1e-9)).all(axis=1)]
    # corners that stand in one place but for rounding count once
    rows = rows[np.concatenate([[True], (np.diff(rows, axis=0) > 1e-9).all(axis=1)])] if len(rows) else rows
    rows = np.concatenate([[[0.0, 0.0]], rows, [[1.0, 1.0]]])
    return rows[:, 0], rows[:, 1]


def _once(places: Floats) -> Floats:
    """Return places in order, those that are the same but for rounding once."""
    out = np.sort(places[places < 1 - 1e-9])
    return np.asarray(out[np.concatenate([[True], np.diff(out) > 1e-9])])


@piece
def _apart(s: float, t: float, bend: float, other: float) -> float:
    """Return what it costs to pair two corners: how far round they stand from each other, and a little of how unlike they turn."""
    gap = abs(s - t)
    return min(gap, 1 - gap) + 0.02 * abs(bend - other)


@kernel
def _paired(s: Array, t: Array, bend: Array, other: Array, alone: float, best: Array, pairs: Array) -> int:
    """Write the pairs of corners in order that cost least, last first, one that is left alone costing ``alone``; return how many."""
    n, m = len(s), len(t)
    for i in range(n + 1):
        for j in range(m + 1):
            if i == 0 or j == 0:
                best[i, j] = alone * (i + j)
                continue
            both = best[i - 1, j - 1] + _apart(s[i - 1], t[j - 1], bend[i - 1], other[j - 1])
            best[i, j] = min(both, min(best[i - 1, j], best[i, j - 1]) + alone)
    i, j, found = n, m, 0
    while i > 0 and j > 0:
        if best[i, j] == best[i - 1, j - 1] + _apart(s[i - 1], t[j - 1], bend[i - 1], other[j - 1]):
            i -= 1
            j -= 1
            pairs[found, 0], pairs[found, 1] = i, j
            found += 1
        elif best[i, j] == best[i - 1, j] + alone:
            i -= 1
        else:
            j -= 1
    return found


@dataclass(frozen=True, slots=True, eq=False)
class Course:
    """How points run from ring to ring: straight, or on cubic Hermite curves through all of them.

    Attributes
    ----------
    rings : (m, n, 2) that are run through; of a closed course the first is the last again.
    tangent : (m, n, 2) at each, by the share of the way; None where it runs straight.
    behind, part, span : (k,) of each place along the way the ring behind it, how far on to the next it is, and the share between these.
    """

    rings: Floats
    tangent: Floats | None
    behind: Array
    part: Floats
    span: Floats

    @staticmethod
    def through(rings: Floats, where: Floats, share: Floats, *, smooth: bool, closed: bool) -> Course:
        """Return the course through rings (m, n, 2) that stand at shares ``where`` of the way, at places ``share`` of it."""
        full = np.concatenate([rings, rings[:1]]) if closed else rings
        i = np.clip(np.searchsorted(where, share, side="right") - 1, 0, len(where) - 2)
        span = np.diff(where)
        tangent = None
        if smooth and len(full) >= 3:
            slope = np.diff(full, axis=0) / span[:, None, None]
            tangent = np.empty_like(full)
            tangent[1:-1] = (slope[:-1] + slope[1:]) / 2  # they stand evenly apart
            if closed:
                tangent[0] = tangent[-1] = (slope[0] + slope[-1]) / 2
            else:
                tangent[0], tangent[-1] = 1.5 * slope[0] - 0.5 * tangent[1], 1.5 * slope[-1] - 0.5 * tangent[-2]
        return Course(full, tangent, i, (share - where[i]) / span[i], span[i])

    def flat(self, rows: Array | slice) -> Floats:
        """Return rings (k, n, 2) at some places along the way, as they lie in their own planes."""
        i, t = self.behind[rows], self.part[rows][:, None, None]
        a, b = self.rings[i], self.rings[i + 1]
        if self.tangent is None:
            return np.asarray(a + (b - a) * t)
        h = self.span[rows][:, None, None]
        m0, m1 = self.tangent[i] * h, self.tangent[i + 1] * h
        return np.asarray(a + t * m0 + t * t * (3 * (b - a) - 2 * m0 - m1) + t**3 * (2 * (a - b) + m0 + m1))

    def places(self, centres: Floats, across: Floats, up: Floats) -> Floats:
        """Return them in space (k, n, 3); ``across`` and ``up`` (k, 3) are as long as their size."""
        k, n = len(self.part), self.rings.shape[1]
        if k * n * 3 <= FEW:
            flat = self.flat(slice(None))
            return np.asarray(centres[:, None] + flat[..., :1] * across[:, None] + flat[..., 1:] * up[:, None])
        out = np.empty((k, n, 3))
        smooth = self.tangent is not None
        tangent = self.rings if self.tangent is None else self.tangent
        tables = (self.rings, tangent, self.part, self.span, centres, across, up)
        _stood(*(np.ascontiguousarray(a, dtype=np.float64) for a in tables), self.behind.astype(np.int64), smooth, out)
        return out


@kernel
def _stood(
    rings: Array,
    tangent: Array,
    part: Array,
    span: Array,
    centres: Array,
    across: Array,
    up: Array,
    behind: Array,
    smooth: bool,
    out: Array,
) -> None:
    """Write rings between rings into space, as ``Course`` says."""
    for i in range(part.shape[0]):
        a, t, h = behind[i], part[i], span[i]
        for j in range(rings.shape[1]):
            x, y = 0.0, 0.0
            for c in range(2):
                p, q = rings[a, j, c], rings[a + 1, j, c]
                if smooth:
                    m, e = tangent[a, j, c] * h, tangent[a + 1, j, c] * h
                    v = p + t * m + t * t * (3 * (q - p) - 2 * m - e) + t * t * t * (2 * (p - q) + m + e)
                else:
                    v = p + (q - p) * t
                if c == 0:
                    x = v
                else:
                    y = v
            for c in range(3):
                out[i, j, c] = centres[i, c] + x * across[i, c] + y * up[i, c]
