"""Compiled: the points across each strip where it ends, and the creases of mitred corners."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.bevel._sectors import MITRE, PATCH
from jukai.core.geometry.kernels import kernel


@kernel
def round_shares(turn: Array, chord: Array, sharp: Array, weights: Array) -> Any:
    """Return (m, n - 1) the shares between the ends of sections that are not hollow; ``profiles`` says what they are."""
    n = chord.shape[0] - 1
    out = np.empty((turn.shape[0], n - 1))
    for i in range(turn.shape[0]):
        phi = turn[i]
        level = not phi > 1e-4
        whole = 1.0 if level else 1 - np.cos(phi)
        for k in range(1, n):
            t = chord[k]
            part = t * t if level else (1 - np.cos(t * phi)) / whole
            out[i, k - 1] = weights[0] * t + weights[1] * part + weights[2] * sharp[k]
    return out


@kernel
def sections(all_points: Array, n_old: int, numbers: Array, base: int, spots: Array, points: Array, corners: Array, corner_edge: Array,
             edge_row: Array, shares: Array, ring: Array, starts: Array, closes: Array, after: Array, ahead: Array, directions: Array, picks: Array,
             kind: Array, n: int, at: int, mitre: bool) -> Any:  # fmt: skip
    """Write the sections of all strips at both their ends into ``all_points``, from row ``at`` on.

    Parameters
    ----------
    numbers : (old points,) their new numbers; ``base`` that of the first spot.
    shares : (picked edges, n + 1) share of the second leg along a section, at rows ``edge_row``.
    mitre : whether strips at corners run on until they meet in creases; ``kind`` says afterwards where they do.

    Returns
    -------
    profile : (picked ring corners, n + 1) new numbers of the points across each strip, counter-clockwise
    round the old point. row (corners,) the row of the side that leaves a corner. centre (rings,) the
    point where creases meet. How many rows of ``all_points`` are filled.
    """
    most = every = 0
    for r in range(picks.shape[0]):
        most = max(most, picks[r])
        every += picks[r]
    profile = np.empty((every, n + 1), np.int32)
    row = np.full(corners.shape[0], -1, np.int32)
    centre = np.full(starts.shape[0] - 1, -1, np.int32)
    where = np.empty(most + 1, np.int32)
    half = (n - 1) // 2
    on = np.empty((2 * most + 1, 3))  # points on the lines of two strips, their directions
    direction = np.empty((most + 1, 3))
    crease = np.empty((most * (half + 1) + 1, 3))
    s = np.empty(3)
    e = np.empty(3)
    filled = 0
    for r in range(starts.shape[0] - 1):
        lo, hi = starts[r], starts[r + 1]
        v = corners[ring[lo]]
        vx, vy, vz = points[v, 0], points[v, 1], points[v, 2]
        p = 0
        for k in range(lo, hi):
            if after[k] >= 0:
                where[p] = k
                for t in range(3):
                    direction[p, t] = directions[k, t]
                p += 1
        closed = closes[r]
        shared = closed and p == 2 and kind[r] == 0
        mitred = mitre and kind[r] == PATCH and n > 0
        if mitred:
            # crease after strip a: where its lines meet those of the next strip
            reach = 0.0
            for a in range(p):
                b = after[where[a]] - n_old
                reach = max(reach, (spots[b, 0] - vx) ** 2 + (spots[b, 1] - vy) ** 2 + (spots[b, 2] - vz) ** 2)
            ok = True
            for j in range(1, half + 2):
                for a in range(p):
                    b = after[where[a]] - n_old
                    g = ahead[where[a]] - n_old
                    for t in range(3):
                        s[t], e[t] = spots[b, t], spots[g, t]
                    along = 0.5 * ((s[0] + e[0] - 2 * vx) * direction[a, 0] + (s[1] + e[1] - 2 * vy) * direction[a, 1]
                                   + (s[2] + e[2] - 2 * vz) * direction[a, 2])  # fmt: skip
                    line = edge_row[corner_edge[ring[where[a]]]]
                    for side in range(2):
                        k = j if side == 0 else n - j
                        beta, alpha = shares[line, k], shares[line, n - k]
                        for t in range(3):
                            m = points[v, t] + along * direction[a, t]
                            on[2 * a + side, t] = m + alpha * (s[t] - m) + beta * (e[t] - m)
                if j <= half:
                    for a in range(p):
                        b = a + 1 if a + 1 < p else 0
                        dot = (
                            direction[a, 0] * direction[b, 0]
                            + direction[a, 1] * direction[b, 1]
                            + direction[a, 2] * direction[b, 2]
                        )
                        det = 1 - dot * dot
                        wa = wb = 0.0
                        for t in range(3):
                            delta = on[2 * b + 1, t] - on[2 * a, t]
                            wa += delta * direction[a, t]
                            wb += delta * direction[b, t]
                        ta = (wa - dot * wb) / det if det > 1e-6 else 0.0
                        tb = (dot * wa - wb) / det if det > 1e-6 else 0.0
                        far = gap = 0.0
                        for t in range(3):
                            x, y = on[2 * a, t] + ta * direction[a, t], on[2 * b + 1, t] + tb * direction[b, t]
                            crease[a * half + j - 1, t] = 0.5 * (x + y)
                            far += (0.5 * (x + y) - points[v, t]) ** 2
                            gap += (x - y) ** 2
                        ok = ok and far <= 9 * reach and gap <= 0.0025 * reach
                else:
                    # the middle: nearest to the middle lines of all strips
                    xx = xy = xz = yy = yz = zz = rx = ry = rz = 0.0
                    for a in range(p):
                        dx, dy, dz = direction[a, 0], direction[a, 1], direction[a, 2]
                        x = 0.5 * (on[2 * a, 0] + on[2 * a + 1, 0])
                        y = 0.5 * (on[2 * a, 1] + on[2 * a + 1, 1])
                        z = 0.5 * (on[2 * a, 2] + on[2 * a + 1, 2])
                        dot = x * dx + y * dy + z * dz
                        xx += 1 - dx * dx
                        xy -= dx * dy
                        xz -= dx * dz
                        yy += 1 - dy * dy
                        yz -= dy * dz
                        zz += 1 - dz * dz
                        rx += x - dot * dx
                        ry += y - dot * dy
                        rz += z - dot * dz
                    det = xx * (yy * zz - yz * yz) - xy * (xy * zz - yz * xz) + xz * (xy * yz - yy * xz)
                    ok = ok and det > 1e-6
                    if ok:
                        g = p * half
                        crease[g, 0] = (
                            rx * (yy * zz - yz * yz) - xy * (ry * zz - yz * rz) + xz * (ry * yz - yy * rz)
                        ) / det
                        crease[g, 1] = (
                            xx * (ry * zz - yz * rz) - rx * (xy * zz - yz * xz) + xz * (xy * rz - ry * xz)
                        ) / det
                        crease[g, 2] = (
                            xx * (yy * rz - ry * yz) - xy * (xy * rz - ry * xz) + rx * (xy * yz - yy * xz)
                        ) / det
                        far = (crease[g, 0] - vx) ** 2 + (crease[g, 1] - vy) ** 2 + (crease[g, 2] - vz) ** 2
                        ok = far <= 9 * reach
            mitred = ok
            if ok:
                kind[r] = MITRE
                for k in range(p * half + 1):
                    for t in range(3):
                        all_points[at + k, t] = crease[k, t]
                centre[r] = at + p * half
        for a in range(p):
            c = ring[where[a]]
            start, stop = after[where[a]], ahead[where[a]]
            row[c] = filled
            sid = numbers[start] if start < n_old else base + start - n_old
            eid = numbers[stop] if stop < n_old else base + stop - n_old
            profile[filled, 0] = sid
            profile[filled, n] = eid
            if start == stop:
                for k in range(1, n):
                    profile[filled, k] = sid
                filled += 1
                continue
            if mitred:
                earlier = a - 1 if a > 0 else p - 1
                for k in range(1, half + 1):
                    profile[filled, k] = at + a * half + k - 1
                    profile[filled, n - k] = at + earlier * half + k - 1
                if n % 2 == 0:
                    profile[filled, n // 2] = centre[r]
                filled += 1
                continue
            if shared and a == 1:
                other = row[ring[where[0]]]
                for k in range(1, n):
                    profile[filled, k] = profile[other, n - k]
                filled += 1
                continue
            sx, sy, sz = spots[start - n_old, 0], spots[start - n_old, 1], spots[start - n_old, 2]
            ex, ey, ez = spots[stop - n_old, 0], spots[stop - n_old, 1], spots[stop - n_old, 2]
            wx, wy, wz = direction[a, 0], direction[a, 1], direction[a, 2]
            mx, my, mz = vx, vy, vz
            sa = ea = along = 0.0
            apart = (p > 1 and not shared) or (p == 1 and closed and kind[r] != 0)
            if apart:
                sa = (sx - vx) * wx + (sy - vy) * wy + (sz - vz) * wz
                ea = (ex - vx) * wx + (ey - vy) * wy + (ez - vz) * wz
                along = max(0.5 * (sa + ea), 0.0)  # never behind the old point
                mx, my, mz = vx + along * wx, vy + along * wy, vz + along * wz
            line = edge_row[corner_edge[c]]
            second = edge_row[corner_edge[ring[where[1]]]] if shared else line
            for k in range(1, n):
                beta = 0.5 * (shares[line, k] + shares[second, k])
                alpha = 0.5 * (shares[line, n - k] + shares[second, n - k])
                # back from the corner as far as keeps it off the neighbouring strips: behind their mitres
                back = 0.0
                if apart:
                    back = max(alpha * sa, beta * ea) - along * (1 - alpha - beta) - alpha * sa - beta * ea
                    back = max(back, 0.0)
                all_points[at, 0] = mx + alpha * (sx - mx) + beta * (ex - mx) + back * wx
                all_points[at, 1] = my + alpha * (sy - my) + beta * (ey - my) + back * wy
                all_points[at, 2] = mz + alpha * (sz - mz) + beta * (ez - mz) + back * wz
                profile[filled, k] = at
                at += 1
            filled += 1
        if mitred:
            at += p * half + 1
    return profile, row, centre, at
