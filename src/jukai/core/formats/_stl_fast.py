"""Compiled writing of STL records."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel


def records(points: Array, triangles: Array) -> bytes:
    """Return the 50-byte records of (t, 3) triangles."""
    return bytes(_records(points, triangles).data)


@kernel
def _records(points: Array, triangles: Array) -> NDArray[np.uint8]:
    n = triangles.shape[0]
    out = np.zeros(n * 50, np.uint8)
    row = np.empty(12, np.float32)
    raw = row.view(np.uint8)
    for t in range(n):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            x, y, z = x / length, y / length, z / length
        row[0], row[1], row[2] = x, y, z
        for k in range(3):
            p = triangles[t, k]
            row[3 + 3 * k] = points[p, 0]
            row[4 + 3 * k] = points[p, 1]
            row[5 + 3 * k] = points[p, 2]
        base = t * 50
        for k in range(48):
            out[base + k] = raw[k]
    return out
