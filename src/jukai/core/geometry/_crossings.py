"""The compiled comparison of triangles."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel, piece


@kernel
def triangle_boxes(points: Array, triangles: Array, mx: float, my: float, mz: float) -> tuple[Floats, Floats, Floats]:
    """Corners (n, 3, 3) of triangles seen from a middle, and the lower and upper corners of their boxes."""
    n = triangles.shape[0]
    t = np.empty((n, 3, 3), np.float64)
    low = np.empty((n, 3), np.float64)
    high = np.empty((n, 3), np.float64)
    middle = (mx, my, mz)
    for i in range(n):
        a, b, c = triangles[i, 0], triangles[i, 1], triangles[i, 2]
        for k in range(3):
            u, v, w = points[a, k] - middle[k], points[b, k] - middle[k], points[c, k] - middle[k]
            t[i, 0, k], t[i, 1, k], t[i, 2, k] = u, v, w
            low[i, k] = min(u, v, w)
            high[i, k] = max(u, v, w)
    return t, low, high


@kernel
def crossing_pairs(t: Array, ids: Array, faces: Array, pairs: Array, touch: float) -> tuple[Array, Floats]:
    """Which pairs of (n, 3, 3) triangles cross, and a place on each crossing; the tests of ``crossings._crossing``."""
    normals = np.empty((t.shape[0], 3), np.float64)
    sizes = np.empty(t.shape[0], np.float64)
    m = pairs.shape[0]
    asked = np.zeros(t.shape[0], np.bool_)
    for row in range(m):
        asked[pairs[row, 0]] = asked[pairs[row, 1]] = True
    for i in range(t.shape[0]):
        if asked[i]:
            _measure(t, i, normals, sizes)
    hits = np.empty(m, np.int64)
    places = np.empty((m, 3), np.float64)
    found = 0
    d = np.zeros((2, 3))
    di, dj = d[0], d[1]
    for row in range(m):
        i, j = pairs[row, 0], pairs[row, 1]
        if faces[i] == faces[j]:
            continue
        common, shared_i, shared_j = _shared(ids, i, j)
        if common > 1:
            continue
        eps = touch * max(sizes[i], sizes[j])
        if not _straddles(t, normals, i, j, shared_i, eps, di) or not _straddles(t, normals, j, i, shared_j, eps, dj):
            continue
        flat_i = d[0, 0] == 0 and d[0, 1] == 0 and d[0, 2] == 0
        flat_j = d[1, 0] == 0 and d[1, 1] == 0 and d[1, 2] == 0
        if flat_i and flat_j:
            crosses = _overlap(t, normals, i, j, eps, places[found])
        else:
            crosses = not flat_i and not flat_j and _cut(t, normals, i, j, d, eps, places[found])
        if crosses:
            hits[found] = row
            found += 1
    return hits[:found].copy(), places[:found].copy()


@kernel
def touching_pairs(t: Array, ids: Array, faces: Array, pairs: Array, touch: float, back: float) -> tuple[Array, Floats]:
    """Which pairs of (n, 3, 3) triangles that look opposite ways lie on each other, and a place; the tests of ``crossings._touching``."""
    normals = np.empty((t.shape[0], 3), np.float64)
    sizes = np.empty(t.shape[0], np.float64)
    m = pairs.shape[0]
    for row in range(m):
        _measure(t, pairs[row, 0], normals, sizes)
        _measure(t, pairs[row, 1], normals, sizes)
    hits = np.empty(m, np.int64)
    places = np.empty((m, 3), np.float64)
    found = 0
    d = np.zeros((2, 3))
    di, dj = d[0], d[1]
    for row in range(m):
        i, j = pairs[row, 0], pairs[row, 1]
        if faces[i] == faces[j]:
            continue
        if normals[i, 0] * normals[j, 0] + normals[i, 1] * normals[j, 1] + normals[i, 2] * normals[j, 2] > back:
            continue
        common, shared_i, shared_j = _shared(ids, i, j)
        if common > 1:
            continue
        eps = touch * max(sizes[i], sizes[j])
        _straddles(t, normals, i, j, shared_i, eps, di)
        _straddles(t, normals, j, i, shared_j, eps, dj)
        touches = d[0, 0] == 0 and d[0, 1] == 0 and d[0, 2] == 0 and d[1, 0] == 0 and d[1, 1] == 0 and d[1, 2] == 0
        for side in range(2):
            p = i if side == 0 else j
            for k in range(3):
                touches = touches and not _parted(t, normals, i, j, p, k, eps)
        for k in range(3):
            places[found, k] = (t[i, 0, k] + t[i, 1, k] + t[i, 2, k]) / 3
        for side in range(2):
            p, q, shared = (i, j, shared_i) if side == 0 else (j, i, shared_j)
            for k in range(3):
                if not touches and d[side, k] == 0 and not (shared >> k) & 1 and _inside(t, normals, q, p, k, eps):
                    touches = True
                    for c in range(3):
                        places[found, c] = t[p, k, c]
        if touches:
            hits[found] = row
            found += 1
    return hits[:found].copy(), places[:found].copy()


@piece
def _inside(t: Array, normals: Array, q: int, p: int, k: int, eps: float) -> bool:
    """Return whether corner ``k`` of triangle ``p``, in the plane of ``q``, lies within ``q`` by more than ``eps``."""
    for a in range(3):
        b = a + 1 if a < 2 else 0
        ex, ey, ez = t[q, b, 0] - t[q, a, 0], t[q, b, 1] - t[q, a, 1], t[q, b, 2] - t[q, a, 2]
        ix = normals[q, 1] * ez - normals[q, 2] * ey
        iy = normals[q, 2] * ex - normals[q, 0] * ez
        iz = normals[q, 0] * ey - normals[q, 1] * ex
        length = max(np.sqrt(ix * ix + iy * iy + iz * iz), 1e-300)
        h = (t[p, k, 0] - t[q, a, 0]) * ix + (t[p, k, 1] - t[q, a, 1]) * iy + (t[p, k, 2] - t[q, a, 2]) * iz
        if h <= eps * length:
            return False
    return True


@piece
def _measure(t: Array, i: int, normals: Array, sizes: Array) -> None:
    """Write the unit normal of a triangle and the largest side of its box."""
    ux, uy, uz = t[i, 1, 0] - t[i, 0, 0], t[i, 1, 1] - t[i, 0, 1], t[i, 1, 2] - t[i, 0, 2]
    vx, vy, vz = t[i, 2, 0] - t[i, 0, 0], t[i, 2, 1] - t[i, 0, 1], t[i, 2, 2] - t[i, 0, 2]
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    length = max(np.sqrt(x * x + y * y + z * z), 1e-300)
    normals[i, 0], normals[i, 1], normals[i, 2] = x / length, y / length, z / length
    size = 0.0
    for k in range(3):
        low = min(t[i, 0, k], t[i, 1, k], t[i, 2, k])
        high = max(t[i, 0, k], t[i, 1, k], t[i, 2, k])
        size = max(size, high - low)
    sizes[i] = size


@piece
def _shared(ids: Array, i: int, j: int) -> tuple[int, int, int]:
    """Return how many points two triangles share, and which corners of each have them, as bits."""
    common = shared_i = shared_j = 0
    for a in range(3):
        for b in range(3):
            if ids[i, a] == ids[j, b]:
                common += 1
                shared_i |= 1 << a
                shared_j |= 1 << b
    return common, shared_i, shared_j


@piece
def _straddles(t: Array, normals: Array, p: int, q: int, shared: int, eps: float, heights: Array) -> bool:
    """Write the heights of triangle ``p`` over the plane of ``q``; return whether it goes through the plane or lies in it."""
    below = above = 0
    for k in range(3):
        h = ((t[p, k, 0] - t[q, 0, 0]) * normals[q, 0] + (t[p, k, 1] - t[q, 0, 1]) * normals[q, 1]
             + (t[p, k, 2] - t[q, 0, 2]) * normals[q, 2])  # fmt: skip
        if abs(h) <= eps or (shared >> k) & 1:
            h = 0.0
        heights[k] = h
        below += h < 0
        above += h > 0
    return (below > 0) == (above > 0)  # else it lies on one side, or only touches the plane


@piece
def _overlap(t: Array, normals: Array, i: int, j: int, eps: float, place: Array) -> bool:
    """Return whether two triangles in one plane that look the same way overlap; write a place between them."""
    if normals[i, 0] * normals[j, 0] + normals[i, 1] * normals[j, 1] + normals[i, 2] * normals[j, 2] <= 0:
        return False
    for side in range(2):
        p = i if side == 0 else j
        for k in range(3):
            if _parted(t, normals, i, j, p, k, eps):
                return False
    for k in range(3):
        place[k] = (t[i, 0, k] + t[i, 1, k] + t[i, 2, k] + t[j, 0, k] + t[j, 1, k] + t[j, 2, k]) / 6
    return True


@piece
def _parted(t: Array, normals: Array, i: int, j: int, p: int, k: int, eps: float) -> bool:
    """Return whether two triangles in one plane lie apart, seen along side ``k`` of triangle ``p``."""
    e = k + 1 if k < 2 else 0
    ex, ey, ez = t[p, e, 0] - t[p, k, 0], t[p, e, 1] - t[p, k, 1], t[p, e, 2] - t[p, k, 2]
    ax = normals[i, 1] * ez - normals[i, 2] * ey
    ay = normals[i, 2] * ex - normals[i, 0] * ez
    az = normals[i, 0] * ey - normals[i, 1] * ex
    length = max(np.sqrt(ax * ax + ay * ay + az * az), 1e-300)
    lo_i = lo_j = np.inf
    hi_i = hi_j = -np.inf
    for c in range(3):
        v = ((t[i, c, 0] - t[i, 0, 0]) * ax + (t[i, c, 1] - t[i, 0, 1]) * ay + (t[i, c, 2] - t[i, 0, 2]) * az) / length
        lo_i, hi_i = min(lo_i, v), max(hi_i, v)
        v = ((t[j, c, 0] - t[i, 0, 0]) * ax + (t[j, c, 1] - t[i, 0, 1]) * ay + (t[j, c, 2] - t[i, 0, 2]) * az) / length
        lo_j, hi_j = min(lo_j, v), max(hi_j, v)
    return min(hi_i, hi_j) - max(lo_i, lo_j) <= eps


@piece
def _cut(t: Array, normals: Array, i: int, j: int, d: Array, eps: float, place: Array) -> bool:
    """Return whether two triangles share a piece of the line in which their planes meet; write its middle."""
    lx = normals[i, 1] * normals[j, 2] - normals[i, 2] * normals[j, 1]
    ly = normals[i, 2] * normals[j, 0] - normals[i, 0] * normals[j, 2]
    lz = normals[i, 0] * normals[j, 1] - normals[i, 1] * normals[j, 0]
    length = max(np.sqrt(lx * lx + ly * ly + lz * lz), 1e-300)
    lx, ly, lz = lx / length, ly / length, lz / length
    ox, oy, oz = t[i, 0, 0], t[i, 0, 1], t[i, 0, 2]
    px = py = pz = 0.0
    start, stop = -np.inf, np.inf
    for side in range(2):
        p = i if side == 0 else j
        low, high = np.inf, -np.inf
        for a in range(3):
            b = a + 1 if a < 2 else 0
            sa = (t[p, a, 0] - ox) * lx + (t[p, a, 1] - oy) * ly + (t[p, a, 2] - oz) * lz
            da, db = d[side, a], d[side, b]
            if da == 0:
                low, high = min(low, sa), max(high, sa)
            if da * db < 0:
                sb = (t[p, b, 0] - ox) * lx + (t[p, b, 1] - oy) * ly + (t[p, b, 2] - oz) * lz
                share = da / (da - db)
                s = sa + (sb - sa) * share
                low, high = min(low, s), max(high, s)
                if side == 0:
                    px = t[p, a, 0] + (t[p, b, 0] - t[p, a, 0]) * share - s * lx
                    py = t[p, a, 1] + (t[p, b, 1] - t[p, a, 1]) * share - s * ly
                    pz = t[p, a, 2] + (t[p, b, 2] - t[p, a, 2]) * share - s * lz
        start, stop = max(start, low), min(stop, high)
    if not stop - start > eps:
        return False
    middle = (start + stop) / 2
    place[0], place[1], place[2] = px + middle * lx, py + middle * ly, pz + middle * lz
    return True
