"""Many faces that each go by themselves, in one pass: how far their borders can move in, and the faces that come of it."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel

__all__ = ["singles_built", "singles_room"]


@kernel
def singles_room(
    points: Floats, corners: Array, offsets: Array, twins: Array, faces: Array, normals: Floats
) -> tuple[float, int, bool]:
    """Return how far the borders of faces can move in before one of their edges is gone, the face, and whether all are plain.

    Plain: convex, no corner straight, and with a neighbour.
    """
    best, where = np.inf, -1
    for i in range(len(faces)):
        f = faces[i]
        a, b = offsets[f], offsets[f + 1]
        n = b - a
        nx, ny, nz = normals[f, 0], normals[f, 1], normals[f, 2]
        alone = True
        for c in range(a, b):
            if twins[c] >= 0:
                alone = False
            p, q = corners[c - 1 if c > a else b - 1], corners[c]
            r, s = corners[a + (c - a + 1) % n], corners[a + (c - a + 2) % n]
            ux, uy, uz = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
            vx, vy, vz = points[r, 0] - points[q, 0], points[r, 1] - points[q, 1], points[r, 2] - points[q, 2]
            wx, wy, wz = points[s, 0] - points[r, 0], points[s, 1] - points[r, 1], points[s, 2] - points[r, 2]
            lu = np.sqrt(ux * ux + uy * uy + uz * uz)
            lv = np.sqrt(vx * vx + vy * vy + vz * vz)
            lw = np.sqrt(wx * wx + wy * wy + wz * wz)
            # how much an edge gets shorter at each end: by the tangent of half the turn there
            one = ((uy * vz - uz * vy) * nx + (uz * vx - ux * vz) * ny + (ux * vy - uy * vx) * nz) / max(
                lu * lv, 1e-300
            )
            two = ((vy * wz - vz * wy) * nx + (vz * wx - vx * wz) * ny + (vx * wy - vy * wx) * nz) / max(
                lv * lw, 1e-300
            )
            if one < 1e-6:
                return 0.0, f, False
            d1 = (ux * vx + uy * vy + uz * vz) / max(lu * lv, 1e-300)
            d2 = (vx * wx + vy * wy + vz * wz) / max(lv * lw, 1e-300)
            short = one / max(1 + d1, 1e-10) + two / max(1 + d2, 1e-10)
            if short > 0 and lv < best * short:
                best, where = lv / short, f
        if alone:
            return 0.0, f, False
    return best, where, True


@kernel
def singles_built(
    points: Floats, corners: Array, offsets: Array, faces: Array, normals: Floats, uv: Floats, distance: float, inset: float, goes_on: bool,
    first: int, places: Floats, tops: Array, walls: Array, top_uv: Floats, wall_uv: Floats,
) -> None:  # fmt: skip
    """Write what comes of faces: the places of their moved corners, the corners of their walls, and texture coordinates.

    Parameters
    ----------
    first : the number of the first new point.
    goes_on : texture is that which the face has there; else that of walls runs round them and up.
    places, tops, walls : (m, 3), (c,) all corners, (m, 4): where the results go. ``uv`` is empty where there is none.
    """
    at = 0
    has = len(uv) > 0
    for i in range(len(faces)):
        f = faces[i]
        a, b = offsets[f], offsets[f + 1]
        n = b - a
        nx, ny, nz = normals[f, 0], normals[f, 1], normals[f, 2]
        # how texture changes on the face: along the first edge, and square to it
        mu, mv, total = 0.0, 0.0, 0.0
        mx, my, mz = 0.0, 0.0, 0.0
        for c in range(a, b):
            p, q = corners[c], corners[c + 1 if c + 1 < b else a]
            mx += points[p, 0]
            my += points[p, 1]
            mz += points[p, 2]
            dx, dy, dz = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
            total += np.sqrt(dx * dx + dy * dy + dz * dz)
            if has:
                mu += uv[c, 0]
                mv += uv[c, 1]
        mx, my, mz, mu, mv = mx / n, my / n, mz / n, mu / n, mv / n
        p, q = corners[a], corners[a + 1]
        ex, ey, ez = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
        s = max(np.sqrt(ex * ex + ey * ey + ez * ez), 1e-300)
        ex, ey, ez = ex / s, ey / s, ez / s
        gx, gy, gz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
        ua, ub, va, vb = 0.0, 0.0, 0.0, 0.0
        if has and goes_on:
            xx, xy, yy, xu, yu, xv, yv = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for c in range(a, b):
                p = corners[c]
                dx, dy, dz = points[p, 0] - mx, points[p, 1] - my, points[p, 2] - mz
                x, y = dx * ex + dy * ey + dz * ez, dx * gx + dy * gy + dz * gz
                xx += x * x
                xy += x * y
                yy += y * y
                xu += x * (uv[c, 0] - mu)
                yu += y * (uv[c, 0] - mu)
                xv += x * (uv[c, 1] - mv)
                yv += y * (uv[c, 1] - mv)
            det = xx * yy - xy * xy
            if det > 0:
                ua, ub = (yy * xu - xy * yu) / det, (xx * yu - xy * xu) / det
                va, vb = (yy * xv - xy * yv) / det, (xx * yv - xy * xv) / det
        p = corners[b - 1]
        dx, dy, dz = (
            points[corners[a], 0] - points[p, 0],
            points[corners[a], 1] - points[p, 1],
            points[corners[a], 2] - points[p, 2],
        )
        bx, by, bz = ny * dz - nz * dy, nz * dx - nx * dz, nx * dy - ny * dx
        s = max(np.sqrt(bx * bx + by * by + bz * bz), 1e-300)
        bx, by, bz = bx / s, by / s, bz / s
        far = 0.0
        for k in range(n):
            c = a + k
            p, q = corners[c], corners[a + (k + 1) % n]
            dx, dy, dz = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
            hx, hy, hz = ny * dz - nz * dy, nz * dx - nx * dz, nx * dy - ny * dx
            s = max(np.sqrt(hx * hx + hy * hy + hz * hz), 1e-300)
            hx, hy, hz = hx / s, hy / s, hz / s
            s = max(np.sqrt(dx * dx + dy * dy + dz * dz), 1e-300)
            w = inset / max(1 + hx * bx + hy * by + hz * bz, 1e-10)
            ix, iy, iz = (hx + bx) * w, (hy + by) * w, (hz + bz) * w
            bx, by, bz = hx, hy, hz
            j = at + k
            places[j, 0] = points[p, 0] + distance * nx + ix
            places[j, 1] = points[p, 1] + distance * ny + iy
            places[j, 2] = points[p, 2] + distance * nz + iz
            tops[c] = first + j
            last = at + (k + 1) % n
            walls[j, 0], walls[j, 1], walls[j, 2], walls[j, 3] = p, q, first + last, first + j
            if has:
                if goes_on:
                    x, y = ix * ex + iy * ey + iz * ez, ix * gx + iy * gy + iz * gz
                    top_uv[c, 0], top_uv[c, 1] = uv[c, 0] + ua * x + ub * y, uv[c, 1] + va * x + vb * y
                else:
                    u, t = min(far / max(total, 1e-300), 1.0), min((far + s) / max(total, 1e-300), 1.0)
                    wall_uv[j, 0, 0], wall_uv[j, 0, 1], wall_uv[j, 1, 0], wall_uv[j, 1, 1] = u, 0.0, t, 0.0
                    wall_uv[j, 2, 0], wall_uv[j, 2, 1], wall_uv[j, 3, 0], wall_uv[j, 3, 1] = t, 1.0, u, 1.0
            far += s
        if has and goes_on:
            for k in range(n):
                c, e, j = a + k, a + (k + 1) % n, at + k
                wall_uv[j, 0, 0], wall_uv[j, 0, 1], wall_uv[j, 1, 0], wall_uv[j, 1, 1] = (
                    uv[c, 0],
                    uv[c, 1],
                    uv[e, 0],
                    uv[e, 1],
                )
                wall_uv[j, 2, 0], wall_uv[j, 2, 1] = top_uv[e, 0], top_uv[e, 1]
                wall_uv[j, 3, 0], wall_uv[j, 3, 1] = top_uv[c, 0], top_uv[c, 1]
        at += n
