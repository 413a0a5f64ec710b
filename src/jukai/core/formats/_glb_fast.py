"""Compiled sharing of corners."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.kernels import kernel


@kernel
def share_corners(point_offsets: Any, point_corners: Any, normals: Any, uv: Any) -> Any:
    """Return the vertex of each corner, and the corner that stands for each vertex."""
    n = point_corners.shape[0]
    vertex = np.empty(n, np.int64)
    first = np.empty(n, np.int64)
    count = 0
    for p in range(point_offsets.shape[0] - 1):
        own = count
        for k in range(point_offsets[p], point_offsets[p + 1]):
            c = point_corners[k]
            found = -1
            for v in range(own, count):
                d = first[v]
                if (normals[c, 0] == normals[d, 0] and normals[c, 1] == normals[d, 1] and normals[c, 2] == normals[d, 2]
                        and uv[c, 0] == uv[d, 0] and uv[c, 1] == uv[d, 1]):  # fmt: skip
                    found = v
                    break
            if found < 0:
                found = count
                first[count] = c
                count += 1
            vertex[c] = found
    return vertex, first[:count].copy()
