"""One step of Catmull-Clark subdivision, compiled; what is between faces is handed on, not found again."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel

__all__ = ["divide", "divide_corners", "divide_texture"]


@kernel
def divide(
    points: Floats,
    corners: Array,
    offsets: Array,
    edges: Array,
    corner_edge: Array,
    sharpness: Floats,
    corner_stays: bool,
) -> Floats:
    """Return the points after a step: first the old ones, then one for each edge, then one for each face.

    ``sharpness`` (e,) is that of each edge: 0 smooth, from 1 on sharp in this step; rims are to be given as sharp.
    """
    n, e, f, dim = len(points), len(edges), len(offsets) - 1, points.shape[1]
    out = np.zeros((n + e + f, dim))
    faces = np.zeros((n, dim))
    valence = np.zeros(n, np.int64)
    for i in range(f):
        a, b = offsets[i], offsets[i + 1]
        for k in range(dim):
            total = 0.0
            for c in range(a, b):
                total += points[corners[c], k]
            out[n + e + i, k] = total / (b - a)
        for c in range(a, b):
            v, m = corners[c], n + corner_edge[c]
            valence[v] += 1
            for k in range(dim):
                faces[v, k] += out[n + e + i, k]
                out[m, k] += out[n + e + i, k]
    near = np.zeros((n, dim))
    sharp = np.zeros((n, dim))
    count = np.zeros(n, np.int64)
    heavy = np.zeros(n)
    for j in range(e):
        a, b = edges[j, 0], edges[j, 1]
        s = sharpness[j]
        w = min(s, 1.0)
        for k in range(dim):
            pa, pb = points[a, k], points[b, k]
            out[n + j, k] = (1 - w) * (pa + pb + out[n + j, k]) / 4 + w * (pa + pb) / 2
            near[a, k] += pb
            near[b, k] += pa
            if s > 0:
                sharp[a, k] += pb
                sharp[b, k] += pa
        if s > 0:
            count[a] += 1
            count[b] += 1
            heavy[a] += s
            heavy[b] += s
    for v in range(n):
        m = valence[v]
        if m == 0:
            for k in range(dim):
                out[v, k] = points[v, k]
            continue
        stays = count[v] > 2 or (corner_stays and count[v] == 2 and m == 1)
        w = min(heavy[v] / count[v], 1.0) if count[v] > 1 else 0.0
        for k in range(dim):
            p = points[v, k]
            smooth = (faces[v, k] / m + (near[v, k] + m * p) / m + (m - 3) * p) / m
            rule = p if stays else (sharp[v, k] + 6 * p) / 8
            out[v, k] = w * rule + (1 - w) * smooth if w < 1 else rule
    return out


@kernel
def divide_corners(
    corners: Array, offsets: Array, edges: Array, corner_edge: Array, sharpness: Floats, n: int
) -> tuple[Array, Array, Array, Floats]:
    """Return the finer faces' corners, their edges, the edge of each corner, and the edges' sharpness.

    Each old edge makes two halves, that at its lower end first; each corner one edge that leads to the middle of its face.
    """
    e, c_all = len(edges), len(corners)
    quads = np.empty(4 * c_all, np.int32)
    side = np.empty(4 * c_all, np.int32)
    fine = np.empty((2 * e + c_all, 2), np.int32)
    soft = np.zeros(2 * e + c_all)
    for j in range(e):
        fine[2 * j, 0], fine[2 * j, 1] = edges[j, 0], n + j
        fine[2 * j + 1, 0], fine[2 * j + 1, 1] = edges[j, 1], n + j
        s = max(sharpness[j] - 1, 0.0)
        soft[2 * j] = soft[2 * j + 1] = s
    for i in range(len(offsets) - 1):
        a, b = offsets[i], offsets[i + 1]
        for c in range(a, b):
            last = c - 1 if c > a else b - 1
            v, ahead, back = corners[c], corner_edge[c], corner_edge[last]
            q = 4 * c
            quads[q], quads[q + 1], quads[q + 2], quads[q + 3] = v, n + ahead, n + e + i, n + back
            side[q] = 2 * ahead + (0 if edges[ahead, 0] == v else 1)
            side[q + 1] = 2 * e + c
            side[q + 2] = 2 * e + last
            side[q + 3] = 2 * back + (0 if edges[back, 0] == v else 1)
            fine[2 * e + c, 0], fine[2 * e + c, 1] = n + ahead, n + e + i
    return quads, fine, side, soft


@kernel
def divide_texture(uv: Floats, offsets: Array) -> Floats:
    """Return the texture coordinates of the finer faces' corners: halfway along edges, and the middle of faces."""
    out = np.empty((4 * len(uv), 2))
    for i in range(len(offsets) - 1):
        a, b = offsets[i], offsets[i + 1]
        u, v = 0.0, 0.0
        for c in range(a, b):
            u += uv[c, 0]
            v += uv[c, 1]
        u, v = u / (b - a), v / (b - a)
        for c in range(a, b):
            last, ahead = (c - 1 if c > a else b - 1), (c + 1 if c + 1 < b else a)
            q = 4 * c
            out[q, 0], out[q, 1] = uv[c, 0], uv[c, 1]
            out[q + 1, 0], out[q + 1, 1] = (uv[c, 0] + uv[ahead, 0]) / 2, (uv[c, 1] + uv[ahead, 1]) / 2
            out[q + 2, 0], out[q + 2, 1] = u, v
            out[q + 3, 0], out[q + 3, 1] = (uv[c, 0] + uv[last, 0]) / 2, (uv[c, 1] + uv[last, 1]) / 2
    return out
