"""Compiled loops over faces."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.kernels import kernel


@kernel
def vector_areas_loop(points: Any, corners: Any, offsets: Any) -> Any:
    """Newell's sum of each face, taken from its first corner."""
    faces = offsets.shape[0] - 1
    out = np.empty((faces, 3), np.float64)
    for f in range(faces):
        first, last = offsets[f], offsets[f + 1]
        x = y = z = 0.0
        if last > first:
            o = corners[first]
            ox, oy, oz = points[o, 0], points[o, 1], points[o, 2]
            ax = ay = az = 0.0
            for i in range(first + 1, last):
                p = corners[i]
                bx, by, bz = points[p, 0] - ox, points[p, 1] - oy, points[p, 2] - oz
                x += ay * bz - az * by
                y += az * bx - ax * bz
                z += ax * by - ay * bx
                ax, ay, az = bx, by, bz
        out[f, 0], out[f, 1], out[f, 2] = 0.5 * x, 0.5 * y, 0.5 * z
    return out


@kernel
def corner_normals_loop(normals: Any, weights: Any, corners: Any, offsets: Any, corner_faces: Any,
                        following: Any, twins: Any, corner_edge: Any, sharp: Any) -> Any:  # fmt: skip
    """Mean normal of the smooth fan that each corner stands in."""
    n = corners.shape[0]
    out = np.zeros((n, 3), np.float64)
    done = np.zeros(n, np.bool_)
    fan = np.empty(n, np.int32)
    for seed in range(n):
        if done[seed]:
            continue
        # back to where the fan begins, or once round
        c = seed
        while True:
            t = twins[c]
            if t < 0 or sharp[corner_edge[c]] or corners[t] == corners[c]:
                break
            c = following[t]
            if c == seed:
                break
        start = c
        size = 0
        x = y = z = 0.0
        while True:
            f = corner_faces[c]
            w = weights[c]
            x += normals[f, 0] * w
            y += normals[f, 1] * w
            z += normals[f, 2] * w
            fan[size] = c
            size += 1
            done[c] = True
            before = c - 1 if c > offsets[f] else offsets[f + 1] - 1
            t = twins[before]
            if t < 0 or sharp[corner_edge[before]] or corners[t] == corners[before]:
                break
            c = t
            if c == start or done[c]:
                break
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            x, y, z = x / length, y / length, z / length
            for k in range(size):
                out[fan[k], 0], out[fan[k], 1], out[fan[k], 2] = x, y, z
        else:
            for k in range(size):
                f = corner_faces[fan[k]]
                out[fan[k], 0] = normals[f, 0]
                out[fan[k], 1] = normals[f, 1]
                out[fan[k], 2] = normals[f, 2]
    return out
