"""The compiled walls of a body of turning."""

from __future__ import annotations

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel


@kernel
def quad_walls(
    low: Array, high: Array, sides: int, closes: bool, u: Array, v0: Array, v1: Array, corners: Array, uv: Array
) -> None:
    """Write corners and texture coordinates of rows of quads between rings that begin at ``low`` and ``high``."""
    rows = low.shape[0]
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


@kernel
def ring_points(section: Array, cosine: Array, sine: Array, lift: Array, out: Array) -> None:
    """Write the points of a section (k, 2) carried round: (k, around, 3)."""
    for i in range(section.shape[0]):
        across, up = section[i, 0], section[i, 1]
        for j in range(cosine.shape[0]):
            out[i, j, 0] = across * cosine[j]
            out[i, j, 1] = across * sine[j]
            out[i, j, 2] = up + lift[j]
