"""Compiled drawing data for bodies of triangles and quads."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel


@kernel
def quad_edges(n: int, offsets: Array, triangles: Array, faces: Array) -> NDArray[np.uint8]:
    """Return (n, 4) how far the corners of triangles and quads are from the sides of their triangles (``view``)."""
    edge = np.zeros((n, 4), np.uint8)
    edge[:, 2] = 255
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
    return edge
