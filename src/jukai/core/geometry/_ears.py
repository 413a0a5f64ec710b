"""Ear clipping of many polygons at once."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.kernels import kernel, piece

_STRAIGHT = 1e-10
"""Corners that turn by less, measured by the lengths of their sides, are straight: a triangle there would have no area."""


class _Ring(NamedTuple):
    """A polygon as it shrinks: its corners (``flat``, from ``base`` on), which one follows and precedes each, which are hollow or straight."""

    flat: Floats
    base: int
    after: Ints
    before: Ints
    hollow: Bools


class _Cells(NamedTuple):
    """A grid over the hollow corners: the first corner in each cell, the next one in the same cell, and low x, low y, size of a cell, cells across."""

    first: Ints
    following: Ints
    frame: Floats


@kernel
def clip_ears(flat: Array, offsets: Array, total: int) -> Ints:
    """Cut polygons into triangles.

    ``flat`` (c, 2) corners, each polygon counter-clockwise; ``offsets`` compressed rows. Returns
    (total, 3) int32 indices into ``flat``. A convex corner whose triangle holds no other corner is
    an ear (Meisters 1975); only hollow corners can lie in it, and a grid finds those near. Where a polygon
    crosses itself and no ear is left, the corner that turns most to the left is cut, so the count is always sides - 2.
    """
    out = np.empty((total, 3), np.int32)
    written = 0
    longest = 0
    for f in range(offsets.shape[0] - 1):
        longest = max(longest, offsets[f + 1] - offsets[f])
    after, before = np.empty(longest, np.int32), np.empty(longest, np.int32)
    hollow = np.empty(longest, np.bool_)
    cells = _Cells(np.empty(longest + 1, np.int32), np.empty(longest, np.int32), np.empty(4))
    for f in range(offsets.shape[0] - 1):
        ring = _Ring(flat, offsets[f], after, before, hollow)
        base = offsets[f]
        k = offsets[f + 1] - base
        for i in range(k):
            after[i] = i + 1 if i + 1 < k else 0
            before[i] = i - 1 if i > 0 else k - 1
        for i in range(k):
            hollow[i] = not _turn(ring, i)[1]
        _spread_out(ring, 0, k, cells)
        left = gathered = k
        i = 0
        skipped = 0
        worst = -1
        worst_turn = -np.inf
        while left > 3:
            if 2 * left < gathered:  # what is gone is looked at no more
                _spread_out(ring, i, left, cells)
                gathered = left
            turn, ear = _turn(ring, i)
            if turn > worst_turn:
                worst, worst_turn = i, turn
            ear = ear and not _holds(ring, cells, i)
            if ear or skipped > left:
                cut = i if ear else worst
                p, q = before[cut], after[cut]
                out[written, 0] = base + p
                out[written, 1] = base + cut
                out[written, 2] = base + q
                written += 1
                after[p] = q
                before[q] = p
                hollow[cut] = False
                hollow[p] = hollow[p] and not _turn(ring, p)[1]
                hollow[q] = hollow[q] and not _turn(ring, q)[1]
                left -= 1
                skipped = 0
                worst = -1
                worst_turn = -np.inf
                i = after[q]  # leave the new corner alone once: fewer slivers than a fan
            else:
                i = after[i]
                skipped += 1
        if left == 3:
            out[written, 0] = base + before[i]
            out[written, 1] = base + i
            out[written, 2] = base + after[i]
            written += 1
    return out


@piece
def _turn(ring: _Ring, i: int) -> tuple[float, bool]:
    """Return twice the area of the triangle at a corner, and whether the corner is convex."""
    flat, a, b, c = ring.flat, ring.base + ring.before[i], ring.base + i, ring.base + ring.after[i]
    ux, uy = flat[b, 0] - flat[a, 0], flat[b, 1] - flat[a, 1]
    wx, wy = flat[c, 0] - flat[b, 0], flat[c, 1] - flat[b, 1]
    turn = ux * wy - uy * wx
    return turn, turn > _STRAIGHT * (abs(ux) + abs(uy)) * (abs(wx) + abs(wy))


@piece
def _spread_out(ring: _Ring, start: int, left: int, cells: _Cells) -> None:
    """Put the hollow corners of what is left, ``start`` being one of its corners, into the grid."""
    flat, base = ring.flat, ring.base
    low_x = low_y = np.inf
    high_x = high_y = -np.inf
    count, i = 0, start
    for _ in range(left):
        if ring.hollow[i]:
            count += 1
            low_x, high_x = min(low_x, flat[base + i, 0]), max(high_x, flat[base + i, 0])
            low_y, high_y = min(low_y, flat[base + i, 1]), max(high_y, flat[base + i, 1])
        i = ring.after[i]
    across = int(np.sqrt(count))
    size = max(high_x - low_x, high_y - low_y) / max(across, 1) if count > 0 else 0.0
    cells.frame[0], cells.frame[1], cells.frame[2], cells.frame[3] = low_x, low_y, size, across
    cells.first[: across * across] = -1
    for _ in range(left):
        if ring.hollow[i]:
            at = 0
            if size > 0:
                x = min(int((flat[base + i, 0] - low_x) / size), across - 1)
                y = min(int((flat[base + i, 1] - low_y) / size), across - 1)
                at = y * across + x
            cells.following[i] = cells.first[at]
            cells.first[at] = i
        i = ring.after[i]


@piece
def _holds(ring: _Ring, cells: _Cells, i: int) -> bool:
    """Return whether a hollow corner lies in the triangle of corner ``i`` or on it, its own places apart."""
    flat, base = ring.flat, ring.base
    low_x, low_y, size, across = cells.frame[0], cells.frame[1], cells.frame[2], int(cells.frame[3])
    if across == 0:
        return False
    a, c = ring.before[i], ring.after[i]
    ax, ay = flat[base + a, 0], flat[base + a, 1]
    bx, by = flat[base + i, 0], flat[base + i, 1]
    cx, cy = flat[base + c, 0], flat[base + c, 1]
    x0 = y0 = 0
    x1 = y1 = across - 1
    if size > 0:
        left, right = (min(ax, bx, cx) - low_x) / size, (max(ax, bx, cx) - low_x) / size
        under, over = (min(ay, by, cy) - low_y) / size, (max(ay, by, cy) - low_y) / size
        if right < -1 or over < -1 or left > across + 1 or under > across + 1:
            return False
        # a cell more: what lies on the border of a cell counts for both
        x0, x1 = max(int(left) - 1, 0), min(int(right) + 1, across - 1)
        y0, y1 = max(int(under) - 1, 0), min(int(over) + 1, across - 1)
    for y in range(y0, y1 + 1):
        for x in range(x0, x1 + 1):
            m = cells.first[y * across + x]
            while m >= 0:
                if ring.hollow[m] and m != a and m != c:
                    px, py = flat[base + m, 0], flat[base + m, 1]
                    s1 = (bx - ax) * (py - ay) - (by - ay) * (px - ax)
                    s2 = (cx - bx) * (py - by) - (cy - by) * (px - bx)
                    s3 = (ax - cx) * (py - cy) - (ay - cy) * (px - cx)
                    if s1 >= 0 and s2 >= 0 and s3 >= 0:
                        same = (px == ax and py == ay) or (px == bx and py == by) or (px == cx and py == cy)
                        if not same:
                            return True
                m = cells.following[m]
    return False
