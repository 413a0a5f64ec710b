"""The compiled part of the connectivity."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.kernels import kernel


@kernel
def bucket_edges(corners: Any, offsets: Any, n_points: int) -> Any:
    """Sides in buckets by their lower point, sorted inside by the higher one."""
    n = corners.shape[0]
    faces = offsets.shape[0] - 1
    following = np.empty(n, np.int32)
    starts = np.zeros(n_points + 1, np.int32)
    point_offsets = np.zeros(n_points + 1, np.int32)
    for f in range(faces):
        first, last = offsets[f], offsets[f + 1]
        for i in range(first, last):
            j = i + 1 if i + 1 < last else first
            following[i] = j
            p, q = corners[i], corners[j]
            starts[(min(q, p)) + 1] += 1
            point_offsets[p + 1] += 1
    for p in range(n_points):
        starts[p + 1] += starts[p]
        point_offsets[p + 1] += point_offsets[p]
    fill = starts[:-1].copy()
    point_fill = point_offsets[:-1].copy()
    side = np.empty(n, np.int32)
    high = np.empty(n, np.int32)
    point_corners = np.empty(n, np.int32)
    for i in range(n):
        p, q = corners[i], corners[following[i]]
        point_corners[point_fill[p]] = i
        point_fill[p] += 1
        low, top = (p, q) if p < q else (q, p)
        k = fill[low]
        fill[low] = k + 1
        side[k] = i
        high[k] = top
    edges = np.empty((n, 2), np.int32)
    edge_sides = np.empty(n, np.int32)
    corner_edge = np.empty(n, np.int32)
    twins = np.empty(n, np.int32)
    count = 0
    for p in range(n_points):
        a, b = starts[p], starts[p + 1]
        if b - a > 48:
            # large fans: an insertion sort would be quadratic
            order = np.argsort(high[a:b], kind="mergesort")
            kept_high, kept_side = high[a:b].copy(), side[a:b].copy()
            for k in range(b - a):
                high[a + k] = kept_high[order[k]]
                side[a + k] = kept_side[order[k]]
        else:
            for k in range(a + 1, b):
                h, s = high[k], side[k]
                m = k - 1
                while m >= a and high[m] > h:
                    high[m + 1] = high[m]
                    side[m + 1] = side[m]
                    m -= 1
                high[m + 1] = h
                side[m + 1] = s
        k = a
        while k < b:
            m = k + 1
            while m < b and high[m] == high[k]:
                m += 1
            edges[count, 0] = p
            edges[count, 1] = high[k]
            edge_sides[count] = m - k
            for r in range(k, m):
                corner_edge[side[r]] = count
                twins[side[r]] = -1 if m - k == 1 else -2
            if m - k == 2:
                twins[side[k]] = side[k + 1]
                twins[side[k + 1]] = side[k]
            count += 1
            k = m
    return (edges[:count].copy(), corner_edge, twins, edge_sides[:count].copy(), following,
            point_offsets, point_corners)  # fmt: skip
