"""Compiled: how wide strips may be, for the sides of the faces beside them and for what lies across those faces.

All corners move in proportion to the widths, so a share of the widths says how far each has come.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.bevel._sectors import NONE, PROFILE, Faces
from jukai.core.geometry.bevel.results import Sectors
from jukai.core.geometry.kernels import kernel, no_wraparound, piece


class _Moving(NamedTuple):
    """The corners of a face that is bevelled.

    Where they start and what they move by, in space (``base``, ``move``) and in the plane of the
    face (``rest``, ``flow``); how far at most; the corner of the old face each comes of.
    """

    base: Floats
    move: Floats
    rest: Floats
    flow: Floats
    reach: Floats
    of: Ints


@no_wraparound
@kernel
def shrinking(
    which: Array, body: Faces, position: Array, begins: Array, at: Sectors, width: Array, limit: Array
) -> float:
    """Lower ``limit`` (e,) to what the sides at corners ``which`` allow; return the share of all widths that fits.

    What a side loses grows with the widths in proportion, so the share is exact.
    """
    points, corners = body.points, body.corners
    fits = np.inf
    ends = np.empty((2, 3))
    for c in which:
        g = body.following[c]
        k, h = position[c], position[g]
        if k < 0 and h < 0:
            continue
        p, q = corners[c], corners[g]
        x, y, z = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
        square = x * x + y * y + z * z
        if not square > 0:
            continue
        _end(points, p, k, False, begins, at, ends)
        _end(points, q, h, True, begins, at, ends)
        taken = (
            (ends[0, 0] - points[p, 0]) * x + (ends[0, 1] - points[p, 1]) * y + (ends[0, 2] - points[p, 2]) * z
            + (points[q, 0] - ends[1, 0]) * x + (points[q, 1] - ends[1, 1]) * y + (points[q, 2] - ends[1, 2]) * z
        )  # fmt: skip
        # both are as many times too large as the side is long
        if not taken > 1e-12 * square:
            continue
        ratio = square / taken
        fits = min(fits, ratio)
        if taken > square * (1 + 1e-12):
            _lower(k, ratio, at, width, limit)
            _lower(h, ratio, at, width, limit)
    return fits


@no_wraparound
@piece
def _end(points: Array, old: int, row: int, second: bool, begins: Array, at: Sectors, ends: Array) -> None:
    """Write where one end of a side stands in the bevelled body."""
    n, side = points.shape[0], 1 if second else 0
    new = old
    if row >= 0:
        if at.instead[row, 0] == PROFILE:
            # on the chord across the strip
            part = at.share[row, 0 if second else 1]
            p0, p1 = at.after[begins[row]] - n, at.ahead[begins[row]] - n
            for t in range(3):
                ends[side, t] = (1 - part) * at.spots[p0, t] + part * at.spots[p1, t]
            return
        if second or at.instead[row, 1] == NONE:
            new = at.instead[row, 0]
        else:
            new = at.instead[row, 2] if at.instead[row, 2] != NONE else at.instead[row, 1]
    for t in range(3):
        ends[side, t] = points[old, t] if new < n else at.spots[new - n, t]


@no_wraparound
@piece
def _lower(row: int, share: float, at: Sectors, width: Array, limit: Array) -> None:
    """Lower the limits of the edges that decide where a corner of a ring goes to a share of their widths."""
    if row < 0:
        return
    if at.one[row] >= 0:
        limit[at.one[row]] = min(limit[at.one[row]], share * width[at.one[row]])
    if at.two[row] >= 0:
        limit[at.two[row]] = min(limit[at.two[row]], share * width[at.two[row]])


@no_wraparound
@kernel
def parting(
    which: Array, body: Faces, offsets: Array, position: Array, begins: Array, at: Sectors, width: Array, limit: Array
) -> float:
    """Lower ``limit`` (e,) to where a corner of a hollow face of those ``which`` runs into a side across it; return the share that fits.

    A corner meets a side where a polynomial of second degree in the share is nothing (the split
    events of Aichholzer et al. 1995, with any speeds).
    """
    fits = np.inf
    most = 0
    for f in which:
        most = max(most, 3 * (offsets[f + 1] - offsets[f]))
    moving = _Moving(
        np.empty((most, 3)), np.empty((most, 3)), np.empty((most, 2)), np.empty((most, 2)), np.empty(most),
        np.empty(most, np.int32),
    )  # fmt: skip
    for f in which:
        lo, hi = offsets[f], offsets[f + 1]
        if hi - lo < 4 or not _hollow(body, f, lo, hi, position, at):
            continue
        count = _start(body, lo, hi, position, begins, at, moving)
        _flatten(body.normals, f, count, moving)
        bridged = False
        for c in range(lo, hi):
            for g in range(lo, c):
                bridged = bridged or body.corners[g] == body.corners[c]
        for i in range(count):
            for k in range(count):
                g = k + 1 if k + 1 < count else 0
                if moving.of[k] == moving.of[i] or moving.of[g] == moving.of[i] or _far(moving, i, k, g):
                    continue
                for answer in range(2):
                    share = _meeting(moving, i, k, g, answer)
                    if not (1e-9 < share < 1.05) or share >= fits * 4 or not _from_inside(moving, i, k, g, share):
                        continue
                    if bridged:
                        share *= 0.999  # it can't be parted where it meets itself: a gap is left
                    fits = min(fits, share)
                    if share < 1 - 1e-12:
                        _lower(position[moving.of[i]], share, at, width, limit)
                        _lower(position[moving.of[k]], share, at, width, limit)
                        _lower(position[moving.of[g]], share, at, width, limit)
    return fits


@no_wraparound
@piece
def _hollow(body: Faces, f: int, lo: int, hi: int, position: Array, at: Sectors) -> bool:
    """Return whether a face has a corner that points inward, or may get one."""
    points, corners = body.points, body.corners
    nx, ny, nz = body.normals[f, 0], body.normals[f, 1], body.normals[f, 2]
    hollow = False
    for c in range(lo, hi):
        p = corners[c]
        q = corners[c + 1 if c + 1 < hi else lo]
        o = corners[c - 1 if c > lo else hi - 1]
        ax, ay, az = points[p, 0] - points[o, 0], points[p, 1] - points[o, 1], points[p, 2] - points[o, 2]
        bx, by, bz = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
        up = (ay * bz - az * by) * nx + (az * bx - ax * bz) * ny + (ax * by - ay * bx) * nz
        least = 1e-18 * (ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz)
        hollow = hollow or (up < 0 and up * up > least)
        row = position[c]
        hollow = hollow or (row >= 0 and (at.instead[row, 0] == PROFILE or at.instead[row, 1] != NONE))
    return hollow


@no_wraparound
@piece
def _start(body: Faces, lo: int, hi: int, position: Array, begins: Array, at: Sectors, moving: _Moving) -> int:
    """Write where the corners of a face start and what they move by; return how many there are."""
    points, n = body.points, body.points.shape[0]
    count = 0
    for c in range(lo, hi):
        p, row = body.corners[c], position[c]
        cut = row >= 0 and at.instead[row, 0] == PROFILE
        for t in range(3):
            if row < 0:
                new = p if t == 0 else NONE
            elif cut:
                new = p if t < 2 else NONE
            else:
                new = at.instead[row, t]
            if new == NONE:
                break
            for x in range(3):
                moving.base[count, x] = points[p, x]
                moving.move[count, x] = 0.0 if new < n else at.spots[new - n, x] - points[p, x]
                if cut:
                    part = at.share[row, t]
                    p0, p1 = at.after[begins[row]] - n, at.ahead[begins[row]] - n
                    moving.move[count, x] = (1 - part) * at.spots[p0, x] + part * at.spots[p1, x] - points[p, x]
            moving.of[count] = c
            count += 1
    return count


@no_wraparound
@piece
def _flatten(normals: Array, f: int, count: int, moving: _Moving) -> None:
    """Write ``rest``, ``flow`` and ``reach``: the moving corners in the plane of the face."""
    nx, ny, nz = normals[f, 0], normals[f, 1], normals[f, 2]
    ux, uy, uz = 1.0, 0.0, 0.0
    if abs(nx) > abs(ny):
        ux, uy = 0.0, 1.0
    dot = ux * nx + uy * ny + uz * nz
    ux, uy, uz = ux - dot * nx, uy - dot * ny, uz - dot * nz
    length = np.sqrt(ux * ux + uy * uy + uz * uz)
    ux, uy, uz = ux / length, uy / length, uz / length
    wx, wy, wz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
    base, move = moving.base, moving.move
    ox, oy, oz = base[0, 0], base[0, 1], base[0, 2]
    for i in range(count):
        x, y, z = base[i, 0] - ox, base[i, 1] - oy, base[i, 2] - oz
        moving.rest[i, 0], moving.rest[i, 1] = x * ux + y * uy + z * uz, x * wx + y * wy + z * wz
        x, y, z = move[i, 0], move[i, 1], move[i, 2]
        moving.flow[i, 0], moving.flow[i, 1] = x * ux + y * uy + z * uz, x * wx + y * wy + z * wz
        moving.reach[i] = 1.05 * np.sqrt(x * x + y * y + z * z)


@no_wraparound
@piece
def _far(moving: _Moving, i: int, k: int, g: int) -> bool:
    """Return whether corner ``i`` can't reach the side from ``k`` to ``g``."""
    rest, reach = moving.rest, moving.reach
    room = reach[i] + max(reach[k], reach[g])
    x, y = rest[i, 0], rest[i, 1]
    return (
        x < min(rest[k, 0], rest[g, 0]) - room
        or x > max(rest[k, 0], rest[g, 0]) + room
        or y < min(rest[k, 1], rest[g, 1]) - room
        or y > max(rest[k, 1], rest[g, 1]) + room
    )


@no_wraparound
@piece
def _terms(moving: _Moving, i: int, k: int, g: int) -> tuple[float, float, float]:
    """Return the coefficients of λ², λ and 1 in (a + b λ) × (c + e λ): the side from ``k`` to ``g``, and corner ``i`` seen from ``k``."""
    rest, flow = moving.rest, moving.flow
    ax, ay = rest[g, 0] - rest[k, 0], rest[g, 1] - rest[k, 1]
    bx, by = flow[g, 0] - flow[k, 0], flow[g, 1] - flow[k, 1]
    cx, cy = rest[i, 0] - rest[k, 0], rest[i, 1] - rest[k, 1]
    ex, ey = flow[i, 0] - flow[k, 0], flow[i, 1] - flow[k, 1]
    return bx * ey - by * ex, ax * ey - ay * ex + bx * cy - by * cx, ax * cy - ay * cx


@no_wraparound
@piece
def _meeting(moving: _Moving, i: int, k: int, g: int, answer: int) -> float:
    """Return one of the two shares at which corner ``i`` is on the line through the side, -1 if there is none."""
    two, one, none = _terms(moving, i, k, g)
    disc = one * one - 4 * two * none
    if disc < 0:
        return -1.0
    root = np.sqrt(disc)
    root_sum = -0.5 * (one + (root if one >= 0 else -root))
    if answer == 0:
        return none / root_sum if root_sum != 0 else -1.0
    return root_sum / two if two != 0 else -1.0


@no_wraparound
@piece
def _from_inside(moving: _Moving, i: int, k: int, g: int, share: float) -> bool:
    """Return whether corner ``i`` runs into the side between its ends, and from within the face."""
    rest, flow = moving.rest, moving.flow
    two, one, _ = _terms(moving, i, k, g)
    if one + 2 * two * share >= 0:  # it comes from outside, or along the side
        return False
    x = rest[g, 0] - rest[k, 0] + (flow[g, 0] - flow[k, 0]) * share
    y = rest[g, 1] - rest[k, 1] + (flow[g, 1] - flow[k, 1]) * share
    cx = rest[i, 0] - rest[k, 0] + (flow[i, 0] - flow[k, 0]) * share
    cy = rest[i, 1] - rest[k, 1] + (flow[i, 1] - flow[k, 1]) * share
    along, long = cx * x + cy * y, x * x + y * y
    return -1e-9 * long <= along <= (1 + 1e-9) * long
