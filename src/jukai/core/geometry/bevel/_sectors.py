"""Compiled: where the borders of the strips meet in the faces round each point, and how wide they may be.

Round a point, picked edges part the faces into *sectors*. Each sector gets a point of its own in
its faces, where the borders of its two strips meet; where faces lie between that no strip touches,
it gets one beside each strip instead, and the old point stays.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel

PLAIN, KEPT, PATCH, MITRE = 0, 1, 2, 3
NONE, PROFILE = -1, -2
"""Instead of the number of a point: none; or the points of the strip's profile that ends in this face."""


@kernel
def sectors(points: Array, corners: Array, following: Array, before: Array, corner_faces: Array, corner_edge: Array, normals: Array,
            picked: Array, firm: Array, width: Array, turn: Array, ring: Array, starts: Array, closes: Array, flat: float) -> Any:  # fmt: skip
    """New points beside the strips, and what takes the place of each corner.

    ``firm`` (e,) edges on which no point may lie, as other faces than those of the ring have them.

    Returns
    -------
    spots (s, 3), numbered after the old points. instead (r, 3): points that take the place of a
    corner of the ring, in the face's own order. after, ahead (r,): at a picked edge, the point where
    its strip begins and ends, counter-clockwise. kind (rings,): what is left open round the point
    (``PLAIN`` nothing, ``KEPT`` fans from the old point, ``PATCH``). tapered (rings,). one, two (r,): the
    picked edges that decide where a corner goes. ways (r, 3): unit vectors along the edges that leave the
    corners. picks (rings,): how many of them are picked.
    """
    n_points = points.shape[0]
    rings = starts.shape[0] - 1
    size_all = ring.shape[0]
    most = 0
    every = 0
    picks = np.zeros(rings, np.int32)
    for r in range(rings):
        most = max(most, starts[r + 1] - starts[r])
        for k in range(starts[r], starts[r + 1]):
            picks[r] += picked[corner_edge[ring[k]]]
        every += picks[r]
    spots = np.empty((2 * every + 2 * rings + 1, 3), np.float64)
    directions = np.empty((size_all, 3), np.float64)
    count = 0
    instead = np.full((size_all, 3), NONE, np.int32)
    share = np.zeros((size_all, 2), np.float64)
    after = np.full(size_all, NONE, np.int32)
    ahead = np.full(size_all, NONE, np.int32)
    one = np.full(size_all, -1, np.int32)
    two = np.full(size_all, -1, np.int32)
    kind = np.zeros(rings, np.int8)
    tapered = np.zeros(rings, np.bool_)
    d = np.empty((most + 1, 3), np.float64)
    at_pick = np.empty(most + 1, np.int32)
    same = np.zeros(most + 1, np.bool_)  # whether faces before and behind an edge that is not picked lie in one plane
    spot = np.empty(3)
    spot2 = np.empty(3)
    for k in range(size_all):
        c = ring[k]
        v, q = corners[c], corners[following[c]]
        x, y, z = points[q, 0] - points[v, 0], points[q, 1] - points[v, 1], points[q, 2] - points[v, 2]
        length = np.sqrt(x * x + y * y + z * z)
        length = length if length > 0 else 1.0
        directions[k, 0], directions[k, 1], directions[k, 2] = x / length, y / length, z / length
    for r in range(rings):
        lo = starts[r]
        size = starts[r + 1] - lo
        closed = closes[r]
        v = corners[ring[lo]]
        vx, vy, vz = points[v, 0], points[v, 1], points[v, 2]
        p = 0
        for i in range(size):
            c = ring[lo + i]
            d[i, 0], d[i, 1], d[i, 2] = directions[lo + i, 0], directions[lo + i, 1], directions[lo + i, 2]
            if picked[corner_edge[c]]:
                at_pick[p] = i
                p += 1
            elif i > 0:
                f, f0 = corner_faces[c], corner_faces[ring[lo + i - 1]]
                dot = normals[f0, 0] * normals[f, 0] + normals[f0, 1] * normals[f, 1] + normals[f0, 2] * normals[f, 2]
                same[i] = dot > flat
        if closed:
            d[size, 0], d[size, 1], d[size, 2] = d[0, 0], d[0, 1], d[0, 2]
        else:
            q = corners[before[ring[lo + size - 1]]]
            x, y, z = points[q, 0] - vx, points[q, 1] - vy, points[q, 2] - vz
            length = np.sqrt(x * x + y * y + z * z)
            length = length if length > 0 else 1.0
            d[size, 0], d[size, 1], d[size, 2] = x / length, y / length, z / length
        kept = not closed and p > 1
        n_sectors = p if closed else p + 1
        for s in range(n_sectors):
            if closed:
                i = at_pick[s]
                j = at_pick[s + 1] if s + 1 < p else size
                ea = corner_edge[ring[lo + i]]
                eb = corner_edge[ring[lo + (j if j < size else 0)]]
            else:
                i = at_pick[s - 1] if s > 0 else 0
                j = at_pick[s] if s < p else size
                ea = corner_edge[ring[lo + i]] if s > 0 else -1
                eb = corner_edge[ring[lo + j]] if s < p else -1
            f0 = corner_faces[ring[lo + i]]
            for k in range(i, j):
                one[lo + k] = ea
                two[lo + k] = eb
            # faces in one plane count as one: from each side, the first edge between that is not in the plane
            e1 = i + 1
            while e1 < j and same[e1]:
                e1 += 1
            e2 = j - 1
            while e2 > i and same[e2]:
                e2 -= 1
            level = e1 == j
            ends = closed and p == 1 and e1 < e2  # a strip that may end in the plane across the point
            for k in range(e1 + 1, e2):
                ends = ends and same[k]
            single = True
            inside_first = inside_last = False  # the sector's own points lie in a face, not on its first or last edge
            g1, g2 = e1, e2  # the edges on which they lie
            if closed and p == 1 and (level or (turn[ea] < 1e-3 and not ends)):
                # an edge that ends between the two sides of one face, or on a plain: there it runs to a point
                spot[0], spot[1], spot[2] = vx, vy, vz
            elif ea >= 0 and eb >= 0 and level:
                wa, wb = width[ea], width[eb]
                ax, ay, az = d[i, 0], d[i, 1], d[i, 2]
                bx, by, bz = d[j, 0], d[j, 1], d[j, 2]
                nx, ny, nz = normals[f0, 0], normals[f0, 1], normals[f0, 2]
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
                if abs(sine) < 0.05 and cosine < 0:
                    along = 0.5 * (wa + wb) * (1 + cosine) / (sine if sine != 0 else 1.0) if abs(sine) > 1e-9 else 0.0
                else:
                    safe = sine if abs(sine) > 1e-9 else (1e-9 if sine >= 0 else -1e-9)
                    along = (wb + wa * cosine) / safe
                spot[0] = vx + along * ax + wa * ux
                spot[1] = vy + along * ay + wa * uy
                spot[2] = vz + along * az + wa * uz
            else:
                # how far the border of a strip cuts its neighbouring edges; sines of the angles to them
                apart = (closed and p == 1) or (ea >= 0 and eb >= 0 and e1 != e2)
                sf = sl = 0.0
                folds = False
                for side in range(2):
                    if (ea if side == 0 else eb) < 0:
                        continue
                    h = i if side == 0 else j  # the picked edge, the edge that its strip ends on, the face beside it
                    g = e1 if side == 0 else e2
                    f = corner_faces[ring[lo + (i if side == 0 else j - 1)]]
                    w = width[ea if side == 0 else eb]
                    begun = g
                    while True:
                        x = d[h, 1] * d[g, 2] - d[h, 2] * d[g, 1]
                        y = d[h, 2] * d[g, 0] - d[h, 0] * d[g, 2]
                        z = d[h, 0] * d[g, 1] - d[h, 1] * d[g, 0]
                        sine = np.sqrt(x * x + y * y + z * z)
                        cosine = d[h, 0] * d[g, 0] + d[h, 1] * d[g, 1] + d[h, 2] * d[g, 2]
                        up = x * normals[f, 0] + y * normals[f, 1] + z * normals[f, 2]
                        hollow = up < 0 if side == 0 else up > 0
                        if g == begun:
                            if side == 0:
                                sf = sine
                            else:
                                sl = sine
                            folds = folds or hollow
                        # behind the point the strip would lie over the faces there
                        behind = cosine < (-0.75 if ends else -1e-9) and apart
                        # an edge of more faces than two is shared with faces beyond this ring: it stays as it is
                        if not closed and g == 0:
                            behind = behind or firm[corner_edge[ring[lo]]]
                        elif not closed and g == size:
                            behind = behind or firm[corner_edge[before[ring[lo + size - 1]]]]
                        if not (hollow or behind) or abs(g - h) == 1:
                            break
                        g += -1 if side == 0 else 1
                    if side == 0:
                        inside_first = hollow or behind
                        g1 = g
                    else:
                        inside_last = hollow or behind
                        g2 = g
                    if hollow or behind:
                        # straight beside the old point and half the width before it
                        sign = 1.0 if side == 0 else -1.0
                        ux = sign * (normals[f, 1] * d[h, 2] - normals[f, 2] * d[h, 1])
                        uy = sign * (normals[f, 2] * d[h, 0] - normals[f, 0] * d[h, 2])
                        uz = sign * (normals[f, 0] * d[h, 1] - normals[f, 1] * d[h, 0])
                        x, y, z = (
                            vx + w * (ux + 0.5 * d[h, 0]),
                            vy + w * (uy + 0.5 * d[h, 1]),
                            vz + w * (uz + 0.5 * d[h, 2]),
                        )
                    else:
                        slide = w / max(sine, 0.17)
                        x, y, z = vx + slide * d[g, 0], vy + slide * d[g, 1], vz + slide * d[g, 2]
                    if side == 0:
                        spot[0], spot[1], spot[2] = x, y, z
                    else:
                        spot2[0], spot2[1], spot2[2] = x, y, z
                if ea >= 0 and eb >= 0 and e1 == e2:
                    # what keeps both strips nearest to their widths, by least squares
                    slide = (width[ea] * sf + width[eb] * sl) / max(sf * sf + sl * sl, 0.03)
                    if folds:
                        tapered[r] = True
                        slide = 0.0
                    spot[0] = vx + slide * d[e1, 0]
                    spot[1] = vy + slide * d[e1, 1]
                    spot[2] = vz + slide * d[e1, 2]
                elif ea < 0 and level and not inside_last:  # only the face at the rim lies between
                    spot[0], spot[1], spot[2] = spot2[0], spot2[1], spot2[2]
                elif eb < 0 and level and not inside_first:
                    pass
                else:
                    single = False
            if single:
                spots[count, 0], spots[count, 1], spots[count, 2] = spot[0], spot[1], spot[2]
                for k in range(i, j):
                    instead[lo + k, 0] = n_points + count
                first = last = n_points + count
                count += 1
            else:
                ends = ends and not inside_first and not inside_last and g1 == e1 and g2 == e2
                kept = kept or not ends
                first = last = NONE
                if ea >= 0:
                    spots[count, 0], spots[count, 1], spots[count, 2] = spot[0], spot[1], spot[2]
                    first = n_points + count
                    count += 1
                if eb >= 0:
                    spots[count, 0], spots[count, 1], spots[count, 2] = spot2[0], spot2[1], spot2[2]
                    last = n_points + count
                    count += 1
                whole = 0.0
                if ends:
                    for k in range(e1, e2):
                        dot = d[k, 0] * d[k + 1, 0] + d[k, 1] * d[k + 1, 1] + d[k, 2] * d[k + 1, 2]
                        whole += np.arccos(min(1.0, max(-1.0, dot)))
                so_far = 0.0
                for k in range(i, j):
                    # in the face's own order: along its arriving side, the old point, its leaving side
                    if ends and e1 <= k < e2:
                        instead[lo + k, 0] = PROFILE
                        share[lo + k, 1] = so_far / whole
                        dot = d[k, 0] * d[k + 1, 0] + d[k, 1] * d[k + 1, 1] + d[k, 2] * d[k + 1, 2]
                        so_far += np.arccos(min(1.0, max(-1.0, dot)))
                        share[lo + k, 0] = so_far / whole if k < e2 - 1 else 1.0
                        continue
                    t = 0
                    if eb >= 0 and (k >= g2 or (k == g2 - 1 and not inside_last)):
                        instead[lo + k, t] = last
                        t += 1
                    if not (ea >= 0 and not inside_first and k < g1) and not (eb >= 0 and not inside_last and k >= g2):
                        instead[lo + k, t] = v
                        t += 1
                    if ea >= 0 and (k < g1 or (k == g1 and not inside_first)):
                        instead[lo + k, t] = first
            if ea >= 0:
                after[lo + i] = first
            if eb >= 0:
                ahead[lo + (j if j < size else 0)] = last
        if kept:
            kind[r] = KEPT
        elif closed and p > 2:
            kind[r] = PATCH
    return spots[:count], instead, share, after, ahead, kind, tapered, one, two, directions, picks


@kernel
def shrinking(which: Array, points: Array, corners: Array, following: Array, position: Array, instead: Array, share: Array, after: Array, ahead: Array, begins: Array,
              spots: Array, one: Array, two: Array, width: Array, limit: Array) -> float:  # fmt: skip
    """Lower ``limit`` (e,) to what the sides at corners ``which`` allow; return the share of all widths that fits.

    What a side loses grows with the widths in proportion, so the share is exact.
    """
    n = points.shape[0]
    fits = np.inf
    ends = np.empty((2, 3))
    for c in which:
        g = following[c]
        k, h = position[c], position[g]
        if k < 0 and h < 0:
            continue
        p, q = corners[c], corners[g]
        x, y, z = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
        square = x * x + y * y + z * z
        if not square > 0:
            continue
        for side in range(2):
            at = k if side == 0 else h
            old = p if side == 0 else q
            new = old
            if at >= 0:
                if instead[at, 0] == PROFILE:
                    # on the chord across the strip
                    part = share[at, 1 if side == 0 else 0]
                    p0, p1 = after[begins[at]] - n, ahead[begins[at]] - n
                    for t in range(3):
                        ends[side, t] = (1 - part) * spots[p0, t] + part * spots[p1, t]
                    continue
                if side == 1 or instead[at, 1] == NONE:
                    new = instead[at, 0]
                else:
                    new = instead[at, 2] if instead[at, 2] != NONE else instead[at, 1]
            for t in range(3):
                ends[side, t] = points[old, t] if new < n else spots[new - n, t]
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
            for side in range(2):
                at = k if side == 0 else h
                if at >= 0:
                    if one[at] >= 0:
                        limit[one[at]] = min(limit[one[at]], ratio * width[one[at]])
                    if two[at] >= 0:
                        limit[two[at]] = min(limit[two[at]], ratio * width[two[at]])
    return fits


@kernel
def parting(which: Array, points: Array, corners: Array, offsets: Array, normals: Array, position: Array, instead: Array, part: Array, after: Array, ahead: Array,
            begins: Array, spots: Array, one: Array, two: Array, width: Array, limit: Array) -> float:  # fmt: skip
    """Lower ``limit`` (e,) to where a corner of a hollow face of those ``which`` runs into a side across it; return the share that fits.

    Corners move in proportion to the widths; a corner meets a side where a polynomial of second
    degree in the share is nothing (the split events of Aichholzer et al. 1995, with any speeds).
    """
    n = points.shape[0]
    fits = np.inf
    most = 0
    for f in which:
        most = max(most, offsets[f + 1] - offsets[f])
    base = np.empty((3 * most, 3))
    move = np.empty((3 * most, 3))
    flow = np.empty((3 * most, 2))
    rest = np.empty((3 * most, 2))
    reach = np.empty(3 * most)
    of = np.empty(3 * most, np.int32)
    for f in which:
        lo, hi = offsets[f], offsets[f + 1]
        if hi - lo < 4:
            continue
        nx, ny, nz = normals[f, 0], normals[f, 1], normals[f, 2]
        hollow = bridged = False
        count = 0
        for c in range(lo, hi):
            p = corners[c]
            q = corners[c + 1 if c + 1 < hi else lo]
            o = corners[c - 1 if c > lo else hi - 1]
            ax, ay, az = points[p, 0] - points[o, 0], points[p, 1] - points[o, 1], points[p, 2] - points[o, 2]
            bx, by, bz = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
            up = (ay * bz - az * by) * nx + (az * bx - ax * bz) * ny + (ax * by - ay * bx) * nz
            least = 1e-18 * (ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz)
            hollow = hollow or (up < 0 and up * up > least)
            at = position[c]
            hollow = hollow or (at >= 0 and (instead[at, 0] == PROFILE or instead[at, 1] != NONE))
        if not hollow:
            continue
        for c in range(lo, hi):
            p = corners[c]
            at = position[c]
            cut = at >= 0 and instead[at, 0] == PROFILE
            for t in range(3):
                if at < 0:
                    new = p if t == 0 else NONE
                elif cut:
                    new = p if t < 2 else NONE
                else:
                    new = instead[at, t]
                if new == NONE:
                    break
                for x in range(3):
                    base[count, x] = points[p, x]
                    move[count, x] = 0.0 if new < n else spots[new - n, x] - points[p, x]
                    if cut:
                        p0, p1 = after[begins[at]] - n, ahead[begins[at]] - n
                        move[count, x] = (1 - part[at, t]) * spots[p0, x] + part[at, t] * spots[p1, x] - points[p, x]
                of[count] = c
                count += 1
        for c in range(lo, hi):
            for g in range(lo, c):
                bridged = bridged or corners[g] == corners[c]
        # in the plane of the face
        ux, uy, uz = 1.0, 0.0, 0.0
        if abs(nx) > abs(ny):
            ux, uy = 0.0, 1.0
        dot = ux * nx + uy * ny + uz * nz
        ux, uy, uz = ux - dot * nx, uy - dot * ny, uz - dot * nz
        length = np.sqrt(ux * ux + uy * uy + uz * uz)
        ux, uy, uz = ux / length, uy / length, uz / length
        wx, wy, wz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
        ox, oy, oz = base[0, 0], base[0, 1], base[0, 2]
        for i in range(count):
            x, y, z = base[i, 0] - ox, base[i, 1] - oy, base[i, 2] - oz
            rest[i, 0], rest[i, 1] = x * ux + y * uy + z * uz, x * wx + y * wy + z * wz
            x, y, z = move[i, 0], move[i, 1], move[i, 2]
            flow[i, 0], flow[i, 1] = x * ux + y * uy + z * uz, x * wx + y * wy + z * wz
            reach[i] = 1.05 * np.sqrt(x * x + y * y + z * z)
        for i in range(count):
            for k in range(count):
                g = k + 1 if k + 1 < count else 0
                if of[k] == of[i] or of[g] == of[i]:
                    continue
                room = reach[i] + max(reach[k], reach[g])
                x, y = rest[i, 0], rest[i, 1]
                if (x < min(rest[k, 0], rest[g, 0]) - room or x > max(rest[k, 0], rest[g, 0]) + room
                        or y < min(rest[k, 1], rest[g, 1]) - room or y > max(rest[k, 1], rest[g, 1]) + room):  # fmt: skip
                    continue
                # side k to g, seen from point i: (a + b λ) × (c + e λ)
                ax, ay = rest[g, 0] - rest[k, 0], rest[g, 1] - rest[k, 1]
                bx, by = flow[g, 0] - flow[k, 0], flow[g, 1] - flow[k, 1]
                cx, cy = rest[i, 0] - rest[k, 0], rest[i, 1] - rest[k, 1]
                ex, ey = flow[i, 0] - flow[k, 0], flow[i, 1] - flow[k, 1]
                two_ = bx * ey - by * ex
                one_ = ax * ey - ay * ex + bx * cy - by * cx
                none = ax * cy - ay * cx
                disc = one_ * one_ - 4 * two_ * none
                if disc < 0:
                    continue
                root = np.sqrt(disc)
                root_sum = -0.5 * (one_ + (root if one_ >= 0 else -root))
                for answer in range(2):
                    if answer == 0:
                        share = none / root_sum if root_sum != 0 else -1.0
                    else:
                        share = root_sum / two_ if two_ != 0 else -1.0
                    if not (1e-9 < share < 1.05) or share >= fits * 4:
                        continue
                    if one_ + 2 * two_ * share >= 0:  # it comes from outside, or along the side
                        continue
                    x, y = ax + bx * share, ay + by * share
                    along = (cx + ex * share) * x + (cy + ey * share) * y
                    long = x * x + y * y
                    if not (-1e-9 * long <= along <= (1 + 1e-9) * long):
                        continue
                    if bridged:
                        share *= 0.999  # it can't be parted where it meets itself: a gap is left
                    fits = min(fits, share)
                    if share < 1 - 1e-12:
                        for end in (i, k, g):
                            at = position[of[end]]
                            if at >= 0:
                                if one[at] >= 0:
                                    limit[one[at]] = min(limit[one[at]], share * width[one[at]])
                                if two[at] >= 0:
                                    limit[two[at]] = min(limit[two[at]], share * width[two[at]])
    return fits
