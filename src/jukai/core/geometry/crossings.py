"""Where a body passes through itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry._crossings import crossing_pairs, touching_pairs, triangle_boxes
from jukai.core.geometry._weld import weld_exact
from jukai.core.geometry.arrays import Array, Bools, Floats, Ints, concatenated_ranges, frozen
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.pairs import FEW_BOXES, overlapping_boxes
from jukai.core.geometry.triangulation import triangulate

__all__ = ["Crossings", "meeting_lines", "polyline_crossing", "self_crossings"]

_TOUCH = 1e-10
"""Contact shallower than this share of the triangles' size is touching, not crossing."""
_BACK = -0.999
"""Cosine between normals of faces that look opposite ways."""
_BENT, _SIDES = 1e-6, 200
"""Share of its size by which a face must be bent, and how many sides it may have, to be looked through for crossings of its own."""
_CHUNK = 200_000
"""Pairs that are compared at a time, for the memory they take."""


@dataclass(frozen=True, slots=True, eq=False)
class Crossings:
    """Pairs of faces that pass through each other, and a place on each crossing."""

    pairs: Ints
    places: Floats

    @property
    def nbytes(self) -> int:
        """Memory held."""
        return self.pairs.nbytes + self.places.nbytes


def self_crossings(mesh: Mesh, among: Bools | None = None, *, contacts: bool = False) -> Crossings:
    """Find the pairs of faces that pass through each other; only those of which one is ``among`` (f,), if it is given.

    Faces that only touch, or that share an edge, do not count; faces that share a point do where
    they cross away from it. Triangles are compared by the interval test of Möller (A fast
    triangle-triangle intersection test, 1997), flat overlaps by separating axes.

    With ``contacts`` faces that look opposite ways, within 2.6 degrees, and lie on each other count too: between
    them the body has no thickness.
    """
    if among is not None:
        return _self_crossings(mesh, among, contacts)
    name = "crossings and contacts" if contacts else "crossings"
    return mesh.cached(name, lambda: _self_crossings(mesh, None, contacts))


def _self_crossings(mesh: Mesh, among: Bools | None, contacts: bool) -> Crossings:
    tri = triangulate(mesh)
    if len(tri.faces) < 2:
        return Crossings(np.zeros((0, 2), np.int32), np.zeros((0, 3)))
    middle, points = mesh.bounds.mean(axis=0), tri.points(mesh)
    if len(tri.faces) > FEW_BOXES:
        corners, low, high = triangle_boxes(mesh.points, points, *middle.tolist())
    else:
        corners = (mesh.points - middle)[points]
        low, high = corners.min(axis=1), corners.max(axis=1)
    ids = _same_place(mesh.points)[points]
    pairs = overlapping_boxes(low, high, ids, None if among is None else among[tri.faces], corners)
    of = frozen(_parts(mesh, tri.faces))
    if len(tri.faces) > FEW_BOXES:
        rows, at = crossing_pairs(corners, ids, of, pairs, _TOUCH)
        if contacts:
            more, there = touching_pairs(corners, ids, of, pairs, _TOUCH, _BACK)
            rows, at = np.concatenate([rows, more]), np.concatenate([at, there])
        found = pairs[rows]
    else:
        pairs = pairs[of[pairs[:, 0]] != of[pairs[:, 1]]]
        same = ids[pairs[:, 0]][:, :, None] == ids[pairs[:, 1]][:, None, :]
        apart = same.any(axis=2).sum(axis=1) < 2
        pairs, same = pairs[apart], same[apart]
        one, two = corners[pairs[:, 0]], corners[pairs[:, 1]]
        rows, at = _crossing(one, two, same)
        if contacts:
            more, there = _touching(one, two, same)
            rows, at = np.concatenate([rows, more]), np.concatenate([at, there])
        found = pairs[rows]
    faces = np.sort(tri.faces[found], axis=1)
    _, first = np.unique(faces.astype(np.int64) @ [mesh.n_faces, 1], return_index=True)
    return Crossings(faces[first], at[first] + middle)


def _parts(mesh: Mesh, faces: Ints) -> Ints:
    """Return (t,) a number for triangles that can't cross: those of one face, unless it is bent and has many sides."""
    many = np.flatnonzero((mesh.sides > 4) & (mesh.sides <= _SIDES))
    if not len(many):
        return faces
    here = mesh.points[mesh.corners[mesh.offsets[many]]]
    faced, wide = face_normals(mesh)[many], mesh.sides[many]
    rows = concatenated_ranges(mesh.offsets[many], wide)
    off = mesh.points[mesh.corners[rows]] - np.repeat(here, wide, axis=0)
    high = np.abs(np.einsum("ij,ij->i", off, np.repeat(faced, wide, axis=0)))
    begins = np.cumsum(wide) - wide
    size = np.sqrt(np.maximum.reduceat(np.einsum("ij,ij->i", off, off), begins))
    bent = np.zeros(mesh.n_faces, dtype=bool)
    bent[many] = np.maximum.reduceat(high, begins) > _BENT * size
    return np.where(bent[faces], mesh.n_faces + np.arange(len(faces)), faces).astype(np.int32)


def meeting_lines(one: Floats, two: Floats) -> tuple[Floats, Ints]:
    """Return where two sets of triangles pass through each other: the lines of their surfaces.

    Parameters
    ----------
    one, two : (n, 3, 3) and (m, 3, 3) triangles.

    Returns
    -------
    lines : (k, 2, 3) both ends.
    pairs : (k, 2) int32 the triangle of each set that meets there.

    Notes
    -----
    The interval test of Möller (1997). What lies in a plane counts as before it, so that an edge that lies in a face of the other
    set gives its line once, and bodies that stand on each other none.
    """
    none = np.zeros((0, 2, 3)), np.zeros((0, 2), np.int32)
    if not len(one) or not len(two):
        return none
    bounds = [(t.min(axis=1), t.max(axis=1)) for t in (one, two)]
    (low_1, high_1), (low_2, high_2) = bounds
    low = np.maximum(low_1.min(axis=0), low_2.min(axis=0))
    high = np.minimum(high_1.max(axis=0), high_2.max(axis=0))
    near = [np.flatnonzero((b[0] <= high).all(axis=1) & (b[1] >= low).all(axis=1)) for b in bounds]
    if not len(near[0]) or not len(near[1]):
        return none
    n = len(near[0])
    pairs = overlapping_boxes(
        np.concatenate([low_1[near[0]], low_2[near[1]]]), np.concatenate([high_1[near[0]], high_2[near[1]]])
    )
    pairs = pairs[(pairs[:, 0] < n) & (pairs[:, 1] >= n)]
    found = [none]
    for start in range(0, len(pairs), _CHUNK):
        rows = pairs[start : start + _CHUNK]
        i, j = near[0][rows[:, 0]], near[1][rows[:, 1] - n]
        lines, which = _meeting(one[i], two[j])
        found.append((lines, np.stack([i[which], j[which]], axis=1).astype(np.int32)))
    return np.concatenate([f[0] for f in found]), np.concatenate([f[1] for f in found])


def _meeting(a: Floats, b: Floats) -> tuple[Floats, Ints]:
    """Return the lines in which pairs of triangles meet, and which pairs do."""
    eps = _TOUCH * np.maximum(np.ptp(a, axis=1).max(axis=1), np.ptp(b, axis=1).max(axis=1))
    na, nb = _unit_normal(a), _unit_normal(b)
    da = np.einsum("ijk,ik->ij", a - b[:, :1], nb)
    db = np.einsum("ijk,ik->ij", b - a[:, :1], na)
    da, db = (np.where(np.abs(d) <= eps[:, None], 0, d) for d in (da, db))
    cut = np.flatnonzero((da.min(axis=1) < 0) & (da.max(axis=1) >= 0) & (db.min(axis=1) < 0) & (db.max(axis=1) >= 0))
    a, b, da, db = a[cut], b[cut], da[cut], db[cut]
    line, base, start, stop = _shared(a, da, na[cut], b, db, nb[cut])
    long = np.flatnonzero(stop - start > eps[cut])
    ends = [_on_line(a[long], da[long], line[long], base[long], t[long]) for t in (start, stop)]
    return np.stack(ends, axis=1), cut[long].astype(np.int32)


def _same_place(points: Floats) -> Ints:
    """Return (n,) one number for all points at exactly the same place."""
    if len(points) > FEW_BOXES:
        return weld_exact(points + 0.0)[1]
    order = np.lexsort(points.T)
    ranked = points[order]
    new = np.ones(len(points), dtype=np.int32)
    new[1:] = (ranked[1:] != ranked[:-1]).any(axis=1)
    out = np.zeros(len(points), dtype=np.int32)
    out[order] = np.cumsum(new)
    return out


def _crossing(a: Floats, b: Floats, same: Array) -> tuple[np.ndarray, Floats]:
    """Return which pairs of (k, 3, 3) triangles cross, and a place on each that does.

    ``same`` (k, 3, 3) says which corner of a is which corner of b.
    """
    size = np.maximum(np.ptp(a, axis=1).max(axis=1), np.ptp(b, axis=1).max(axis=1))
    eps = _TOUCH * size
    na, nb = _unit_normal(a), _unit_normal(b)
    shared_a, shared_b = np.asarray(same.any(axis=2)), np.asarray(same.any(axis=1))
    da = np.einsum("ijk,ik->ij", a - b[:, :1], nb)
    da = np.where(shared_a | (np.abs(da) <= eps[:, None]), 0, da)
    keep = np.flatnonzero((da.min(axis=1) <= 0) & (da.max(axis=1) >= 0))
    a, b, na, nb, da, eps = a[keep], b[keep], na[keep], nb[keep], da[keep], eps[keep]
    db = np.einsum("ijk,ik->ij", b - a[:, :1], na)
    db = np.where(shared_b[keep] | (np.abs(db) <= eps[:, None]), 0, db)

    through = (da.min(axis=1) < 0) & (da.max(axis=1) > 0) & (db.min(axis=1) < 0) & (db.max(axis=1) > 0)
    cut = np.flatnonzero(through)
    line, base, start, stop = _shared(a[cut], da[cut], na[cut], b[cut], db[cut], nb[cut])
    crossed = stop - start > eps[cut]
    # lying on each other they overlap if they look the same way; opposite ways is two bodies touching
    alike = np.einsum("ij,ij->i", na, nb) > 0
    flat = np.flatnonzero((da == 0).all(axis=1) & (db == 0).all(axis=1) & alike)
    overlaps = flat[_flat_overlap(a[flat], b[flat], na[flat], eps[flat])]
    mids = _on_line(a[cut][crossed], da[cut][crossed], line[crossed], base[crossed],
                    (start + stop)[crossed] / 2)  # fmt: skip
    hit = np.concatenate([cut[crossed], overlaps])
    at = np.concatenate([mids, (a[overlaps].mean(axis=1) + b[overlaps].mean(axis=1)) / 2])
    order = np.argsort(hit, kind="stable")
    return keep[hit[order]], at[order]


def _touching(a: Floats, b: Floats, same: Array) -> tuple[np.ndarray, Floats]:
    """Return which pairs of triangles that look opposite ways lie on each other: flat, or with a corner of one within the other."""
    na, nb = _unit_normal(a), _unit_normal(b)
    keep = np.flatnonzero(np.einsum("ij,ij->i", na, nb) <= _BACK)
    a, b, na, nb, same = a[keep], b[keep], na[keep], nb[keep], same[keep]
    eps = _TOUCH * np.maximum(np.ptp(a, axis=1).max(axis=1), np.ptp(b, axis=1).max(axis=1))
    shared = np.asarray(same.any(axis=2)), np.asarray(same.any(axis=1))
    lies = [np.abs(np.einsum("ijk,ik->ij", p - q[:, :1], n)) <= eps[:, None] for p, q, n in ((a, b, nb), (b, a, na))]
    flat = np.flatnonzero((lies[0] | shared[0]).all(axis=1) & (lies[1] | shared[1]).all(axis=1))
    hit = np.zeros(len(keep), dtype=bool)
    hit[flat] = _flat_overlap(a[flat], b[flat], na[flat], eps[flat])
    at = a.mean(axis=1)
    for p, q, n, on, known in ((a, b, nb, lies[0], shared[0]), (b, a, na, lies[1], shared[1])):
        for k in range(3):
            rows = np.flatnonzero(~hit & on[:, k] & ~known[:, k])
            rows = rows[_within(p[rows, k], q[rows], n[rows], eps[rows])]
            hit[rows] = True
            at[rows] = p[rows, k]
    return keep[hit], at[hit]


def _within(p: Floats, t: Floats, normal: Floats, eps: Floats) -> np.ndarray:
    """Return which points in the planes of triangles lie within them by more than ``eps``."""
    inside = np.ones(len(p), dtype=bool)
    for i in range(3):
        inward = np.cross(normal, t[:, (i + 1) % 3] - t[:, i])
        length = np.maximum(np.sqrt(np.einsum("ij,ij->i", inward, inward)), 1e-300)
        inside &= np.einsum("ij,ij->i", p - t[:, i], inward) > eps * length
    return inside


def _unit_normal(t: Floats) -> Floats:
    n = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])
    return np.asarray(n / np.maximum(np.sqrt(np.einsum("ij,ij->i", n, n)), 1e-300)[:, None])


def _shared(
    a: Floats, da: Floats, na: Floats, b: Floats, db: Floats, nb: Floats
) -> tuple[Floats, Floats, Floats, Floats]:
    """Return the common line of the planes of pairs of triangles, a point to count from, and where both triangles lie on it."""
    line = np.cross(na, nb)
    line /= np.maximum(np.sqrt(np.einsum("ij,ij->i", line, line)), 1e-300)[:, None]
    base = a[:, 0]
    a0, a1 = _interval(a, da, line, base)
    b0, b1 = _interval(b, db, line, base)
    return line, base, np.maximum(a0, b0), np.minimum(a1, b1)


def _interval(t: Floats, d: Floats, line: Floats, base: Floats) -> tuple[Floats, Floats]:
    """Return where triangles cut along their line, as distances from ``base``."""
    along = np.einsum("ijk,ik->ij", t - base[:, None], line)
    low = np.full(len(t), np.inf)
    high = np.full(len(t), -np.inf)
    for i, j in ((0, 1), (1, 2), (2, 0)):
        di, dj = d[:, i], d[:, j]
        meets = ((di <= 0) & (dj >= 0)) | ((di >= 0) & (dj <= 0))
        gap = di - dj
        s = along[:, i] + (along[:, j] - along[:, i]) * di / np.where(gap == 0, 1, gap)
        for value, ok in ((s, meets & (gap != 0)), (along[:, i], di == 0)):
            low = np.where(ok, np.minimum(low, value), low)
            high = np.where(ok, np.maximum(high, value), high)
    return low, high


def _on_line(t: Floats, d: Floats, line: Floats, base: Floats, s: Floats) -> Floats:
    """Return the points at distances ``s`` along the lines in which triangles cut."""
    i, j = np.argmin(d, axis=1), np.argmax(d, axis=1)
    rows = np.arange(len(t))
    p, q = t[rows, i], t[rows, j]
    share = d[rows, i] / np.where(d[rows, i] == d[rows, j], 1, d[rows, i] - d[rows, j])
    on = p + (q - p) * share[:, None]
    here = np.einsum("ij,ij->i", on - base, line)
    return np.asarray(on + line * (s - here)[:, None])


def _flat_overlap(a: Floats, b: Floats, normal: Floats, eps: Floats) -> np.ndarray:
    """Return which pairs of triangles in one plane overlap by more than ``eps``."""
    apart = np.zeros(len(a), dtype=bool)
    for t in (a, b):
        for i in range(3):
            axis = np.cross(normal, t[:, (i + 1) % 3] - t[:, i])
            axis /= np.maximum(np.sqrt(np.einsum("ij,ij->i", axis, axis)), 1e-300)[:, None]
            pa, pb = (np.einsum("ijk,ik->ij", x - a[:, :1], axis) for x in (a, b))
            gap = np.minimum(pa.max(axis=1), pb.max(axis=1)) - np.maximum(pa.min(axis=1), pb.min(axis=1))
            apart |= gap <= eps
    return ~apart


def polyline_crossing(points: Floats, *, closed: bool) -> tuple[int, int, Floats] | None:
    """Return the first place where a plane polyline crosses or touches itself, or None.

    Parameters
    ----------
    points : (n, 2) float64.
    closed : whether the last point is joined to the first.

    Returns
    -------
    The two pieces, lower first, and the (2,) place; pieces that follow each other only count when
    they run back over each other.
    """
    n = len(points)
    p = points
    q = np.roll(points, -1, axis=0)
    if not closed:
        p, q = p[:-1], q[:-1]
    pairs = overlapping_boxes(np.minimum(p, q), np.maximum(p, q)).astype(np.int64)
    i, j = pairs[:, 0], pairs[:, 1]
    follow = (j == i + 1) | (closed & (i == 0) & (j == n - 1))
    size = float(np.ptp(points, axis=0).max()) or 1.0
    u, v, w = q[i] - p[i], q[j] - p[j], p[j] - p[i]
    det = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    lengths = np.hypot(*u.T) * np.hypot(*v.T)
    parallel = np.abs(det) <= 1e-12 * lengths
    safe = np.where(parallel, 1, det)
    s = (w[:, 0] * v[:, 1] - w[:, 1] * v[:, 0]) / safe
    t = (w[:, 0] * u[:, 1] - w[:, 1] * u[:, 0]) / safe
    tol = 1e-10
    meets = ~parallel & ~follow & (s >= -tol) & (s <= 1 + tol) & (t >= -tol) & (t <= 1 + tol)
    # running back over each other along one line
    off = np.abs(w[:, 0] * u[:, 1] - w[:, 1] * u[:, 0]) <= 1e-12 * size * np.maximum(np.hypot(*u.T), 1e-300)
    uu = np.maximum(np.einsum("ij,ij->i", u, u), 1e-300)
    t0, t1 = np.einsum("ij,ij->i", w, u) / uu, np.einsum("ij,ij->i", q[j] - p[i], u) / uu
    shared = np.minimum(np.maximum(t0, t1), 1) - np.maximum(np.minimum(t0, t1), 0)
    over = parallel & off & (shared > 1e-9)
    bad = np.flatnonzero(meets | over)
    if len(bad) == 0:
        return None
    k = bad[0]
    at = p[i[k]] + u[k] * (s[k] if meets[k] else np.clip((max(min(t0[k], t1[k]), 0)), 0, 1))
    return int(i[k]), int(j[k]), at
