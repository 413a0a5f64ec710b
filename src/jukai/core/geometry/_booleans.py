"""Loops of combining bodies: triangles of one face joined to its outline, texture found again, what has holes grown in discs."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.kernels import kernel, piece

__all__ = ["MOST", "grow_discs", "in_order", "outlines", "texture_at"]

MOST = 48
"""Triangles of one face up to which its outline is found by looking at all pairs of their sides."""


@kernel
def outlines(tri: Array, starts: Array, joins: Bools) -> tuple[Array, Array, Bools]:
    """Return for each run of triangles its outline, if that is one loop that takes in every point once.

    Parameters
    ----------
    tri : (t, 3), run by run.
    starts : (k + 1,) of the runs.
    joins : (k,) whether a run may be joined at all.

    Returns
    -------
    Points of all outlines one after another, how many each has (0 for none), and which were joined.
    """
    k = len(starts) - 1
    out = np.empty(3 * len(tri), np.int64)
    sides = np.zeros(k, np.int64)
    done = np.zeros(k, np.bool_)
    begin = np.empty(3 * MOST, np.int64)
    end = np.empty(3 * MOST, np.int64)
    at = 0
    for g in range(k):
        a, b = starts[g], starts[g + 1]
        n = b - a
        if n == 0 or not joins[g] or n > MOST:
            continue
        if n == 1:
            out[at], out[at + 1], out[at + 2] = tri[a, 0], tri[a, 1], tri[a, 2]
            at += 3
            sides[g] = 3
            done[g] = True
            continue
        m = 0
        for i in range(a, b):
            for e in range(3):
                p, q = tri[i, e], tri[i, (e + 1) % 3]
                inner = False
                for j in range(a, b):
                    for f in range(3):
                        if tri[j, f] == q and tri[j, (f + 1) % 3] == p:
                            inner = True
                if not inner:
                    begin[m], end[m] = p, q
                    m += 1
        if m != n + 2:  # it has a hole, falls in pieces, or has a point within
            continue
        # the outline from its lowest border on: each point once
        here = begin[0]
        fine = True
        for s in range(m):
            out[at + s] = here
            found = -1
            for e in range(m):
                if begin[e] == here:
                    if found >= 0:
                        fine = False
                    found = e
            if found < 0 or not fine:
                fine = False
                break
            here = end[found]
            if here == begin[0] and s < m - 1:
                fine = False
                break
        if fine and here == begin[0]:
            at += m
            sides[g] = m
            done[g] = True
    return out[:at], sides, done


@kernel
def in_order(key: Array, starts: Array) -> Array:
    """Return the order in which rows with equal keys stand together, as they came; ``starts`` (k + 1,) is where each key begins."""
    next_ = starts.copy()
    out = np.empty(len(key), np.int64)
    for i in range(len(key)):
        out[next_[key[i]]] = i
        next_[key[i]] += 1
    return out


@kernel
def texture_at(
    new: tuple[Floats, Array, Array],
    faces: Array,
    points: Floats,
    ids: Array,
    corners: Array,
    starts: Array,
    uv: Floats,
    out: Floats,
) -> None:
    """Write texture coordinates of the corners of new faces by their places on old ones.

    Parameters
    ----------
    new : points, the point of each corner, and the first corner of each face.
    faces : (n,) the old face that each new one lies on; those below 0 are left out.
    points, ids : the body's points, and the point of each of its corners.
    corners, starts : (t, 3) corners of its triangles, and the first triangle of each face.
    out : (c, 2) of all new corners.
    """
    places, at, offsets = new
    for f in range(len(faces)):
        if faces[f] >= 0:
            first, last = starts[faces[f]], starts[faces[f] + 1]
            for i in range(offsets[f], offsets[f + 1]):
                place = places[at[i], 0], places[at[i], 1], places[at[i], 2]
                same = _corner_there(place, points, ids, corners, first, last)
                if same >= 0:  # most are corners of the face itself
                    out[i, 0], out[i, 1] = uv[same, 0], uv[same, 1]
                else:
                    out[i, 0], out[i, 1] = _texture_in(place, points, ids, corners, first, last, uv)


@piece
def _corner_there(
    place: tuple[float, float, float], points: Floats, ids: Array, corners: Array, first: int, last: int
) -> int:
    """Return which corner of triangles is exactly at a place, -1 if none is."""
    for t in range(first, last):
        for k in range(3):
            c = corners[t, k]
            p = ids[c]
            if points[p, 0] == place[0] and points[p, 1] == place[1] and points[p, 2] == place[2]:
                return int(c)
    return -1


@piece
def _texture_in(place: tuple[float, float, float], points: Floats, ids: Array, corners: Array, first: int, last: int, uv: Floats) -> tuple[float, float]:  # fmt: skip
    """Return the texture coordinates at a place, in the triangle that it lies farthest within."""
    best = -np.inf
    bu, bv = 0.0, 0.0
    for t in range(first, last):
        a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
        uu, uw, ww, pu, pw = 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(3):
            o = points[ids[a], k]
            x, y, z = points[ids[b], k] - o, points[ids[c], k] - o, place[k] - o
            uu += x * x
            uw += x * y
            ww += y * y
            pu += z * x
            pw += z * y
        size = uu * ww - uw * uw
        if size <= 0:
            continue
        q, r = (ww * pu - uw * pw) / size, (uu * pw - uw * pu) / size
        p = 1 - q - r
        least = min(p, q, r)
        if least > best:
            best = least
            p, q, r = min(max(p, 0.0), 1.0), min(max(q, 0.0), 1.0), min(max(r, 0.0), 1.0)
            if p > 1 - 1e-12:
                p, q, r = 1.0, 0.0, 0.0
            elif q > 1 - 1e-12:
                p, q, r = 0.0, 1.0, 0.0
            elif r > 1 - 1e-12:
                p, q, r = 0.0, 0.0, 1.0
            whole = p + q + r
            bu = (p * uv[a, 0] + q * uv[b, 0] + r * uv[c, 0]) / whole
            bv = (p * uv[a, 1] + q * uv[b, 1] + r * uv[c, 1]) / whole
    return bu, bv


@kernel
def grow_discs(t: Array, key: Array, n: int) -> Array:
    """Return the number of the disc that each triangle is of; discs hold triangles of one key, and no point twice on their border."""
    f = len(t)
    # triangles at each point
    start = np.zeros(n + 1, np.int64)
    for i in range(f):
        for k in range(3):
            start[t[i, k] + 1] += 1
    for p in range(n):
        start[p + 1] += start[p]
    fill = start[:-1].copy()
    at = np.empty(3 * f, np.int64)
    for i in range(f):
        for k in range(3):
            at[fill[t[i, k]]] = i
            fill[t[i, k]] += 1
    piece = np.full(f, -1, np.int64)
    inside = np.full(n, -1, np.int64)  # the disc that a point is of
    stack = np.empty(3 * f + 3, np.int64)
    count = 0
    for seed in range(f):
        if piece[seed] >= 0:
            continue
        piece[seed] = count
        for k in range(3):
            inside[t[seed, k]] = count
        top = 0
        stack[top] = seed
        top += 1
        while top > 0:
            top -= 1
            i = stack[top]
            for k in range(3):
                a, b = t[i, k], t[i, (k + 1) % 3]
                for o in range(start[a], start[a + 1]):
                    j = at[o]
                    if piece[j] >= 0 or key[j] != key[seed]:
                        continue
                    third = -1
                    for q in range(3):
                        if t[j, q] == b and t[j, (q + 1) % 3] == a:
                            third = t[j, (q + 2) % 3]
                    if third < 0:
                        continue
                    # a point that is of the disc already may be joined only where a second side is shared too
                    if inside[third] == count:
                        shared = 0
                        for q in range(3):
                            c, d = t[j, q], t[j, (q + 1) % 3]
                            for r in range(start[c], start[c + 1]):
                                g = at[r]
                                if piece[g] == count:
                                    for s in range(3):
                                        if t[g, s] == d and t[g, (s + 1) % 3] == c:
                                            shared += 1
                        if shared < 2:
                            continue
                        # the corner between the two sides lies within then: it must not be on the border twice
                    piece[j] = count
                    inside[third] = count
                    stack[top] = j
                    top += 1
        count += 1
    return piece
