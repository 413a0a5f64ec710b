"""A section that goes round an axis, grows and rises by a similarity: shells, scrolls (D. M. Raup, Geometric analysis of shell coiling, 1966)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Floats

__all__ = ["Whorl", "clearing_rise"]


@dataclass(frozen=True, slots=True)
class Whorl:
    """One turn takes the section by a similarity of the axis: ``growth`` times as large, ``rise`` mm further at the first turn."""

    turns: float
    rise: float
    growth: float

    def scale(self, turn: Floats) -> Floats:
        """Return how large the section is after so many turns."""
        return np.asarray(self.growth**turn)

    def lift(self, turn: Floats) -> Floats:
        """Return how far the zero point has risen, mm: each turn rises by ``growth`` times as much as the one before."""
        if abs(self.growth - 1) < 1e-9:
            return np.asarray(self.rise * turn)
        return np.asarray(self.rise * (self.growth**turn - 1) / (self.growth - 1))

    def places(self, section: Floats, turn: Floats, cosine: Floats, sine: Floats) -> Floats:
        """Return rings (k, n, 3) of a section (n, 2), (distance from the axis, height), at turns."""
        size = self.scale(turn)[:, None]
        out = np.empty((len(turn), len(section), 3))
        across = section[None, :, 0] * size
        out[..., 0] = across * cosine[:, None]
        out[..., 1] = across * sine[:, None]
        out[..., 2] = section[None, :, 1] * size + self.lift(turn)[:, None]
        return out


def clearing_rise(section: Floats, whorl: Whorl) -> float:
    """Return the least rise, of the whorl's own sign, at which no turn runs into another; 0 where they are clear without.

    In any half plane through the axis stand the section and its images by the similarity, one for each turn, and all pairs of
    neighbours are similar: it is enough to hold the first against its images. Of each only its upper and lower outline counts,
    so sections that would fit into each other's hollows are kept apart.
    """
    sign = -1.0 if whorl.rise < 0 else 1.0
    flat = section * [1.0, sign]
    need = 0.0
    for k in range(1, max(1, math.ceil(whorl.turns - 1e-9))):
        size = whorl.growth**k
        lifts = k if abs(whorl.growth - 1) < 1e-9 else (size - 1) / (whorl.growth - 1)
        gap = _over(flat, flat * size)
        if gap is not None:
            need = max(need, gap / lifts)
    return sign * need


def _over(low: Floats, high: Floats) -> float | None:
    """Return by how much one outline must be lifted to lie over another; None where they stand beside each other."""
    left, right = max(low[:, 0].min(), high[:, 0].min()), min(low[:, 0].max(), high[:, 0].max())
    if left >= right:
        return None
    at = np.concatenate([low[:, 0], high[:, 0], [left, right]])
    at = np.unique(at[(at >= left) & (at <= right)])
    top, bottom = _outline(low, at, 1.0), _outline(high, at, -1.0)
    return max(0.0, float((top - bottom).max()))


def _outline(ring: Floats, at: Floats, side: float) -> Floats:
    """Return the upper (1) or lower (-1) outline of a closed polyline at places across."""
    p, q = ring, np.roll(ring, -1, axis=0)
    low, high = np.minimum(p[:, 0], q[:, 0]), np.maximum(p[:, 0], q[:, 0])
    on = (low[:, None] <= at) & (at <= high[:, None])
    width = q[:, 0] - p[:, 0]
    t = (at - p[:, :1]) / np.where(width == 0, 1.0, width)[:, None]
    level = p[:, 1:] + (q - p)[:, 1:] * np.clip(t, 0, 1)
    level = np.where((width == 0)[:, None], np.maximum(side * p[:, 1:], side * q[:, 1:]) * side, level)
    return np.asarray(side * np.where(on, side * level, -np.inf).max(axis=0))
