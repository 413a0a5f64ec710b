"""Compiled: faces whose points became others, without what repeats."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array, Ints
from jukai.core.geometry.kernels import kernel, no_wraparound

_FEW = 16
"""Corners of a face up to which each is held against all before it."""


@no_wraparound
@kernel
def unrepeated(corners: Array, offsets: Array, merged: Array) -> tuple[NDArray[np.int64], Ints, NDArray[np.int64]]:
    """Leave out corners whose point is, by ``merged`` (n,), that of the one before them in their face.

    Returns
    -------
    The places of the corners that stay, how many each face keeps, and the faces that then have a point twice.
    """
    count = offsets.shape[0] - 1
    keep = np.empty(corners.shape[0], np.int64)
    sizes = np.empty(count, np.int32)
    twice = np.empty(64, np.int64)
    few = np.empty(_FEW, np.int64)
    at = many = 0
    for f in range(count):
        lo, hi = offsets[f], offsets[f + 1]
        begin = at
        if hi - lo == 4:
            p, q, r, t = merged[corners[lo]], merged[corners[lo + 1]], merged[corners[lo + 2]], merged[corners[lo + 3]]
            if (p != q) & (q != r) & (r != t) & (t != p) & (p != r) & (q != t):
                keep[at], keep[at + 1], keep[at + 2], keep[at + 3] = lo, lo + 1, lo + 2, lo + 3
                at += 4
                sizes[f] = 4
                continue
        found = False
        if hi > lo:
            before = merged[corners[hi - 1]]
            for c in range(lo, hi):
                p = merged[corners[c]]
                if p != before:
                    size = at - begin
                    if size < _FEW:
                        few[size] = p
                        for i in range(size):
                            found = found | (few[i] == p)
                    keep[at] = c
                    at += 1
                before = p
        size = at - begin
        sizes[f] = size
        if size > _FEW:
            ring = np.empty(size, np.int64)
            for i in range(size):
                ring[i] = merged[corners[keep[begin + i]]]
            ring.sort()
            found = False
            for i in range(1, size):
                found = found or ring[i] == ring[i - 1]
        if found:
            if many == twice.shape[0]:
                twice = np.concatenate((twice, twice))
            twice[many] = f
            many += 1
    return keep[:at].copy(), sizes, twice[:many].copy()
