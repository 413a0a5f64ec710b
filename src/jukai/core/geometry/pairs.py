"""Which boxes overlap: the broad phase of crossings, in two and three dimensions."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import TooLarge
from jukai.core.geometry._pairs import diagonal_reach, grid_pairs
from jukai.core.geometry.arrays import Bools, Floats, Ints, concatenated_ranges

__all__ = ["FEW_BOXES", "overlapping_boxes"]

FEW_BOXES = 3_000
"""Boxes up to which a sweep by array code answers sooner than loading the compiler: the triangles of a body of ``FEW`` corners."""
_CHUNK = 4_000_000
_MOST = 600_000_000
"""Pairs that share a cell and are looked at: some seconds. A disc of 100 000 thin faces has more."""


def overlapping_boxes(
    low: Floats,
    high: Floats,
    ids: Ints | None = None,
    chosen: Bools | None = None,
    within: Floats | None = None,
    most: int = _MOST,
) -> Ints:
    """Return (k, 2) int32 the pairs i < j of boxes that overlap or touch, each once, always in the same order.

    Parameters
    ----------
    low, high : (n, d) corners of the boxes, d = 2 or 3.
    ids : (n, 3) names of the corners of the triangles in the boxes; pairs that share two may be left
        out.
    chosen : (n,) boxes of which each pair must have one; None for all.
    within : (n, k, 3) corners of what is in the boxes; where many lie aslant, as the faces of a disc, it is
        held apart by its diagonals too.
    most : how many pairs are looked at; long thin faces side by side make a box overlap with all others.

    Raises
    ------
    TooLarge
        When there are more.

    Notes
    -----
    Few boxes are swept along the axis where they overlap least; many go through a uniform grid
    whose cells follow the boxes' median size.
    """
    n = len(low)
    if n < 2:
        return np.zeros((0, 2), np.int32)
    if n > FEW_BOXES:
        if low.shape[1] == 2:
            low, high = (np.column_stack([a, np.zeros(n)]) for a in (low, high))
        named = np.zeros((0, 3), np.int32) if ids is None else ids
        some = np.zeros(0, bool) if chosen is None else chosen
        slant = np.zeros((0, 12)) if within is None else diagonal_reach(np.ascontiguousarray(within))
        pairs, whole = grid_pairs(np.ascontiguousarray(low), np.ascontiguousarray(high), named, some, slant, most)
        if not whole:
            raise TooLarge("Too many faces lie close to each other to look for those that cross.")
        return pairs
    pairs = _sweep(low, high)
    return pairs if chosen is None else pairs[chosen[pairs].any(axis=1)]


def _sweep(low: Floats, high: Floats) -> Ints:
    n = len(low)
    best, work = 0, np.inf
    for axis in range(low.shape[1]):
        starts = np.sort(low[:, axis])
        load = float((np.searchsorted(starts, high[:, axis], side="right")).sum())
        if load < work:
            best, work = axis, load
    order = np.argsort(low[:, best], kind="stable")
    low, high = low[order], high[order]
    last = np.searchsorted(low[:, best], high[:, best], side="right")
    counts = np.maximum(last - np.arange(n) - 1, 0)
    found: list[Ints] = []
    row = 0
    ends = np.cumsum(counts)
    while row < n:
        done = ends[row - 1] if row else 0
        stop = max(int(np.searchsorted(ends, done + _CHUNK, side="right")), row + 1)
        i = np.repeat(np.arange(row, stop), counts[row:stop])
        j = concatenated_ranges(np.arange(row, stop) + 1, counts[row:stop])
        hit = np.ones(len(i), dtype=bool)
        for axis in range(low.shape[1]):
            if axis != best:
                i, j = i[hit], j[hit]
                hit = (low[i, axis] <= high[j, axis]) & (low[j, axis] <= high[i, axis])
        a, b = order[i[hit]], order[j[hit]]
        found.append(np.stack([np.minimum(a, b), np.maximum(a, b)], axis=1).astype(np.int32))
        row = stop
    pairs = np.concatenate(found)
    return np.asarray(pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))])
