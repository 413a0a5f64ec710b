"""Compiled: texture that is even on a plane stays where it is when the plane is divided anew."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel, piece

_ALIKE = 1e-7
"""How far texture may be off what is the same all over a plane, to be taken for it."""
_ROUNDING = 1e-12
"""By how much texture may differ from what is found and still be left as it is."""


@piece
def _slopes(points: Array, a: int, b: int, d: int, at: Array, bt: Array, dt: Array, frame: Array) -> bool:
    """Write how texture runs on a plane from three of its points and their coordinates; return whether they span it.

    ``frame`` (4, 3), a row each: the first point; what u changes by along x, y, z; what v does; u and v at that point.
    """
    aa = ab = bb = 0.0
    for k in range(3):
        x, y = points[b, k] - points[a, k], points[d, k] - points[a, k]
        aa += x * x
        ab += x * y
        bb += y * y
    det = aa * bb - ab * ab
    if not det > 1e-9 * aa * bb:
        return False
    for k in range(3):
        x, y = points[b, k] - points[a, k], points[d, k] - points[a, k]
        s, t = (bb * x - ab * y) / det, (aa * y - ab * x) / det
        frame[0, k] = points[a, k]
        frame[1, k] = s * (bt[0] - at[0]) + t * (dt[0] - at[0])
        frame[2, k] = s * (bt[1] - at[1]) + t * (dt[1] - at[1])
    frame[3, 0], frame[3, 1] = at[0], at[1]
    return True


@piece
def _there(points: Array, p: int, frame: Array) -> tuple[float, float]:
    """Return the texture coordinates of a point of the plane."""
    u, v = frame[3, 0], frame[3, 1]
    for k in range(3):
        off = points[p, k] - frame[0, k]
        u += off * frame[1, k]
        v += off * frame[2, k]
    return u, v


@kernel
def level_strips(flat: Array, first: int, n: int, corners: Array, points: Array, uv: Array, point_uv: Array) -> None:
    """Write the texture of strips ``flat`` that only divide a plane; their faces' corners stand in ``corners`` from ``first`` on, 4 n for each."""
    frame = np.empty((4, 3))
    for i in flat:
        base = first + 4 * n * i
        a, b, c, d = base, base + 4 * n - 3, base + 4 * n - 2, base + 3
        # of a strip that runs to a point two corners are one
        other = c
        if not _slopes(points, corners[a], corners[b], corners[d], uv[a], uv[b], uv[d], frame):
            other = b
            if not _slopes(points, corners[a], corners[c], corners[d], uv[a], uv[c], uv[d], frame):
                continue
        u, v = _there(points, corners[other], frame)
        if abs(u - uv[other, 0]) > _ALIKE or abs(v - uv[other, 1]) > _ALIKE:
            continue
        for k in range(1, n):
            for side in range(2):
                one = base + 4 * k - 3 + side
                two = base + 4 * k + 3 * side
                p = corners[one]
                u, v = _there(points, p, frame)
                if abs(u - uv[one, 0]) > _ROUNDING or abs(v - uv[one, 1]) > _ROUNDING:
                    uv[one, 0] = uv[two, 0] = point_uv[p, 0] = u
                    uv[one, 1] = uv[two, 1] = point_uv[p, 1] = v


@kernel
def level_patches(points: Array, values: Array, border: Array, first: int, inner: int, normals: Array, n: int) -> None:
    """Write the texture ``values`` (., 2) of the inner points of those patches whose faces lie in one plane: ``inner`` for each, from row ``first`` on."""
    frame = np.empty((4, 3))
    for i in range(border.shape[0]):
        flat = True
        for j in range(1, normals.shape[1]):
            dot = 0.0
            for k in range(3):
                dot += normals[i, 0, k] * normals[i, j, k]
            flat = flat and dot > 1 - 1e-12
        if not flat:
            continue
        a, b, d = border[i, 0], border[i, n], border[i, border.shape[1] - n]
        if not _slopes(points, a, b, d, values[a], values[b], values[d], frame):
            continue
        even = True
        for j in range(border.shape[1]):
            p = border[i, j]
            u, v = _there(points, p, frame)
            even = even and abs(u - values[p, 0]) <= _ALIKE and abs(v - values[p, 1]) <= _ALIKE
        if not even:
            continue
        for j in range(inner):
            p = first + i * inner + j
            u, v = _there(points, p, frame)
            if abs(u - values[p, 0]) > _ROUNDING or abs(v - values[p, 1]) > _ROUNDING:
                values[p, 0], values[p, 1] = u, v
