"""Compiled distances of points, segments and triangles, given as tuples of three.

Source: Ericson, Real-Time Collision Detection, 2005, sections 5.1.5 and 5.1.9.
"""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel, no_wraparound

Place = tuple[float, float, float]


@no_wraparound
@kernel
def point_triangle(p: Array, a: Array, b: Array, c: Array) -> tuple[float, Place]:
    """Squared distance of a point from a triangle, and the nearest place on it."""
    abx, aby, abz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    acx, acy, acz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    fax, fay, faz = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    d1 = abx * fax + aby * fay + abz * faz
    d2 = acx * fax + acy * fay + acz * faz
    v = 0.0
    w = 0.0
    if not (d1 <= 0 and d2 <= 0):
        fbx, fby, fbz = p[0] - b[0], p[1] - b[1], p[2] - b[2]
        d3 = abx * fbx + aby * fby + abz * fbz
        d4 = acx * fbx + acy * fby + acz * fbz
        if d3 >= 0 and d4 <= d3:
            v = 1.0
        else:
            vc = d1 * d4 - d3 * d2
            fcx, fcy, fcz = p[0] - c[0], p[1] - c[1], p[2] - c[2]
            d5 = abx * fcx + aby * fcy + abz * fcz
            d6 = acx * fcx + acy * fcy + acz * fcz
            if vc <= 0 and d1 >= 0 and d3 <= 0:
                v = d1 / (d1 - d3) if d1 != d3 else 0.0
            elif d6 >= 0 and d5 <= d6:
                w = 1.0
            else:
                vb = d5 * d2 - d1 * d6
                va = d3 * d6 - d5 * d4
                if vb <= 0 and d2 >= 0 and d6 <= 0:
                    w = d2 / (d2 - d6) if d2 != d6 else 0.0
                elif va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
                    whole = (d4 - d3) + (d5 - d6)
                    w = (d4 - d3) / whole if whole > 0 else 0.0
                    v = 1.0 - w
                else:
                    whole = va + vb + vc
                    if whole > 0:
                        v = vb / whole
                        w = vc / whole
    q = (a[0] + abx * v + acx * w, a[1] + aby * v + acy * w, a[2] + abz * v + acz * w)
    x, y, z = p[0] - q[0], p[1] - q[1], p[2] - q[2]
    return x * x + y * y + z * z, q


@no_wraparound
@kernel
def segment_segment(p1: Array, q1: Array, p2: Array, q2: Array) -> tuple[float, Place, Place]:
    """Squared distance of two segments, and the nearest places on both."""
    ux, uy, uz = q1[0] - p1[0], q1[1] - p1[1], q1[2] - p1[2]
    vx, vy, vz = q2[0] - p2[0], q2[1] - p2[1], q2[2] - p2[2]
    rx, ry, rz = p1[0] - p2[0], p1[1] - p2[1], p1[2] - p2[2]
    a = ux * ux + uy * uy + uz * uz
    e = vx * vx + vy * vy + vz * vz
    f = vx * rx + vy * ry + vz * rz
    s = 0.0
    t = 0.0
    if a > 0 or e > 0:
        c = ux * rx + uy * ry + uz * rz
        if a <= 0:
            t = min(max(f / e, 0.0), 1.0)
        elif e <= 0:
            s = min(max(-c / a, 0.0), 1.0)
        else:
            b = ux * vx + uy * vy + uz * vz
            whole = a * e - b * b
            if whole > 1e-14 * a * e:
                s = min(max((b * f - c * e) / whole, 0.0), 1.0)
            t = (b * s + f) / e
            if t < 0:
                t = 0.0
                s = min(max(-c / a, 0.0), 1.0)
            elif t > 1:
                t = 1.0
                s = min(max((b - c) / a, 0.0), 1.0)
    p = (p1[0] + ux * s, p1[1] + uy * s, p1[2] + uz * s)
    q = (p2[0] + vx * t, p2[1] + vy * t, p2[2] + vz * t)
    x, y, z = p[0] - q[0], p[1] - q[1], p[2] - q[2]
    return x * x + y * y + z * z, p, q


@no_wraparound
@kernel
def pierced(p: Array, q: Array, a: Array, b: Array, c: Array) -> tuple[bool, object]:
    """Whether a segment runs through the inside of a triangle, and where."""
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    dp = nx * (p[0] - a[0]) + ny * (p[1] - a[1]) + nz * (p[2] - a[2])
    dq = nx * (q[0] - a[0]) + ny * (q[1] - a[1]) + nz * (q[2] - a[2])
    if (dp > 0) == (dq > 0) or dp == dq:
        return False, p
    s = dp / (dp - dq)
    x = (p[0] + (q[0] - p[0]) * s, p[1] + (q[1] - p[1]) * s, p[2] + (q[2] - p[2]) * s)
    wx, wy, wz = x[0] - a[0], x[1] - a[1], x[2] - a[2]
    area = nx * nx + ny * ny + nz * nz
    if area <= 0:
        return False, p
    # barycentric, by the areas of the two triangles beside u and v
    beta = (nx * (wy * vz - wz * vy) + ny * (wz * vx - wx * vz) + nz * (wx * vy - wy * vx)) / area
    gamma = (nx * (uy * wz - uz * wy) + ny * (uz * wx - ux * wz) + nz * (ux * wy - uy * wx)) / area
    return beta >= 0 and gamma >= 0 and beta + gamma <= 1, x


@no_wraparound
@kernel
def triangle_triangle(s: Array, i: int, t: Array, j: int, best: float) -> tuple[float, Place, Place]:
    """Squared distance of two triangles of (n, 3, 3) tables, and the nearest places on both; ``best`` where it is not less.

    It is that of two edges or of a point and a face (15 pairs), or 0 where an edge of one runs through the other.
    """
    a0, a1, a2 = (
        (s[i, 0, 0], s[i, 0, 1], s[i, 0, 2]),
        (s[i, 1, 0], s[i, 1, 1], s[i, 1, 2]),
        (s[i, 2, 0], s[i, 2, 1], s[i, 2, 2]),
    )
    b0, b1, b2 = (
        (t[j, 0, 0], t[j, 0, 1], t[j, 0, 2]),
        (t[j, 1, 0], t[j, 1, 1], t[j, 1, 2]),
        (t[j, 2, 0], t[j, 2, 1], t[j, 2, 2]),
    )
    a = (a0, a1, a2)
    b = (b0, b1, b2)
    p = a0
    q = b0
    for k in range(3):
        d, x = point_triangle(a[k], b0, b1, b2)
        if d < best:
            best, p, q = d, a[k], x
        d, x = point_triangle(b[k], a0, a1, a2)
        if d < best:
            best, p, q = d, x, b[k]
    for k in range(3):
        k1 = (k + 1) % 3
        for m in range(3):
            d, x, y = segment_segment(a[k], a[k1], b[m], b[(m + 1) % 3])
            if d < best:
                best, p, q = d, x, y
    if best > 0:
        for k in range(3):
            k1 = (k + 1) % 3
            hit, x = pierced(a[k], a[k1], b0, b1, b2)
            if hit:
                return 0.0, x, x
            hit, x = pierced(b[k], b[k1], a0, a1, a2)
            if hit:
                return 0.0, x, x
    return best, p, q


@no_wraparound
@kernel
def _least(s: Array, t: Array) -> tuple[float, tuple[float, float, float], tuple[float, float, float]]:
    best = np.inf
    p = (0.0, 0.0, 0.0)
    q = (0.0, 0.0, 0.0)
    for i in range(len(s)):
        for j in range(len(t)):
            d, a, b = triangle_triangle(s, i, t, j, best)
            if d < best:
                best, p, q = d, a, b
    return best, p, q


def least_of_triangles(s: Array, t: Array) -> tuple[float, Array, Array]:
    """Squared least distance of two sets of triangles (n, 3, 3), and the nearest places; triangles may have no area."""
    best, p, q = _least(np.ascontiguousarray(s), np.ascontiguousarray(t))
    return float(best), np.array(p), np.array(q)
