"""The compiled search for places where a face meets itself."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel, no_wraparound, piece


@no_wraparound
@kernel
def meetings(
    faces: Array, points: Array, corners: Array, offsets: Array, near: float, first_new: int, crowded: int
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Where faces meet themselves.

    Parameters
    ----------
    faces : (k,) int64 which faces are looked at; those of more than ``crowded`` corners, or without a new point, are not.
    near : mm below which two places are one.
    first_new : points before this one were there before.

    Returns
    -------
    joins : (m, 2) int64 pairs of points of one face at one place.
    on : (n, 3) int64 the ends of a side, the lower number first, and a point of the same face that lies on it.
    """
    joins = np.empty((16, 2), np.int64)
    on = np.empty((16, 3), np.int64)
    n_joins = n_on = 0
    # the points of the face that is looked at, its sides, and their squared and true lengths
    at, side = np.empty((crowded, 3)), np.empty((crowded, 3))
    square, reaches = np.empty(crowded), np.empty(crowded)
    for row in range(faces.shape[0]):
        f = faces[row]
        first = offsets[f]
        n = offsets[f + 1] - first
        if n > crowded:
            continue
        new = False
        for i in range(n):
            if corners[first + i] >= first_new:
                new = True
                break
        if not new:
            continue
        for i in range(n):
            p = corners[first + i]
            at[i, 0], at[i, 1], at[i, 2] = points[p, 0], points[p, 1], points[p, 2]
        if n <= 4 and _fat(at, n, near):
            continue
        if n_joins + n * n > joins.shape[0]:
            more = np.empty((2 * (n_joins + n * n), 2), np.int64)
            more[:n_joins] = joins[:n_joins]
            joins = more
        if n_on + n * n > on.shape[0]:
            room = np.empty((2 * (n_on + n * n), 3), np.int64)
            room[:n_on] = on[:n_on]
            on = room
        n_joins, n_on = _met(corners[first : first + n], at, side, square, reaches, near, joins, n_joins, on, n_on)
    return joins[:n_joins].copy(), on[:n_on].copy()


@no_wraparound
@piece
def _met(ring: Array, at: Array, side: Array, square: Array, reaches: Array, near: float, joins: Array, n_joins: int, on: Array, n_on: int
         ) -> tuple[int, int]:  # fmt: skip
    """Write where one face meets itself; return how many rows of both tables are filled now."""
    n = ring.shape[0]
    for i in range(n):
        k = i + 1 if i + 1 < n else 0
        sx, sy, sz = at[k, 0] - at[i, 0], at[k, 1] - at[i, 1], at[k, 2] - at[i, 2]
        side[i, 0], side[i, 1], side[i, 2] = sx, sy, sz
        square[i] = sx * sx + sy * sy + sz * sz
        reaches[i] = np.sqrt(square[i])
    for i in range(n):
        p = ring[i]
        px, py, pz = at[i, 0], at[i, 1], at[i, 2]
        for j in range(n):
            q = ring[j]
            if p == q:
                continue
            rx, ry, rz = px - at[j, 0], py - at[j, 1], pz - at[j, 2]
            if i < j and np.sqrt(rx * rx + ry * ry + rz * rz) <= near:
                joins[n_joins, 0], joins[n_joins, 1] = min(p, q), max(p, q)
                n_joins += 1
            k = j + 1 if j + 1 < n else 0
            r = ring[k]
            if p == r:
                continue
            sx, sy, sz = side[j, 0], side[j, 1], side[j, 2]
            along = (rx * sx + ry * sy + rz * sz) / max(square[j], 1e-300)
            reach = reaches[j]
            if along * reach <= near or (1 - along) * reach <= near:
                continue
            ox, oy, oz = rx - along * sx, ry - along * sy, rz - along * sz
            if ox * ox + oy * oy + oz * oz > near * near:
                continue
            on[n_on, 0], on[n_on, 1], on[n_on, 2] = min(q, r), max(q, r), p
            n_on += 1
    return n_joins, n_on


@no_wraparound
@piece
def _fat(at: Array, n: int, near: float) -> bool:
    """Return whether no point of a triangle or quad comes near a side it is not on, or another point.

    Each such point is next to an end of the side: it is as far from its line as the triangle of the three is high.
    """
    for i in range(n):
        h = i - 1 if i > 0 else n - 1
        k = i + 1 if i + 1 < n else 0
        ux, uy, uz = at[i, 0] - at[h, 0], at[i, 1] - at[h, 1], at[i, 2] - at[h, 2]
        vx, vy, vz = at[k, 0] - at[i, 0], at[k, 1] - at[i, 1], at[k, 2] - at[i, 2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        longer = max(ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz)
        if not x * x + y * y + z * z > 4.0 * near * near * longer:
            return False
    return True
