"""Compiled smooth fans: the corners round a point that share a normal."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.kernels import kernel, piece


@kernel
def frames_loop(points: Array, corners: Array, offsets: Array) -> tuple[Floats, Floats, Floats]:
    """Vector area and unit normal of each face, and its angle at each of its corners.

    The angle is atan2 of (cross, dot) through the half angle, whose tangent needs no quadrant; the
    arc tangent is the rational function of Moshier, Methods and Programs for Mathematical
    Functions, 1989, good to the last bits of a double.
    """
    faces = offsets.shape[0] - 1
    areas = np.empty((faces, 3), np.float64)
    normals = np.empty((faces, 3), np.float64)
    angles = np.empty(corners.shape[0], np.float64)
    room = 4096
    for f in range(faces):
        room = max(room, offsets[f + 1] - offsets[f])
    # sines, cosines and lengths of a block of corners, so that what follows runs several at a time
    sines = np.empty(room, np.float64)
    cosines = np.empty(room, np.float64)
    lengths = np.empty(room, np.float64)
    f = 0
    while f < faces:
        base = offsets[f]
        while f < faces and offsets[f + 1] - base <= room:
            first, last = offsets[f], offsets[f + 1]
            if last - first == 3:
                a, b, c = corners[first], corners[first + 1], corners[first + 2]
                ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
                vx, vy, vz = points[c, 0] - points[b, 0], points[c, 1] - points[b, 1], points[c, 2] - points[b, 2]
                wx, wy, wz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
                sx, sy, sz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
                uu, vv, ww = ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, wx * wx + wy * wy + wz * wz
                k = first - base
                sines[k] = sines[k + 1] = sines[k + 2] = sx * sx + sy * sy + sz * sz
                cosines[k] = ux * wx + uy * wy + uz * wz
                cosines[k + 1] = -(ux * vx + uy * vy + uz * vz)
                cosines[k + 2] = vx * wx + vy * wy + vz * wz
                lengths[k], lengths[k + 1], lengths[k + 2] = uu * ww, uu * vv, vv * ww
            elif last - first == 4:
                a, b, c, d = corners[first], corners[first + 1], corners[first + 2], corners[first + 3]
                ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
                vx, vy, vz = points[c, 0] - points[b, 0], points[c, 1] - points[b, 1], points[c, 2] - points[b, 2]
                wx, wy, wz = points[d, 0] - points[c, 0], points[d, 1] - points[c, 1], points[d, 2] - points[c, 2]
                tx, ty, tz = points[a, 0] - points[d, 0], points[a, 1] - points[d, 1], points[a, 2] - points[d, 2]
                # the corners at b and d are cut off by the diagonal: their normals, and those at a and c
                px, py, pz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
                qx, qy, qz = wy * tz - wz * ty, wz * tx - wx * tz, wx * ty - wy * tx
                sx, sy, sz = px + qx, py + qy, pz + qz
                rx, ry, rz = ty * uz - tz * uy, tz * ux - tx * uz, tx * uy - ty * ux
                ox, oy, oz = vy * wz - vz * wy, vz * wx - vx * wz, vx * wy - vy * wx
                uu, vv = ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz
                ww, tt = wx * wx + wy * wy + wz * wz, tx * tx + ty * ty + tz * tz
                k = first - base
                sines[k], sines[k + 1] = rx * rx + ry * ry + rz * rz, px * px + py * py + pz * pz
                sines[k + 2], sines[k + 3] = ox * ox + oy * oy + oz * oz, qx * qx + qy * qy + qz * qz
                cosines[k] = -(tx * ux + ty * uy + tz * uz)
                cosines[k + 1] = -(ux * vx + uy * vy + uz * vz)
                cosines[k + 2] = -(vx * wx + vy * wy + vz * wz)
                cosines[k + 3] = -(wx * tx + wy * ty + wz * tz)
                lengths[k], lengths[k + 1], lengths[k + 2], lengths[k + 3] = tt * uu, uu * vv, vv * ww, ww * tt
            else:
                o = corners[first] if last > first else 0
                p = o
                h = corners[last - 1] if last > first else 0
                bx, by, bz = points[h, 0] - points[o, 0], points[h, 1] - points[o, 1], points[h, 2] - points[o, 2]
                back = bx * bx + by * by + bz * bz
                rx = ry = rz = 0.0  # from the first corner to this one
                sx = sy = sz = 0.0
                for i in range(first, last):
                    q = corners[i + 1] if i + 1 < last else o
                    ax, ay, az = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
                    ahead = ax * ax + ay * ay + az * az
                    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
                    sines[i - base] = x * x + y * y + z * z
                    cosines[i - base] = ax * bx + ay * by + az * bz
                    lengths[i - base] = ahead * back
                    ex, ey, ez = rx + ax, ry + ay, rz + az
                    sx += ry * ez - rz * ey
                    sy += rz * ex - rx * ez
                    sz += rx * ey - ry * ex
                    rx, ry, rz = ex, ey, ez
                    bx, by, bz, back = -ax, -ay, -az, ahead
                    p = q
            sx, sy, sz = 0.5 * sx, 0.5 * sy, 0.5 * sz
            areas[f, 0], areas[f, 1], areas[f, 2] = sx, sy, sz
            length = np.sqrt(sx * sx + sy * sy + sz * sz)
            length = length if length > 0 else 1.0
            normals[f, 0], normals[f, 1], normals[f, 2] = sx / length, sy / length, sz / length
            f += 1
        for k in range(offsets[f] - base):
            dot = cosines[k]
            under = np.sqrt(lengths[k]) + abs(dot)
            t = np.sqrt(sines[k]) / (under if under > 0 else 1.0)  # tangent of half the angle to the nearer side
            u = (t - 1.0) / (t + 1.0) if t > 0.66 else t
            w = u * u
            top = w * ((((-8.750608600031904122785e-1 * w - 1.615753718733365076637e1) * w
                         - 7.500855792314704667340e1) * w - 1.228866684490136173410e2) * w
                       - 6.485021904942025371773e1)  # fmt: skip
            low = (((((w + 2.485846490142306297962e1) * w + 1.650270098316988542046e2) * w
                     + 4.328810604912902668951e2) * w + 4.853903996359136964868e2) * w
                   + 1.945506571482613964425e2)  # fmt: skip
            arc = u + u * (top / low) + (0.78539816339744830962 if t > 0.66 else 0.0)
            angles[base + k] = 2.0 * arc if dot >= 0 else np.pi - 2.0 * arc
    return areas, normals, angles


class _Room(NamedTuple):
    """What is known of the corners round the point that is worked on, in the order of the corners.

    The points that the sides leaving and arriving there lead to (``ahead``, ``behind``) and the face;
    ``match`` the corner across the side that leaves, -1 where no single face is; ``met`` whether such
    a corner was found for the side that arrives; ``parent`` joins corners that share a fan (a forest
    of disjoint sets, Galler and Fischer 1964).
    """

    ahead: Ints
    behind: Ints
    faces: Ints
    match: Ints
    met: Bools
    parent: Ints


@kernel
def fans_loop(
    corners: Array,
    offsets: Array,
    corner_faces: Array,
    normals: Array,
    angles: Array,
    marks: Array,
    n_points: int,
    cosine: float,
) -> tuple[Ints, Ints, Floats, Ints, bool]:
    """Fan of each corner, first corner and mean normal of each fan, sharp edges, whether a fan has no normal.

    Fans stand in the order of their points, edges (lower point first) in that of their lower points.
    ``marks`` (c,) says of the side that leaves a corner 1 sharp, 0 smooth, -1 by its angle; it may be empty.
    """
    n = corners.shape[0]
    starts = np.zeros(n_points + 1, np.int32)
    for c in range(n):
        starts[corners[c] + 1] += 1
    most = 0
    for p in range(n_points):
        most = max(most, starts[p + 1])
        starts[p + 1] += starts[p]
    fill = starts[:-1].copy()
    around = np.empty(n, np.int32)  # the corners of each point
    for c in range(n):
        k = fill[corners[c]]
        fill[corners[c]] = k + 1
        around[k] = c
    of = np.empty(n, np.int32)
    firsts = np.empty(n, np.int32)
    room = _Room(
        np.empty(most, np.int32), np.empty(most, np.int32), np.empty(most, np.int32), np.empty(most, np.int32),
        np.empty(most, np.bool_), np.empty(most, np.int32),
    )  # fmt: skip
    half = np.sqrt(max(1.0 + cosine, 0.0) / 2.0) + 1e-9  # cosine of half the crease
    edges = np.empty((1024, 2), np.int32)
    n_edges = count = 0
    for p in range(n_points):
        a = starts[p]
        v = starts[p + 1] - a
        if v == 0:
            continue
        near = _look_round(corners, offsets, corner_faces, normals, around, a, v, room)
        # all within half the crease of one: every edge here is smooth, and if they go once round it is one fan
        if near >= half and marks.shape[0] == 0 and v <= 32 and _goes_round(p, v, room):
            firsts[count] = around[a]
            for i in range(v):
                of[around[a + i]] = count
            count += 1
            continue
        if v <= 32:
            _match_few(p, v, room)
        else:
            ahead, behind = room.ahead[:v], room.behind[:v]
            _match_many(p, v, np.argsort(ahead, kind="mergesort"), np.argsort(behind, kind="mergesort"), room)
        if n_edges + 2 * v > edges.shape[0]:
            grown = np.empty((2 * (edges.shape[0] + v), 2), np.int32)
            grown[:n_edges] = edges[:n_edges]
            edges = grown
        n_edges = _join(p, a, v, around, normals, marks, cosine, edges, n_edges, room)
        count = _number(a, v, around, of, firsts, count, room)
    means = np.zeros((count, 3), np.float64)
    for f in range(offsets.shape[0] - 1):
        x, y, z = normals[f, 0], normals[f, 1], normals[f, 2]
        for c in range(offsets[f], offsets[f + 1]):
            fan, w = of[c], angles[c]
            means[fan, 0] += x * w
            means[fan, 1] += y * w
            means[fan, 2] += z * w
    lost = False
    for fan in range(count):
        x, y, z = means[fan, 0], means[fan, 1], means[fan, 2]
        length = np.sqrt(x * x + y * y + z * z)
        lost = lost or not length > 0
        length = length if length > 0 else 1.0
        means[fan, 0], means[fan, 1], means[fan, 2] = x / length, y / length, z / length
    return of, firsts[:count].copy(), means, edges[:n_edges].copy(), lost


@piece
def _look_round(corners: Array, offsets: Array, corner_faces: Array, normals: Array, around: Array, a: int, v: int, room: _Room
                ) -> float:  # fmt: skip
    """Fill the room for the corners of one point; return the least cosine between the first face's normal and another's."""
    f = corner_faces[around[a]]
    x, y, z = normals[f, 0], normals[f, 1], normals[f, 2]
    near = 2.0
    for i in range(v):
        c = around[a + i]
        f = corner_faces[c]
        first, last = offsets[f], offsets[f + 1]
        room.faces[i] = f
        room.ahead[i] = corners[c + 1 if c + 1 < last else first]
        room.behind[i] = corners[c - 1 if c > first else last - 1]
        near = min(near, x * normals[f, 0] + y * normals[f, 1] + z * normals[f, 2])
    return near


@piece
def _goes_round(p: int, v: int, room: _Room) -> bool:
    """Return whether the corners of a point follow each other once round it."""
    i = steps = 0
    while steps < v:
        q = room.ahead[i]
        j = 0
        while j < v and room.behind[j] != q:
            j += 1
        if j == v or q == p:
            break
        steps += 1
        i = j
        if j == 0:
            break
    return steps == v and i == 0


@piece
def _match_few(p: int, v: int, room: _Room) -> None:
    """Find the corner across each side that leaves, for points of few corners."""
    for i in range(v):
        q = room.ahead[i]
        found = leaving = arriving = 0
        for j in range(v):
            hit = room.behind[j] == q
            arriving += hit
            found = j if hit else found
            leaving += room.ahead[j] == q
        room.match[i] = found if leaving == 1 and arriving == 1 and q != p else -1


@piece
def _match_many(p: int, v: int, by_ahead: Array, by_behind: Array, room: _Room) -> None:
    """Find the corner across each side that leaves, given the orders of the points that sides lead to."""
    ahead, behind = room.ahead, room.behind
    j = 0
    for k in range(v):
        i = by_ahead[k]
        q = ahead[i]
        room.match[i] = -1
        while j < v and behind[by_behind[j]] < q:
            j += 1
        twice = (k > 0 and ahead[by_ahead[k - 1]] == q) or (k + 1 < v and ahead[by_ahead[k + 1]] == q)
        if q == p or twice or j >= v or behind[by_behind[j]] != q:
            continue
        if j + 1 < v and behind[by_behind[j + 1]] == q:
            continue
        room.match[i] = by_behind[j]


@piece
def _join(p: int, a: int, v: int, around: Array, normals: Array, marks: Array, cosine: float, edges: Array, n_edges: int, room: _Room
          ) -> int:  # fmt: skip
    """Join corners across smooth sides, and write the sharp edges that lead to points beyond ``p``; return how many there are now."""
    parent, begun = room.parent, n_edges
    for i in range(v):
        parent[i] = i
        room.met[i] = False
    for i in range(v):
        j = room.match[i]
        sharp = j < 0
        if not sharp:
            room.met[j] = True
            mark = marks[around[a + i]] if marks.shape[0] > 0 else -1
            sharp = mark == 1
            if mark < 0:
                f, g = room.faces[i], room.faces[j]
                dot = normals[f, 0] * normals[g, 0] + normals[f, 1] * normals[g, 1] + normals[f, 2] * normals[g, 2]
                sharp = dot < cosine
        if sharp:
            if room.ahead[i] >= p:
                edges[n_edges, 0] = p
                edges[n_edges, 1] = room.ahead[i]
                n_edges += 1
            continue
        r = i
        while parent[r] != r:
            r = parent[r]
        while parent[j] != j:
            j = parent[j]
        if r < j:
            parent[j] = r
        else:
            parent[r] = j
    for i in range(v):
        if not room.met[i] and room.behind[i] > p:
            edges[n_edges, 0] = p
            edges[n_edges, 1] = room.behind[i]
            n_edges += 1
    # in the order of the other point, each once: those of many faces were met more than once
    for i in range(begun + 1, n_edges):
        q = edges[i, 1]
        k = i - 1
        while k >= begun and edges[k, 1] > q:
            edges[k + 1, 1] = edges[k, 1]
            k -= 1
        edges[k + 1, 1] = q
    kept = begun
    for i in range(begun, n_edges):
        if i == begun or edges[i, 1] != edges[kept - 1, 1]:
            edges[kept, 1] = edges[i, 1]
            kept += 1
    return kept


@piece
def _number(a: int, v: int, around: Array, of: Array, firsts: Array, count: int, room: _Room) -> int:
    """Number the fans of one point from ``count`` on, in the order of their first corners; return how many there are now."""
    parent, number = room.parent, room.match  # a side's match is of no more use once corners are joined
    for i in range(v):
        root = i
        while parent[root] != root:
            root = parent[root]
        parent[i] = root
        if root == i:
            number[i] = count
            firsts[count] = around[a + i]
            count += 1
        of[around[a + i]] = number[root]
    return count
