"""Compiled: the points across each strip where it ends, and the creases of mitred corners."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.bevel._sectors import MITRE, PATCH, Faces, Ring
from jukai.core.geometry.bevel.results import Sectors
from jukai.core.geometry.kernels import kernel, no_wraparound, piece


@no_wraparound
@kernel
def round_shares(turn: Array, chord: Array, sharp: Array, weights: Array) -> Floats:
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


class _Corner(NamedTuple):
    """Room for the ``p`` strips round one point.

    Their picked edges in the ring (``where``) and unit vectors along them; ``on`` (2 p, 3) points on
    the lines that run along each strip, the same step from its one border and from its other;
    ``crease`` the points of all creases, one after another, the middle last.
    """

    where: Ints
    direction: Floats
    on: Floats
    crease: Floats


@no_wraparound
@kernel
def sections(all_points: Array, first: int, body: Faces, rings: Ring, at: Sectors, kind: Array, numbers: Array, base: int,
             edge_row: Array, shares: Array, mitre: bool) -> tuple[Ints, Ints, Ints, int]:  # fmt: skip
    """Write the sections of all strips at both their ends into ``all_points``, from row ``first`` on.

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
    ring, starts, corners, n_old = rings.corners, rings.starts, body.corners, body.points.shape[0]
    n = shares.shape[1] - 1
    most = every = 0
    for r in range(at.picks.shape[0]):
        most = max(most, at.picks[r])
        every += at.picks[r]
    profile = np.empty((every, n + 1), np.int32)
    row = np.full(corners.shape[0], -1, np.int32)
    centre = np.full(starts.shape[0] - 1, -1, np.int32)
    half = (n - 1) // 2
    corner = _Corner(
        np.empty(most + 1, np.int32), np.empty((most + 1, 3)), np.empty((2 * most + 1, 3)), np.empty((most * (half + 1) + 1, 3))
    )  # fmt: skip
    filled, end = 0, first
    for r in range(starts.shape[0] - 1):
        p = 0
        for k in range(starts[r], starts[r + 1]):
            if at.after[k] >= 0:
                corner.where[p] = k
                for t in range(3):
                    corner.direction[p, t] = at.directions[k, t]
                p += 1
        v = corners[ring[starts[r]]]
        shared = rings.closes[r] and p == 2 and kind[r] == 0
        mitred = mitre and kind[r] == PATCH and n > 0 and _creases(body, ring, v, at, p, edge_row, shares, corner)
        if mitred:
            kind[r] = MITRE
            for k in range(p * half + 1):
                for t in range(3):
                    all_points[end + k, t] = corner.crease[k, t]
            centre[r] = end + p * half
        apart = (p > 1 and not shared) or (p == 1 and rings.closes[r] and kind[r] != 0)
        for a in range(p):
            k = corner.where[a]
            c, start, stop = ring[k], at.after[k], at.ahead[k]
            row[c] = filled
            profile[filled, 0] = numbers[start] if start < n_old else base + start - n_old
            profile[filled, n] = numbers[stop] if stop < n_old else base + stop - n_old
            if start == stop:
                for k in range(1, n):
                    profile[filled, k] = profile[filled, 0]
            elif mitred:
                earlier = a - 1 if a > 0 else p - 1
                for k in range(1, half + 1):
                    profile[filled, k] = end + a * half + k - 1
                    profile[filled, n - k] = end + earlier * half + k - 1
                if n % 2 == 0:
                    profile[filled, n // 2] = centre[r]
            elif shared and a == 1:
                other = row[ring[corner.where[0]]]
                for k in range(1, n):
                    profile[filled, k] = profile[other, n - k]
            else:
                line = edge_row[body.edge[c]]
                second = edge_row[body.edge[ring[corner.where[1]]]] if shared else line
                _across(all_points, end, body.points, v, at, k, shares, line, second, apart)
                for k in range(1, n):
                    profile[filled, k] = end + k - 1
                end += n - 1
            filled += 1
        if mitred:
            end += p * half + 1
    return profile, row, centre, end


@no_wraparound
@piece
def _across(out: Array, first: int, points: Array, v: int, at: Sectors, k: int, shares: Array, line: int, second: int, apart: bool
            ) -> None:  # fmt: skip
    """Write the points between the ends of one section; ``apart`` where the strip has neighbours to keep off."""
    n, n_old = shares.shape[1] - 1, points.shape[0]
    b, g = at.after[k] - n_old, at.ahead[k] - n_old
    spots, wx, wy, wz = at.spots, at.directions[k, 0], at.directions[k, 1], at.directions[k, 2]
    vx, vy, vz = points[v, 0], points[v, 1], points[v, 2]
    sx, sy, sz = spots[b, 0], spots[b, 1], spots[b, 2]
    ex, ey, ez = spots[g, 0], spots[g, 1], spots[g, 2]
    mx, my, mz = vx, vy, vz
    sa = ea = along = 0.0
    if apart:
        sa = (sx - vx) * wx + (sy - vy) * wy + (sz - vz) * wz
        ea = (ex - vx) * wx + (ey - vy) * wy + (ez - vz) * wz
        along = max(0.5 * (sa + ea), 0.0)  # never behind the old point
        mx, my, mz = vx + along * wx, vy + along * wy, vz + along * wz
    for i in range(1, n):
        beta = 0.5 * (shares[line, i] + shares[second, i])
        alpha = 0.5 * (shares[line, n - i] + shares[second, n - i])
        # back from the corner as far as keeps it off the neighbouring strips: behind their mitres
        back = 0.0
        if apart:
            back = max(alpha * sa, beta * ea) - along * (1 - alpha - beta) - alpha * sa - beta * ea
            back = max(back, 0.0)
        row = first + i - 1
        out[row, 0] = mx + alpha * (sx - mx) + beta * (ex - mx) + back * wx
        out[row, 1] = my + alpha * (sy - my) + beta * (ey - my) + back * wy
        out[row, 2] = mz + alpha * (sz - mz) + beta * (ez - mz) + back * wz


@no_wraparound
@piece
def _creases(body: Faces, ring: Array, v: int, at: Sectors, p: int, edge_row: Array, shares: Array, corner: _Corner
             ) -> bool:  # fmt: skip
    """Write the creases in which the strips round a point meet; return whether they meet near it."""
    points, n_old, half = body.points, body.points.shape[0], (shares.shape[1] - 2) // 2
    reach = 0.0
    for a in range(p):
        b = at.after[corner.where[a]] - n_old
        x, y, z = at.spots[b, 0] - points[v, 0], at.spots[b, 1] - points[v, 1], at.spots[b, 2] - points[v, 2]
        reach = max(reach, x**2 + y**2 + z**2)
    ok = True
    for j in range(1, half + 2):
        for a in range(p):
            line = edge_row[body.edge[ring[corner.where[a]]]]
            _lines(points, v, at, a, shares, line, j, corner)
        if j <= half:
            for a in range(p):
                ok = _crease(points, v, p, a, a * half + j - 1, reach, corner) and ok
        else:
            ok = ok and _middle(points, v, p, p * half, reach, corner)
    return ok


@no_wraparound
@piece
def _lines(points: Array, v: int, at: Sectors, a: int, shares: Array, line: int, j: int, corner: _Corner) -> None:
    """Write a point on each of the two lines along strip ``a`` that are ``j`` steps from its borders."""
    n, n_old, d = shares.shape[1] - 1, points.shape[0], corner.direction
    b = at.after[corner.where[a]] - n_old
    g = at.ahead[corner.where[a]] - n_old
    along = 0.5 * (
        (at.spots[b, 0] + at.spots[g, 0] - 2 * points[v, 0]) * d[a, 0]
        + (at.spots[b, 1] + at.spots[g, 1] - 2 * points[v, 1]) * d[a, 1]
        + (at.spots[b, 2] + at.spots[g, 2] - 2 * points[v, 2]) * d[a, 2]
    )
    for side in range(2):
        k = j if side == 0 else n - j
        beta, alpha = shares[line, k], shares[line, n - k]
        for t in range(3):
            m = points[v, t] + along * d[a, t]
            corner.on[2 * a + side, t] = m + alpha * (at.spots[b, t] - m) + beta * (at.spots[g, t] - m)


@no_wraparound
@piece
def _crease(points: Array, v: int, p: int, a: int, row: int, reach: float, corner: _Corner) -> bool:
    """Write where a line of strip ``a`` meets that of the next strip; return whether they do, and near the point."""
    b = a + 1 if a + 1 < p else 0
    d, on = corner.direction, corner.on
    dot = d[a, 0] * d[b, 0] + d[a, 1] * d[b, 1] + d[a, 2] * d[b, 2]
    det = 1 - dot * dot
    wa = wb = 0.0
    for t in range(3):
        delta = on[2 * b + 1, t] - on[2 * a, t]
        wa += delta * d[a, t]
        wb += delta * d[b, t]
    ta = (wa - dot * wb) / det if det > 1e-6 else 0.0
    tb = (dot * wa - wb) / det if det > 1e-6 else 0.0
    far = gap = 0.0
    for t in range(3):
        x, y = on[2 * a, t] + ta * d[a, t], on[2 * b + 1, t] + tb * d[b, t]
        corner.crease[row, t] = 0.5 * (x + y)
        far += (0.5 * (x + y) - points[v, t]) ** 2
        gap += (x - y) ** 2
    return far <= 9 * reach and gap <= 0.0025 * reach


@no_wraparound
@piece
def _middle(points: Array, v: int, p: int, row: int, reach: float, corner: _Corner) -> bool:
    """Write the point nearest to the middle lines of all strips; return whether there is one, and near the old point."""
    on, crease = corner.on, corner.crease
    xx = xy = xz = yy = yz = zz = rx = ry = rz = 0.0
    for a in range(p):
        dx, dy, dz = corner.direction[a, 0], corner.direction[a, 1], corner.direction[a, 2]
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
    if not det > 1e-6:
        return False
    x = (rx * (yy * zz - yz * yz) - xy * (ry * zz - yz * rz) + xz * (ry * yz - yy * rz)) / det
    y = (xx * (ry * zz - yz * rz) - rx * (xy * zz - yz * xz) + xz * (xy * rz - ry * xz)) / det
    z = (xx * (yy * rz - ry * yz) - xy * (xy * rz - ry * xz) + rx * (xy * yz - yy * xz)) / det
    crease[row, 0], crease[row, 1], crease[row, 2] = x, y, z
    return (x - points[v, 0]) ** 2 + (y - points[v, 1]) ** 2 + (z - points[v, 2]) ** 2 <= 9 * reach
