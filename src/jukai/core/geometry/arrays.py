"""Names for the arrays that travel through the core, and small helpers on compressed rows."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "Bools",
    "Floats",
    "Ints",
    "concatenated_ranges",
    "frozen",
    "row_ids",
    "sides_of",
]

Array = NDArray[Any]
"""An array of whatever numbers, as compiled loops take it."""
Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
Bools = NDArray[np.bool_]


def frozen(array: Array) -> Array:
    """Return ``array`` marked read-only (a view where it was writeable elsewhere)."""
    if array.flags.writeable:
        array = array.view()
        array.flags.writeable = False
    return array


def sides_of(offsets: Ints) -> Ints:
    """Return the number of entries of each compressed row."""
    return np.diff(offsets).astype(np.int32, copy=False)


def row_ids(offsets: Ints) -> Ints:
    """Return for each entry the row it stands in."""
    count = len(offsets) - 1
    return np.repeat(np.arange(count, dtype=np.int32), np.diff(offsets))


def concatenated_ranges(starts: Array, counts: Array) -> NDArray[np.int64]:
    """Return ``[s, s+1, .. s+c-1]`` of every (s, c), one after the other."""
    counts = np.asarray(counts, dtype=np.int64)
    total = int(counts.sum())
    if total == 0:
        return np.zeros(0, dtype=np.int64)
    shifts = np.repeat(np.asarray(starts, dtype=np.int64) - (np.cumsum(counts) - counts), counts)
    return shifts + np.arange(total, dtype=np.int64)
