"""Pairing of triangles, and diagonals turned, compiled."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.kernels import kernel

__all__ = ["flip_shared", "pair_leaves"]


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


@kernel
def flip_shared(tri: Array, neighbour: Array, places: Floats, normals: Floats) -> None:
    """Turn the sides that triangles share to the other diagonal until no corner across one looks at it too widely.

    C. L. Lawson, Software for C1 surface interpolation, 1977: what is left is a (constrained) Delaunay triangulation, whose
    least angle is the greatest.

    Parameters
    ----------
    tri : (t, 3) rows of ``places``, changed in place.
    neighbour : (t, 3) the triangle across the side from corner k to the next one, -1 for none; changed in place.
    normals : (t, 3) of the face that each triangle is of, of length 1.
    """
    count = len(tri)
    stack = np.empty(8 * count + 8, np.int64)
    top = 0
    for t in range(count):
        stack[top] = t
        top += 1
    left = 60 * count  # it ends by itself; rounding must not make it go on
    while top > 0 and left > 0:
        top -= 1
        t = stack[top]
        for k in range(3):
            o = neighbour[t, k]
            if o < 0:
                continue
            left -= 1
            j = 0
            while j < 3 and not (tri[o, j] == tri[t, (k + 1) % 3] and tri[o, (j + 1) % 3] == tri[t, k]):
                j += 1
            if j == 3:
                continue
            a, b, c, d = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3], tri[o, (j + 2) % 3]
            sums = 0.0
            for apex in (c, d):
                dot, x, y, z = 0.0, 0.0, 0.0, 0.0
                ux, uy, uz = (
                    places[a, 0] - places[apex, 0],
                    places[a, 1] - places[apex, 1],
                    places[a, 2] - places[apex, 2],
                )
                vx, vy, vz = (
                    places[b, 0] - places[apex, 0],
                    places[b, 1] - places[apex, 1],
                    places[b, 2] - places[apex, 2],
                )
                dot = ux * vx + uy * vy + uz * vz
                x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
                size = np.sqrt(x * x + y * y + z * z)
                sums += np.arctan2(size, dot)
            if sums <= np.pi + 1e-9:
                continue
            # both new triangles must look as the face does
            fine = True
            for p, q, r in ((c, a, d), (d, b, c)):
                ux, uy, uz = places[q, 0] - places[p, 0], places[q, 1] - places[p, 1], places[q, 2] - places[p, 2]
                vx, vy, vz = places[r, 0] - places[p, 0], places[r, 1] - places[p, 1], places[r, 2] - places[p, 2]
                x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
                size = np.sqrt((ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz))
                if x * normals[t, 0] + y * normals[t, 1] + z * normals[t, 2] <= 1e-12 * size:
                    fine = False
            if not fine:
                continue
            n1, n2 = neighbour[t, (k + 1) % 3], neighbour[t, (k + 2) % 3]
            n3, n4 = neighbour[o, (j + 1) % 3], neighbour[o, (j + 2) % 3]
            tri[t, 0], tri[t, 1], tri[t, 2] = c, a, d
            neighbour[t, 0], neighbour[t, 1], neighbour[t, 2] = n2, n3, o
            tri[o, 0], tri[o, 1], tri[o, 2] = d, b, c
            neighbour[o, 0], neighbour[o, 1], neighbour[o, 2] = n4, n1, t
            if n3 >= 0:
                for m in range(3):
                    if neighbour[n3, m] == o:
                        neighbour[n3, m] = t
            if n1 >= 0:
                for m in range(3):
                    if neighbour[n1, m] == t:
                        neighbour[n1, m] = o
            if top + 2 < len(stack):
                stack[top], stack[top + 1] = t, o
                top += 2
            break
