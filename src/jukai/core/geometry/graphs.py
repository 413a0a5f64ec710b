"""Graphs: a value that varies from 0 to 1 along a run."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Bools, Floats

__all__ = ["Graph"]

_HALVINGS = 60


@dataclass(frozen=True, slots=True, eq=False)
class Graph:
    """A function of a place from 0 to 1, piece by piece a cubic.

    Attributes
    ----------
    at : (n,) places of the points, ascending.
    value : (n,) values there.
    smooth : (n,) whether the graph passes a point without a corner. Its tangent there is that of
        F. N. Fritsch and R. E. Carlson, Monotone piecewise cubic interpolation, SIAM J. Numer. Anal.
        17 (1980), as weighed by F. N. Fritsch and J. Butland (1984): between two points it never
        leaves their values. At a corner the piece leaves along its chord.
    into, out : (n, 2) handles before and after a point, (place, value) from it; NaN where there is
        none. A handle reaches no farther than the piece it bends, so that the graph stays a function.
    """

    at: Floats
    value: Floats
    smooth: Bools
    into: Floats
    out: Floats

    @staticmethod
    def straight(at: Floats, value: Floats) -> Graph:
        """Return a graph of corners."""
        none = np.full((len(at), 2), np.nan)
        return Graph(at, value, np.zeros(len(at), dtype=bool), none, none)

    @staticmethod
    def level(value: float) -> Graph:
        """Return a graph that is the same everywhere."""
        return Graph.straight(np.zeros(1), np.array([value]))

    def __call__(self, places: Floats) -> Floats:
        """Return the values at places; before the first point and after the last one it is level."""
        x = np.clip(np.asarray(places, dtype=np.float64), self.at[0], self.at[-1])
        if len(self.at) == 1:
            return np.full(x.shape, self.value[0])
        piece = np.clip(np.searchsorted(self.at, x, side="right") - 1, 0, len(self.at) - 2)
        first, second = self._handles()
        start, end = self.at[piece], self.at[piece + 1]
        span = end - start
        share = (x - start) / span
        a, b = first[piece, 0] / span, 1 + second[piece, 0] / span
        t = _parameter(share, a, b)
        s = 1 - t
        y0, y3 = self.value[piece], self.value[piece + 1]
        y1, y2 = y0 + first[piece, 1], y3 + second[piece, 1]
        inside = s**3 * y0 + 3 * s**2 * t * y1 + 3 * s * t**2 * y2 + t**3 * y3
        return np.where(share <= 0, y0, np.where(share >= 1, y3, inside))

    def _handles(self) -> tuple[Floats, Floats]:
        """Return for each piece the handle at its start and the one at its end, (n - 1, 2) each."""
        step = np.diff(self.at)
        slope = np.diff(self.value) / step
        tangent = self._tangents(step, slope)
        third = step / 3
        first = np.column_stack([third, third * np.where(self.smooth[:-1], tangent[:-1], slope)])
        second = -np.column_stack([third, third * np.where(self.smooth[1:], tangent[1:], slope)])
        given, back = ~np.isnan(self.out[:-1]).any(axis=1), ~np.isnan(self.into[1:]).any(axis=1)
        first[given] = self.out[:-1][given]
        second[back] = self.into[1:][back]
        first[:, 0] = np.clip(first[:, 0], 0.0, step)
        second[:, 0] = np.clip(second[:, 0], -step, 0.0)
        return first, second

    @staticmethod
    def _tangents(step: Floats, slope: Floats) -> Floats:
        tangent = np.concatenate([slope[:1], np.zeros(max(len(slope) - 1, 0)), slope[-1:]])
        before, after = slope[:-1], slope[1:]
        w1, w2 = 2 * step[1:] + step[:-1], step[1:] + 2 * step[:-1]
        same = before * after > 0
        safe_before, safe_after = np.where(same, before, 1.0), np.where(same, after, 1.0)
        tangent[1:-1] = np.where(same, (w1 + w2) / (w1 / safe_before + w2 / safe_after), 0.0)
        return tangent


def _parameter(share: Floats, a: Floats, b: Floats) -> Floats:
    """Return the parameter at which a Bezier of places 0, a, b, 1 (with a, b in [0, 1]) comes to ``share``.

    Such a piece never runs backwards: its derivative's discriminant is at most 0 there. Halving is
    sure to find it; where a and b are thirds the parameter is the share itself.
    """
    low, high = np.zeros_like(share), np.ones_like(share)
    even = (np.abs(a - 1 / 3) < 1e-12) & (np.abs(b - 2 / 3) < 1e-12)
    if bool(even.all()):
        return share
    for _ in range(_HALVINGS):
        t = (low + high) / 2
        s = 1 - t
        less = 3 * s**2 * t * a + 3 * s * t**2 * b + t**3 < share
        low, high = np.where(less, t, low), np.where(less, high, t)
    return np.where(even, share, (low + high) / 2)
