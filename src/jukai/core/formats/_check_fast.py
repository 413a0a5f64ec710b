"""Compiled checks of what a parser found."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.kernels import kernel


@kernel
def check_mesh(points: Any, corners: Any, offsets: Any, limit: float) -> Any:
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
            used[p] = used[q] = used[r] = True
            if p == q or q == r or p == r:  # noqa: SIM109 - compiled
                keep[f] = False
                lost += 1
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
    box = np.empty((2, 3), np.float64)
    box[0] = np.inf
    box[1] = -np.inf
    for p in range(n):
        for k in range(3):
            x = points[p, k]
            good &= abs(x) <= limit  # fails for what is not a number too
            if used[p]:
                box[0, k] = min(box[0, k], x)
                box[1, k] = max(box[1, k], x)
    return good, keep, lost, used, box
