"""Overlapping boxes through a uniform grid."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Ints
from jukai.core.geometry.kernels import kernel


@kernel
def grid_pairs(low: Array, high: Array, ids: Array) -> Ints:
    """Pairs i < j of (n, 3) boxes that overlap, each once, in no set order; not those that share two of three ``ids``."""
    n = low.shape[0]
    named = ids.shape[0] > 0
    origin = np.empty(3)
    far = np.empty(3)
    cells = np.ones(3, np.int64)
    cell = np.ones(3)
    sizes = np.empty(n)
    for i in range(n):
        s = 0.0
        for a in range(3):
            d = high[i, a] - low[i, a]
            s = max(s, d)
        sizes[i] = s
    typical = np.median(sizes)
    for a in range(3):
        origin[a] = low[:, a].min()
        far[a] = high[:, a].max()
    scale = 2.0
    total = 0
    while True:
        number = 1
        for a in range(3):
            length = far[a] - origin[a]
            want = length / (typical * scale) if typical > 0 else 64.0
            k = int(min(max(want, 1.0), 512.0))
            cells[a] = k
            cell[a] = length / k if length > 0 else 1.0
            number *= k
        total = 0
        if number <= 8 * n + 64:
            for i in range(n):
                span = 1
                for a in range(3):
                    u = int((low[i, a] - origin[a]) / cell[a])
                    v = int((high[i, a] - origin[a]) / cell[a])
                    span *= min(v, cells[a] - 1) - min(u, cells[a] - 1) + 1
                total += span
            if total <= 24 * n or number == 1:
                break
        scale *= 1.5
    number = cells[0] * cells[1] * cells[2]
    starts = np.zeros(number + 1, np.int64)
    range_low = np.empty((n, 3), np.int32)
    range_high = np.empty((n, 3), np.int32)
    for i in range(n):
        for a in range(3):
            range_low[i, a] = min(int((low[i, a] - origin[a]) / cell[a]), cells[a] - 1)
            range_high[i, a] = min(int((high[i, a] - origin[a]) / cell[a]), cells[a] - 1)
        for x in range(range_low[i, 0], range_high[i, 0] + 1):
            for y in range(range_low[i, 1], range_high[i, 1] + 1):
                for z in range(range_low[i, 2], range_high[i, 2] + 1):
                    starts[(x * cells[1] + y) * cells[2] + z + 1] += 1
    for c in range(number):
        starts[c + 1] += starts[c]
    members = np.empty(total, np.int32)
    fill = starts[:-1].copy()
    for i in range(n):
        for x in range(range_low[i, 0], range_high[i, 0] + 1):
            for y in range(range_low[i, 1], range_high[i, 1] + 1):
                for z in range(range_low[i, 2], range_high[i, 2] + 1):
                    c = (x * cells[1] + y) * cells[2] + z
                    members[fill[c]] = i
                    fill[c] += 1
    room = 16 * n + 64
    out = np.empty((room, 2), np.int32)
    found = 0
    for x in range(cells[0]):
        for y in range(cells[1]):
            for z in range(cells[2]):
                c = (x * cells[1] + y) * cells[2] + z
                for r in range(starts[c], starts[c + 1]):
                    i = members[r]
                    for s in range(r + 1, starts[c + 1]):
                        j = members[s]
                        if (low[i, 0] > high[j, 0] or low[j, 0] > high[i, 0]
                                or low[i, 1] > high[j, 1] or low[j, 1] > high[i, 1]
                                or low[i, 2] > high[j, 2] or low[j, 2] > high[i, 2]):  # fmt: skip
                            continue
                        if named:
                            a, b, c3 = ids[i, 0], ids[i, 1], ids[i, 2]
                            d, e, f = ids[j, 0], ids[j, 1], ids[j, 2]
                            common = (a == d) | (a == e) | (a == f)
                            common = common + ((b == d) | (b == e) | (b == f))
                            if common + ((c3 == d) | (c3 == e) | (c3 == f)) > 1:
                                continue
                        # counted only in the first cell that both share
                        if (max(range_low[i, 0], range_low[j, 0]) != x
                                or max(range_low[i, 1], range_low[j, 1]) != y
                                or max(range_low[i, 2], range_low[j, 2]) != z):  # fmt: skip
                            continue
                        if found == room:
                            grown = np.empty((2 * room, 2), np.int32)
                            grown[:room] = out
                            out = grown
                            room *= 2
                        out[found, 0] = i  # members are in rising order
                        out[found, 1] = j
                        found += 1
    return out[:found].copy()
