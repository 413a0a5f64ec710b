"""The compiled faces of a box: which lattice points make them."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel


@kernel
def lattice_number(ix: int, iy: int, iz: int, nx: int, ny: int, nz: int) -> int:
    """Number of a lattice point on the surface of a box: the floor, then rings, then the top."""
    flat = iy * (nx + 1) + ix
    floor = (nx + 1) * (ny + 1)
    ring = 2 * (nx + ny)
    if iz == 0:
        return flat
    if iz == nz:
        return floor + (nz - 1) * ring + flat
    if iy == 0:
        round_ = ix
    elif ix == nx:
        round_ = nx + iy
    elif iy == ny:
        round_ = 2 * nx + ny - ix
    else:
        round_ = ring - iy
    return floor + (iz - 1) * ring + round_


@kernel
def side_faces(start: Array, du: Array, dv: Array, nu: int, nv: int, counts: Array, corners: Array, uv: Array) -> None:
    """Write a side of ``nu`` × ``nv`` faces: its first lattice point, and what a step along u and v adds to it."""
    nx, ny, nz = counts[0], counts[1], counts[2]
    below = np.empty(nu + 1, np.int32)
    above = np.empty(nu + 1, np.int32)
    at = 0
    for v in range(nv + 1):
        for u in range(nu + 1):
            x, y, z = (
                start[0] + du[0] * u + dv[0] * v,
                start[1] + du[1] * u + dv[1] * v,
                start[2] + du[2] * u + dv[2] * v,
            )
            above[u] = lattice_number(x, y, z, nx, ny, nz)
        if v > 0:
            low, high = (v - 1) / nv, v / nv
            for u in range(nu):
                left, right = u / nu, (u + 1) / nu
                corners[at, 0], corners[at, 1], corners[at, 2], corners[at, 3] = (
                    below[u],
                    below[u + 1],
                    above[u + 1],
                    above[u],
                )
                uv[at, 0, 0], uv[at, 0, 1] = left, low
                uv[at, 1, 0], uv[at, 1, 1] = right, low
                uv[at, 2, 0], uv[at, 2, 1] = right, high
                uv[at, 3, 0], uv[at, 3, 1] = left, high
                at += 1
        below, above = above, below


@kernel
def onto_ball(points: Array, radius: float) -> None:
    """Put points on a ball round the origin, along their directions, in place."""
    for i in range(points.shape[0]):
        x, y, z = points[i, 0], points[i, 1], points[i, 2]
        f = radius / np.sqrt(x * x + y * y + z * z)
        points[i, 0], points[i, 1], points[i, 2] = x * f, y * f, z * f
