"""Compiled: the faces round each point that a picked edge meets, and the points that take its place.

Round a point, picked edges part the faces into *sectors*. Each sector gets a point of its own in
its faces (where the borders of its two strips meet), and across each picked edge a *profile* of n
chords joins the points of the sectors on its sides. What then is left open round the point is a
corner: nothing where one or two strips meet, else a patch; or, where faces lie between that no
strip touches, fans from the old point.
"""

# ruff: noqa: SIM108 - written for the compiler
from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.kernels import kernel

PLAIN, KEPT, PATCH = 0, 1, 2


@kernel
def walk(corners: Any, following: Any, before: Any, twins: Any, point_offsets: Any, point_corners: Any,
         corner_edge: Any, picked: Any, where: Any, room: int) -> Any:  # fmt: skip
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


@kernel
def places(points: Any, corners: Any, following: Any, before: Any, corner_faces: Any, corner_edge: Any, normals: Any,
           picked: Any, width: Any, turn: Any, ring: Any, starts: Any, closes: Any, n: int, tables: Any, flat: float) -> Any:  # fmt: skip
    """New points, what takes the place of each corner, the profiles, the corners left open.

    ``tables`` is what ``profiles.profile_tables`` gives. The corner left open at each point is
    ``PLAIN`` (nothing), ``KEPT`` (fans from the old point) or ``PATCH``.
    """
    n_corners = corners.shape[0]
    n_points = points.shape[0]
    rings = starts.shape[0] - 1
    most = 0
    picks_total = 0
    for r in range(rings):
        most = max(most, starts[r + 1] - starts[r])
        for k in range(starts[r], starts[r + 1]):
            picks_total += picked[corner_edge[ring[k]]]
    room = picks_total * (n + 3) + 2 * rings + 1
    made = np.empty((room, 3), np.float64)
    count = 0
    repl_start = np.arange(n_corners).astype(np.int32)
    repl_count = np.ones(n_corners, np.int32)
    repl_ids = np.empty(n_corners + ring.shape[0] * 3 + picks_total * (n + 1), np.int32)
    repl_ids[:n_corners] = corners
    filled = n_corners
    prof = np.full(n_corners, -1, np.int32)  # first of the n + 1 ids of the profile at the side that leaves a corner
    prof_ids = np.empty(picks_total * (n + 1), np.int32)
    prof_filled = 0
    sector_a = np.full(n_corners, -1, np.int32)  # picked edges that decide where a corner goes
    sector_b = np.full(n_corners, -1, np.int32)
    kind = np.zeros(rings, np.int8)
    tapered = np.zeros(rings, np.bool_)
    d = np.empty((most + 1, 3), np.float64)
    first_id = np.empty(most + 1, np.int32)  # of the sector after a picked edge, and of the one before
    last_id = np.empty(most + 1, np.int32)
    at_pick = np.empty(most + 1, np.int32)
    spot = np.empty(3)
    spot2 = np.empty(3)
    for r in range(rings):
        lo = starts[r]
        size = starts[r + 1] - lo
        closed = closes[r]
        v = corners[ring[lo]]
        vx, vy, vz = points[v, 0], points[v, 1], points[v, 2]
        p = 0
        for i in range(size):
            c = ring[lo + i]
            q = corners[following[c]]
            x, y, z = points[q, 0] - vx, points[q, 1] - vy, points[q, 2] - vz
            length = np.sqrt(x * x + y * y + z * z)
            length = length if length > 0 else 1.0
            d[i, 0], d[i, 1], d[i, 2] = x / length, y / length, z / length
            if picked[corner_edge[c]]:
                at_pick[p] = i
                p += 1
        c = ring[lo + size - 1]
        if closed:
            d[size, 0], d[size, 1], d[size, 2] = d[0, 0], d[0, 1], d[0, 2]
        else:
            q = corners[before[c]]
            x, y, z = points[q, 0] - vx, points[q, 1] - vy, points[q, 2] - vz
            length = np.sqrt(x * x + y * y + z * z)
            length = length if length > 0 else 1.0
            d[size, 0], d[size, 1], d[size, 2] = x / length, y / length, z / length
        kept = not closed and p > 1
        sectors = p if closed else p + 1
        # a point for each sector; ids of sector s: first_id[s] beside the picked edge before it, last_id[s] beside the one after
        for s in range(sectors):
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
            for k in range(i, j):
                sector_a[ring[lo + k]] = ea
                sector_b[ring[lo + k]] = eb
            # is it flat, and by what angle does it turn
            f0 = corner_faces[ring[lo + i]]
            level = True
            for k in range(i + 1, j):
                f = corner_faces[ring[lo + k]]
                dot = normals[f0, 0] * normals[f, 0] + normals[f0, 1] * normals[f, 1] + normals[f0, 2] * normals[f, 2]
                level = level and dot > flat
            m = j - i - 1
            # an edge that ends between the two sides of one face, or on a plain: there it runs to a point
            single = closed and p == 1 and (m == 0 or (m > 2 and turn[ea] < 1e-3))
            if single:
                spot[0], spot[1], spot[2] = vx, vy, vz
            split_first = split_last = False  # the sector's own points lie on its first and last unpicked edge
            inside_first = inside_last = False  # or inside its first and last face, before a hollow corner
            if single:
                pass
            elif ea >= 0 and eb >= 0 and (m == 0 or (level and (p > 1 or not closed))):
                wa, wb = width[ea], width[eb]
                ax, ay, az = d[i, 0], d[i, 1], d[i, 2]
                bx, by, bz = d[j, 0], d[j, 1], d[j, 2]
                nx, ny, nz = normals[f0, 0], normals[f0, 1], normals[f0, 2]
                x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
                length = np.sqrt(x * x + y * y + z * z)
                sine = x * nx + y * ny + z * nz
                if length > 1e-6:
                    # in the corner's own plane: a bent face has another normal
                    way = 1.0 if sine >= 0 else -1.0
                    nx, ny, nz = way * x / length, way * y / length, way * z / length
                    sine = way * length
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
                single = True
            else:
                # how far the border of a strip cuts its neighbouring edges
                sf = sl = 0.0
                if ea >= 0:
                    c = ring[lo + i]
                    f = corner_faces[c]
                    x = d[i, 1] * d[i + 1, 2] - d[i, 2] * d[i + 1, 1]
                    y = d[i, 2] * d[i + 1, 0] - d[i, 0] * d[i + 1, 2]
                    z = d[i, 0] * d[i + 1, 1] - d[i, 1] * d[i + 1, 0]
                    sine = np.sqrt(x * x + y * y + z * z)
                    if x * normals[f, 0] + y * normals[f, 1] + z * normals[f, 2] < 0:
                        inside_first = True
                    sf = width[ea] / max(sine, 0.17)
                if eb >= 0:
                    c = ring[lo + j - 1]
                    f = corner_faces[c]
                    x = d[j - 1, 1] * d[j, 2] - d[j - 1, 2] * d[j, 1]
                    y = d[j - 1, 2] * d[j, 0] - d[j - 1, 0] * d[j, 2]
                    z = d[j - 1, 0] * d[j, 1] - d[j - 1, 1] * d[j, 0]
                    sine = np.sqrt(x * x + y * y + z * z)
                    if x * normals[f, 0] + y * normals[f, 1] + z * normals[f, 2] < 0:
                        inside_last = True
                    sl = width[eb] / max(sine, 0.17)
                if ea >= 0 and eb >= 0 and m == 1:
                    if inside_first or inside_last:
                        tapered[r] = True
                        slide = 0.0
                    else:
                        slide = 0.5 * (sf + sl)
                    spot[0] = vx + slide * d[i + 1, 0]
                    spot[1] = vy + slide * d[i + 1, 1]
                    spot[2] = vz + slide * d[i + 1, 2]
                    single = True
                elif ea < 0 and m == 0 and not inside_last:  # only the face at the rim lies between
                    spot[0], spot[1], spot[2] = vx + sl * d[i, 0], vy + sl * d[i, 1], vz + sl * d[i, 2]
                    single = True
                elif eb < 0 and m == 0 and not inside_first:
                    spot[0], spot[1], spot[2] = vx + sf * d[j, 0], vy + sf * d[j, 1], vz + sf * d[j, 2]
                    single = True
                else:
                    ends = closed and p == 1 and m == 2 and not inside_first and not inside_last
                    kept = kept or not ends
                    if ea >= 0:
                        split_first = not inside_first
                        if inside_first:
                            f = corner_faces[ring[lo + i]]
                            w = width[ea]
                            spot[0] = vx + w * (normals[f, 1] * d[i, 2] - normals[f, 2] * d[i, 1])
                            spot[1] = vy + w * (normals[f, 2] * d[i, 0] - normals[f, 0] * d[i, 2])
                            spot[2] = vz + w * (normals[f, 0] * d[i, 1] - normals[f, 1] * d[i, 0])
                        else:
                            for k in range(3):
                                spot[k] = points[v, k] + sf * d[i + 1, k]
                    if eb >= 0:
                        split_last = not inside_last
                        if inside_last:
                            f = corner_faces[ring[lo + j - 1]]
                            w = width[eb]
                            spot2[0] = vx - w * (normals[f, 1] * d[j, 2] - normals[f, 2] * d[j, 1])
                            spot2[1] = vy - w * (normals[f, 2] * d[j, 0] - normals[f, 0] * d[j, 2])
                            spot2[2] = vz - w * (normals[f, 0] * d[j, 1] - normals[f, 1] * d[j, 0])
                        else:
                            for k in range(3):
                                spot2[k] = points[v, k] + sl * d[j - 1, k]
            if single:
                made[count] = spot
                first_id[s] = last_id[s] = n_points + count
                for k in range(i, j):
                    c = ring[lo + k]
                    repl_start[c] = filled
                    repl_ids[filled] = n_points + count
                    filled += 1
                count += 1
                continue
            one = two = -1
            if ea >= 0:
                made[count] = spot
                one = n_points + count
                count += 1
            if eb >= 0:
                made[count] = spot2
                two = n_points + count
                count += 1
            first_id[s], last_id[s] = one, two
            ends = closed and p == 1 and m == 2 and not inside_first and not inside_last
            for k in range(i, j):
                c = ring[lo + k]
                repl_start[c] = filled
                # in the face's own order: along its arriving side, the old point, its leaving side
                if (k == j - 1 and eb >= 0) or (k + 1 == j - 1 and split_last):
                    repl_ids[filled] = two
                    filled += 1
                if ends and k == i + 1:
                    repl_count[c] = -1  # the profile follows
                    continue
                if (not (k == i and ea >= 0 and split_first)) and (not (k == j - 1 and eb >= 0 and split_last)):
                    repl_ids[filled] = v
                    filled += 1
                if (k == i and ea >= 0) or (k == i + 1 and split_first):
                    repl_ids[filled] = one
                    filled += 1
                repl_count[c] = filled - repl_start[c]
        # profiles across the picked edges
        for a in range(p):
            i = at_pick[a]
            c = ring[lo + i]
            e = corner_edge[c]
            after = a if closed else a + 1
            earlier = (a - 1 if a > 0 else p - 1) if closed else a
            start, stop = first_id[after], last_id[earlier]
            prof[c] = prof_filled
            shared = closed and p == 2 and not kept
            if shared and a == 1:
                other = prof[ring[lo + at_pick[0]]]
                for k in range(n + 1):
                    prof_ids[prof_filled + k] = prof_ids[other + n - k]
                prof_filled += n + 1
                continue
            for k in range(3):
                spot[k] = made[start - n_points, k]
                spot2[k] = made[stop - n_points, k]
            mx, my, mz = vx, vy, vz
            phi = turn[e]
            if shared:
                phi = 0.5 * (turn[e] + turn[corner_edge[ring[lo + at_pick[1]]]])
            elif p > 1 or (kept and closed):
                along = 0.5 * ((spot[0] + spot2[0] - 2 * vx) * d[i, 0] + (spot[1] + spot2[1] - 2 * vy) * d[i, 1]
                               + (spot[2] + spot2[2] - 2 * vz) * d[i, 2])  # fmt: skip
                mx, my, mz = vx + along * d[i, 0], vy + along * d[i, 1], vz + along * d[i, 2]
            prof_ids[prof_filled] = start
            prof_ids[prof_filled + n] = stop
            for k in range(1, n):
                if start == stop:
                    prof_ids[prof_filled + k] = start
                    continue
                alpha = beta = 0.0
                for side in range(2):
                    t = k / n if side == 0 else (n - k) / n
                    j = k if side == 0 else n - k
                    if phi > 1e-4:
                        round_ = (1 - np.cos(t * phi)) / (1 - np.cos(phi))
                    else:
                        round_ = t * t
                    share = tables[2, 0] * tables[0, j] + tables[2, 1] * round_ + tables[2, 2] * tables[1, j]
                    if side == 0:
                        beta = share
                    else:
                        alpha = share
                if tables[3, 0] > 0:  # hollow: the round seen from the other side of its chord
                    alpha, beta = 1 - beta, 1 - alpha
                made[count, 0] = mx + alpha * (spot[0] - mx) + beta * (spot2[0] - mx)
                made[count, 1] = my + alpha * (spot[1] - my) + beta * (spot2[1] - my)
                made[count, 2] = mz + alpha * (spot[2] - mz) + beta * (spot2[2] - mz)
                prof_ids[prof_filled + k] = n_points + count
                count += 1
            prof_filled += n + 1
        if kept:
            kind[r] = KEPT
        elif closed and p > 2:
            kind[r] = PATCH
        # one strip that ends in a face: the profile is a part of that face's border
        if closed and p == 1:
            for k in range(size):
                c = ring[lo + k]
                if repl_count[c] == -1:
                    begin = prof[ring[lo + at_pick[0]]]
                    repl_start[c] = filled
                    for t in range(n, -1, -1):
                        repl_ids[filled] = prof_ids[begin + t]
                        filled += 1
                    repl_count[c] = n + 1
    return (made[:count].copy(), repl_start, repl_count, repl_ids[:filled].copy(), prof, prof_ids[:prof_filled].copy(),
            kind, tapered, sector_a, sector_b)  # fmt: skip
