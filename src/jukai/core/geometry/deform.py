"""Maps of space that deform bodies along an axis: each point goes by where it is along and across."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Floats, frozen
from jukai.core.geometry.frames import Frame, sincos
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.kernels import FEW

__all__ = ["Deformation", "bending", "integral_of", "rings", "stretching", "tapering", "turned", "twisting", "waves"]

TWIST, TAPER, BEND, STRETCH, WAVES, RINGS = range(6)
"""The maps, as they are numbered in the compiled loop."""
_ONE = np.ones(1)
_PIECES = 2048
"""Into how many pieces a graph is cut to be summed up."""


@dataclass(frozen=True, slots=True, eq=False)
class Deformation:
    """A map of space in the frame of an axis.

    Attributes
    ----------
    frame : the third direction is the axis.
    start, stop : mm along the axis where it begins and ends; for rings, from the axis outward.
    first, second : what graphs say at shares (n,) of the stretch; None where there is none.
    """

    which: int
    frame: Frame
    start: float
    stop: float
    parameters: tuple[float, ...]
    first: Callable[[Floats], Floats] | None = None
    second: Callable[[Floats], Floats] | None = None

    @property
    def length(self) -> float:
        """How far it reaches, mm."""
        return self.stop - self.start

    def shares(self, points: Floats) -> Floats:
        """Return how far along the stretch each point is, (n,) from 0 to 1 and level beyond."""
        rel = points - self.frame.origin
        if self.which == RINGS:
            across = rel @ self.frame.axes[:2].T
            place = np.hypot(across[:, 0], across[:, 1])
        else:
            place = rel @ self.frame.direction
        return np.clip((place - self.start) / self.length, 0.0, 1.0)

    def __call__(self, points: Floats, amount: float | Floats = 1.0) -> Floats:
        """Return points (n, 3) carried by the map; ``amount`` says how much of it acts, all over or (n,) at each.

        Nothing at all changes where it is 0.
        """
        w = np.atleast_1d(np.asarray(amount, dtype=np.float64))
        g, h = _ONE, _ONE
        if self.first is not None or self.second is not None:
            share = self.shares(points)
            g = _ONE if self.first is None else np.ascontiguousarray(self.first(share), dtype=np.float64)
            h = _ONE if self.second is None else np.ascontiguousarray(self.second(share), dtype=np.float64)
        p = (
            float(self.start),
            float(self.length),
            *(float(v) for v in self.parameters),
            *(0.0,) * (6 - len(self.parameters)),
        )
        if len(points) > FEW:
            return _loop(points, self.frame, w, g, h, self.which, p)
        if self.which == TWIST and self.first is None:
            return np.where((w == 0)[:, None], points, self._twisted(points, amount))
        from jukai.core.geometry._deforming import at_plain

        rel = (points - self.frame.origin) @ self.frame.axes.T
        x, y, t = rel.T
        moved = np.column_stack(np.broadcast_arrays(*at_plain(self.which, x, y, t, w, g, h, p)))
        out = points + (moved - rel) @ self.frame.axes
        return np.where((w == 0)[:, None], points, out)

    def _twisted(self, points: Floats, amount: float | Floats) -> Floats:
        """Return an even twist in the arithmetic that it has always had: small bodies of older benches keep their bytes."""
        degrees, held = self.parameters[3], self.parameters[1]
        still = {0.0: self.start, 0.5: (self.start + self.stop) / 2, 1.0: self.stop}.get(
            held, self.start + held * self.length
        )
        weighed = isinstance(amount, np.ndarray)
        rate = np.radians(degrees if weighed else degrees * amount) / self.length
        direction = self.frame.direction
        p = points - self.frame.origin
        t = p @ direction
        turn = (np.clip(t, self.start, self.stop) - still) * rate
        turn = turn * amount if weighed else turn
        c, s = np.cos(turn)[:, None], np.sin(turn)[:, None]
        lift = t[:, None] * direction
        return np.asarray(self.frame.origin + lift + (p - lift) * c + np.cross(direction, p) * s)


def _loop(points: Floats, frame: Frame, w: Floats, g: Floats, h: Floats, which: int, p: tuple[float, ...]) -> Floats:
    from jukai.core.geometry._deforming import deform_loop

    axes = np.ascontiguousarray(frame.axes, dtype=np.float64)
    origin = np.ascontiguousarray(frame.origin, dtype=np.float64)
    done: Floats = deform_loop(frozen(np.ascontiguousarray(points)), origin, axes, w, g, h, which, p)
    return done


def turned(frame: Frame, degrees: float) -> Frame:
    """Return a frame with its two directions across turned about its axis."""
    if degrees == 0:
        return frame
    s, c = (float(v) for v in sincos(np.array(degrees)))
    a, b, d = frame.axes
    return Frame(frame.origin, np.array([a * c + b * s, b * c - a * s, d]))


def twisting(frame: Frame, start: float, stop: float, degrees: float, still: float,
             along: Graph | None = None) -> Deformation:  # fmt: skip
    """Return a twist: each slice is turned about the axis, by ``degrees`` from ``start`` to ``stop``.

    Parameters
    ----------
    still : share of the stretch that does not turn.
    along : the share of the turn at each place; evenly more where it is left out.

    References
    ----------
    A. H. Barr, Global and local deformations of solid primitives, SIGGRAPH 1984. Its determinant is 1.
    """
    held = still if along is None else float(along(np.array([still]))[0])
    own = (float(np.radians(degrees)), held, 0.0 if along is None else 1.0, degrees)
    return Deformation(TWIST, frame, start, stop, own, along)


def tapering(frame: Frame, start: float, stop: float, narrower: tuple[float, float],
             width: Graph | None = None, depth: Graph | None = None) -> Deformation:  # fmt: skip
    """Return a taper: each slice is scaled about the axis, its determinant the product of both scales (Barr 1984).

    ``narrower`` are the shares that width and depth lose over the stretch; graphs multiply what is left.
    """
    return Deformation(TAPER, frame, start, stop, narrower, width, depth)


def bending(frame: Frame, start: float, stop: float, degrees: float, neutral: float, still: float) -> Deformation:
    """Return a bend towards the frame's first direction.

    Parameters
    ----------
    neutral : mm from the axis, towards the inside, of the line that keeps its length.
    still : mm along the axis of the place that stays.

    References
    ----------
    Barr 1984: 1 - k x is its determinant between start and stop, 1 beyond, where the body goes straight on.
    """
    rate = float(np.radians(degrees)) / (stop - start)
    return Deformation(BEND, frame, start, stop, (rate, neutral, min(max(still, start), stop)))


def stretching(frame: Frame, start: float, stop: float, length: float, *, keep_volume: bool, still: float,
               along: Graph | None = None) -> Deformation:  # fmt: skip
    """Return a stretch of what lies from ``start`` to ``stop`` to a new length.

    Parameters
    ----------
    keep_volume : then each slice is scaled so that the determinant is 1.
    still : share of the stretch that stays.
    along : where it gives way and how much, in proportion; everywhere alike where it is left out.

    Raises
    ------
    ValueError
        With the least length that could be had, where a slice would be pressed to nothing.
    """
    old = stop - start
    growth = length / old - 1
    if growth <= 1e-6 - 1:
        raise ValueError(1e-6 * old)
    if along is None:
        return Deformation(STRETCH, frame, start, stop, (growth, still, 1.0 if keep_volume else 0.0, 0.0))
    summed, mean, most = integral_of(along)
    growth /= mean
    if 1 + growth * most <= 1e-6:
        raise ValueError(old * (1 + (1e-6 - 1) / most * mean))
    own = (growth, float(summed(np.array([still]))[0]), 1.0 if keep_volume else 0.0, 1.0)
    return Deformation(STRETCH, frame, start, stop, own, along, summed)


def waves(frame: Frame, start: float, stop: float, depth: float, pitch: float, phase: float,
          along: Graph | None = None) -> Deformation:  # fmt: skip
    """Return straight crests: slices are moved along the frame's first direction, ``depth`` from crest to trough.

    Barr 1984: a move that depends on the place along the axis alone keeps volume.
    """
    return Deformation(WAVES, frame, start, stop, (depth / 2, pitch, phase), along)


def rings(frame: Frame, start: float, stop: float, depth: float, pitch: float, phase: float,
          along: Graph | None = None) -> Deformation:  # fmt: skip
    """Return round crests: points are moved along the axis by how far from it they are; it keeps volume, too."""
    return Deformation(RINGS, frame, start, stop, (depth / 2, pitch, phase), along)


def integral_of(graph: Graph) -> tuple[Callable[[Floats], Floats], float, float]:
    """Return the integral of a graph from 0 as a function of the place, that over all, and the graph's greatest value.

    Simpson's rule between the graph's own points and even ones; between those a cubic by Hermite, whose
    slopes are the graph itself.
    """
    knots = np.union1d(np.linspace(0.0, 1.0, _PIECES + 1), np.clip(graph.at, 0.0, 1.0))
    step = np.diff(knots)
    at, middle = graph(knots), graph(knots[:-1] + step / 2)
    sums = np.concatenate([[0.0], np.cumsum(step / 6 * (at[:-1] + 4 * middle + at[1:]))])

    def summed(places: Floats) -> Floats:
        i = np.clip(np.searchsorted(knots, places, side="right") - 1, 0, len(step) - 1)
        d = step[i]
        u = (places - knots[i]) / d
        h00, h10 = (1 + 2 * u) * (1 - u) ** 2, u * (1 - u) ** 2
        h01, h11 = u * u * (3 - 2 * u), u * u * (u - 1)
        return np.asarray(h00 * sums[i] + h10 * d * at[i] + h01 * sums[i + 1] + h11 * d * at[i + 1])

    return summed, float(sums[-1]), float(max(at.max(), middle.max()))
