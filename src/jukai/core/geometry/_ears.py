"""Ear clipping of many polygons at once."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Ints
from jukai.core.geometry.kernels import kernel


@kernel
def clip_ears(flat: Array, offsets: Array, total: int) -> Ints:
    """Cut polygons into triangles.

    ``flat`` (c, 2) corners, each polygon counter-clockwise; ``offsets`` compressed rows. Returns
    (total, 3) int32 indices into ``flat``. A convex corner whose triangle holds no other corner is
    an ear. Where a polygon crosses itself and no ear is
    left, the corner that turns most to the left is cut, so the count is always sides - 2.
    """
    out = np.empty((total, 3), np.int32)
    written = 0
    longest = 0
    for f in range(offsets.shape[0] - 1):
        longest = max(longest, offsets[f + 1] - offsets[f])
    after = np.empty(longest, np.int32)
    before = np.empty(longest, np.int32)
    for f in range(offsets.shape[0] - 1):
        base = offsets[f]
        k = offsets[f + 1] - base
        for i in range(k):
            after[i] = i + 1 if i + 1 < k else 0
            before[i] = i - 1 if i > 0 else k - 1
        left = k
        i = 0
        skipped = 0
        worst = -1
        worst_turn = -np.inf
        while left > 3:
            a, c = before[i], after[i]
            ax, ay = flat[base + a, 0], flat[base + a, 1]
            bx, by = flat[base + i, 0], flat[base + i, 1]
            cx, cy = flat[base + c, 0], flat[base + c, 1]
            turn = (bx - ax) * (cy - by) - (by - ay) * (cx - bx)
            span = abs(bx - ax) + abs(by - ay)
            reach = abs(cx - bx) + abs(cy - by)
            ear = turn > 1e-10 * span * reach  # a straight corner would be a triangle without area
            if turn > worst_turn:
                worst, worst_turn = i, turn
            if ear:
                m = after[c]
                while m != a:
                    px, py = flat[base + m, 0], flat[base + m, 1]
                    # inside or on the triangle, the corner's own place apart
                    s1 = (bx - ax) * (py - ay) - (by - ay) * (px - ax)
                    s2 = (cx - bx) * (py - by) - (cy - by) * (px - bx)
                    s3 = (ax - cx) * (py - cy) - (ay - cy) * (px - cx)
                    if s1 >= 0 and s2 >= 0 and s3 >= 0:
                        same = (px == ax and py == ay) or (px == bx and py == by) or (px == cx and py == cy)
                        if not same:
                            ear = False
                            break
                    m = after[m]
            if ear or skipped > left:
                cut = i if ear else worst
                p, q = before[cut], after[cut]
                out[written, 0] = base + p
                out[written, 1] = base + cut
                out[written, 2] = base + q
                written += 1
                after[p] = q
                before[q] = p
                left -= 1
                skipped = 0
                worst = -1
                worst_turn = -np.inf
                i = after[q]  # leave the new corner alone once: fewer slivers than a fan
            else:
                i = c
                skipped += 1
        if left == 3:
            out[written, 0] = base + before[i]
            out[written, 1] = base + i
            out[written, 2] = base + after[i]
            written += 1
    return out
