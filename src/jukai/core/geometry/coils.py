"""The path of a helix whose radius, rise and place vary along it, and how near its turns come to each other."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.tubes import Run

__all__ = ["Along", "Clearing", "Coil", "Path", "bends", "chords_beyond", "clearing", "even_run", "path_of", "wound"]

Along = Callable[[Floats], Floats]
"""A number at each place from 0 to 1 along the turns."""

_FINE, _LEAST, _MOST = 256, 2048, 400_000
"""Places for each turn at which a path is measured, and the least and most of them altogether."""
_NEAR = 24
"""Places for each turn at which neighbouring turns are held against each other before the nearest are looked at closely."""
_STEP = 1e-6
_LINES = 48
"""Directions over half a turn in which lines are tried that part two sections."""


@dataclass(frozen=True, slots=True)
class Coil:
    """A helix round Z.

    Attributes
    ----------
    turns : how often it goes round; ``left`` the other way, clockwise seen from above.
    radius, rise, aside : mm at each place along: from its axis, per turn, and how far the axis stands along X.
    even : whether every turn is like the first.
    """

    turns: float
    left: bool
    radius: Along
    rise: Along
    aside: Along
    even: bool = False

    def turn(self, s: Floats) -> Floats:
        """Return the angle at places along, radians."""
        return (-2 if self.left else 2) * math.pi * self.turns * s


@dataclass(frozen=True, slots=True, eq=False)
class Path:
    """A coil measured at fine places: height, its slope, and the length up to there."""

    coil: Coil
    s: Floats
    height: Floats
    length: Floats

    @property
    def long(self) -> float:
        """The length of the whole."""
        return float(self.length[-1])

    def at(self, s: Floats) -> tuple[Floats, Floats]:
        """Return points (k, 3) and unit tangents (k, 3) at places along.

        Raises
        ------
        ValueError
            With the place, where the path stands still.
        """
        coil, turn = self.coil, self.coil.turn(s)
        radius, cosine, sine = coil.radius(s), np.cos(turn), np.sin(turn)
        points = np.column_stack([coil.aside(s) + radius * cosine, radius * sine, self._height(s)])
        speed = _speed(coil, s, cosine, sine, radius)
        size = np.linalg.norm(speed, axis=1)
        still = size <= 1e-12 * max(self.long, 1e-300)
        if still.any():
            raise ValueError(float(s[np.argmax(still)]))
        return points, speed / size[:, None]

    def points(self, s: Floats) -> Floats:
        """Return points (k, 3) at places along."""
        turn, radius = self.coil.turn(s), self.coil.radius(s)
        return np.column_stack([self.coil.aside(s) + radius * np.cos(turn), radius * np.sin(turn), self._height(s)])

    def level(self, s: Floats) -> Floats:
        """Return the share of the path's direction that is level, 1 where it does not climb."""
        turn = self.coil.turn(s)
        speed = _speed(self.coil, s, np.cos(turn), np.sin(turn), self.coil.radius(s))
        flat = np.hypot(speed[:, 0], speed[:, 1])
        return np.asarray(flat / np.maximum(np.hypot(flat, speed[:, 2]), 1e-300))

    def _height(self, s: Floats) -> Floats:
        """Cubic between the fine places, by heights and slopes there."""
        i = np.clip(np.searchsorted(self.s, s, side="right") - 1, 0, len(self.s) - 2)
        span = self.s[i + 1] - self.s[i]
        t = (s - self.s[i]) / span
        rise = self.coil.turns * span
        m0, m1 = self.coil.rise(self.s[i]) * rise, self.coil.rise(self.s[i + 1]) * rise
        a, b = self.height[i], self.height[i + 1]
        return a + t * m0 + t * t * (3 * (b - a) - 2 * m0 - m1) + t**3 * (2 * (a - b) + m0 + m1)


def _slope(of: Along, s: Floats) -> Floats:
    low, high = np.maximum(s - _STEP, 0.0), np.minimum(s + _STEP, 1.0)
    return (of(high) - of(low)) / (high - low)


def _speed(coil: Coil, s: Floats, cosine: Floats, sine: Floats, radius: Floats) -> Floats:
    around = radius * (coil.turn(np.ones(1))[0])
    if coil.even:
        return np.column_stack([-around * sine, around * cosine, coil.rise(s) * coil.turns])
    grow, aside = _slope(coil.radius, s), _slope(coil.aside, s)
    return np.column_stack(
        [aside + grow * cosine - around * sine, grow * sine + around * cosine, coil.rise(s) * coil.turns]
    )


def wound(rise: Along, turns: float, *, even: bool = False) -> tuple[Floats, Floats]:
    """Return fine places along, and the height up to each: the rise summed up over the turns (Simpson's rule).

    Where the rise is ``even`` its two ends say all.
    """
    n = 1 if even else int(min(_MOST, max(_LEAST, _FINE * turns)))
    s = np.linspace(0.0, 1.0, n + 1)
    ends, middles = rise(s), rise((s[:-1] + s[1:]) / 2)
    height = np.concatenate([[0.0], np.cumsum((ends[:-1] + 4 * middles + ends[1:]) * turns / (6 * n))])
    return s, height


def path_of(coil: Coil) -> Path:
    """Measure a coil."""
    s, height = wound(coil.rise, coil.turns, even=coil.even)
    turn = coil.turn(s)
    speed = np.linalg.norm(_speed(coil, s, np.cos(turn), np.sin(turn), coil.radius(s)), axis=1)
    length = np.concatenate([[0.0], np.cumsum((speed[:-1] + speed[1:]) / 2 * np.diff(s))])
    return Path(coil, s, height, length)


def even_run(path: Path, rows: int, size: Along, *, turns_with_it: bool) -> Run:
    """Return sections square to a path, evenly spaced by length.

    Parameters
    ----------
    size : how large each section is.
    turns_with_it : sections keep one side away from the axis, as a square wire is wound; else they turn as little as they can
        from each to the next (W. Wang and others, Computation of rotation minimizing frames, 2008), as no round wire shows.
    """
    wanted = path.long * np.arange(rows + 1) / rows
    s = np.interp(wanted, path.length, path.s)
    s[0], s[-1] = 0.0, 1.0
    points, tangent = path.at(s)
    across = _beside(path.coil, s, tangent)
    up = np.cross(tangent, across)
    if not turns_with_it:
        across, up = _unturned(tangent, across, up, even=path.coil.even)
    return Run(points, across, up, size(s), wanted)


def _unturned(tangent: Floats, across: Floats, up: Floats, *, even: bool) -> tuple[Floats, Floats]:
    """Turn the directions of sections back by what they turn about the path on their way: where it is ``even`` by the same each time."""
    # the least turn from one direction to the next, done to the one across it (Rodrigues' formula)
    n = len(tangent)
    rows = 2 if even else n
    t, u, a = tangent[: rows - 1], tangent[1:rows], across[: rows - 1]
    axis, cosine = np.cross(t, u), np.einsum("ij,ij->i", t, u)
    carried = (
        a * cosine[:, None]
        + np.cross(axis, a)
        + axis * (np.einsum("ij,ij->i", axis, a) / np.maximum(1 + cosine, 1e-12))[:, None]
    )
    turned = np.arctan2(np.einsum("ij,ij->i", carried, up[1:rows]), np.einsum("ij,ij->i", carried, across[1:rows]))
    back = (turned[0] * np.arange(n) if even else np.concatenate([[0.0], np.cumsum(turned)]))[:, None]
    c, s = np.cos(back), np.sin(back)
    return c * across + s * up, c * up - s * across


def _beside(coil: Coil, s: Floats, tangent: Floats) -> Floats:
    """Return for each tangent a direction across it that goes round with the coil: away from the axis, as nearly as may be.

    Where a path runs straight out from its axis, as the start of a spiral does, it is the one that is level instead.
    """
    turn = coil.turn(s)
    out = np.column_stack([np.cos(turn), np.sin(turn), np.zeros(len(s))])
    upright = np.array([0.0, 0.0, 1.0])
    by_axis = np.cross(tangent, upright) * (-1.0 if coil.left else 1.0)
    least_out = float(np.linalg.norm(np.cross(tangent, out), axis=1).min())
    least_up = float(np.linalg.norm(by_axis, axis=1).min())
    if least_up > least_out:
        return by_axis / np.linalg.norm(by_axis, axis=1)[:, None]
    flat = out - np.einsum("ij,ij->i", out, tangent)[:, None] * tangent
    return np.asarray(flat / np.maximum(np.linalg.norm(flat, axis=1), 1e-300)[:, None])


def bends(run: Run) -> tuple[Floats, Floats]:
    """Return for each row of a run (k - 1,) how far sections may reach at most there, mm, and by how much it turns, radians.

    Sections that reach farther run into each other: each must lie on its own side of the other's plane.
    """
    forward = np.cross(run.across, run.up)
    turned = 2 * np.arcsin(np.clip(np.linalg.norm(np.diff(forward, axis=0), axis=1) / 2, 0.0, 1.0))
    apart = np.diff(run.centres, axis=0)
    ahead = np.minimum(*(np.einsum("ij,ij->i", apart, t) for t in (forward[:-1], forward[1:])))
    sine = np.where(turned < math.pi / 2, np.sin(turned), 1.0)
    return np.maximum(ahead, 0.0) / np.maximum(sine, 1e-300), turned


def chords_beyond(path: Path, run: Run, turned: Floats, *, round_wire: bool) -> float:
    """Return how much farther than the wire chords may reach to the next turn, mm: nothing where rows lie beside rows.

    Parameters
    ----------
    turned : (rows,) by how much each row turns, radians.
    """
    rows = len(run.along) - 1
    beside = path.coil.even and abs(rows / path.coil.turns - round(rows / path.coil.turns)) < 1e-9
    if beside and round_wire:
        return 0.0
    step = float(run.along[1])
    # half of how far a chord stays behind its arc; faces of other sections are bent along their diagonals too
    bow = step * float(np.median(turned)) / 16
    climb = abs(float(path.height[-1] - path.height[0])) / max(path.long, 1e-300)
    return bow + (0.0 if round_wire else float(run.scale.max()) * float(np.median(turned)) * climb)


@dataclass(frozen=True, slots=True)
class Clearing:
    """How near neighbouring turns come: the least gap, where, and what the rise must grow by for them to clear.

    ``more`` multiplies the rise; None where no rise would do.
    """

    gap: float
    place: float
    more: float | None


def clearing(path: Path, size: Along, support: Along | None = None) -> Clearing | None:
    """Hold each turn against the next. None of half a turn or less.

    Parameters
    ----------
    size : how large the section is at each place.
    support : how far a section of size 1 reaches, by the angle in radians up from its direction away from the axis; 1
        everywhere where it is left out, as of a round wire.

    Notes
    -----
    Two places are apart by d² = A² + (h p)², A seen from above and h p their rise: so where they touch at a reach r,
    the rise that clears is √(r² − A²) / h, and the largest over all pairs clears all of them.
    """
    coil = path.coil
    if coil.turns <= 0.5:
        return None
    if support is not None:
        return _section_against_section(path, size, support)
    per = _NEAR * (2 if coil.turns <= 30 else 1)
    near = _over_turns(path, size, per)
    if near is None:
        return None
    for width in (1.0 / per, 0.1 / per):  # closer round the nearest pair, and round that which asks for the most
        fine = np.linspace(-1, 1, 21) * width / coil.turns
        for a, b in (near.nearest, near.steepest):
            found = _held(path, size, np.clip(a + fine, 0, 1), b - a + fine)
            near = near if found is None else near.with_worse(found)
    return Clearing(near.gap, sum(near.nearest) / 2, near.more if math.isfinite(near.more) else None)


class _Pairs(NamedTuple):
    """The least gap of two turns, and what rises are to be multiplied by for all to clear, with the places of each; infinite where no rise would do."""

    gap: float
    nearest: tuple[float, float]
    more: float
    steepest: tuple[float, float]

    def with_worse(self, other: _Pairs) -> _Pairs:
        """Return the worse of both, for the gap and for the rise by itself."""
        out = self
        if other.gap < out.gap:
            out = out._replace(gap=other.gap, nearest=other.nearest)
        if other.more > out.more:
            out = out._replace(more=other.more, steepest=other.steepest)
        return out


def _over_turns(path: Path, size: Along, per: int) -> _Pairs | None:
    """Hold even places, ``per`` for each turn, against all those from half a turn to one and a half turns on."""
    turns = path.coil.turns
    n = int(per * turns)
    s = np.arange(n + 1) / per / turns
    points, reach = path.points(s), size(s)
    begin = min(per, n) + 1 if path.coil.even else n + 1
    best: _Pairs | None = None
    for k in range(per // 2, min(per + per // 2, n) + 1):
        m = min(begin, n + 1 - k)
        pairs = _measured(path, (points[:m], points[k : k + m]), reach[:m] + reach[k : k + m], (s[:m], s[k : k + m]))
        best = pairs if best is None else best.with_worse(pairs)
    return best


def _held(path: Path, size: Along, s: Floats, steps: Floats) -> _Pairs | None:
    """Hold places against those some steps on."""
    one, two = np.repeat(s, len(steps)), (s[:, None] + steps).ravel()
    inside = (two <= 1.0) & (two > one)
    one, two = one[inside], two[inside]
    if len(one) == 0:
        return None
    return _measured(path, (path.points(one), path.points(two)), size(one) + size(two), (one, two))


def _measured(path: Path, points: tuple[Floats, Floats], r: Floats, places: tuple[Floats, Floats]) -> _Pairs:
    """Measure pairs of points (k, 3) whose wires reach ``r`` (k,) together."""
    apart = points[1] - points[0]
    seen, rise = np.hypot(apart[:, 0], apart[:, 1]), np.abs(apart[:, 2])
    gap = np.hypot(seen, rise) - r
    more = _grown(path, rise, np.sqrt(np.maximum(r * r - seen * seen, 0.0)))
    i, k = int(np.argmin(gap)), int(np.argmax(more))
    one, two = places
    return _Pairs(float(gap[i]), (float(one[i]), float(two[i])), float(more[k]), (float(one[k]), float(two[k])))


def _grown(path: Path, rise: Floats, wanted: Floats) -> Floats:
    """Return what each rise is to be multiplied by to be as large as wanted; infinite where it is 0."""
    none = rise <= 1e-12 * max(path.long, 1e-300)
    return np.where(none & (wanted > 0), np.inf, wanted / np.where(none, 1.0, rise))


def _section_against_section(path: Path, size: Along, support: Along) -> Clearing | None:
    """Hold sections that are not round against those one turn on: two are apart where some line parts them."""
    coil = path.coil
    if coil.turns <= 1:
        return None
    n = int(4 * _NEAR * (1 if coil.even else max(coil.turns - 1, 1)))
    one = np.linspace(0.0, 1 - 1 / coil.turns, min(n, _MOST // 8) + 1)
    two = one + 1 / coil.turns
    p, q = path.points(one), path.points(two)
    out = np.column_stack([np.cos(coil.turn(one)), np.sin(coil.turn(one))])
    seen = np.einsum("ij,ij->i", (q - p)[:, :2], out)
    rise = np.abs(q[:, 2] - p[:, 2])
    up = np.where(q[:, 2] >= p[:, 2], 1.0, -1.0)
    # sections are square to the wire, which climbs: they lie aslant in the plane through the axis, most on the inner side
    flat, radius = path.level(one), np.abs(coil.radius(one))
    inner = np.maximum(radius - size(one), 1e-9 * np.maximum(radius, 1e-300))
    level = 1 / np.maximum(flat + (1 - flat**2) / np.maximum(flat, 1e-9) * radius / np.maximum(inner, 1e-300), 1e-9)
    gap, wanted = np.full(len(one), -np.inf), np.full(len(one), np.inf)
    for angle in np.arange(_LINES + 1) * math.pi / _LINES:
        c, s = math.cos(angle), math.sin(angle)
        along = np.arctan2(s * up, np.full(len(one), c))
        reach = size(one) * support(along) + size(two) * support(along + math.pi)
        gap = np.maximum(gap, c * seen + s * level * rise - reach)
        part = (
            (reach - c * seen) / (s * np.maximum(level, 1e-9)) if s > 1e-9 else np.where(c * seen >= reach, 0.0, np.inf)
        )
        wanted = np.minimum(wanted, part)
    k = int(np.argmin(gap))
    more = float(_grown(path, rise, np.maximum(wanted, 0.0)).max())
    return Clearing(float(gap[k]), float(one[k] + two[k]) / 2, more if math.isfinite(more) else None)
