"""A body and its mirror image, compiled."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Ints
from jukai.core.geometry.kernels import kernel, no_wraparound

__all__ = ["beside", "doubled", "points_used"]


@no_wraparound
@kernel
def beside(corners: Array, offsets: Array, on: Array) -> tuple[Bools, Ints]:
    """Return which faces have all their points among some, (f,), and the numbers of those that have any."""
    faces = offsets.shape[0] - 1
    within = np.zeros(faces, np.bool_)
    near = np.empty(faces, np.int32)
    n = 0
    for f in range(faces):
        first, last = offsets[f], offsets[f + 1]
        count = 0
        for c in range(first, last):
            count += on[corners[c]]
        within[f] = count == last - first
        near[n] = f
        n += 1 if count > 0 else 0
    return within, near[:n].copy()


@no_wraparound
@kernel
def points_used(corners: Array, offsets: Array, keep: Array, points: int) -> Bools:
    """Return which of the points the faces kept use."""
    used = np.zeros(points, np.bool_)
    for f in range(offsets.shape[0] - 1):
        if keep[f]:
            for c in range(offsets[f], offsets[f + 1]):
                used[corners[c]] = True
    return used


@no_wraparound
@kernel
def doubled(corners: Array, offsets: Array, uv: Array, keep: Array, own: Array, image: Array, tables: tuple[Array, Array, Array]) -> None:  # fmt: skip
    """Fill tables of corners, offsets and texture coordinates with the faces kept and, behind them, these turned over.

    Parameters
    ----------
    own, image : (n,) the new number of each point, and of its mirror image.
    tables : as long as both need; the texture coordinates are empty where there are none.
    """
    to, starts, texture = tables
    textured = uv.shape[0] > 0
    at = 0
    face = 0
    starts[0] = 0
    for half in range(2):
        number = own if half == 0 else image
        for f in range(offsets.shape[0] - 1):
            if keep[f]:
                first, last = offsets[f], offsets[f + 1]
                for k in range(last - first):
                    c = first + k if half == 0 or k == 0 else last - k  # turned over, it begins where the face does
                    to[at] = number[corners[c]]
                    if textured:
                        texture[at, 0], texture[at, 1] = uv[c, 0], uv[c, 1]
                    at += 1
                face += 1
                starts[face] = at
