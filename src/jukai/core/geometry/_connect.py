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
    # what is read together stands together: with points numbered at random, memory is all the cost
    both = np.zeros((n_points + 1, 2), np.int32)  # first side of a lower point, first corner of a point
    for f in range(faces):
        first, last = offsets[f], offsets[f + 1]
        for i in range(first, last):
            j = i + 1 if i + 1 < last else first
            following[i] = j
            p, q = corners[i], corners[j]
            both[min(q, p), 0] += 1
            both[p, 1] += 1
    starts = np.empty(n_points + 1, np.int32)
    point_offsets = np.empty(n_points + 1, np.int32)
    sides_before = corners_before = 0
    for p in range(n_points + 1):
        starts[p] = sides_before
        point_offsets[p] = corners_before
        sides_before += both[p, 0]
        corners_before += both[p, 1]
        both[p, 0] = starts[p]
        both[p, 1] = point_offsets[p]
    bucket = np.empty((n, 2), np.int32)  # higher point, side
    point_corners = np.empty(n, np.int32)
    for i in range(n):
        p, q = corners[i], corners[following[i]]
        point_corners[both[p, 1]] = i
        both[p, 1] += 1
        low, top = (p, q) if p < q else (q, p)
        k = both[low, 0]
        both[low, 0] = k + 1
        bucket[k, 0] = top
        bucket[k, 1] = i
    edges = np.empty((n, 2), np.int32)
    edge_sides = np.empty(n, np.int32)
    found = np.empty((n, 2), np.int32)  # edge and twin of a corner
    count = 0
    for p in range(n_points):
        a, b = starts[p], starts[p + 1]
        if b - a > 48:
            # large fans: an insertion sort would be quadratic
            order = np.argsort(bucket[a:b, 0].copy(), kind="mergesort")
            kept = bucket[a:b].copy()
            for k in range(b - a):
                bucket[a + k, 0] = kept[order[k], 0]
                bucket[a + k, 1] = kept[order[k], 1]
        else:
            for k in range(a + 1, b):
                h, s = bucket[k, 0], bucket[k, 1]
                m = k - 1
                while m >= a and bucket[m, 0] > h:
                    bucket[m + 1, 0] = bucket[m, 0]
                    bucket[m + 1, 1] = bucket[m, 1]
                    m -= 1
                bucket[m + 1, 0] = h
                bucket[m + 1, 1] = s
        k = a
        while k < b:
            m = k + 1
            while m < b and bucket[m, 0] == bucket[k, 0]:
                m += 1
            edges[count, 0] = p
            edges[count, 1] = bucket[k, 0]
            edge_sides[count] = m - k
            if m - k == 2:
                one, two = bucket[k, 1], bucket[k + 1, 1]
                found[one, 0] = count
                found[one, 1] = two
                found[two, 0] = count
                found[two, 1] = one
            else:
                for r in range(k, m):
                    found[bucket[r, 1], 0] = count
                    found[bucket[r, 1], 1] = -1 if m - k == 1 else -2
            count += 1
            k = m
    corner_edge = np.empty(n, np.int32)
    twins = np.empty(n, np.int32)
    for i in range(n):
        corner_edge[i] = found[i, 0]
        twins[i] = found[i, 1]
    return (
        edges[:count].copy(),
        corner_edge,
        twins,
        edge_sides[:count].copy(),
        following,
        point_offsets,
        point_corners,
    )
