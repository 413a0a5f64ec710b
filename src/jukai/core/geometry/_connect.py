"""The compiled part of the connectivity."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Ints
from jukai.core.geometry.kernels import kernel, no_wraparound


@no_wraparound
@kernel
def bucket_edges(corners: Array, offsets: Array, n_points: int) -> tuple[Ints, Ints, Ints, Ints, Ints, Ints, Ints]:
    """Sides gathered round each point, sorted by the point at their other end; each edge at its lower point."""
    n = corners.shape[0]
    faces = offsets.shape[0] - 1
    following = np.empty(n, np.int32)
    point_offsets = np.zeros(n_points + 1, np.int32)
    for i in range(n):
        point_offsets[corners[i] + 1] += 1
    most = 0
    for p in range(n_points):
        most = max(most, point_offsets[p + 1])
        point_offsets[p + 1] += point_offsets[p]
    # With points numbered at random memory is all the cost: what a point needs to know of its sides
    # is put down once, in one place, and read from there.
    fill = point_offsets[:-1].copy()
    items = np.empty((n, 4), np.int32)  # corner, point ahead, point behind, corner behind
    for f in range(faces):
        first, last = offsets[f], offsets[f + 1]
        before = last - 1
        for i in range(first, last):
            j = i + 1 if i + 1 < last else first
            following[i] = j
            p = corners[i]
            k = fill[p]
            fill[p] = k + 1
            items[k, 0] = i
            items[k, 1] = corners[j]
            items[k, 2] = corners[before]
            items[k, 3] = before
            before = i
    point_corners = np.empty(n, np.int32)
    edges = np.empty((n, 2), np.int32)
    edge_sides = np.empty(n, np.int32)
    found = np.empty((n, 2), np.int32)  # edge and twin of a corner
    other = np.empty(2 * most, np.int32)
    side = np.empty(2 * most, np.int32)
    count = 0
    for p in range(n_points):
        m = 0
        for k in range(point_offsets[p], point_offsets[p + 1]):
            c = items[k, 0]
            point_corners[k] = c
            q, r = items[k, 1], items[k, 2]
            if q >= p:  # a side from a point to itself is met once, where it leaves
                other[m] = q
                side[m] = c
                m += 1
            if r > p:
                other[m] = r
                side[m] = items[k, 3]
                m += 1
        if m > 48:
            # large fans: an insertion sort would be quadratic
            order = np.argsort(side[:m].copy(), kind="mergesort")
            other[:m] = other[:m].copy()[order]
            side[:m] = side[:m].copy()[order]
            order = np.argsort(other[:m].copy(), kind="mergesort")
            other[:m] = other[:m].copy()[order]
            side[:m] = side[:m].copy()[order]
        else:
            for k in range(1, m):
                h, s = other[k], side[k]
                j = k - 1
                while j >= 0 and (other[j] > h or (other[j] == h and side[j] > s)):
                    other[j + 1] = other[j]
                    side[j + 1] = side[j]
                    j -= 1
                other[j + 1] = h
                side[j + 1] = s
        k = 0
        while k < m:
            last = k + 1
            while last < m and other[last] == other[k]:
                last += 1
            edges[count, 0] = p
            edges[count, 1] = other[k]
            edge_sides[count] = last - k
            if last - k == 2:
                one, two = side[k], side[k + 1]
                found[one, 0] = count
                found[one, 1] = two
                found[two, 0] = count
                found[two, 1] = one
            else:
                for r in range(k, last):
                    found[side[r], 0] = count
                    found[side[r], 1] = -1 if last - k == 1 else -2
            count += 1
            k = last
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
