"""Places on a body at levels along an axis, compiled: for bodies of many edges."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel, no_wraparound

__all__ = ["ends_of", "farthest_loop", "lines_loop", "middles_loop", "most_off"]


@no_wraparound
@kernel
def ends_of(places: Array, edges: Array) -> tuple[float, float]:
    """Return the lowest and the highest level that an edge reaches."""
    low, high = np.inf, -np.inf
    for e in range(edges.shape[0]):
        a, b = places[edges[e, 0]], places[edges[e, 1]]
        low, high = min(low, a, b), max(high, a, b)
    return low, high


@no_wraparound
@kernel
def farthest_loop(points: Array, shown: Array, places: Array, edges: Array, level: float, eps: float, origin: Array,
                  toward: Array, size: float) -> tuple[float, float, float]:  # fmt: skip
    """Return where the point at a level is shown that lies farthest ``toward``; of equal ones the first by z, y, x."""
    best = -np.inf
    bx, by, bz = 0.0, 0.0, 0.0
    sx, sy, sz = 0.0, 0.0, 0.0
    for e in range(edges.shape[0]):
        i, j = edges[e, 0], edges[e, 1]
        a, b = places[i], places[j]
        if min(a, b) > level + eps or max(a, b) < level - eps:
            continue
        rise = b - a
        flat = abs(rise) <= eps
        for end in range(2 if flat else 1):
            share = float(end) if flat else min(max((level - a) / rise, 0.0), 1.0)
            x = points[i, 0] + share * (points[j, 0] - points[i, 0])
            y = points[i, 1] + share * (points[j, 1] - points[i, 1])
            z = points[i, 2] + share * (points[j, 2] - points[i, 2])
            far = (x - origin[0]) * toward[0] + (y - origin[1]) * toward[1] + (z - origin[2]) * toward[2]
            far = np.rint(far / size * 1e9)
            before = z < bz or (z == bz and (y < by or (y == by and x < bx)))
            if far > best or (far == best and before):
                best, bx, by, bz = far, x, y, z
                sx = shown[i, 0] + share * (shown[j, 0] - shown[i, 0])
                sy = shown[i, 1] + share * (shown[j, 1] - shown[i, 1])
                sz = shown[i, 2] + share * (shown[j, 2] - shown[i, 2])
    return sx, sy, sz


@no_wraparound
@kernel
def lines_loop(corners: Array, offsets: Array, places: Array, shown: Array, level: float) -> Floats:
    """Return (k, 6) both ends of the lines in which faces meet a level; a face is met an even number of times."""
    out = np.empty((256, 6), np.float64)
    n = 0
    for f in range(offsets.shape[0] - 1):
        first, last = offsets[f], offsets[f + 1]
        crossings = 0  # counted without branches first: few faces are met
        a = places[corners[last - 1]]
        for c in range(first, last):
            b = places[corners[c]]
            crossings += (a >= level) != (b >= level)
            a = b
        if crossings == 0:
            continue
        half = 0
        for c in range(first, last):
            p, q = corners[c], corners[c + 1 if c + 1 < last else first]
            a, b = places[p], places[q]
            if (a >= level) == (b >= level):
                continue
            share = min(max((level - a) / (b - a), 0.0), 1.0)
            if n == out.shape[0]:
                more = np.empty((2 * n, 6), np.float64)
                more[:n] = out
                out = more
            for k in range(3):
                out[n, half + k] = shown[p, k] + share * (shown[q, k] - shown[p, k])
            half = 3 - half
            if half == 0:
                n += 1
    return out[:n].copy()


@no_wraparound
@kernel
def middles_loop(points: Array, edges: Array) -> Floats:
    """Return (e, 3) the middle of each edge."""
    out = np.empty((edges.shape[0], 3), np.float64)
    for e in range(edges.shape[0]):
        for k in range(3):
            out[e, k] = (points[edges[e, 0], k] + points[edges[e, 1], k]) / 2
    return out


@no_wraparound
@kernel
def most_off(places: Array, points: Array, edges: Array) -> float:
    """Return how far off the edges' middles the places (e, 3) lie at most."""
    most = 0.0
    for e in range(edges.shape[0]):
        off = 0.0
        for k in range(3):
            d = places[e, k] - (points[edges[e, 0], k] + points[edges[e, 1], k]) / 2
            off += d * d
        most = max(most, off)
    return np.sqrt(most)
