"""How sections lie along a path: upright, or turning as little as can be."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel, piece
from jukai.core.geometry.paths import Stations

__all__ = ["Frames", "frames", "least_twist", "upright"]

_FEW_STATIONS = 64


@dataclass(frozen=True, slots=True, eq=False)
class Frames:
    """Across and up, (k, 3) unit vectors square to the path as it comes to each station; across x up points along it."""

    across: Floats
    up: Floats


def frames(stations: Stations, *, fixed_up: bool) -> Frames:
    """Return how sections lie: kept upright along Z, or turning as little as can be; on a closed path without a jump at its seam.

    Raises
    ------
    ValueError
        With the number of the station where a path runs straight up or down, so that upright says nothing.
    """
    return upright(stations) if fixed_up else least_twist(stations)


def upright(stations: Stations) -> Frames:
    """Return frames whose up is as near to Z as may be."""
    t = stations.before
    up = np.array([0.0, 0.0, 1.0]) - t[:, 2:] * t
    size = np.linalg.norm(up, axis=1)
    if (size < 1e-6).any():
        raise ValueError(int(np.argmin(size)))
    up = up / size[:, None]
    return Frames(np.cross(up, t), up)


def least_twist(stations: Stations) -> Frames:
    """Return rotation-minimising frames (W. Wang, B. Jüttler, D. Zheng, Y. Liu, Computation of rotation minimizing frames, 2008).

    Two reflections carry a frame from each station to the next: in the plane half way between them, and in the one that then
    brings its direction to the next one's. At a corner it turns with the path about the axis of the bend. What is left over
    where a closed path comes back is spread over its length.
    """
    first = _first_across(stations.before[0])
    k = len(stations.points)
    out = np.empty((k + 1, 3))
    carry = _carried if k > _FEW_STATIONS else _carried.plain
    carry(stations.points, stations.before, stations.after, first, stations.closed, out)
    across = out[:k]
    up = np.cross(stations.before, across)
    if stations.closed:
        last = out[k]
        left = math.atan2(float(last @ up[0]), float(last @ across[0]))
        a = -left * stations.share
        c, s = np.cos(a)[:, None], np.sin(a)[:, None]
        across, up = c * across + s * up, c * up - s * across
    return Frames(across, up)


def _first_across(t: Floats) -> Floats:
    """Return a direction square to the path's first: level, so that up is up; along X where the path begins straight up."""
    z = np.array([0.0, 0.0, 1.0])
    level = np.cross(z, t)
    if np.linalg.norm(level) < 1e-6:
        level = np.array([1.0, 0.0, 0.0]) - t[0] * t
    return np.asarray(level / np.linalg.norm(level))


@piece
def _reflected(r: Array, way: Array, tangent: Array, goal: Array) -> None:
    """Reflect a direction in the plane square to ``way``, then in the one that takes the reflected ``tangent`` to ``goal``."""
    c1 = way[0] * way[0] + way[1] * way[1] + way[2] * way[2]
    if c1 <= 0.0:
        return
    dot_r = (way[0] * r[0] + way[1] * r[1] + way[2] * r[2]) * 2.0 / c1
    dot_t = (way[0] * tangent[0] + way[1] * tangent[1] + way[2] * tangent[2]) * 2.0 / c1
    c2 = 0.0
    dot = 0.0
    for a in range(3):
        r[a] -= dot_r * way[a]
        v = goal[a] - (tangent[a] - dot_t * way[a])
        c2 += v * v
        dot += v * r[a]
    if c2 > 0.0:
        for a in range(3):
            r[a] -= 2.0 / c2 * dot * (goal[a] - (tangent[a] - dot_t * way[a]))


@kernel
def _carried(points: Array, before: Array, after: Array, first: Array, closed: bool, out: Array) -> None:
    """Carry a direction along stations; ``out`` (k + 1, 3) has one more, for a closed path that comes back to its first."""
    k = points.shape[0]
    out[0] = first
    out[k] = first
    r = first.copy()
    way = np.empty(3)
    for i in range(k if closed else k - 1):
        j = (i + 1) % k
        # at a corner the two reflections are the turn about the axis of the bend
        for a in range(3):
            way[a] = after[i, a] + before[i, a]
        _reflected(r, way, before[i], after[i])
        for a in range(3):
            way[a] = points[j, a] - points[i, a]
        _reflected(r, way, after[i], before[j])
        # rounding must not add up over many stations
        along = r[0] * before[j, 0] + r[1] * before[j, 1] + r[2] * before[j, 2]
        size = 0.0
        for a in range(3):
            r[a] -= along * before[j, a]
            size += r[a] * r[a]
        row = k if j == 0 else j
        for a in range(3):
            r[a] /= math.sqrt(size)
            out[row, a] = r[a]
