"""Compiled: the faces round each point that a picked edge meets."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.bevel._sectors import PROFILE
from jukai.core.geometry.kernels import kernel, no_wraparound


@no_wraparound
@kernel
def walk(corners: Array, following: Array, before: Array, twins: Array, point_offsets: Array, point_corners: Array,
         corner_edge: Array, picked: Array, where: Array, room: int) -> tuple[Ints, Ints, Bools]:  # fmt: skip
    """Corners round each of the points ``where``, counter-clockwise, in compressed rows; whether the ring closes.

    Rings without a picked edge are left out; ``room`` is the number of all corners there.
    """
    n = corners.shape[0]
    seen = np.zeros(n, np.bool_)
    out = np.empty(room, np.int32)
    starts = np.empty(room + 1, np.int32)
    closes = np.empty(room, np.bool_)
    at = count = 0
    starts[0] = 0
    for p in where:
        for k in range(point_offsets[p], point_offsets[p + 1]):
            c = point_corners[k]
            if seen[c]:
                continue
            # clockwise to where the ring begins
            s = c
            closed = False
            while True:
                t = twins[s]
                if t < 0 or corners[t] == corners[s]:
                    break
                s = following[t]
                if s == c:
                    closed = True
                    break
            if closed:
                # begin at a picked edge, if there is one
                while not picked[corner_edge[s]]:
                    s = twins[before[s]]
                    if s == c:
                        break
            begun = at
            has = False
            c = s
            while True:
                seen[c] = True
                out[at] = c
                at += 1
                has = has or picked[corner_edge[c]]
                t = twins[before[c]]
                if t < 0 or corners[t] == corners[before[c]]:
                    break
                c = t
                if c == s:
                    break
            if has:
                closes[count] = closed
                count += 1
                starts[count] = at
            else:
                at = begun
    return out[:at].copy(), starts[: count + 1].copy(), closes[:count].copy()


@no_wraparound
@kernel
def met(edges: Array, picks: Array, points: int) -> NDArray[np.int64]:
    """Points at the ends of the edges ``picks``, in order."""
    there = np.zeros(points, np.bool_)
    for e in picks:
        there[edges[e, 0]] = there[edges[e, 1]] = True
    return np.flatnonzero(there)


@no_wraparound
@kernel
def both_sides(picked: Array, corner_edge: Array, twins: Array, picks: int) -> tuple[Ints, Ints]:
    """Corners that picked edges leave, in order, and those on the other side: each edge of two faces once."""
    here = np.empty(picks, np.int32)
    there = np.empty(picks, np.int32)
    at = 0
    for c in range(corner_edge.shape[0]):
        if c < twins[c] and picked[corner_edge[c]]:
            here[at], there[at] = c, twins[c]
            at += 1
    return here, there


@no_wraparound
@kernel
def touched(
    ring: Array, starts: Array, before: Array, corner_faces: Array, corners: int, faces: int
) -> tuple[Ints, Ints, NDArray[np.int64], NDArray[np.int64]]:
    """Of corners: their place in the rings, -1 for none; of places: where their ring begins; corners of sides and faces that change."""
    position = np.full(corners, -1, np.int32)
    begins = np.empty(ring.shape[0], np.int32)
    side = np.zeros(corners, np.bool_)
    face = np.zeros(faces, np.bool_)
    for r in range(starts.shape[0] - 1):
        for k in range(starts[r], starts[r + 1]):
            c = ring[k]
            position[c] = k
            begins[k] = starts[r]
            side[c] = side[before[c]] = True
            face[corner_faces[c]] = True
    return position, begins, np.flatnonzero(side), np.flatnonzero(face)


@no_wraparound
@kernel
def left(
    point_offsets: Array, corners: Array, ring: Array, starts: Array, instead: Array, share: Array, kept: Array, n: int
) -> tuple[Ints, int, Ints]:
    """New numbers of the old points that a face still uses, -1 for the others, how many there are, and the corners for each corner.

    A corner that is the end of a strip has part of its profile of ``n`` chords.
    """
    points = point_offsets.shape[0] - 1
    numbers = np.empty(points, np.int32)
    counts = np.ones(corners.shape[0], np.int32)
    for p in range(points):
        numbers[p] = point_offsets[p + 1] - point_offsets[p]
    for r in range(starts.shape[0] - 1):
        v = corners[ring[starts[r]]]
        for k in range(starts[r], starts[r + 1]):
            if instead[k, 0] != v and instead[k, 1] != v and instead[k, 2] != v:
                numbers[v] -= 1
            if instead[k, 0] == PROFILE:
                counts[ring[k]] = int(share[k, 0] * n + 0.5) - int(share[k, 1] * n + 0.5) + 1
            else:
                counts[ring[k]] = 1 + (instead[k, 1] >= 0) + (instead[k, 2] >= 0)
        if kept[r]:
            numbers[v] += 1
    count = 0
    for p in range(points):
        if numbers[p] > 0:
            numbers[p] = count
            count += 1
        else:
            numbers[p] = -1
    return numbers, count, counts


@no_wraparound
@kernel
def around(corners: Array, corner_faces: Array, face_normals: Array, ring: Array, starts: Array, after: Array, directions: Array, rows: Array, k: int,
           profile: Array, row: Array) -> tuple[Ints, Ints, Floats, Floats]:  # fmt: skip
    """Round the corners where k strips meet, at rings ``rows``: the border of each, old points, normals, unit vectors along the edges.

    Side i of a border runs from the sector behind edge i across edge i + 1.
    """
    n = profile.shape[1] - 1
    border = np.empty((rows.shape[0], k * n), np.int32)
    old = np.empty(rows.shape[0], np.int32)
    normals = np.empty((rows.shape[0], k, 3))
    edges = np.empty((rows.shape[0], k, 3))
    for p in range(rows.shape[0]):
        i = 0
        for at in range(starts[rows[p]], starts[rows[p] + 1]):
            if after[at] < 0:
                continue
            c = ring[at]
            old[p] = corners[c]
            f = corner_faces[c]
            for x in range(3):
                normals[p, i, x] = face_normals[f, x]
                edges[p, i, x] = directions[at, x]
            side = i - 1 if i > 0 else k - 1
            line = row[c]
            for t in range(n):
                border[p, side * n + t] = profile[line, n - t]
            i += 1
    return border, old, normals, edges


@kernel
def uneven(
    before: Array,
    points: Array,
    border: Array,
    corners: Array,
    ring: Array,
    starts: Array,
    rows: Array,
    n: int,
    most: float,
) -> tuple[Array, Array]:
    """Return which of the borders (p, k n) in ``points`` of rings ``rows`` have one corner over ``most`` times as far from the old point, squared, as another; and the old points, numbers in ``before``."""
    which = np.empty(rows.shape[0], np.int64)
    old = np.empty(rows.shape[0], np.int32)
    count = 0
    for i in range(rows.shape[0]):
        v = corners[ring[starts[rows[i]]]]
        low, high = np.inf, 0.0
        for j in range(0, border.shape[1], n):
            square = 0.0
            for k in range(3):
                off = points[border[i, j], k] - before[v, k]
                square += off * off
            low, high = min(low, square), max(high, square)
        if high > most * low:
            which[count], old[count] = i, v
            count += 1
    return which[:count].copy(), old[:count].copy()
