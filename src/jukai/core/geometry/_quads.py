"""Pairing of triangles, compiled."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Bools
from jukai.core.geometry.kernels import kernel

__all__ = ["pair_leaves"]


@kernel
def pair_leaves(a: Array, b: Array, count: int) -> Bools:
    """Return which links of a forest are taken so that as many nodes as can be are paired, each once."""
    degree = np.zeros(count, np.int64)
    for k in range(len(a)):
        degree[a[k]] += 1
        degree[b[k]] += 1
    start = np.zeros(count + 1, np.int64)
    for x in range(count):
        start[x + 1] = start[x] + degree[x]
    fill = start[:-1].copy()
    links = np.zeros(2 * len(a), np.int64)
    for k in range(len(a)):
        links[fill[a[k]]] = k
        fill[a[k]] += 1
        links[fill[b[k]]] = k
        fill[b[k]] += 1
    taken = np.zeros(len(a), np.bool_)
    done = np.zeros(count, np.bool_)
    queue = np.zeros(2 * count + 1, np.int64)
    end = 0
    for x in range(count):
        if degree[x] == 1:
            queue[end] = x
            end += 1
    at = 0
    while at < end:
        x = queue[at]
        at += 1
        if done[x] or degree[x] == 0:
            continue
        for m in range(start[x], start[x + 1]):
            k = links[m]
            y = b[k] if a[k] == x else a[k]
            if done[y]:
                continue
            taken[k] = True
            done[x] = done[y] = True
            for o in range(start[y], start[y + 1]):
                z = b[links[o]] if a[links[o]] == y else a[links[o]]
                if not done[z]:
                    degree[z] -= 1
                    if degree[z] == 1:
                        queue[end] = z
                        end += 1
            break
    return taken
