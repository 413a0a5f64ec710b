"""Connected components."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Ints
from jukai.core.geometry.kernels import FEW, kernel

__all__ = ["components", "lowest"]


def components(count: int, a: Array, b: Array) -> Ints:
    """Return (count,) int32 the component of each node, numbered by its lowest node.

    Parameters
    ----------
    count : number of nodes.
    a, b : (k,) the two nodes of each link.
    """
    _, number = np.unique(lowest(count, a, b), return_inverse=True)
    return number.astype(np.int32)


def lowest(count: int, a: Array, b: Array) -> Ints:
    """Return (count,) int32 the lowest node of the component of each node; see :func:`components`."""
    a = np.ascontiguousarray(a, dtype=np.int32)
    b = np.ascontiguousarray(b, dtype=np.int32)
    return _union_find(count, a, b) if len(a) > FEW else _hooking(count, a, b)


def _hooking(count: int, a: Ints, b: Ints) -> Ints:
    """Hook higher roots to lower ones and shorten, until nothing moves (Shiloach & Vishkin 1982)."""
    root = np.arange(count, dtype=np.int32)
    while True:
        ra, rb = root[a], root[b]
        if (ra == rb).all():
            return root
        low, high = np.minimum(ra, rb), np.maximum(ra, rb)
        np.minimum.at(root, high, low)
        while True:
            up = root[root]
            if (up == root).all():
                break
            root = up


@kernel
def _union_find(count: int, a: Array, b: Array) -> Ints:
    root = np.arange(count).astype(np.int32)
    for k in range(a.shape[0]):
        x, y = a[k], b[k]
        while root[x] != x:
            root[x] = root[root[x]]
            x = root[x]
        while root[y] != y:
            root[y] = root[root[y]]
            y = root[y]
        if x < y:
            root[y] = x
        elif y < x:
            root[x] = y
    for x in range(count):
        root[x] = root[root[x]]
    return root
