"""Two borders joined by rows of faces."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.rims import Rim, outward_along

__all__ = ["Bridge", "bridge", "paired"]


@dataclass(frozen=True, slots=True, eq=False)
class Bridge:
    """Faces between two borders. Numbers below ``first`` are points of the body, those from it on of ``points``.

    Attributes
    ----------
    points : (k, 3) of the rows between.
    fours : (f, 4) with texture coordinates ``uv`` (f, 4, 2).
    threes : (t, 3) with ``uv_threes``: one for each point by which the borders differ.
    beside : (f,), (t,) the face that each goes on from.
    columns : (rows + 1, m, 3) places along.
    """

    points: Floats
    fours: Array
    uv: Floats
    beside: Array
    threes: Array
    uv_threes: Floats
    beside_threes: Array
    columns: Floats


def paired(a: Floats, b: Floats, *, closed: bool) -> Array:
    """Return (m,) or (m + 1,) which point of ``b`` (n, 3) each of ``a`` (m, 3), m >= n, is joined to; on a loop the way comes round.

    Notes
    -----
    The cheapest way through the pairs (H. Fuchs, Z. Kedem, S. Uselton, Optimal surface reconstruction from planar contours,
    1977), where the step along ``b`` is taken or not: a face of four sides, or of three. The turn is that of the least sum of
    squares at places equally far along.
    """
    m, n = len(a), len(b)
    s, t = _along(a, closed=closed), _along(b, closed=closed)
    if not closed:
        return _way(a, b, s, t)
    size = float(np.linalg.norm(np.roll(a, -1, axis=0) - a, axis=1).sum()) or 1.0
    # both about their own middles: turned alike whatever is between them
    rel_a, rel_b = a - a.mean(axis=0), b - b.mean(axis=0)
    scores = np.empty(n)
    loop_t = np.append(t, 1.0)
    loop_b = np.concatenate([rel_b, rel_b[:1]])
    for k in range(n):
        sought = (s + t[k]) % 1.0
        at = np.stack([np.interp(sought, loop_t, loop_b[:, i]) for i in range(3)], axis=1)
        scores[k] = ((rel_a - at) ** 2).sum()
    start = int(np.argmin(np.round(scores / size**2, 12)))
    rolled = np.roll(b, -start, axis=0)
    if m == n:
        return (np.arange(m + 1) + start) % n
    way = _way(
        np.concatenate([a, a[:1]]),
        np.concatenate([rolled, rolled[:1]]),
        np.append(s, 1.0),
        np.append(_along(rolled, closed=True), 1.0),
    )
    return np.asarray((way + start) % n)


def _along(loop: Floats, *, closed: bool) -> Floats:
    ahead = np.roll(loop, -1, axis=0) if closed else loop[1:]
    step = np.linalg.norm(ahead - (loop if closed else loop[:-1]), axis=1)
    far = np.concatenate([[0.0], np.cumsum(step)])
    return np.asarray(far[: len(loop)] / max(float(far[-1]), 1e-300))


def _way(a: Floats, b: Floats, s: Floats, t: Floats) -> Array:
    """Return for each row of ``a`` the row of ``b``, from the first to the last, each at most one farther than that before."""
    m, n = len(a), len(b)
    size = max(float(np.ptp(a, axis=0).max()), 1e-300)
    cost = np.full(n, np.inf)
    cost[0] = 0.0
    steps = np.zeros((m, n), dtype=bool)
    for i in range(1, m):
        here = ((a[i] - b) ** 2).sum(axis=1) / size**2 + 4 * (s[i] - t) ** 2
        taken = np.concatenate([[np.inf], cost[:-1]])
        steps[i] = taken <= cost
        cost = np.minimum(taken, cost) + here
    out = np.empty(m, dtype=np.int64)
    j = n - 1
    for i in range(m - 1, -1, -1):
        out[i] = j
        j -= int(steps[i, j])
    return out


def bridge(
    mesh: Mesh,
    one: Rim,
    two: Rim,
    rows: int,
    *,
    turn: int,
    smooth: float | None,
    size: Callable[[Floats], Floats] | None,
) -> Bridge:
    """Join two borders, both closed or both open.

    Parameters
    ----------
    rows : of faces between them.
    turn : by how many points they are turned against each other.
    smooth : how far the faces beside run on into the bridge, as a share of its length; None for a straight one.
    size : what each row's size is multiplied by, about its middle, by its place from 0 to 1.
    """
    flip = len(one.points) < len(two.points)
    if flip:
        one, two = two, one
    # new faces run against those beside the one, and on the other side along those of the other
    a, way_a, beside = _backward(one), outward_along(mesh, one), mesh.corner_faces[one.corners]
    order = _backward_order(one)
    way_a, beside = way_a[order], beside[_edge_order(one)]
    b, way_b = two.points, outward_along(mesh, two)
    pa, pb = mesh.points[a], mesh.points[b]
    m = len(a)
    way = paired(pa, pb, closed=one.closed)
    if turn and one.closed:
        way = (way - turn) % len(b)
    joined = b[way]
    ends = mesh.points[joined[:m]]
    share = np.arange(rows + 1) / rows
    columns = (1 - share)[:, None, None] * pa + share[:, None, None] * ends
    if smooth is not None:
        far = np.linalg.norm(ends - pa, axis=1)[:, None] * smooth
        t = share[:, None, None]
        leave, arrive = way_a * far, -way_b[way[:m]] * far
        columns = (
            (2 * t**3 - 3 * t**2 + 1) * pa
            + (t**3 - 2 * t**2 + t) * leave
            + (3 * t**2 - 2 * t**3) * ends
            + (t**3 - t**2) * arrive
        )
    if size is not None:
        centre = columns.mean(axis=1, keepdims=True)
        columns = centre + size(share)[:, None, None] * (columns - centre)
        columns[0], columns[-1] = pa, ends
    n = mesh.n_points
    grid = np.empty((rows + 1, m), dtype=np.int64)
    grid[0], grid[-1] = a, joined[:m]
    grid[1:-1] = n + np.arange((rows - 1) * m).reshape(rows - 1, m)
    if one.closed:
        grid = np.concatenate([grid, grid[:, :1]], axis=1)
        grid[-1, -1] = joined[m]
    u = np.append(_along(pa, closed=True), 1.0) if one.closed else _along(pa, closed=False)
    fours = np.stack([grid[:-1, :-1], grid[:-1, 1:], grid[1:, 1:], grid[1:, :-1]], axis=-1)
    k = fours.shape[1]
    uv = np.empty((*fours.shape, 2))
    uv[:, :, (0, 3), 0], uv[:, :, (1, 2), 0] = u[:-1, None], u[1:, None]
    uv[:, :, :2, 1], uv[:, :, 2:, 1] = share[:-1, None, None], share[1:, None, None]
    flat = np.zeros((rows, k), dtype=bool)
    flat[-1] = grid[-1, :-1] == grid[-1, 1:]
    of = np.broadcast_to(beside[:k], (rows, k))
    return Bridge(
        columns[1:-1].reshape(-1, 3),
        fours[~flat],
        uv[~flat],
        of[~flat],
        fours[flat][:, :3],
        uv[flat][:, :3],
        of[flat],
        columns[::-1] if flip else columns,
    )


def _backward(rim: Rim) -> Array:
    return rim.points[_backward_order(rim)]


def _backward_order(rim: Rim) -> Array:
    """Return the order in which a border is run against its faces, a closed one from the same point."""
    k = len(rim.points)
    return np.roll(np.arange(k)[::-1], 1) if rim.closed else np.arange(k)[::-1]


def _edge_order(rim: Rim) -> Array:
    k = len(rim.corners)
    return np.arange(k)[::-1]
