"""Compiled trees of boxes over triangles: building, fitting, and what is asked of them.

A tree is complete: node ``i`` has the children ``2i + 1`` and ``2i + 2``, and of its ``leaves`` (a power of two) the
``j``-th holds the triangles from ``n j // leaves`` on, in the order of their middles along a Morton curve
(Morton 1966). So its shape needs no table, and moving the triangles needs nothing but fitting the boxes again.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry._near import point_triangle, triangle_triangle
from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.kernels import kernel, no_wraparound


@no_wraparound
@kernel
def morton(points: Array, triangles: Array) -> NDArray[np.uint64]:
    """(n,) codes of the middles of triangles: 21 bits of each axis, interleaved."""
    n = triangles.shape[0]
    middle = np.empty((n, 3), np.float64)
    low = np.full(3, np.inf)
    high = np.full(3, -np.inf)
    for i in range(n):
        for k in range(3):
            x = points[triangles[i, 0], k] + points[triangles[i, 1], k] + points[triangles[i, 2], k]
            middle[i, k] = x
            low[k] = min(low[k], x)
            high[k] = max(high[k], x)
    size = max(high[0] - low[0], high[1] - low[1], high[2] - low[2], 1e-300)
    scale = 2097151.0 / size
    codes = np.empty(n, np.uint64)
    for i in range(n):
        code = np.uint64(0)
        for k in range(3):
            v = np.uint64((middle[i, k] - low[k]) * scale)
            v = (v | (v << np.uint64(32))) & np.uint64(0x1F00000000FFFF)
            v = (v | (v << np.uint64(16))) & np.uint64(0x1F0000FF0000FF)
            v = (v | (v << np.uint64(8))) & np.uint64(0x100F00F00F00F00F)
            v = (v | (v << np.uint64(4))) & np.uint64(0x10C30C30C30C30C3)
            v = (v | (v << np.uint64(2))) & np.uint64(0x1249249249249249)
            code |= v << np.uint64(k)
        codes[i] = code
    return codes


@no_wraparound
@kernel
def fitted(points: Array, triangles: Array, order: Array, matrix: Array, leaves: int) -> tuple[Floats, Floats]:
    """Triangles (n, 3, 3) placed by a (4, 4) matrix and in order, and the boxes (nodes, 6) of the tree over them."""
    n = order.shape[0]
    t = np.empty((n, 3, 3), np.float64)
    for i in range(n):
        for c in range(3):
            p = triangles[order[i], c]
            x, y, z = points[p, 0], points[p, 1], points[p, 2]
            for k in range(3):
                t[i, c, k] = matrix[k, 0] * x + matrix[k, 1] * y + matrix[k, 2] * z + matrix[k, 3]
    box = np.empty((2 * leaves - 1, 6), np.float64)
    for j in range(leaves):
        node = leaves - 1 + j
        for k in range(3):
            low = np.inf
            high = -np.inf
            for i in range(n * j // leaves, n * (j + 1) // leaves):
                a, b, c = t[i, 0, k], t[i, 1, k], t[i, 2, k]
                low = min(low, a, b, c)
                high = max(high, a, b, c)
            box[node, k] = low
            box[node, 3 + k] = high
    for node in range(leaves - 2, -1, -1):
        for k in range(3):
            box[node, k] = min(box[2 * node + 1, k], box[2 * node + 2, k])
            box[node, 3 + k] = max(box[2 * node + 1, 3 + k], box[2 * node + 2, 3 + k])
    return t, box


@no_wraparound
@kernel
def box_gap(a: Array, i: int, b: Array, j: int) -> float:
    """Squared distance of two boxes of two tables; infinite where one is empty."""
    d = 0.0
    for k in range(3):
        g = max(a[i, k] - b[j, k + 3], b[j, k] - a[i, k + 3], 0.0)
        d += g * g
    return d


@no_wraparound
@kernel
def triangle_gap(s: Array, i: int, t: Array, j: int) -> float:
    """A lower bound of the squared distance of two triangles: along the line between their middles."""
    dx = t[j, 0, 0] + t[j, 1, 0] + t[j, 2, 0] - s[i, 0, 0] - s[i, 1, 0] - s[i, 2, 0]
    dy = t[j, 0, 1] + t[j, 1, 1] + t[j, 2, 1] - s[i, 0, 1] - s[i, 1, 1] - s[i, 2, 1]
    dz = t[j, 0, 2] + t[j, 1, 2] + t[j, 2, 2] - s[i, 0, 2] - s[i, 1, 2] - s[i, 2, 2]
    length = dx * dx + dy * dy + dz * dz
    if length <= 0:
        return 0.0
    far = -np.inf
    near = np.inf
    for c in range(3):
        far = max(far, dx * s[i, c, 0] + dy * s[i, c, 1] + dz * s[i, c, 2])
        near = min(near, dx * t[j, c, 0] + dy * t[j, c, 1] + dz * t[j, c, 2])
    gap = near - far
    return gap * gap / length * (1 - 1e-12) if gap > 0 else 0.0


@no_wraparound
@kernel
def nearest(
    s: Array, a: Array, t: Array, b: Array, bound: float
) -> tuple[float, tuple[float, float, float], tuple[float, float, float], int, int]:
    """Least squared distance of two bodies and the places, by walking both trees at once, the nearer pairs first.

    ``bound`` is a squared distance known to be no less. Source: Quinlan 1994, with exact distances at the leaves.
    """
    leaves_a, leaves_b = (a.shape[0] + 1) // 2, (b.shape[0] + 1) // 2
    n, m = s.shape[0], t.shape[0]
    nodes = np.empty((256, 2), np.int64)
    gaps = np.empty(256, np.float64)
    best = bound
    p = (0.0, 0.0, 0.0)
    q = (0.0, 0.0, 0.0)
    found_a = found_b = -1
    nodes[0, 0] = nodes[0, 1] = 0
    gaps[0] = box_gap(a, 0, b, 0)
    top = 1
    while top > 0:
        top -= 1
        if gaps[top] >= best:
            continue
        u, v = nodes[top, 0], nodes[top, 1]
        leaf_u, leaf_v = u >= leaves_a - 1, v >= leaves_b - 1
        if leaf_u and leaf_v:
            ju, jv = u - leaves_a + 1, v - leaves_b + 1
            for i in range(n * ju // leaves_a, n * (ju + 1) // leaves_a):
                for j in range(m * jv // leaves_b, m * (jv + 1) // leaves_b):
                    if triangle_gap(s, i, t, j) >= best:
                        continue
                    d, x, y = triangle_triangle(s, i, t, j, best)
                    if d < best:
                        best, p, q, found_a, found_b = d, x, y, i, j
                        if best <= 0:
                            return best, p, q, found_a, found_b
            continue
        # the larger of the two is opened
        if leaf_v or (not leaf_u and _spread(a, u) >= _spread(b, v)):
            first = (2 * u + 1, v)
            second = (2 * u + 2, v)
        else:
            first = (u, 2 * v + 1)
            second = (u, 2 * v + 2)
        g, h = box_gap(a, first[0], b, first[1]), box_gap(a, second[0], b, second[1])
        if g < h:
            first, second, g, h = second, first, h, g
        if top + 2 > nodes.shape[0]:
            more = np.empty((2 * nodes.shape[0], 2), np.int64)
            more[:top] = nodes[:top]
            nodes = more
            wider = np.empty(nodes.shape[0], np.float64)
            wider[:top] = gaps[:top]
            gaps = wider
        if g < best:
            nodes[top, 0], nodes[top, 1], gaps[top] = first[0], first[1], g
            top += 1
        if h < best:
            nodes[top, 0], nodes[top, 1], gaps[top] = second[0], second[1], h
            top += 1
    return best, p, q, found_a, found_b


@no_wraparound
@kernel
def _spread(a: Array, i: int) -> float:
    return max(a[i, 3] - a[i, 0], a[i, 4] - a[i, 1], a[i, 5] - a[i, 2])


@no_wraparound
@kernel
def near_point(t: Array, b: Array, p: Array, bound: float, enough: float, stack: Array) -> tuple[float, Array, int]:
    """Squared distance of a point from a body, the place, and the triangle; -1 where nothing lies within ``bound``.

    It stops at once where something nearer than ``enough`` is found.
    """
    leaves = (b.shape[0] + 1) // 2
    n = t.shape[0]
    best = bound
    found = -1
    at = p
    stack[0] = 0
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        d = 0.0
        for k in range(3):
            g = max(b[node, k] - p[k], p[k] - b[node, k + 3], 0.0)
            d += g * g
        if d >= best:
            continue
        if node >= leaves - 1:
            j = node - leaves + 1
            for i in range(n * j // leaves, n * (j + 1) // leaves):
                d, x = point_triangle(
                    p,
                    (t[i, 0, 0], t[i, 0, 1], t[i, 0, 2]),
                    (t[i, 1, 0], t[i, 1, 1], t[i, 1, 2]),
                    (t[i, 2, 0], t[i, 2, 1], t[i, 2, 2]),
                )
                if d < best:
                    best, at, found = d, x, i
            if best <= enough:
                break
            continue
        # the nearer child is opened first
        left, right = 2 * node + 1, 2 * node + 2
        g = h = 0.0
        for k in range(3):
            x = max(b[left, k] - p[k], p[k] - b[left, k + 3], 0.0)
            g += x * x
            x = max(b[right, k] - p[k], p[k] - b[right, k + 3], 0.0)
            h += x * x
        if g < h:
            stack[top], stack[top + 1] = right, left
        else:
            stack[top], stack[top + 1] = left, right
        top += 2
    return best, at, found


@no_wraparound
@kernel
def near_points(t: Array, b: Array, points: Array) -> tuple[Floats, Ints]:
    """Return for each point the nearest place on a body, (n, 3), and its triangle."""
    n = points.shape[0]
    places = np.empty((n, 3), np.float64)
    which = np.empty(n, np.int32)
    stack = np.empty(128, np.int64)
    for i in range(n):
        p = (points[i, 0], points[i, 1], points[i, 2])
        _, at, found = near_point(t, b, p, np.inf, 0.0, stack)
        which[i] = found
        for k in range(3):
            places[i, k] = at[k]
    return places, which


@no_wraparound
@kernel
def along_normals(t: Array, places: Array, normals: Array) -> tuple[Floats, Ints]:
    """Return for each place how far along or against its normal the nearest triangle lies that faces the same way, and which; -1 for none.

    Möller and Trumbore, Fast, minimum storage ray/triangle intersection, 1997.
    """
    n = places.shape[0]
    far = np.zeros(n, np.float64)
    which = np.full(n, -1, np.int32)
    for i in range(n):
        dx, dy, dz = normals[i, 0], normals[i, 1], normals[i, 2]
        best = np.inf
        for j in range(t.shape[0]):
            ux, uy, uz = t[j, 1, 0] - t[j, 0, 0], t[j, 1, 1] - t[j, 0, 1], t[j, 1, 2] - t[j, 0, 2]
            vx, vy, vz = t[j, 2, 0] - t[j, 0, 0], t[j, 2, 1] - t[j, 0, 1], t[j, 2, 2] - t[j, 0, 2]
            px, py, pz = dy * vz - dz * vy, dz * vx - dx * vz, dx * vy - dy * vx
            det = ux * px + uy * py + uz * pz
            if det >= 0:  # it faces the other way, or lies along
                continue
            ox, oy, oz = places[i, 0] - t[j, 0, 0], places[i, 1] - t[j, 0, 1], places[i, 2] - t[j, 0, 2]
            u = (ox * px + oy * py + oz * pz) / det
            if u < 0 or u > 1:
                continue
            qx, qy, qz = oy * uz - oz * uy, oz * ux - ox * uz, ox * uy - oy * ux
            v = (dx * qx + dy * qy + dz * qz) / det
            if v < 0 or u + v > 1:
                continue
            d = (vx * qx + vy * qy + vz * qz) / det
            if abs(d) < best:
                best = abs(d)
                far[i] = d
                which[i] = j
    return far, which


@no_wraparound
@kernel
def turns_about(t: Array, b: Array, p: Array, stack: Array) -> int:
    """How often a closed body winds about a point: over 0 inside, by the signed crossings of one ray.

    The ray runs along +Z from a point moved aside by far less than any size that matters, so that it meets no edge.
    """
    leaves = (b.shape[0] + 1) // 2
    n = t.shape[0]
    size = max(b[0, 3] - b[0, 0], b[0, 4] - b[0, 1], b[0, 5] - b[0, 2])
    px, py, pz = p[0] + 1.23456e-11 * size, p[1] + 0.76543e-11 * size, p[2]
    count = 0
    stack[0] = 0
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        if px < b[node, 0] or px > b[node, 3] or py < b[node, 1] or py > b[node, 4] or pz > b[node, 5]:
            continue
        if node < leaves - 1:
            stack[top], stack[top + 1] = 2 * node + 1, 2 * node + 2
            top += 2
            continue
        j = node - leaves + 1
        for i in range(n * j // leaves, n * (j + 1) // leaves):
            ax, ay = t[i, 0, 0] - px, t[i, 0, 1] - py
            bx, by = t[i, 1, 0] - px, t[i, 1, 1] - py
            cx, cy = t[i, 2, 0] - px, t[i, 2, 1] - py
            u, v, w = bx * cy - by * cx, cx * ay - cy * ax, ax * by - ay * bx
            if (u >= 0 and v >= 0 and w >= 0) or (u < 0 and v < 0 and w < 0):
                whole = u + v + w
                if whole == 0:
                    continue
                if (u * t[i, 0, 2] + v * t[i, 1, 2] + w * t[i, 2, 2]) / whole > pz:
                    count += 1 if whole > 0 else -1
    return count


@no_wraparound
@kernel
def deepest(
    pieces: Array, t: Array, b: Array, best: float, least: float
) -> tuple[float, tuple[float, float, float], tuple[float, float, float], Floats]:
    """One round of looking for the point of a surface that lies deepest inside a closed body.

    Parameters
    ----------
    pieces : (m, 3, 3) triangles of the surface.
    best : the depth found so far; ``least`` what more is not worth looking for.

    Returns
    -------
    The best depth, its two places (on the surface, and nearest to it on the body), the upper bounds of the pieces that
    could hold a deeper point (-1 for the others). Bounds: the distance from one triangle of the body is a convex
    function, so over a piece it is greatest at a corner; and no point of a piece is farther from its middle than a corner.
    """
    m = pieces.shape[0]
    bounds = np.full(m, -1.0)
    stack = np.empty(512, np.int64)
    p = (0.0, 0.0, 0.0)
    q = (0.0, 0.0, 0.0)
    last = 0  # pieces that follow each other lie near each other, and so do the triangles nearest to them
    few = max(1, m // 64)
    # some of them first: what is deep already lets most of the others be passed over
    for row in range(m + (m + few - 1) // few):
        i = row * few if row * few < m else row - (m + few - 1) // few
        only_look = row * few < m
        a = (pieces[i, 0, 0], pieces[i, 0, 1], pieces[i, 0, 2])
        e = (pieces[i, 1, 0], pieces[i, 1, 1], pieces[i, 1, 2])
        c = (pieces[i, 2, 0], pieces[i, 2, 1], pieces[i, 2, 2])
        middle = ((a[0] + e[0] + c[0]) / 3, (a[1] + e[1] + c[1]) / 3, (a[2] + e[2] + c[2]) / 3)
        reach = 0.0
        for corner in (a, e, c):
            x, y, z = corner[0] - middle[0], corner[1] - middle[1], corner[2] - middle[2]
            reach = max(reach, x * x + y * y + z * z)
        reach = np.sqrt(reach)
        worth = max(best, least)
        d, at = point_triangle(
            middle,
            (t[last, 0, 0], t[last, 0, 1], t[last, 0, 2]),
            (t[last, 1, 0], t[last, 1, 1], t[last, 1, 2]),
            (t[last, 2, 0], t[last, 2, 1], t[last, 2, 2]),
        )
        enough = -1.0 if worth <= reach else (worth - reach) * (worth - reach)
        if d > enough:
            g, x3, near = near_point(t, b, middle, d, enough, stack)
            if near >= 0:
                d, at, last = g, x3, near
        d = np.sqrt(d)
        if d + reach <= worth:
            continue  # no point of it lies deeper than what is known
        inside = turns_about(t, b, middle, stack) > 0
        if inside and d > best:
            best, p, q = d, middle, at
        if only_look or (not inside and d >= reach):
            continue  # no point of it is inside
        f0 = (t[last, 0, 0], t[last, 0, 1], t[last, 0, 2])
        f1 = (t[last, 1, 0], t[last, 1, 1], t[last, 1, 2])
        f2 = (t[last, 2, 0], t[last, 2, 1], t[last, 2, 2])
        bound = 0.0
        for corner in (a, e, c):
            g, at = point_triangle(corner, f0, f1, f2)
            bound = max(bound, g)
        bound = min(np.sqrt(bound), d + reach if inside else reach - d)
        if bound <= max(best, least):
            continue
        # a corner may lie deeper than the middle
        for corner in (a, e, c):
            g, at = point_triangle(corner, f0, f1, f2)
            h, x3, near = near_point(t, b, corner, g, best * best, stack)
            if near >= 0:
                g, at = h, x3
            g = np.sqrt(g)
            if g > best and turns_about(t, b, corner, stack) > 0:
                best, p, q = g, corner, at
        if bound > max(best, least):
            bounds[i] = bound
    return best, p, q, bounds


@no_wraparound
@kernel
def quartered(pieces: Array) -> Floats:
    """Each triangle cut into four at the middles of its sides."""
    m = pieces.shape[0]
    out = np.empty((4 * m, 3, 3), np.float64)
    for i in range(m):
        for k in range(3):
            a, b, c = pieces[i, 0, k], pieces[i, 1, k], pieces[i, 2, k]
            ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
            out[4 * i, 0, k], out[4 * i, 1, k], out[4 * i, 2, k] = a, ab, ca
            out[4 * i + 1, 0, k], out[4 * i + 1, 1, k], out[4 * i + 1, 2, k] = ab, b, bc
            out[4 * i + 2, 0, k], out[4 * i + 2, 1, k], out[4 * i + 2, 2, k] = ca, bc, c
            out[4 * i + 3, 0, k], out[4 * i + 3, 1, k], out[4 * i + 3, 2, k] = ab, bc, ca
    return out
