"""Compiled vertices of GLB."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array, Ints
from jukai.core.geometry.kernels import kernel


@kernel
def share_corners(of_corner: Array, uv: Array, fans: int) -> tuple[Ints, Ints, Ints]:
    """Return the vertex of each corner, and a corner and the fan of each vertex: one for each texture point of a fan."""
    n = of_corner.shape[0]
    vertex = np.empty(n, np.int32)
    first = np.empty(n, np.int32)
    fan = np.empty(n, np.int32)
    head = np.full(fans, -1, np.int32)  # last vertex made for a fan
    before = np.empty(n, np.int32)  # the one before it
    count = 0
    for c in range(n):
        own = of_corner[c]
        v = head[own]
        while v >= 0 and (uv[first[v], 0] != uv[c, 0] or uv[first[v], 1] != uv[c, 1]):
            v = before[v]
        if v < 0:
            v = count
            first[v] = c
            fan[v] = own
            before[v] = head[own]
            head[own] = v
            count += 1
        vertex[c] = v
    return vertex, first[:count].copy(), fan[:count].copy()


@kernel
def vertices(
    points: Array, corners: Array, first: Array, normals: Array, fan: Array
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return positions in metres and normals, Y up, single precision, of the corners ``first``."""
    n = first.shape[0]
    position = np.empty((n, 3), np.float32)
    normal = np.empty((n, 3), np.float32)
    for v in range(n):
        p, f = corners[first[v]], fan[v]
        position[v, 0] = points[p, 0] / 1000.0 + 0.0
        position[v, 1] = points[p, 2] / 1000.0 + 0.0
        position[v, 2] = -points[p, 1] / 1000.0 + 0.0
        x, y, z = normals[f, 0], normals[f, 1], normals[f, 2]
        if x == 0 and y == 0 and z == 0:
            z = 1.0  # nothing to say: up
        normal[v, 0] = x + 0.0
        normal[v, 1] = z + 0.0
        normal[v, 2] = -y + 0.0
    return position, normal
