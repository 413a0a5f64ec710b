"""Overlapping boxes through a uniform grid."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.kernels import kernel, piece


@kernel
def grid_pairs(low: Array, high: Array, ids: Array, chosen: Array, slant: Array, most: int) -> tuple[Ints, bool]:
    """Pairs i < j of (n, 3) boxes that overlap, each once, in no set order; not those that share two of three ``ids``.

    With ``chosen`` (n,) only pairs of which one is among these; it may be empty. So may ``slant`` (n, 12): how far what
    is in the boxes reaches along the diagonals of the three planes, lowest and highest of each; what lies apart there
    is left out. Also returns whether all pairs were looked at: not, when there are more than ``most``.
    """
    n = low.shape[0]
    named = ids.shape[0] > 0
    some = chosen.shape[0] > 0
    origin = np.empty(3)
    cells = np.ones(3, np.int64)
    inverse = np.ones(3)
    first = np.empty((n, 3), np.int32)
    last = np.empty((n, 3), np.int32)
    total = _laid_out(low, high, origin, cells, inverse, first, last)
    asked = _asked(cells, first, last, chosen)
    starts, members, boxes = _gathered(low, high, cells, first, last, asked, total)
    # of a box that is not chosen only those behind it in the cell that are: the next one of each
    onward = np.empty(total, np.int32)
    for c in range(asked.shape[0]):
        following = starts[c + 1]
        for r in range(starts[c + 1] - 1, starts[c] - 1, -1):
            onward[r] = following
            if not some or chosen[members[r]]:
                following = r
    room = 16 * n + 64
    out = np.empty((room, 2), np.int32)
    found = 0
    looked = 0
    aslant = slant.shape[0] > 0
    for x in range(cells[0]):
        for y in range(cells[1]):
            for z in range(cells[2]):
                c = (x * cells[1] + y) * cells[2] + z
                if looked > most:
                    return out[:found].copy(), False
                for r in range(starts[c], starts[c + 1]):
                    i = members[r]
                    if not some:
                        looked += starts[c + 1] - r
                        if looked > most:
                            return out[:found].copy(), False
                    l0, l1, l2 = boxes[r, 0], boxes[r, 1], boxes[r, 2]
                    h0, h1, h2 = boxes[r, 3], boxes[r, 4], boxes[r, 5]
                    alone = some and not chosen[i]
                    s = r
                    while True:
                        s = onward[s] if alone else s + 1
                        if s >= starts[c + 1]:
                            break
                        b0, b1, b2 = boxes[s, 0], boxes[s, 1], boxes[s, 2]
                        # without branches: most boxes of a cell lie apart, and which axis parts them can't be foretold
                        apart = (l0 > boxes[s, 3]) | (b0 > h0) | (l1 > boxes[s, 4]) | (b1 > h1)
                        if apart | (l2 > boxes[s, 5]) | (b2 > h2):
                            continue
                        # counted only in the first cell that both share
                        if (min(int((max(l0, b0) - origin[0]) * inverse[0]), cells[0] - 1) != x
                                or min(int((max(l1, b1) - origin[1]) * inverse[1]), cells[1] - 1) != y
                                or min(int((max(l2, b2) - origin[2]) * inverse[2]), cells[2] - 1) != z):  # fmt: skip
                            continue
                        j = members[s]
                        if named and _alike(ids, i, j) > 1:
                            continue
                        if aslant and _aside(slant, i, j):
                            continue
                        if found == room:
                            grown = np.empty((2 * room, 2), np.int32)
                            grown[:room] = out
                            out = grown
                            room *= 2
                        out[found, 0] = i  # members are in rising order
                        out[found, 1] = j
                        found += 1
    return out[:found].copy(), True


@piece
def _aside(slant: Array, i: int, j: int) -> bool:
    """Return whether two things lie apart along a diagonal."""
    for k in range(0, 12, 2):  # noqa: SIM110 - the compiler has no generators
        if slant[i, k] > slant[j, k + 1] or slant[j, k] > slant[i, k + 1]:
            return True
    return False


@kernel
def diagonal_reach(corners: Array) -> Array:
    """Return (n, 12) how far corners (n, k, 3) reach along x + y, x - y, x + z, x - z, y + z and y - z: lowest and highest of each."""
    n, k = corners.shape[0], corners.shape[1]
    out = np.empty((n, 12))
    for i in range(n):
        for j in range(k):
            x, y, z = corners[i, j, 0], corners[i, j, 1], corners[i, j, 2]
            for a, along in enumerate((x + y, x - y, x + z, x - z, y + z, y - z)):
                if j == 0 or along < out[i, 2 * a]:
                    out[i, 2 * a] = along
                if j == 0 or along > out[i, 2 * a + 1]:
                    out[i, 2 * a + 1] = along
    return out


@kernel
def _asked(cells: Array, first: Array, last: Array, chosen: Array) -> Array:
    """Return (cells,) which cells have a box that is chosen; all where none are named."""
    number = cells[0] * cells[1] * cells[2]
    if chosen.shape[0] == 0:
        return np.ones(number, np.bool_)
    asked = np.zeros(number, np.bool_)
    for i in range(chosen.shape[0]):
        if chosen[i]:
            for x in range(first[i, 0], last[i, 0] + 1):
                for y in range(first[i, 1], last[i, 1] + 1):
                    row = (x * cells[1] + y) * cells[2]
                    for z in range(first[i, 2], last[i, 2] + 1):
                        asked[row + z] = True
    return asked


@kernel
def _gathered(
    low: Array, high: Array, cells: Array, first: Array, last: Array, asked: Array, total: int
) -> tuple[Array, Array, Array]:
    """Return the boxes of each cell that is asked for in compressed rows: where each cell's begin, their numbers, and lower and upper corners."""
    n, number = low.shape[0], asked.shape[0]
    starts = np.zeros(number + 1, np.int64)
    for i in range(n):
        for x in range(first[i, 0], last[i, 0] + 1):
            for y in range(first[i, 1], last[i, 1] + 1):
                row = (x * cells[1] + y) * cells[2]
                for z in range(first[i, 2], last[i, 2] + 1):
                    if asked[row + z]:
                        starts[row + z + 1] += 1
    for c in range(number):
        starts[c + 1] += starts[c]
    # boxes stand once more in the order of the cells: those of one cell are then read one after the other
    members = np.empty(total, np.int32)
    boxes = np.empty((total, 6))
    fill = starts[:-1].copy()
    for i in range(n):
        for x in range(first[i, 0], last[i, 0] + 1):
            for y in range(first[i, 1], last[i, 1] + 1):
                row = (x * cells[1] + y) * cells[2]
                for z in range(first[i, 2], last[i, 2] + 1):
                    if asked[row + z]:
                        k = fill[row + z]
                        members[k] = i
                        for a in range(3):
                            boxes[k, a] = low[i, a]
                            boxes[k, 3 + a] = high[i, a]
                        fill[row + z] += 1
    return starts, members, boxes


@piece
def _alike(ids: Array, i: int, j: int) -> int:
    """Return how many of the three names of ``i`` are among those of ``j``."""
    a, b, c = ids[i, 0], ids[i, 1], ids[i, 2]
    d, e, f = ids[j, 0], ids[j, 1], ids[j, 2]
    common = int((a == d) | (a == e) | (a == f))
    common += int((b == d) | (b == e) | (b == f))
    return common + int((c == d) | (c == e) | (c == f))


@kernel
def _laid_out(low: Array, high: Array, origin: Floats, cells: Array, inverse: Floats, first: Array, last: Array) -> int:
    """Lay a grid over boxes: its origin, cells along each axis and one over their length; the cells that each box spans.

    Returns how many cells all boxes span together.
    """
    n = low.shape[0]
    sizes = np.empty(n)
    far = np.empty(3)
    for a in range(3):
        origin[a], far[a] = low[0, a], high[0, a]
    for i in range(n):
        size = 0.0
        for a in range(3):
            size = max(size, high[i, a] - low[i, a])
            origin[a] = min(origin[a], low[i, a])
            far[a] = max(far[a], high[i, a])
        sizes[i] = size
    typical = np.median(sizes)
    scale = 2.0
    while True:
        number = 1
        for a in range(3):
            length = far[a] - origin[a]
            fair = length / (typical * scale) if typical > 0 else 64.0
            k = int(min(max(fair, 1.0), 512.0))
            cells[a] = k
            inverse[a] = k / length if length > 0 else 1.0
            number *= k
        if number <= 8 * n + 64:
            total = 0
            for i in range(n):
                span = 1
                for a in range(3):
                    u = min(int((low[i, a] - origin[a]) * inverse[a]), cells[a] - 1)
                    v = min(int((high[i, a] - origin[a]) * inverse[a]), cells[a] - 1)
                    first[i, a], last[i, a] = u, v
                    span *= v - u + 1
                total += span
            if total <= 24 * n or number == 1:
                return total
        scale *= 1.5
