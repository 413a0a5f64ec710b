"""Compiled drawing data for bodies of triangles and quads."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel


@kernel
def quad_view(
    points: Array,
    corners: Array,
    offsets: Array,
    normals: Array,
    of_corner: Array,
    triangles: Array,
    faces: Array,
    origin: Array,
) -> tuple[NDArray[np.float32], NDArray[np.int8], NDArray[np.uint8]]:
    """Return position, normal and edge of one vertex per corner; ``normals`` are of fans."""
    n = corners.shape[0]
    position = np.empty((n, 3), np.float32)
    normal = np.zeros((n, 4), np.int8)
    edge = np.zeros((n, 4), np.uint8)
    for c in range(n):
        p, fan = corners[c], of_corner[c]
        for k in range(3):
            position[c, k] = points[p, k] - origin[k]
            normal[c, k] = np.int8(np.rint(normals[fan, k] * 127))
        edge[c, 2] = 255
    t = 0
    while t < triangles.shape[0]:
        f = faces[t]
        if offsets[f + 1] - offsets[f] == 3:
            for k in range(3):
                c = triangles[t, k]
                edge[c, 2] = 0
                edge[c, k] = 255
            t += 1
        else:
            edge[triangles[t, 2], 0] = 255
            edge[triangles[t, 0], 1] = 255
            t += 2
    return position, normal, edge
