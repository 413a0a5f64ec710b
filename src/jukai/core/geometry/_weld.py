"""Merging of equal points by hashing."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.kernels import kernel


@kernel
def weld_exact(points: Array) -> tuple[Ints, Ints]:
    """Return the first of each set of equal (n, 3) points, and the set of every point."""
    n = points.shape[0]
    bits = points.view(np.uint64)  # 64 bits each; zeros have been made positive
    room = 16
    while room < 2 * n:
        room *= 2
    table = np.full(room, -1, np.int32)
    first = np.empty(n, np.int32)
    where = np.empty(n, np.int32)
    count = 0
    mask = np.uint64(room - 1)
    for i in range(n):
        h = bits[i, 0] * np.uint64(0x9E3779B97F4A7C15)
        h = (h ^ (h >> np.uint64(29))) + bits[i, 1]
        h = h * np.uint64(0xBF58476D1CE4E5B9)
        h = (h ^ (h >> np.uint64(32))) + bits[i, 2]
        h = h * np.uint64(0x94D049BB133111EB)
        h ^= h >> np.uint64(31)
        k = h & mask
        while True:
            g = table[k]
            if g < 0:
                table[k] = count
                first[count] = i
                where[i] = count
                count += 1
                break
            j = first[g]
            if points[j, 0] == points[i, 0] and points[j, 1] == points[i, 1] and points[j, 2] == points[i, 2]:
                where[i] = g
                break
            k = (k + np.uint64(1)) & mask
    return first[:count].copy(), where


@kernel
def weld_single(points: Array) -> tuple[Floats, Ints]:
    """The same for (n, 3) float32 points, as they stand in STL; the first of each set, in double precision."""
    n = points.shape[0]
    bits = points.view(np.uint32)
    # a closed body of triangles names each point about six times: begin small, so that the table stays
    # near the processor, and grow when it fills
    room = 1024
    while room < n // 4:
        room *= 2
    table = np.full(room, -1, np.int32)
    hashes = np.empty(n, np.uint32)
    first = np.empty(n, np.int32)
    where = np.empty(n, np.int32)
    count = 0
    mask = np.uint32(room - 1)
    for i in range(n):
        # -0 and 0 are one place
        a = np.uint64(bits[i, 0]) if points[i, 0] != 0 else np.uint64(0)
        b = np.uint64(bits[i, 1]) if points[i, 1] != 0 else np.uint64(0)
        c = np.uint64(bits[i, 2]) if points[i, 2] != 0 else np.uint64(0)
        h = (a | (b << np.uint64(32))) * np.uint64(0x9E3779B97F4A7C15)
        h = (h ^ (h >> np.uint64(29))) + c
        h = h * np.uint64(0xBF58476D1CE4E5B9)
        small = np.uint32(h >> np.uint64(32))
        k = small & mask
        while True:
            g = table[k]
            if g < 0:
                table[k] = count
                hashes[count] = small
                first[count] = i
                where[i] = count
                count += 1
                break
            j = first[g]
            if (hashes[g] == small and points[j, 0] == points[i, 0] and points[j, 1] == points[i, 1]
                    and points[j, 2] == points[i, 2]):  # fmt: skip
                where[i] = g
                break
            k = (k + np.uint32(1)) & mask
        if 2 * count > room:
            room *= 4
            mask = np.uint32(room - 1)
            table = np.full(room, -1, np.int32)
            for g in range(count):
                k = hashes[g] & mask
                while table[k] >= 0:
                    k = (k + np.uint32(1)) & mask
                table[k] = g
    unique = np.empty((count, 3), np.float64)
    for g in range(count):
        for k3 in range(3):
            unique[g, k3] = np.float64(points[first[g], k3]) + 0.0
    return unique, where
