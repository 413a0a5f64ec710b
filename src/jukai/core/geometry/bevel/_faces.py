"""Compiled: the faces of a bevelled body written one after the other, with their texture coordinates."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array, Ints
from jukai.core.geometry.bevel._sectors import KEPT, MITRE, NONE, PROFILE
from jukai.core.geometry.kernels import kernel, no_wraparound


@no_wraparound
@kernel
def carry(corners: Array, position: Array, numbers: Array, first: Array, uv: Array, base: int, out: Array, out_uv: Array, point_uv: Array
          ) -> None:  # fmt: skip
    """Write the corners beside no strip, from ``first`` (c,) on, and the texture of the old points that stay."""
    for c in range(corners.shape[0]):
        new = numbers[corners[c]]
        if position[c] < 0:
            out[first[c]] = new
            if uv.shape[0] > 0:
                out_uv[first[c], 0], out_uv[first[c], 1] = uv[c, 0], uv[c, 1]
        if base > 0 and new >= 0 and uv.shape[0] > 0:
            point_uv[new, 0], point_uv[new, 1] = uv[c, 0], uv[c, 1]


@no_wraparound
@kernel
def keep(points: Array, corners: Array, following: Array, before: Array, instead: Array, share: Array, begins: Array, profile: Array, row: Array,
         ring: Array, numbers: Array, base: int, all_points: Array, uv: Array, first: Array, out: Array, out_uv: Array, point_uv: Array) -> None:  # fmt: skip
    """Write what takes the place of the corners of the rings, from ``first`` (c,) on. Texture runs on over each corner's plane."""
    n_old = points.shape[0]
    textured = uv.shape[0] > 0
    n = profile.shape[1] - 1
    for k in range(ring.shape[0]):
        c = ring[k]
        at = first[c]
        if instead[k, 0] == PROFILE:
            line = row[ring[begins[k]]]
            for t in range(int(share[k, 0] * n + 0.5), int(share[k, 1] * n + 0.5) - 1, -1):
                out[at] = profile[line, t]
                at += 1
        else:
            for t in range(3):
                new = instead[k, t]
                if new == NONE:
                    break
                out[at] = numbers[new] if new < n_old else base + new - n_old
                at += 1
        if not textured:
            continue
        p, q, o = corners[c], corners[following[c]], corners[before[c]]
        ax, ay, az = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
        bx, by, bz = points[o, 0] - points[p, 0], points[o, 1] - points[p, 1], points[o, 2] - points[p, 2]
        aa, ab, bb = ax * ax + ay * ay + az * az, ax * bx + ay * by + az * bz, bx * bx + by * by + bz * bz
        det = aa * bb - ab * ab
        other = before[c]
        # where the corner is straight another one of the face says how texture runs across
        while not det > 1e-9 * aa * bb and before[other] != following[c]:
            other = before[other]
            o = corners[other]
            bx, by, bz = points[o, 0] - points[p, 0], points[o, 1] - points[p, 1], points[o, 2] - points[p, 2]
            ab, bb = ax * bx + ay * by + az * bz, bx * bx + by * by + bz * bz
            det = aa * bb - ab * ab
        u, v = uv[c, 0], uv[c, 1]
        au, av = uv[following[c], 0] - u, uv[following[c], 1] - v
        bu, bv = uv[other, 0] - u, uv[other, 1] - v
        for i in range(first[c], at):
            new = out[i]
            x, y, z = (
                all_points[new, 0] - points[p, 0],
                all_points[new, 1] - points[p, 1],
                all_points[new, 2] - points[p, 2],
            )
            ra, rb = x * ax + y * ay + z * az, x * bx + y * by + z * bz
            if det > 1e-12 * aa * bb:
                s, t_ = (bb * ra - ab * rb) / det, (aa * rb - ab * ra) / det
            else:
                s, t_ = ra / max(aa, 1e-300), 0.0
            out_uv[i, 0], out_uv[i, 1] = u + s * au + t_ * bu, v + s * av + t_ * bv
            point_uv[new, 0], point_uv[new, 1] = out_uv[i, 0], out_uv[i, 1]


@no_wraparound
@kernel
def strips(here: Array, there: Array, following: Array, row: Array, profile: Array, first: Array, kept_uv: Array, uv: Array, cut: bool,
           out: Array, out_uv: Array, point_uv: Array) -> None:  # fmt: skip
    """Write the faces along each edge, from the first side's face to the twin's: n faces of four sides.

    The texture runs from the one border to the other; where the faces part in the texture, or if
    ``cut``, each strip has coordinates of its own, 0 to 1.
    """
    textured = uv.shape[0] > 0
    n = profile.shape[1] - 1
    at = 0
    for i in range(here.shape[0]):
        h, t = here[i], there[i]
        near, far = row[h], row[t]
        for k in range(n):
            out[at + 4 * k] = profile[near, k]
            out[at + 4 * k + 1] = profile[near, k + 1]
            out[at + 4 * k + 2] = profile[far, n - k - 1]
            out[at + 4 * k + 3] = profile[far, n - k]
        if textured:
            hf, tf = following[h], following[t]
            seam = cut
            for x in range(2):
                seam = seam or abs(uv[h, x] - uv[tf, x]) > 1e-9 or abs(uv[t, x] - uv[hf, x]) > 1e-9
            a, b, c, d = first[h + 1] - 1, first[hf], first[tf], first[t + 1] - 1
            # from face to face, near and far; where the texture has a seam, of its own
            au, av, bu, bv = kept_uv[a, 0], kept_uv[a, 1], kept_uv[b, 0], kept_uv[b, 1]
            cu, cv, du, dv = kept_uv[c, 0], kept_uv[c, 1], kept_uv[d, 0], kept_uv[d, 1]
            for k in range(n + 1):
                s = k / n
                pu, pv = au * (1 - s) + cu * s, av * (1 - s) + cv * s
                qu, qv = bu * (1 - s) + du * s, bv * (1 - s) + dv * s
                if not cut and 0 < k < n:  # the ends have that of the faces
                    p, q = profile[near, k], profile[far, n - k]
                    point_uv[p, 0], point_uv[p, 1] = pu, pv
                    point_uv[q, 0], point_uv[q, 1] = qu, qv
                if seam:
                    pu, pv, qu, qv = 0.0, s, 1.0, s
                if k < n:
                    o = at + 4 * k
                    out_uv[o, 0], out_uv[o, 1] = pu, pv
                    out_uv[o + 3, 0], out_uv[o + 3, 1] = qu, qv
                if k > 0:
                    o = at + 4 * k - 3
                    out_uv[o, 0], out_uv[o, 1] = pu, pv
                    out_uv[o + 1, 0], out_uv[o + 1, 1] = qu, qv
        at += 4 * n


@no_wraparound
@kernel
def fans(
    corners: Array,
    corner_edge: Array,
    picked: Array,
    ring: Array,
    starts: Array,
    kind: Array,
    row: Array,
    profile: Array,
    numbers: Array,
    centre: Array,
) -> Ints:
    """Faces from the old points that stay, and the middles of mitred corners of an odd number of segments.

    Pairs of chords make faces of four sides, from both ends to the middle.
    """
    n = profile.shape[1] - 1
    out = np.empty((profile.size + 1, 4), np.int32)
    chain = np.empty(profile.size + 1, np.int32)
    count = 0
    for r in range(starts.shape[0] - 1):
        lo, hi = starts[r], starts[r + 1]
        if kind[r] == MITRE and n % 2:
            for k in range(lo, hi):
                if picked[corner_edge[ring[k]]]:
                    line = row[ring[k]]
                    out[count, 0], out[count, 1], out[count, 2], out[count, 3] = (
                        centre[r],
                        profile[line, n // 2 + 1],
                        profile[line, n // 2],
                        -1,
                    )
                    count += 1
        if kind[r] != KEPT:
            continue
        v = numbers[corners[ring[lo]]]
        size = hi - lo
        # begin behind a sector that keeps its point
        begin = lo
        last = -1
        for k in range(lo, hi):
            if picked[corner_edge[ring[k]]]:
                last = k
        previous = row[ring[last]]
        for k in range(lo, hi):
            if picked[corner_edge[ring[k]]]:
                here = row[ring[k]]
                if profile[here, n] != profile[previous, 0] or here == previous:
                    begin = k
                    break
                previous = here
        length = here = 0
        for step in range(size + 1):
            k = lo + (begin - lo + step) % size
            over = step == size
            if not over:
                if not picked[corner_edge[ring[k]]]:
                    continue
                here = row[ring[k]]
                over = length > 0 and profile[here, n] != chain[length - 1]
            if over and length > 1:
                chords = length - 1
                left = chords // 4 if chords % 2 else chords // 2
                at = 0
                for _ in range(left):
                    for t in range(3):
                        out[count, t + 1] = chain[at + t]
                    out[count, 0] = v
                    count += 1
                    at += 2
                if chords % 2:
                    stop = chords - 2 * left
                    while at < stop:
                        out[count, 0], out[count, 1], out[count, 2], out[count, 3] = v, chain[at], chain[at + 1], -1
                        count += 1
                        at += 1
                    for _ in range(left):
                        for t in range(3):
                            out[count, t + 1] = chain[at + t]
                        out[count, 0] = v
                        count += 1
                        at += 2
                length = 0
            if step < size:
                if length == 0:
                    chain[0] = profile[here, n]
                    length = 1
                for t in range(n - 1, -1, -1):
                    chain[length] = profile[here, t]
                    length += 1
    return out[:count].copy()


@no_wraparound
@kernel
def looked_up(point_uv: Array, corners: Array, begin: int, out: Array) -> None:
    """Give corners from ``begin`` on the texture coordinates of their points."""
    for c in range(begin, corners.shape[0]):
        p = corners[c]
        out[c, 0], out[c, 1] = point_uv[p, 0], point_uv[p, 1]


@no_wraparound
@kernel
def faults(
    which: Array, points: Array, corners: Array, offsets: Array, first_new: int, least: float
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Of the faces ``which``: ends of sides of new points that are shorter than the root of ``least``, and faces of no area or with a spike."""
    room = 1
    for f in which:
        room += offsets[f + 1] - offsets[f]
    a, b = np.empty(room, np.int64), np.empty(room, np.int64)
    flat = np.empty(which.shape[0], np.int64)
    count = many = 0
    for k in range(which.shape[0]):
        f = which[k]
        lo, hi = offsets[f], offsets[f + 1]
        o = corners[lo]
        ox, oy, oz = points[o, 0], points[o, 1], points[o, 2]
        last = corners[hi - 1]
        ux, uy, uz = ox - points[last, 0], oy - points[last, 1], oz - points[last, 2]
        sx = sy = sz = 0.0
        long = 0.0
        px = py = pz = 0.0
        new = spike = False
        p = o
        for i in range(lo, hi):
            q = corners[i + 1] if i + 1 < hi else o
            qx, qy, qz = points[q, 0] - ox, points[q, 1] - oy, points[q, 2] - oz
            sx += py * qz - pz * qy
            sy += pz * qx - px * qz
            sz += px * qy - py * qx
            x, y, z = qx - px, qy - py, qz - pz
            length = x * x + y * y + z * z
            long = max(long, length)
            back = ux * x + uy * y + uz * z
            # there and back again: the sides at this corner lie on each other
            cx, cy, cz = uy * z - uz * y, uz * x - ux * z, ux * y - uy * x
            spike |= (back < 0) & (cx * cx + cy * cy + cz * cz <= 1e-18 * back * back)
            new |= q >= first_new
            a[count], b[count] = p, q
            count += (length <= least) & ((p >= first_new) | (q >= first_new))
            ux, uy, uz, px, py, pz = x, y, z, qx, qy, qz
            p = q
        if new and (spike or sx * sx + sy * sy + sz * sz <= 1e-18 * long * long):
            flat[many] = f
            many += 1
    return a[:count].copy(), b[:count].copy(), flat[:many].copy()
