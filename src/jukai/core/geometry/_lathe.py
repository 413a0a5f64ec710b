"""The compiled walls of a body of turning."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.kernels import kernel


@kernel
def quad_walls(low: Any, high: Any, sides: int, closes: bool, u: Any, v0: Any, v1: Any) -> Any:
    """Corners and texture coordinates of rows of quads between rings that begin at ``low`` and ``high``."""
    rows = low.shape[0]
    corners = np.empty((rows * sides, 4), np.int32)
    uv = np.empty((rows * sides, 4, 2), np.float64)
    at = 0
    for r in range(rows):
        a, b, bottom, top = low[r], high[r], v0[r], v1[r]
        for j in range(sides):
            n = j + 1
            if closes and n == sides:
                n = 0
            corners[at, 0] = a + j
            corners[at, 1] = a + n
            corners[at, 2] = b + n
            corners[at, 3] = b + j
            uv[at, 0, 0] = u[j]
            uv[at, 0, 1] = bottom
            uv[at, 1, 0] = u[j + 1]
            uv[at, 1, 1] = bottom
            uv[at, 2, 0] = u[j + 1]
            uv[at, 2, 1] = top
            uv[at, 3, 0] = u[j]
            uv[at, 3, 1] = top
            at += 1
    return corners, uv
