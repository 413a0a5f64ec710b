"""Compiled: where the borders of the strips meet in the faces round each point.

Round a point, picked edges part the faces into *sectors*. Each sector gets a point of its own in
its faces, where the borders of its two strips meet; where faces lie between that no strip touches,
it gets one beside each strip instead, and the old point stays.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.bevel.results import Sectors
from jukai.core.geometry.kernels import kernel, no_wraparound, piece

PLAIN, KEPT, PATCH, MITRE = 0, 1, 2, 3
NONE, PROFILE = -1, -2
"""Instead of the number of a point: none; or the points of the strip's profile that ends in this face."""
_STRAIGHT = 0.17
"""Sine up to which an edge runs straight on from another one."""


class Faces(NamedTuple):
    """A body by its corners.

    ``points`` (n, 3); per corner its point, the corners that follow and precede it in its face, the
    face, and the edge that leaves it; per face its unit normal.
    """

    points: Floats
    corners: Ints
    following: Ints
    before: Ints
    faces: Ints
    edge: Ints
    normals: Floats


class Ring(NamedTuple):
    """The corners round points, counter-clockwise, in compressed rows ``starts``; whether each row closes."""

    corners: Ints
    starts: Ints
    closes: Bools


class Strips(NamedTuple):
    """What is asked of each edge.

    Whether it is picked; whether other faces than a ring's have it, so that no point may lie on it;
    how wide its strip is along each face; by how much its faces turn, radians; whether its strip
    gives way to the width of one that it runs on from. And of all of them whether they end ``across``
    themselves where the crease goes straight on.
    """

    picked: Bools
    firm: Bools
    width: Floats
    turn: Floats
    gives: Bools
    across: bool


class _Room(NamedTuple):
    """What lies round the point that is worked on.

    Unit vectors along the edges of its ring, which of them are picked, and whether the faces before
    and behind one that is not picked lie in one plane.
    """

    d: Floats
    at_pick: Ints
    same: Bools


class _Sector(NamedTuple):
    """The faces from one picked edge round a point to the next.

    The ring begins at corner ``lo``, has ``size`` corners and may close. The sector lies from edge
    ``i`` to edge ``j`` of the ring, which are the edges ``ea`` and ``eb`` of the body, -1 where the
    ring is cut open. Faces in one plane count as one: ``e1`` and ``e2`` are, from either side, the
    first edge that is not in the plane; ``level`` if there is none. ``ends`` where a strip may end in
    the plane across the point.
    """

    lo: int
    size: int
    closed: bool
    i: int
    j: int
    ea: int
    eb: int
    e1: int
    e2: int
    level: bool
    ends: bool


@no_wraparound
@kernel
def sectors(body: Faces, rings: Ring, strips: Strips, flat: float) -> Sectors:
    """New points beside the strips, and what takes the place of each corner.

    ``flat`` is the cosine above which two faces lie in one plane.

    Returns
    -------
    spots (s, 3), numbered after the old points. instead (r, 3): points that take the place of a
    corner of the ring, in the face's own order. share (r, 2): where along the strip's profile a corner
    begins and ends that has ``PROFILE``. after, ahead (r,): at a picked edge, the point where
    its strip begins and ends, counter-clockwise. kind (rings,): what is left open round the point
    (``PLAIN`` nothing, ``KEPT`` fans from the old point, ``PATCH``). tapered (rings,). one, two (r,): the
    picked edges that decide where a corner goes. directions (r, 3): unit vectors along the edges that leave
    the corners. picks (rings,): how many of them are picked.
    """
    starts, ring = rings.starts, rings.corners
    n_points, n_rings, size_all = body.points.shape[0], starts.shape[0] - 1, ring.shape[0]
    picks = np.zeros(n_rings, np.int32)
    most = every = 0
    for r in range(n_rings):
        most = max(most, starts[r + 1] - starts[r])
        for k in range(starts[r], starts[r + 1]):
            picks[r] += strips.picked[body.edge[ring[k]]]
        every += picks[r]
    spots = np.empty((2 * every + 2 * n_rings + 1, 3), np.float64)
    directions = np.empty((size_all, 3), np.float64)
    instead = np.full((size_all, 3), NONE, np.int32)
    share = np.zeros((size_all, 2), np.float64)
    after = np.full(size_all, NONE, np.int32)
    ahead = np.full(size_all, NONE, np.int32)
    one = np.full(size_all, -1, np.int32)
    two = np.full(size_all, -1, np.int32)
    kind = np.zeros(n_rings, np.int8)
    tapered = np.zeros(n_rings, np.bool_)
    room = _Room(np.empty((most + 1, 3), np.float64), np.empty(most + 1, np.int32), np.zeros(most + 1, np.bool_))
    spot, spot2 = np.empty(3), np.empty(3)
    for k in range(size_all):
        c = ring[k]
        _unit(body.points, body.corners[c], body.corners[body.following[c]], directions, k)
    count = 0
    for r in range(n_rings):
        p = _look_round(body, rings, strips, r, directions, flat, room)
        closed = rings.closes[r]
        kept = not closed and p > 1
        for s in range(p if closed else p + 1):
            at = _sector(body, rings, room, r, p, s)
            for k in range(at.lo + at.i, at.lo + at.j):
                one[k] = at.ea
                two[k] = at.eb
            single, folds, inside_first, inside_last, g1, g2 = _spots_of(body, ring, strips, room, at, p, spot, spot2)
            tapered[r] = tapered[r] or folds
            if single:
                spots[count, 0], spots[count, 1], spots[count, 2] = spot[0], spot[1], spot[2]
                for k in range(at.lo + at.i, at.lo + at.j):
                    instead[k, 0] = n_points + count
                first = last = n_points + count
                count += 1
            else:
                ends = at.ends and not inside_first and not inside_last and g1 == at.e1 and g2 == at.e2
                kept = kept or not ends
                first = last = NONE
                if at.ea >= 0:
                    spots[count, 0], spots[count, 1], spots[count, 2] = spot[0], spot[1], spot[2]
                    first = n_points + count
                    count += 1
                if at.eb >= 0:
                    spots[count, 0], spots[count, 1], spots[count, 2] = spot2[0], spot2[1], spot2[2]
                    last = n_points + count
                    count += 1
                v = body.corners[ring[at.lo]]
                if ends:
                    _along_profile(room.d, at, share, instead)
                for k in range(at.i, at.j):
                    if ends and at.e1 <= k < at.e2:
                        continue
                    # in the face's own order: along its arriving side, the old point, its leaving side
                    row, t = at.lo + k, 0
                    if at.eb >= 0 and (k >= g2 or (k == g2 - 1 and not inside_last)):
                        instead[row, t] = last
                        t += 1
                    if not (at.ea >= 0 and not inside_first and k < g1) and not (
                        at.eb >= 0 and not inside_last and k >= g2
                    ):
                        instead[row, t] = v
                        t += 1
                    if at.ea >= 0 and (k < g1 or (k == g1 and not inside_first)):
                        instead[row, t] = first
            if at.ea >= 0:
                after[at.lo + at.i] = first
            if at.eb >= 0:
                ahead[at.lo + (at.j if at.j < at.size else 0)] = last
        if kept:
            kind[r] = KEPT
        elif closed and p > 2:
            kind[r] = PATCH
    return Sectors(spots[:count], instead, share, after, ahead, kind, tapered, one, two, directions, picks)


@no_wraparound
@piece
def _unit(points: Array, v: int, q: int, out: Array, row: int) -> None:
    """Write the unit vector from point ``v`` to point ``q``; nothing where they are one."""
    x, y, z = points[q, 0] - points[v, 0], points[q, 1] - points[v, 1], points[q, 2] - points[v, 2]
    length = np.sqrt(x * x + y * y + z * z)
    length = length if length > 0 else 1.0
    out[row, 0], out[row, 1], out[row, 2] = x / length, y / length, z / length


@no_wraparound
@piece
def _look_round(body: Faces, rings: Ring, strips: Strips, r: int, directions: Array, flat: float, room: _Room) -> int:
    """Fill the room with what lies round one point; return how many edges there are picked."""
    ring, normals = rings.corners, body.normals
    lo, size = rings.starts[r], rings.starts[r + 1] - rings.starts[r]
    d, p = room.d, 0
    for i in range(size):
        c = ring[lo + i]
        d[i, 0], d[i, 1], d[i, 2] = directions[lo + i, 0], directions[lo + i, 1], directions[lo + i, 2]
        if strips.picked[body.edge[c]]:
            room.at_pick[p] = i
            p += 1
        elif i > 0:
            f, g = body.faces[c], body.faces[ring[lo + i - 1]]
            dot = normals[g, 0] * normals[f, 0] + normals[g, 1] * normals[f, 1] + normals[g, 2] * normals[f, 2]
            room.same[i] = dot > flat
    if rings.closes[r]:
        d[size, 0], d[size, 1], d[size, 2] = d[0, 0], d[0, 1], d[0, 2]
    else:
        _unit(body.points, body.corners[ring[lo]], body.corners[body.before[ring[lo + size - 1]]], d, size)
    return p


@no_wraparound
@piece
def _sector(body: Faces, rings: Ring, room: _Room, r: int, p: int, s: int) -> _Sector:
    """Return the ``s``-th of the sectors into which ``p`` picked edges part a ring."""
    ring, closed, same = rings.corners, rings.closes[r], room.same
    lo, size = rings.starts[r], rings.starts[r + 1] - rings.starts[r]
    if closed:
        i = room.at_pick[s]
        j = room.at_pick[s + 1] if s + 1 < p else size
        ea = body.edge[ring[lo + i]]
        eb = body.edge[ring[lo + (j if j < size else 0)]]
    else:
        i = room.at_pick[s - 1] if s > 0 else 0
        j = room.at_pick[s] if s < p else size
        ea = body.edge[ring[lo + i]] if s > 0 else -1
        eb = body.edge[ring[lo + j]] if s < p else -1
    e1 = i + 1
    while e1 < j and same[e1]:
        e1 += 1
    e2 = j - 1
    while e2 > i and same[e2]:
        e2 -= 1
    ends = closed and p == 1 and e1 < e2
    for k in range(e1 + 1, e2):
        ends = ends and same[k]
    return _Sector(lo, size, closed, i, j, ea, eb, e1, e2, e1 == j, ends)


@no_wraparound
@piece
def _spots_of(body: Faces, ring: Array, strips: Strips, room: _Room, at: _Sector, p: int, spot: Array, spot2: Array
              ) -> tuple[bool, bool, bool, bool, int, int]:  # fmt: skip
    """Write the point or the two points of a sector.

    Returns
    -------
    Whether it is one point; whether a strip runs to a point there because a hollow corner leaves it no
    room; whether its first and its last point lie inside a face and not on an edge; the edges they lie on.
    """
    v = body.corners[ring[at.lo]]
    vx, vy, vz = body.points[v, 0], body.points[v, 1], body.points[v, 2]
    ea, eb = at.ea, at.eb
    single, folds, inside_first, inside_last = True, False, False, False
    g1, g2 = at.e1, at.e2
    if at.closed and p == 1 and (at.level or (strips.turn[ea] < 1e-3 and not at.ends)):
        # an edge that ends between the two sides of one face, or on a plain: there it runs to a point
        spot[0], spot[1], spot[2] = vx, vy, vz
    elif ea >= 0 and eb >= 0 and at.level:
        _meet(body, ring, room.d, at, strips.width[ea], strips.width[eb], spot)
    else:
        # where the crease goes straight on from an edge, its strip ends across itself instead of running out along it
        across = (
            strips.across
            and at.closed
            and at.e1 == at.e2
            and (_straight(room.d, at.i, at.e1) or _straight(room.d, at.j, at.e1))
        )
        apart = (at.closed and p == 1) or (ea >= 0 and eb >= 0 and (at.e1 != at.e2 or across))
        sf = sl = 0.0
        hollow = hollow2 = False
        if ea >= 0:
            g1, sf, hollow, inside_first = _border_end(body, ring, strips, room.d, at, False, apart, spot)
        if eb >= 0:
            g2, sl, hollow2, inside_last = _border_end(body, ring, strips, room.d, at, True, apart, spot2)
        if ea >= 0 and eb >= 0 and at.e1 == at.e2 and not across:
            # what keeps both strips nearest to their widths, by least squares; one that gives way doesn't count
            of_a = 0.0 if strips.gives[ea] and not strips.gives[eb] else 1.0
            of_b = 0.0 if strips.gives[eb] and not strips.gives[ea] else 1.0
            slide = of_a * strips.width[ea] * sf + of_b * strips.width[eb] * sl
            slide = slide / max(of_a * sf * sf + of_b * sl * sl, 0.03)
            folds = hollow or hollow2
            if folds:
                slide = 0.0
            spot[0] = vx + slide * room.d[at.e1, 0]
            spot[1] = vy + slide * room.d[at.e1, 1]
            spot[2] = vz + slide * room.d[at.e1, 2]
        elif ea < 0 and at.level and not inside_last:  # only the face at the rim lies between
            spot[0], spot[1], spot[2] = spot2[0], spot2[1], spot2[2]
        else:
            single = eb < 0 and at.level and not inside_first
    return single, folds, inside_first, inside_last, g1, g2


@no_wraparound
@piece
def _straight(d: Array, h: int, g: int) -> bool:
    """Return whether edge ``g`` of a ring runs straight on from edge ``h``."""
    x = d[h, 1] * d[g, 2] - d[h, 2] * d[g, 1]
    y = d[h, 2] * d[g, 0] - d[h, 0] * d[g, 2]
    z = d[h, 0] * d[g, 1] - d[h, 1] * d[g, 0]
    cosine = d[h, 0] * d[g, 0] + d[h, 1] * d[g, 1] + d[h, 2] * d[g, 2]
    return bool((cosine < 0) & (x * x + y * y + z * z < _STRAIGHT * _STRAIGHT))


@no_wraparound
@piece
def _meet(body: Faces, ring: Array, d: Array, at: _Sector, wa: float, wb: float, spot: Array) -> None:
    """Write where the borders of two strips meet in the one plane between them."""
    v, f = body.corners[ring[at.lo]], body.faces[ring[at.lo + at.i]]
    ax, ay, az = d[at.i, 0], d[at.i, 1], d[at.i, 2]
    bx, by, bz = d[at.j, 0], d[at.j, 1], d[at.j, 2]
    nx, ny, nz = body.normals[f, 0], body.normals[f, 1], body.normals[f, 2]
    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    length = np.sqrt(x * x + y * y + z * z)
    sine = x * nx + y * ny + z * nz
    if length > 1e-6:
        # in the corner's own plane: a bent face has another normal
        sign = 1.0 if sine >= 0 else -1.0
        nx, ny, nz = sign * x / length, sign * y / length, sign * z / length
        sine = sign * length
    cosine = ax * bx + ay * by + az * bz
    ux, uy, uz = ny * az - nz * ay, nz * ax - nx * az, nx * ay - ny * ax
    # where edges run nearly straight on, borders of different widths meet far away: there they meet half-way between
    far = abs(wb - wa) > abs(sine) * max(wa, wb)
    if cosine < 0 and (abs(sine) < 0.05 or far):
        wa = wb = 0.5 * (wa + wb)
        along = 0.5 * (wa + wb) * (1 + cosine) / (sine if sine != 0 else 1.0) if abs(sine) > 1e-9 else 0.0
    else:
        safe = sine if abs(sine) > 1e-9 else (1e-9 if sine >= 0 else -1e-9)
        along = (wb + wa * cosine) / safe
    spot[0] = body.points[v, 0] + along * ax + wa * ux
    spot[1] = body.points[v, 1] + along * ay + wa * uy
    spot[2] = body.points[v, 2] + along * az + wa * uz


@no_wraparound
@piece
def _border_end(body: Faces, ring: Array, strips: Strips, d: Array, at: _Sector, second: bool, apart: bool, spot: Array
                ) -> tuple[int, float, bool, bool]:  # fmt: skip
    """Write where the border of the strip at one side of a sector ends: on an edge, or inside the face beside the strip.

    Returns
    -------
    The edge of the ring; the sine of the angle between the strip and the edge it was to end on, and
    whether the corner there is hollow; whether it lies inside the face.
    """
    v, normals = body.corners[ring[at.lo]], body.normals
    h = at.j if second else at.i  # the picked edge, the edge that its strip ends on, the face beside it
    g = at.e2 if second else at.e1
    f = body.faces[ring[at.lo + (at.j - 1 if second else at.i)]]
    w = strips.width[at.eb if second else at.ea]
    sine = first_sine = 0.0
    first_hollow = hollow = behind = False
    begun = g
    while True:
        x = d[h, 1] * d[g, 2] - d[h, 2] * d[g, 1]
        y = d[h, 2] * d[g, 0] - d[h, 0] * d[g, 2]
        z = d[h, 0] * d[g, 1] - d[h, 1] * d[g, 0]
        sine = np.sqrt(x * x + y * y + z * z)
        cosine = d[h, 0] * d[g, 0] + d[h, 1] * d[g, 1] + d[h, 2] * d[g, 2]
        up = x * normals[f, 0] + y * normals[f, 1] + z * normals[f, 2]
        hollow = up > 0 if second else up < 0
        if g == begun:
            first_sine, first_hollow = sine, hollow
        # behind the point the strip would lie over the faces there
        behind = cosine < (-0.75 if at.ends else -1e-9) and apart
        # an edge of more faces than two is shared with faces beyond this ring: it stays as it is
        if not at.closed and g == 0:
            behind = behind or strips.firm[body.edge[ring[at.lo]]]
        elif not at.closed and g == at.size:
            behind = behind or strips.firm[body.edge[body.before[ring[at.lo + at.size - 1]]]]
        if not (hollow or behind) or abs(g - h) == 1:
            break
        g += 1 if second else -1
    if hollow or behind:
        # straight beside the old point and half the width before it
        sign = -1.0 if second else 1.0
        x = sign * (normals[f, 1] * d[h, 2] - normals[f, 2] * d[h, 1]) + 0.5 * d[h, 0]
        y = sign * (normals[f, 2] * d[h, 0] - normals[f, 0] * d[h, 2]) + 0.5 * d[h, 1]
        z = sign * (normals[f, 0] * d[h, 1] - normals[f, 1] * d[h, 0]) + 0.5 * d[h, 2]
    else:
        w = w / max(sine, 0.17)
        x, y, z = d[g, 0], d[g, 1], d[g, 2]
    spot[0], spot[1], spot[2] = body.points[v, 0] + w * x, body.points[v, 1] + w * y, body.points[v, 2] + w * z
    return g, first_sine, first_hollow, hollow or behind


@no_wraparound
@piece
def _along_profile(d: Array, at: _Sector, share: Array, instead: Array) -> None:
    """Share a strip's profile out among the faces in which it ends, by their angles at the point."""
    whole = so_far = 0.0
    for k in range(at.e1, at.e2):
        whole += np.arccos(min(1.0, max(-1.0, d[k, 0] * d[k + 1, 0] + d[k, 1] * d[k + 1, 1] + d[k, 2] * d[k + 1, 2])))
    for k in range(at.e1, at.e2):
        row = at.lo + k
        instead[row, 0] = PROFILE
        share[row, 1] = so_far / whole
        so_far += np.arccos(min(1.0, max(-1.0, d[k, 0] * d[k + 1, 0] + d[k, 1] * d[k + 1, 1] + d[k, 2] * d[k + 1, 2])))
        share[row, 0] = so_far / whole if k < at.e2 - 1 else 1.0
