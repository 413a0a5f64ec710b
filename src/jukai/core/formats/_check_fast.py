"""Compiled checks of what a parser found."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.kernels import kernel


@kernel
def check_mesh(points: Array, corners: Array, offsets: Array, limit: float) -> tuple[bool, Bools, int, Bools, Floats]:
    """Whether all coordinates are within the limit, which faces have three different points, which points are used, bounds of those."""
    n = points.shape[0]
    faces = offsets.shape[0] - 1
    keep = np.ones(faces, np.bool_)
    used = np.zeros(n, np.bool_)
    lost = 0
    for f in range(faces):
        first, last = offsets[f], offsets[f + 1]
        if last - first == 3:
            p, q, r = corners[first], corners[first + 1], corners[first + 2]
            used[p] = True
            used[q] = True
            used[r] = True
            three = (p != q) & (q != r) & (p != r)  # without branches
            keep[f] = three
            lost += not three
            continue
        a = b = -1  # the first two different points
        enough = False
        for i in range(first, last):
            p = corners[i]
            used[p] = True
            if a < 0:
                a = p
            elif b < 0:
                if p != a:
                    b = p
            elif p != a and p != b:
                enough = True
        if not enough:
            keep[f] = False
            lost += 1
    good = True
    low, high = (np.inf, np.inf, np.inf), (-np.inf, -np.inf, -np.inf)
    for p in range(n):
        x, y, z = points[p, 0], points[p, 1], points[p, 2]
        # fails for what is not a number too
        good &= (abs(x) <= limit) & (abs(y) <= limit) & (abs(z) <= limit)
        if used[p]:
            low = (min(low[0], x), min(low[1], y), min(low[2], z))
            high = (max(high[0], x), max(high[1], y), max(high[2], z))
    return good, keep, lost, used, np.array((low, high))
