"""Compiled loops over faces."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.kernels import kernel, piece

STRAIGHT = 1e-10
"""Share of a face's area below which a corner of it is straight."""


@piece
def _area(points: Array, corners: Array, first: int, last: int) -> tuple[float, float, float]:
    """Return the vector area of the face at some corners."""
    sx = sy = sz = 0.0
    if last - first == 4:
        a, b, c, d = corners[first], corners[first + 1], corners[first + 2], corners[first + 3]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[b, 0], points[c, 1] - points[b, 1], points[c, 2] - points[b, 2]
        wx, wy, wz = points[d, 0] - points[c, 0], points[d, 1] - points[c, 1], points[d, 2] - points[c, 2]
        tx, ty, tz = points[a, 0] - points[d, 0], points[a, 1] - points[d, 1], points[a, 2] - points[d, 2]
        px, py, pz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        qx, qy, qz = wy * tz - wz * ty, wz * tx - wx * tz, wx * ty - wy * tx
        sx, sy, sz = px + qx, py + qy, pz + qz
    elif last - first == 3:
        a, b, c = corners[first], corners[first + 1], corners[first + 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        wx, wy, wz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        sx, sy, sz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
    elif last > first:
        rx = ry = rz = 0.0  # from the first corner to this one
        for i in range(first, last):
            p, q = corners[i], corners[i + 1 if i + 1 < last else first]
            ex, ey, ez = (
                rx + (points[q, 0] - points[p, 0]),
                ry + (points[q, 1] - points[p, 1]),
                rz + (points[q, 2] - points[p, 2]),
            )
            sx += ry * ez - rz * ey
            sy += rz * ex - rx * ez
            sz += rx * ey - ry * ex
            rx, ry, rz = ex, ey, ez
    return 0.5 * sx, 0.5 * sy, 0.5 * sz


@piece
def _written(f: int, area: tuple[float, float, float], areas: Array, normals: Array) -> None:
    """Write a face's vector area, and that with length 1."""
    sx, sy, sz = area
    areas[f, 0], areas[f, 1], areas[f, 2] = sx, sy, sz
    length = np.sqrt(sx * sx + sy * sy + sz * sz)
    length = length if length > 0 else 1.0
    normals[f, 0], normals[f, 1], normals[f, 2] = sx / length, sy / length, sz / length


@kernel
def areas_loop(points: Array, corners: Array, offsets: Array) -> tuple[Floats, Floats]:
    """Vector area and unit normal of each face, to the bit those of ``_fans.frames_loop``, which finds the angles too."""
    faces = offsets.shape[0] - 1
    areas = np.empty((faces, 3), np.float64)
    normals = np.empty((faces, 3), np.float64)
    for f in range(faces):
        _written(f, _area(points, corners, offsets[f], offsets[f + 1]), areas, normals)
    return areas, normals


@kernel
def areas_of_some(points: Array, corners: Array, offsets: Array, some: Array) -> tuple[Floats, Floats]:
    """The same of some faces alone; the rows of others hold whatever was there."""
    areas = np.empty((offsets.shape[0] - 1, 3), np.float64)
    normals = np.empty((offsets.shape[0] - 1, 3), np.float64)
    for f in some:
        _written(f, _area(points, corners, offsets[f], offsets[f + 1]), areas, normals)
    return areas, normals


@kernel
def reach(points: Array, used: Array) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
    """Return the least and the greatest coordinates of the points that are used."""
    x, y, z = np.inf, np.inf, np.inf
    u, v, w = -np.inf, -np.inf, -np.inf
    for i in range(points.shape[0]):
        if used[i]:
            a, b, c = points[i, 0], points[i, 1], points[i, 2]
            # written out: min and max ask of each number whether it is one
            x, y, z = a if a < x else x, b if b < y else y, c if c < z else z  # noqa: FURB136
            u, v, w = a if a > u else u, b if b > v else v, c if c > w else w  # noqa: FURB136
    return (x, y, z), (u, v, w)


@kernel
def edge_turns_loop(
    normals: Array, corners: Array, corner_faces: Array, twins: Array, corner_edge: Array, edges: int
) -> Floats:
    """Angle between the faces of each edge of two, π elsewhere and where they look opposite ways."""
    out = np.full(edges, np.pi)
    for c in range(corners.shape[0]):
        t = twins[c]
        if t > c and corners[t] != corners[c]:
            a, b = corner_faces[c], corner_faces[t]
            ax, ay, az = normals[a, 0], normals[a, 1], normals[a, 2]
            bx, by, bz = normals[b, 0], normals[b, 1], normals[b, 2]
            x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
            sine, cosine = np.sqrt(x * x + y * y + z * z), ax * bx + ay * by + az * bz
            out[corner_edge[c]] = np.arctan2(sine, cosine) if sine > 0 or cosine <= 0 else 0.0
    return out


@kernel
def volume_loop(points: Array, triangles: Array, cx: float, cy: float, cz: float) -> float:
    """Six times the signed volume that triangles (t, 3) enclose, seen from (cx, cy, cz)."""
    total = 0.0
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, az = points[a, 0] - cx, points[a, 1] - cy, points[a, 2] - cz
        bx, by, bz = points[b, 0] - cx, points[b, 1] - cy, points[b, 2] - cz
        qx, qy, qz = points[c, 0] - cx, points[c, 1] - cy, points[c, 2] - cz
        total += ax * (by * qz - bz * qy) + ay * (bz * qx - bx * qz) + az * (bx * qy - by * qx)
    return total


@kernel
def quads_loop(points: Array, corners: Array, offsets: Array, areas: Array, shorter: float, out: Array) -> None:
    """Cut faces of three and four sides into ``out``; the faces with more sides keep their room."""
    at = 0
    turn = np.empty(4)
    for f in range(offsets.shape[0] - 1):
        first = offsets[f]
        sides = offsets[f + 1] - first
        if sides == 3:
            out[at, 0], out[at, 1], out[at, 2] = first, first + 1, first + 2
        elif sides == 4:
            nx, ny, nz = areas[f, 0], areas[f, 1], areas[f, 2]
            for k in range(4):
                h, p, q = corners[first + (k + 3) % 4], corners[first + k], corners[first + (k + 1) % 4]
                ax, ay, az = points[p, 0] - points[h, 0], points[p, 1] - points[h, 1], points[p, 2] - points[h, 2]
                bx, by, bz = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
                turn[k] = (ay * bz - az * by) * nx + (az * bx - ax * bz) * ny + (ax * by - ay * bx) * nz
            # a corner that is hollow, or straight, must have the diagonal
            least = STRAIGHT * (nx * nx + ny * ny + nz * nz)
            even = turn[0] < least or turn[2] < least
            odd = turn[1] < least or turn[3] < least
            if odd and not even:
                other = True
            elif even and not odd:
                other = False
            else:
                a, b, c, d = corners[first], corners[first + 1], corners[first + 2], corners[first + 3]
                s02 = 0.0
                s13 = 0.0
                for k in range(3):
                    s02 += (points[c, k] - points[a, k]) ** 2
                    s13 += (points[d, k] - points[b, k]) ** 2
                other = s13 < s02 * shorter
            if other:
                out[at, 0], out[at, 1], out[at, 2] = first + 1, first + 2, first + 3
                out[at + 1, 0], out[at + 1, 1], out[at + 1, 2] = first + 1, first + 3, first
            else:
                out[at, 0], out[at, 1], out[at, 2] = first, first + 1, first + 2
                out[at + 1, 0], out[at + 1, 1], out[at + 1, 2] = first, first + 2, first + 3
        at += max(sides - 2, 0)


@kernel
def sharp_loop(
    normals: Array, corners: Array, corner_faces: Array, twins: Array, corner_edge: Array, edges: int, cosine: float
) -> Bools:
    """Which edges turn by more than the angle of ``cosine``, have not two faces, or faces that look opposite ways."""
    out = np.ones(edges, np.bool_)
    for c in range(corners.shape[0]):
        t = twins[c]
        if t > c and corners[t] != corners[c]:
            a, b = corner_faces[c], corner_faces[t]
            dot = normals[a, 0] * normals[b, 0] + normals[a, 1] * normals[b, 1] + normals[a, 2] * normals[b, 2]
            out[corner_edge[c]] = dot < cosine
    return out


@kernel
def planes_loop(points: Array, corners: Array, offsets: Array, areas: Array, many: Array, starts: Array) -> Floats:
    """Corners of the faces ``many`` in the planes of their vector areas, each counter-clockwise."""
    out = np.empty((starts[-1], 2), np.float64)
    for r in range(many.shape[0]):
        f = many[r]
        first, last = offsets[f], offsets[f + 1]
        nx, ny, nz = areas[f, 0], areas[f, 1], areas[f, 2]
        length = np.sqrt(nx * nx + ny * ny + nz * nz)
        if length > 0:
            nx, ny, nz = nx / length, ny / length, nz / length
        else:
            nx, ny, nz = 0.0, 0.0, 1.0
        ux = uy = uz = 0.0
        if abs(nx) <= abs(ny) and abs(nx) <= abs(nz):
            ux = 1.0
        elif abs(ny) <= abs(nz):
            uy = 1.0
        else:
            uz = 1.0
        along = ux * nx + uy * ny + uz * nz
        ux, uy, uz = ux - along * nx, uy - along * ny, uz - along * nz
        length = np.sqrt(ux * ux + uy * uy + uz * uz)
        ux, uy, uz = ux / length, uy / length, uz / length
        vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
        o = corners[first]
        at = starts[r]
        for i in range(first, last):
            p = corners[i]
            x, y, z = points[p, 0] - points[o, 0], points[p, 1] - points[o, 1], points[p, 2] - points[o, 2]
            out[at, 0] = x * ux + y * uy + z * uz
            out[at, 1] = x * vx + y * vy + z * vz
            at += 1
    return out


@kernel
def rotate_bent(
    points: Array, corners: Array, uv: Array, first: Array, starts: Array, cut: Array
) -> tuple[Ints, Floats, Ints]:
    """Let the four-sided faces that begin at ``first`` begin one corner later, where they are bent."""
    corners = corners.copy()
    uv = uv.copy()
    cut = cut.copy()
    textured = uv.shape[0] > 0
    for r in range(first.shape[0]):
        f = first[r]
        o, p, q, s = corners[f], corners[f + 1], corners[f + 2], corners[f + 3]
        ax, ay, az = points[p, 0] - points[o, 0], points[p, 1] - points[o, 1], points[p, 2] - points[o, 2]
        bx, by, bz = points[q, 0] - points[o, 0], points[q, 1] - points[o, 1], points[q, 2] - points[o, 2]
        cx, cy, cz = points[s, 0] - points[o, 0], points[s, 1] - points[o, 1], points[s, 2] - points[o, 2]
        volume = (ay * bz - az * by) * cx + (az * bx - ax * bz) * cy + (ax * by - ay * bx) * cz
        spread = max(bx * bx + by * by + bz * bz, (cx - ax) ** 2 + (cy - ay) ** 2 + (cz - az) ** 2)
        if abs(volume) <= 1e-9 * spread * np.sqrt(spread):
            continue
        corners[f], corners[f + 1], corners[f + 2], corners[f + 3] = p, q, s, o
        if textured:
            for k in range(2):
                kept = uv[f, k]
                uv[f, k] = uv[f + 1, k]
                uv[f + 1, k] = uv[f + 2, k]
                uv[f + 2, k] = uv[f + 3, k]
                uv[f + 3, k] = kept
        t = starts[r]
        for k in range(3):
            cut[t, k] = f + k
        cut[t + 1, 0], cut[t + 1, 1], cut[t + 1, 2] = f, f + 2, f + 3
    return corners, uv, cut


@kernel
def weighted_middles(points: Array, corners: Array, offsets: Array, weight: Array, x0: float, y0: float, z0: float
                     ) -> tuple[float, float, float]:  # fmt: skip
    """Return the sum over faces of the mean of their corners, seen from (x0, y0, z0), times their weight."""
    x = y = z = 0.0
    for f in range(offsets.shape[0] - 1):
        a = b = c = 0.0
        for i in range(offsets[f], offsets[f + 1]):
            p = corners[i]
            a += points[p, 0] - x0
            b += points[p, 1] - y0
            c += points[p, 2] - z0
        n = offsets[f + 1] - offsets[f]
        x += a / n * weight[f]
        y += b / n * weight[f]
        z += c / n * weight[f]
    return x, y, z


@kernel
def covered_areas(points: Array, triangles: Array, faces: Array, normals: Array, n_faces: int) -> Floats:
    """Return (f,) what the triangles of each face cover, seen along the face's normal."""
    out = np.zeros(n_faces)
    for t in range(triangles.shape[0]):
        a, b, c, f = triangles[t, 0], triangles[t, 1], triangles[t, 2], faces[t]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        seen = (
            (uy * vz - uz * vy) * normals[f, 0]
            + (uz * vx - ux * vz) * normals[f, 1]
            + (ux * vy - uy * vx) * normals[f, 2]
        )
        out[f] += 0.5 * abs(seen)
    return out
