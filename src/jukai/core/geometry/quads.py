"""Faces of many sides cut into faces of four, and of three where nothing else is left; no point is added."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry._quads import flip_shared, pair_leaves
from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.rebuilding import Block, rebuilt
from jukai.core.geometry.triangulation import triangulate

__all__ = ["fours_of", "split_many_sided"]

_STRAIGHT = 1e-9
_LEAST = 0.05
"""Sine of the least angle that a face of four sides may have at a corner."""
_SMALL = 600
"""Corners up to which plain Python answers sooner than loading the compiler."""
_TRIED = 64
"""Ways of laying the rungs of a ladder across a face that are looked at."""


def split_many_sided(mesh: Mesh, faces: Bools, step: str) -> tuple[Mesh, int]:
    """Return the body with picked faces of more than four sides cut, and how many three-sided faces that takes."""
    many = np.flatnonzero(faces & (mesh.sides > 4))
    if not len(many):
        return mesh, 0
    corner, sides, parent = fours_of(mesh, many)
    keep = np.ones(mesh.n_faces, dtype=bool)
    keep[many] = False
    block = Block(
        mesh.corners[corner].astype(np.int64), sides, "split", parent, None if mesh.uv is None else mesh.uv[corner]
    )
    return rebuilt(mesh, step, keep=keep, blocks=[block]), int((sides == 3).sum())


def fours_of(mesh: Mesh, many: Array) -> tuple[Array, Array, Array]:
    """Return the corners of the pieces, their sides, and the face that each was cut from.

    Notes
    -----
    Convex faces are cut by parallel rungs. Others are cut in triangles as even as can be, and as many pairs of these as there can be become
    convex four-sided faces: in a tree, which the triangles of a face without holes are, a pairing taken from the leaves
    inward is the largest one.
    """
    corners: list[Array] = []
    counts: list[Array] = []
    parents: list[Array] = []
    hollow = _hollow(mesh, many)
    convex = many[~hollow]
    for n in np.unique(mesh.sides[convex]).tolist():
        some = convex[mesh.sides[convex] == n]
        rungs = _ladder(mesh, some, int(n))
        odd = n % 2 == 1
        for k in range((n - 1) // 2):
            s = 3 if odd and k == (n - 1) // 2 - 1 else 4
            corners.append(rungs[:, k, :s].ravel())
            counts.append(np.full(len(some), s))
            parents.append(some)
    if hollow.any():
        for c, f in _paired(mesh, many[hollow]):
            corners.append(c.ravel())
            counts.append(np.full(len(c), c.shape[1]))
            parents.append(f)
    return np.concatenate(corners), np.concatenate(counts).astype(np.int32), np.concatenate(parents)


def _hollow(mesh: Mesh, faces: Array) -> Bools:
    """Return which faces have a hollow corner."""
    con = mesh.connectivity
    corner = (
        np.flatnonzero(np.isin(mesh.corner_faces, faces)) if len(faces) < mesh.n_faces else np.arange(len(mesh.corners))
    )
    p = mesh.points[mesh.corners]
    ahead = con.following[corner]
    u, v = p[ahead] - p[corner], p[con.following[ahead]] - p[ahead]
    turn = (np.cross(u, v) * face_normals(mesh)[mesh.corner_faces[corner]]).sum(axis=1)
    bad = turn < -_STRAIGHT * np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
    out = np.zeros(mesh.n_faces, dtype=bool)
    out[mesh.corner_faces[corner[bad]]] = True
    return np.asarray(out[faces])


def _ladder(mesh: Mesh, faces: Array, n: int) -> Array:
    """Return (f, (n - 1) // 2, 4) corners of pieces between parallel rungs, laid where the least angle is greatest."""
    first = mesh.offsets[faces].astype(np.int64)
    m = (n - 1) // 2
    k = np.arange(m)
    base = np.stack([k, k + 1, n - 2 - k, n - 1 - k], axis=1)  # rungs between k and n - 1 - k
    if n % 2:
        base[-1] = [m - 1, m, m + 1, m + 1]
    tries = range(n) if n <= _TRIED else range(0, n, n // _TRIED + 1)
    best, found = np.full(len(faces), -np.inf), np.zeros((len(faces), m, 4), dtype=np.int64)
    normal = face_normals(mesh)[faces][:, None, None, :]
    for turn in tries:
        at = first[:, None, None] + (base + turn) % n
        p = mesh.points[mesh.corners[at]]
        if n % 2:
            quality = (
                np.minimum(_quality(p[:, :-1], normal), _quality(p[:, -1:, :3], normal))
                if m > 1
                else _quality(p[:, :, :3], normal)
            )
        else:
            quality = _quality(p, normal)
        better = quality > best + 1e-9
        best[better], found[better] = quality[better], at[better]
    return found


def _quality(p: Floats, normal: Floats) -> Floats:
    """Return for each row of pieces (f, k, s, 3) the least sine at any corner."""
    ahead = np.roll(p, -1, axis=2) - p
    behind = np.roll(ahead, 1, axis=2)
    size = np.linalg.norm(ahead, axis=3) * np.linalg.norm(behind, axis=3)
    sine = (np.cross(behind, ahead) * normal).sum(axis=3) / np.maximum(size, 1e-300)
    return np.asarray(sine.reshape(len(p), -1).min(axis=1, initial=np.inf))


def _paired(mesh: Mesh, faces: Array) -> list[tuple[Array, Array]]:
    """Return four-sided and three-sided pieces of hollow faces: (k, 4) and (k, 3) corners, each with their faces."""
    cut = triangulate(mesh)
    mine = np.flatnonzero(np.isin(cut.faces, faces))
    tri, of = cut.corners[mine].astype(np.int64), cut.faces[mine].astype(np.int64)
    normal = face_normals(mesh)[of]
    few = len(tri) * 3 <= _SMALL
    one, two = _shared(tri, len(mesh.corners))
    neighbour = np.full(tri.shape, -1, dtype=np.int64)
    neighbour[one // 3, one % 3], neighbour[two // 3, two % 3] = two // 3, one // 3
    (flip_shared.plain if few else flip_shared)(tri, neighbour, mesh.points[mesh.corners], normal)
    one, two = _shared(tri, len(mesh.corners))
    a, b, i, j = one // 3, two // 3, one % 3, two % 3
    # the ring round both: from the corner across the shared side in the one, round the other's
    ring = np.stack([tri[a, (i + 1) % 3], tri[a, (i + 2) % 3], tri[a, i], tri[b, (j + 2) % 3]], axis=1)
    fine = _quality(mesh.points[mesh.corners[ring]][:, None], normal[a][:, None, None, :]) > _LEAST
    taken = (pair_leaves.plain if few else pair_leaves)(a[fine], b[fine], len(tri))
    single = np.ones(len(tri), dtype=bool)
    single[a[fine][taken]] = single[b[fine][taken]] = False
    return [(ring[fine][taken], of[a[fine][taken]]), (tri[single], of[single])]


def _shared(tri: Array, n: int) -> tuple[Array, Array]:
    """Return the sides (3 t + k) that two triangles share, the one's and the other's."""
    ahead = np.roll(tri, -1, axis=1)
    key = (np.minimum(tri, ahead) * n + np.maximum(tri, ahead)).ravel()
    order = np.argsort(key, kind="stable")
    pair = np.flatnonzero(key[order][1:] == key[order][:-1])
    return order[pair], order[pair + 1]
