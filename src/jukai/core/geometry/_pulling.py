"""Loops of faces that leave their body: their columns, how these move, where they meet first; compiled."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.kernels import kernel, no_wraparound

__all__ = [
    "at_columns",
    "columns_of",
    "first_rows",
    "gradients",
    "meeting",
    "middle_of",
    "packed",
    "rounds",
    "single_corners",
]


@no_wraparound
@kernel
def columns_of(
    faces: Array, picked: Bools, offsets: Array, corners: Array, following: Array, twins: Array, corner_faces: Array
) -> tuple[Array, Array, Array, Array, Array]:
    """Return the columns of picked faces.

    Parameters
    ----------
    faces : (k,) the picked ones, in order; ``picked`` (f,) says the same.

    Returns
    -------
    The column of each corner (c,), -1 of faces that are not picked; the point of each column; the corner at which each wall
    begins; the piece (its lowest face's place among ``faces``) of each of them; the place (f,) of each face among them.
    """
    k = len(faces)
    place = np.full(len(picked), -1, np.int32)
    total = 0
    for i in range(k):
        place[faces[i]] = i
        total += offsets[faces[i] + 1] - offsets[faces[i]]
    column = np.full(len(corners), -1, np.int32)
    points = np.empty(total, np.int32)
    wall = np.empty(total, np.int64)
    inner = np.empty(len(corners), np.int32)  # the twin of each corner's edge, where it is of a picked face
    walls = 0
    for i in range(k):
        for c in range(offsets[faces[i]], offsets[faces[i] + 1]):
            t = twins[c]
            if t >= 0 and corners[t] != corners[c] and picked[corner_faces[t]]:
                inner[c] = t
            else:
                inner[c] = -1
                wall[walls] = c
                walls += 1
    count = 0
    piece = np.full(k, -1, np.int64)
    stack = np.empty(k, np.int64)
    for i in range(k):
        for c in range(offsets[faces[i]], offsets[faces[i] + 1]):
            if column[c] >= 0:
                continue
            # all corners at this point that picked faces join: on round it until the border, then back from where it began
            points[count] = corners[c]
            x = c
            column[x] = count
            closed = False
            while inner[x] >= 0:
                x = following[inner[x]]
                if column[x] >= 0:
                    closed = True
                    break
                column[x] = count
            x = c
            while not closed:
                f = corner_faces[x]
                before = x - 1 if x > offsets[f] else offsets[f + 1] - 1
                x = inner[before]
                if x < 0 or column[x] >= 0:
                    break
                column[x] = count
            count += 1
        if piece[i] >= 0:
            continue
        piece[i] = i
        stack[0] = i
        held = 1
        while held > 0:
            held -= 1
            f = faces[stack[held]]
            for c in range(offsets[f], offsets[f + 1]):
                if inner[c] >= 0:
                    j = place[corner_faces[inner[c]]]
                    if piece[j] < 0:
                        piece[j] = i
                        stack[held] = j
                        held += 1
    return column, points[:count].copy(), wall[:walls].copy(), piece, place


@no_wraparound
@kernel
def at_columns(corners: Array, column: Array, last: Array, new: Array, points: int) -> tuple[Array, Bools]:
    """Return the point of each corner, where its column ends if it has one (not -1), those of ``new`` ones behind, and which are used."""
    out = np.empty(len(corners) + len(new), np.int32)
    used = np.zeros(points, np.bool_)
    for c in range(len(corners)):
        p = last[column[c]] if column[c] >= 0 else corners[c]
        out[c] = p
        used[p] = True
    for c in range(len(new)):
        out[len(corners) + c] = new[c]
        used[new[c]] = True
    return out, used


@no_wraparound
@kernel
def packed(points: Array, added: Array, used: Array, corners: Array) -> tuple[Floats, Array]:
    """Return what is used of points and of those added to them, and the new number of each, -1 of others; corners get these."""
    n = len(points)
    count = 0
    number = np.full(len(used), -1, np.int32)
    for p in range(len(used)):
        if used[p]:
            number[p] = count
            count += 1
    out = np.empty((count, 3), np.float64)
    for p in range(n):
        if used[p]:
            at = number[p]
            out[at, 0], out[at, 1], out[at, 2] = points[p, 0], points[p, 1], points[p, 2]
    for p in range(n, len(used)):
        if used[p]:
            at = number[p]
            out[at, 0], out[at, 1], out[at, 2] = added[p - n, 0], added[p - n, 1], added[p - n, 2]
    if count < len(used):
        for c in range(len(corners)):
            corners[c] = number[corners[c]]
    return out, number


@kernel
def middle_of(
    points: Floats, corners: Array, offsets: Array, faces: Array, normal: Floats
) -> tuple[Floats, Floats, float]:
    """Return sums over triangles fanned from each face's first corner: vector areas, weighted thirds, and the weights.

    Weights are areas as seen along ``normal``, or areas where that is 0; places are counted from the first corner of all.
    """
    wx, wy, wz = 0.0, 0.0, 0.0
    tx, ty, tz = 0.0, 0.0, 0.0
    heavy = 0.0
    nx, ny, nz = normal[0], normal[1], normal[2]
    seen = normal[0] != 0 or normal[1] != 0 or normal[2] != 0
    s0 = points[corners[offsets[faces[0]]], 0]
    s1 = points[corners[offsets[faces[0]]], 1]
    s2 = points[corners[offsets[faces[0]]], 2]
    for i in range(len(faces)):
        a, b = offsets[faces[i]], offsets[faces[i] + 1]
        o = corners[a]
        for c in range(a + 1, b - 1):
            p, q = corners[c], corners[c + 1]
            ux, uy, uz = points[p, 0] - points[o, 0], points[p, 1] - points[o, 1], points[p, 2] - points[o, 2]
            vx, vy, vz = points[q, 0] - points[o, 0], points[q, 1] - points[o, 1], points[q, 2] - points[o, 2]
            x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            wx, wy, wz = wx + x, wy + y, wz + z
            w = x * nx + y * ny + z * nz if seen else np.sqrt(x * x + y * y + z * z)
            heavy += w
            tx += w * (points[o, 0] + points[p, 0] + points[q, 0] - 3 * s0)
            ty += w * (points[o, 1] + points[p, 1] + points[q, 1] - 3 * s1)
            tz += w * (points[o, 2] + points[p, 2] + points[q, 2] - 3 * s2)
    return np.array([wx, wy, wz]), np.array([tx, ty, tz]), heavy


@kernel
def single_corners(
    points: Floats, corners: Array, offsets: Array, faces: Array, normals: Floats
) -> tuple[Floats, bool]:
    """Return how the corners of faces, one after another, move in by 1 within their faces, and whether any is straight."""
    total = 0
    for i in range(len(faces)):
        total += offsets[faces[i] + 1] - offsets[faces[i]]
    out = np.zeros((total, 3))
    straight = False
    at = 0
    for i in range(len(faces)):
        f = faces[i]
        a, b = offsets[f], offsets[f + 1]
        nx, ny, nz = normals[f, 0], normals[f, 1], normals[f, 2]
        p, q = corners[b - 1], corners[a]
        ex, ey, ez = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
        bx, by, bz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
        s = max(np.sqrt(bx * bx + by * by + bz * bz), 1e-300)
        bx, by, bz = bx / s, by / s, bz / s
        for c in range(a, b):
            p, q = corners[c], corners[c + 1 if c + 1 < b else a]
            ex, ey, ez = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
            hx, hy, hz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
            s = max(np.sqrt(hx * hx + hy * hy + hz * hz), 1e-300)
            hx, hy, hz = hx / s, hy / s, hz / s
            cosine = hx * bx + hy * by + hz * bz
            if cosine > 1 - 1e-12:
                straight = True
            if cosine > -1 + 1e-10:
                w = 1 / max(1 + cosine, 1e-10)
                out[at, 0], out[at, 1], out[at, 2] = (hx + bx) * w, (hy + by) * w, (hz + bz) * w
            bx, by, bz = hx, hy, hz
            at += 1
    return out, straight


@kernel
def meeting(
    faces: Array, column: Array, start: Array, places: Floats, shift: Floats, normals: Floats
) -> tuple[float, int, bool]:
    """Return the first share at which an edge turns back or a corner turns over, the column there, and whether any corner is hollow.

    ``column`` is that of each corner of the faces, one after another from ``start`` (k + 1,) on.
    """
    best, where, hollow = np.inf, -1, False
    for i in range(len(faces)):
        f = faces[i]
        nx, ny, nz = normals[f, 0], normals[f, 1], normals[f, 2]
        a, n = start[i], start[i + 1] - start[i]
        for k in range(n):
            p = column[a + k]
            q = column[a + (k + 1) % n]
            r = column[a + (k + 2) % n]
            ux, uy, uz = places[q, 0] - places[p, 0], places[q, 1] - places[p, 1], places[q, 2] - places[p, 2]
            vx, vy, vz = places[r, 0] - places[q, 0], places[r, 1] - places[q, 1], places[r, 2] - places[q, 2]
            dx, dy, dz = shift[q, 0] - shift[p, 0], shift[q, 1] - shift[p, 1], shift[q, 2] - shift[p, 2]
            ex, ey, ez = shift[r, 0] - shift[q, 0], shift[r, 1] - shift[q, 1], shift[r, 2] - shift[q, 2]
            long = ux * ux + uy * uy + uz * uz
            toward = ux * dx + uy * dy + uz * dz
            if toward < 0 and long < -toward * best:
                best, where = long / -toward, p
            c = (uy * vz - uz * vy) * nx + (uz * vx - ux * vz) * ny + (ux * vy - uy * vx) * nz
            size = np.sqrt(long * (vx * vx + vy * vy + vz * vz))
            if c < -1e-9 * size:
                hollow = True
            if abs(c) <= 1e-6 * size:
                continue
            b = (
                (uy * ez - uz * ey + dy * vz - dz * vy) * nx
                + (uz * ex - ux * ez + dz * vx - dx * vz) * ny
                + (ux * ey - uy * ex + dx * vy - dy * vx) * nz
            )
            d = (dy * ez - dz * ey) * nx + (dz * ex - dx * ez) * ny + (dx * ey - dy * ex) * nz
            if c < 0:
                b, c, d = -b, -c, -d
            root = b * b - 4 * d * c
            if root < 0:
                continue
            s = np.sqrt(root)
            w = (s - b) / 2 if b < 0 else (-b - s) / 2
            if w != 0 and 0 < c / w < best:
                best, where = c / w, p
            if d != 0 and 0 < w / d < best:
                best, where = w / d, p
    return best, where, hollow


@kernel
def gradients(points: Floats, corners: Array, offsets: Array, uv: Floats, faces: Array, normals: Floats) -> Floats:
    """Return (k, 2, 3) how texture coordinates change with the place on each face: the plane of least squares through its corners'."""
    out = np.zeros((len(faces), 2, 3))
    x, y, n = np.empty(3), np.empty(3), np.empty(3)
    for i in range(len(faces)):
        f = faces[i]
        a, b = offsets[f], offsets[f + 1]
        for k in range(3):
            n[k] = normals[f, k]
        least = 0
        for k in range(1, 3):
            if abs(n[k]) < abs(n[least]):
                least = k
        for k in range(3):
            x[k] = (1.0 if k == least else 0.0) - n[least] * n[k]
        s = np.sqrt(x[0] * x[0] + x[1] * x[1] + x[2] * x[2])
        if s == 0:
            continue
        for k in range(3):
            x[k] /= s
        y[0], y[1], y[2] = n[1] * x[2] - n[2] * x[1], n[2] * x[0] - n[0] * x[2], n[0] * x[1] - n[1] * x[0]
        mx, my, mu, mv = 0.0, 0.0, 0.0, 0.0
        o = corners[a]
        for c in range(a, b):
            p = corners[c]
            rx, ry, rz = points[p, 0] - points[o, 0], points[p, 1] - points[o, 1], points[p, 2] - points[o, 2]
            mx += rx * x[0] + ry * x[1] + rz * x[2]
            my += rx * y[0] + ry * y[1] + rz * y[2]
            mu += uv[c, 0]
            mv += uv[c, 1]
        w = b - a
        mx, my, mu, mv = mx / w, my / w, mu / w, mv / w
        xx, xy, yy, xu, xv, yu, yv = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for c in range(a, b):
            p = corners[c]
            rx, ry, rz = points[p, 0] - points[o, 0], points[p, 1] - points[o, 1], points[p, 2] - points[o, 2]
            gx = rx * x[0] + ry * x[1] + rz * x[2] - mx
            gy = rx * y[0] + ry * y[1] + rz * y[2] - my
            gu, gv = uv[c, 0] - mu, uv[c, 1] - mv
            xx += gx * gx
            xy += gx * gy
            yy += gy * gy
            xu += gx * gu
            xv += gx * gv
            yu += gy * gu
            yv += gy * gv
        det = xx * yy - xy * xy
        if det <= 1e-18 * (xx + yy) * (xx + yy):
            continue
        ax, ay = (yy * xu - xy * yu) / det, (xx * yu - xy * xu) / det
        bx, by = (yy * xv - xy * yv) / det, (xx * yv - xy * xv) / det
        for k in range(3):
            out[i, 0, k] = ax * x[k] + ay * y[k]
            out[i, 1, k] = bx * x[k] + by * y[k]
    return out


@kernel
def rounds(walls: Array, long: Floats, count: int) -> tuple[Floats, Floats]:
    """Return how far round its loop or chain each of the walls (w, 2) begins, and how long that is; a loop begins at its first wall."""
    w = len(walls)
    leaves = np.full(count, -1, np.int64)
    comes = np.zeros(count, np.bool_)
    for i in range(w):
        leaves[walls[i, 0]] = i
        comes[walls[i, 1]] = True
    far, total = np.zeros(w), np.zeros(w)
    done = np.zeros(w, np.bool_)
    for phase in range(2):  # open chains first, from where nothing arrives
        for i in range(w):
            if done[i] or (phase == 0 and comes[walls[i, 0]]):
                continue
            at, j = 0.0, i
            while j >= 0 and not done[j]:
                done[j] = True
                far[j] = at
                at += long[j]
                j = leaves[walls[j, 1]]
            j = i
            for _ in range(w):
                total[j] = at
                j = leaves[walls[j, 1]]
                if j < 0 or total[j] != 0:
                    break
    return far, total


@kernel
def first_rows(faces: Array, offsets: Array, column: Array, normals: Floats, count: int) -> tuple[Floats, Bools]:
    """Return the normal of the first face of each column, and whether it has one that looks another way."""
    out = np.zeros((count, 3))
    seen = np.zeros(count, np.bool_)
    bent = np.zeros(count, np.bool_)
    for f in faces:
        x, y, z = normals[f, 0], normals[f, 1], normals[f, 2]
        for c in range(offsets[f], offsets[f + 1]):
            at = column[c]
            if not seen[at]:
                seen[at] = True
                out[at, 0], out[at, 1], out[at, 2] = x, y, z
            elif abs(x - out[at, 0]) > 1e-12 or abs(y - out[at, 1]) > 1e-12 or abs(z - out[at, 2]) > 1e-12:
                bent[at] = True
    return out, bent
