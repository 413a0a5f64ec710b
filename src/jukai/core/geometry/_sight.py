"""Loops of hidden-line removal: a grid over the drawing, edges split where something may cover them, and looked at."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.kernels import kernel

__all__ = ["grid_of", "seen_pieces"]


@kernel
def _cell(x: float, start: float, size: float, n: int) -> int:
    """Which of ``n`` cells in a row a place lies in, the first or last for what lies beside."""
    return min(max(int((x - start) / size), 0), n - 1)


@kernel
def grid_of(low: Array, high: Array, corner: Array, cell: float, nx: int, ny: int) -> tuple[NDArray[np.int64], Ints]:
    """Put boxes (m, 2) into the cells of a grid they touch; return compressed rows (cells + 1,) and items."""
    m = len(low)
    count = np.zeros(nx * ny + 1, np.int64)
    for i in range(m):
        x0 = _cell(low[i, 0], corner[0], cell, nx)
        x1 = _cell(high[i, 0], corner[0], cell, nx)
        y0 = _cell(low[i, 1], corner[1], cell, ny)
        y1 = _cell(high[i, 1], corner[1], cell, ny)
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                count[y * nx + x + 1] += 1
    for c in range(nx * ny):
        count[c + 1] += count[c]
    items = np.empty(count[nx * ny], np.int32)
    at = count[:-1].copy()
    for i in range(m):
        x0 = _cell(low[i, 0], corner[0], cell, nx)
        x1 = _cell(high[i, 0], corner[0], cell, nx)
        y0 = _cell(low[i, 1], corner[1], cell, ny)
        y1 = _cell(high[i, 1], corner[1], cell, ny)
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                items[at[y * nx + x]] = i
                at[y * nx + x] += 1
    return count, items


@kernel
def _crossing(ax: float, ay: float, bx: float, by: float, cx: float, cy: float, dx: float, dy: float) -> float:
    """How far along the first of two segments they cross, -1 where they do not; ends of the second count."""
    ux, uy, vx, vy = bx - ax, by - ay, dx - cx, dy - cy
    whole = ux * vy - uy * vx
    if abs(whole) < 1e-14 * ((ux * ux + uy * uy) * (vx * vx + vy * vy)) ** 0.5:
        return -1.0
    t = ((cx - ax) * vy - (cy - ay) * vx) / whole
    s = ((cx - ax) * uy - (cy - ay) * ux) / whole
    if s < -1e-9 or s > 1 + 1e-9 or t <= 0 or t >= 1:
        return -1.0
    return t


@kernel
def _through(seg: Array, tri: Array) -> float:
    """How far along a segment (2, 3) it runs through a triangle (3, 3), -1 where it does not."""
    ux, uy, uz = tri[1, 0] - tri[0, 0], tri[1, 1] - tri[0, 1], tri[1, 2] - tri[0, 2]
    vx, vy, vz = tri[2, 0] - tri[0, 0], tri[2, 1] - tri[0, 1], tri[2, 2] - tri[0, 2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    dp = nx * (seg[0, 0] - tri[0, 0]) + ny * (seg[0, 1] - tri[0, 1]) + nz * (seg[0, 2] - tri[0, 2])
    dq = nx * (seg[1, 0] - tri[0, 0]) + ny * (seg[1, 1] - tri[0, 1]) + nz * (seg[1, 2] - tri[0, 2])
    if (dp > 0) == (dq > 0):
        return -1.0
    t = dp / (dp - dq)
    area = nx * nx + ny * ny + nz * nz
    if not 0 < t < 1 or area <= 0:
        return -1.0
    wx = seg[0, 0] + (seg[1, 0] - seg[0, 0]) * t - tri[0, 0]
    wy = seg[0, 1] + (seg[1, 1] - seg[0, 1]) * t - tri[0, 1]
    wz = seg[0, 2] + (seg[1, 2] - seg[0, 2]) * t - tri[0, 2]
    beta = (nx * (wy * vz - wz * vy) + ny * (wz * vx - wx * vz) + nz * (wx * vy - wy * vx)) / area
    gamma = (nx * (uy * wz - uz * wy) + ny * (uz * wx - ux * wz) + nz * (ux * wy - uy * wx)) / area
    if beta >= 0 and gamma >= 0 and beta + gamma <= 1:
        return t
    return -1.0


@kernel
def _covered(
    x: float,
    y: float,
    z: float,
    f0: int,
    f1: int,
    tri: Array,
    tri_face: Array,
    rows: Array,
    items: Array,
    cell_at: int,
    eps: float,
) -> bool:
    """Whether a triangle of another face lies before a place."""
    for r in range(rows[cell_at], rows[cell_at + 1]):
        i = items[r]
        if tri_face[i] == f0 or tri_face[i] == f1:
            continue
        ax, ay = tri[i, 0, 0] - x, tri[i, 0, 1] - y
        bx, by = tri[i, 1, 0] - x, tri[i, 1, 1] - y
        cx, cy = tri[i, 2, 0] - x, tri[i, 2, 1] - y
        w0 = bx * cy - by * cx
        w1 = cx * ay - cy * ax
        w2 = ax * by - ay * bx
        whole = w0 + w1 + w2
        if whole == 0:
            continue
        room = 1e-9 * abs(whole)
        if whole > 0:
            if w0 < -room or w1 < -room or w2 < -room:
                continue
        elif w0 > room or w1 > room or w2 > room:
            continue
        if (w0 * tri[i, 0, 2] + w1 * tri[i, 1, 2] + w2 * tri[i, 2, 2]) / whole > z + eps:
            return True
    return False


@kernel
def seen_pieces(seg: Array, seg_faces: Array, contour: Array, c_rows: Array, c_items: Array, tri: Array, tri_face: Array, t_rows: Array, t_items: Array,
                corner: Array, cell: float, nx: int, ny: int, eps: float) -> tuple[NDArray[np.int64], Floats]:  # fmt: skip
    """Split edges (e, 2, 3) where contours cross them or faces are pierced; return what of them is seen.

    Places are across, up, and towards the eye. Returned are the number of the edge of each seen piece and from where to
    where it goes, as shares.
    """
    cap = 2 * len(seg) + 16
    which = np.empty(cap, np.int64)
    span = np.empty((cap, 2))
    n = 0
    ts = np.empty(64)
    for e in range(len(seg)):
        ax, ay, bx, by = seg[e, 0, 0], seg[e, 0, 1], seg[e, 1, 0], seg[e, 1, 1]
        if (bx - ax) ** 2 + (by - ay) ** 2 <= eps * eps:
            continue
        count = 0
        y0 = _cell(min(ay, by), corner[1], cell, ny)
        y1 = _cell(max(ay, by), corner[1], cell, ny)
        for iy in range(y0, y1 + 1):
            # the run of the edge in this row of cells, a hair wider
            xa, xb = ax, bx
            if abs(by - ay) > 1e-12 * cell:
                ta = (corner[1] + iy * cell - ay) / (by - ay)
                tb = (corner[1] + (iy + 1) * cell - ay) / (by - ay)
                ta, tb = min(max(min(ta, tb), 0.0), 1.0), min(max(ta, tb, 0.0), 1.0)
                xa, xb = ax + ta * (bx - ax), ax + tb * (bx - ax)
            x0 = min(max(int((min(xa, xb) - corner[0]) / cell - 1e-9), 0), nx - 1)
            x1 = min(max(int((max(xa, xb) - corner[0]) / cell + 1e-9), 0), nx - 1)
            for ix in range(x0, x1 + 1):
                at = iy * nx + ix
                for kind in range(2):
                    rows = c_rows if kind == 0 else t_rows
                    items = c_items if kind == 0 else t_items
                    for r in range(rows[at], rows[at + 1]):
                        i = items[r]
                        if kind == 0:
                            t = _crossing(
                                ax, ay, bx, by, contour[i, 0, 0], contour[i, 0, 1], contour[i, 1, 0], contour[i, 1, 1]
                            )
                        elif tri_face[i] == seg_faces[e, 0] or tri_face[i] == seg_faces[e, 1]:
                            continue
                        else:
                            t = _through(seg[e], tri[i])
                        if t >= 0:
                            if count == len(ts):
                                more = np.empty(2 * count)
                                more[:count] = ts
                                ts = more
                            ts[count] = t
                            count += 1
        cuts = np.sort(ts[:count])
        before = 0.0
        begun = -1.0
        for k in range(count + 1):
            after = cuts[k] if k < count else 1.0
            if after - before < 1e-9 and k < count:
                continue
            m = (before + after) / 2
            x, y = ax + m * (bx - ax), ay + m * (by - ay)
            z = seg[e, 0, 2] + m * (seg[e, 1, 2] - seg[e, 0, 2])
            ix = _cell(x, corner[0], cell, nx)
            iy = _cell(y, corner[1], cell, ny)
            hidden = _covered(
                x, y, z, seg_faces[e, 0], seg_faces[e, 1], tri, tri_face, t_rows, t_items, iy * nx + ix, eps
            )
            if not hidden and begun < 0:
                begun = before
            if begun >= 0 and (hidden or k == count):
                if n == cap:
                    cap *= 2
                    which2 = np.empty(cap, np.int64)
                    span2 = np.empty((cap, 2))
                    which2[:n] = which
                    span2[:n] = span
                    which, span = which2, span2
                which[n] = e
                span[n, 0] = begun
                span[n, 1] = before if hidden else after
                n += 1
                begun = -1.0
            before = after
    return which[:n], span[:n]
