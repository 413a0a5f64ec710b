"""Polygons into triangles, for drawing, for volumes of bent bodies and for formats of triangles."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jukai.core.geometry._ears import clip_ears
from jukai.core.geometry._faces import STRAIGHT, planes_loop, quads_loop, rotate_bent
from jukai.core.geometry.arrays import Array, Floats, Ints, concatenated_ranges, frozen
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.measures import vector_areas
from jukai.core.geometry.mesh import Mesh, Topology

__all__ = ["Triangulation", "cut_alike", "triangulate", "with_short_diagonals"]

_SHORTER = 1 - 1e-6
"""A quad is cut along the other diagonal only if that is shorter by more than rounding."""


@dataclass(frozen=True, slots=True, eq=False)
class Triangulation:
    """Triangles of a mesh, in the order of its faces.

    Attributes
    ----------
    corners : (t, 3) int32 corners of the mesh (not points: a corner has its own texture coordinate).
    faces : (t,) int32 face of each triangle.
    """

    corners: Ints
    faces: Ints

    @property
    def nbytes(self) -> int:
        """Memory held."""
        return self.corners.nbytes + self.faces.nbytes

    def points(self, mesh: Mesh) -> Ints:
        """Return (t, 3) the points of the triangles."""
        return mesh.corners[self.corners]


def triangulate(mesh: Mesh) -> Triangulation:
    """Cut every face into its number of sides less two triangles, using all its points.

    Four-sided faces take the diagonal that lies inside, the shorter one where both do; faces with
    more sides, and four-sided ones that are not convex, are cut by ear clipping (Meisters 1975) in
    the plane of their vector area. No point is added or left out, so closed stays closed.
    """
    cut = _alike if mesh.known("cut alike") else _triangulate
    return mesh.cached("triangulation", lambda: cut(mesh))


def cut_alike(mesh: Mesh) -> Mesh:
    """Return the mesh, its four-sided faces all cut from their first corner; they must be convex.

    Along a tube both diagonals are as long but for its bend: chosen by length they would change from face to face, and
    with each change of a number.
    """
    mesh.cached("cut alike", lambda: True)
    return mesh


def with_short_diagonals(mesh: Mesh) -> Mesh:
    """Return the mesh with its bent four-sided faces beginning where their cut begins.

    A bent face has no volume of its own: it depends on the cut. Readers of polygons, and
    ``signed_volume``, fan from the first corner; so that they see the same body as is drawn and
    written in triangles, the fan is made the shorter diagonal. Flat faces stay as they are.
    """
    fours = np.flatnonzero(mesh.sides == 4)
    if len(fours) == 0:
        return mesh
    tri = triangulate(mesh)
    if len(fours) == mesh.n_faces:
        starts = np.arange(0, 2 * len(fours), 2)
    else:
        starts = np.concatenate([[0], np.cumsum(np.maximum(mesh.sides - 2, 0))])[fours]
    first = mesh.offsets[:-1][fours]
    turned = tri.corners[starts, 0] != first
    if not turned.any():
        return mesh
    uv = mesh.uv if mesh.uv is not None else np.zeros((0, 2))
    rotate = rotate_bent if len(mesh.corners) > FEW else _rotate_few
    corners, uv, cut = rotate(mesh.points, mesh.corners, uv, first[turned], starts[turned], tri.corners)
    kept = {k: v for k, v in mesh._cache.items() if k in ("vector_areas", "face normals", "bounds")}  # noqa: SLF001
    kept["triangulation"] = Triangulation(frozen(cut), tri.faces)
    if "connectivity" in mesh._topology:  # noqa: SLF001 - the same edges, only begun elsewhere
        _ = mesh.closed
    known = mesh._topology  # noqa: SLF001
    shared = Topology((k, known[k]) for k in ("sides", "corner_faces", "used_points", "closed") if k in known)
    return replace(mesh, corners=corners, uv=None if mesh.uv is None else uv, _cache=kept, _topology=shared)


def _rotate_few(points: Floats, corners: Ints, uv: Floats, first: Ints, starts: Ints, cut: Ints) -> tuple[Array, ...]:
    """What ``rotate_bent`` does, by array code."""
    ring = first[:, None] + np.arange(4)
    p = points[corners[ring]]
    a, b, c = (p[:, k] - p[:, 0] for k in (1, 2, 3))
    volume = np.einsum("ij,ij->i", np.cross(a, b), c)
    spread = np.maximum(np.einsum("ij,ij->i", b, b), np.einsum("ij,ij->i", c - a, c - a))
    bent = np.abs(volume) > 1e-9 * spread * np.sqrt(spread)
    ring, starts = ring[bent], starts[bent]
    corners, cut = corners.copy(), cut.copy()
    corners[ring] = corners[np.roll(ring, -1, axis=1)]
    if len(uv):
        uv = uv.copy()
        uv[ring] = uv[np.roll(ring, -1, axis=1)]
    cut[starts], cut[starts + 1] = ring[:, [0, 1, 2]], ring[:, [0, 2, 3]]
    return corners, uv, cut


def _triangulate(mesh: Mesh) -> Triangulation:
    sides = mesh.sides
    if mesh.n_faces and len(mesh.corners) == 3 * mesh.n_faces and bool((sides == 3).all()):
        every = np.arange(len(mesh.corners), dtype=np.int32).reshape(-1, 3)
        return Triangulation(frozen(every), frozen(np.arange(mesh.n_faces, dtype=np.int32)))
    counts = np.maximum(sides - 2, 0)
    starts = np.concatenate([[0], np.cumsum(counts)])
    corners = np.zeros((int(starts[-1]), 3), dtype=np.int32)

    if len(mesh.corners) > FEW:
        quads_loop(mesh.points, mesh.corners, mesh.offsets, vector_areas(mesh), _SHORTER, corners)
    else:
        _cut_few(mesh, starts, corners)
    many = np.flatnonzero(sides > 4)
    if len(many):
        _cut_many(mesh, many, starts, corners)
    faces = np.repeat(np.arange(mesh.n_faces, dtype=np.int32), counts)
    return Triangulation(frozen(corners), frozen(faces))


def _alike(mesh: Mesh) -> Triangulation:
    counts = np.maximum(mesh.sides - 2, 0)
    starts = np.concatenate([[0], np.cumsum(counts)])
    corners = np.zeros((int(starts[-1]), 3), dtype=np.int32)
    first = mesh.offsets[:-1]
    for sides, cuts in ((3, ([0, 1, 2],)), (4, ([0, 1, 2], [0, 2, 3]))):
        rows = np.flatnonzero(mesh.sides == sides)
        for k, local in enumerate(cuts):
            corners[starts[rows] + k] = first[rows, None] + np.array(local, dtype=np.int32)
    many = np.flatnonzero(mesh.sides > 4)
    if len(many):
        _cut_many(mesh, many, starts, corners)
    return Triangulation(frozen(corners), frozen(np.repeat(np.arange(mesh.n_faces, dtype=np.int32), counts)))


def _cut_few(mesh: Mesh, starts: Array, corners: Ints) -> None:
    sides, first = mesh.sides, mesh.offsets[:-1]
    threes = np.flatnonzero(sides == 3)
    corners[starts[threes]] = first[threes, None] + np.arange(3, dtype=np.int32)

    fours = np.flatnonzero(sides == 4)
    if len(fours):
        turn = _other_diagonal(mesh, fours)
        base, at = first[fours], starts[fours]
        corners[at] = base[:, None] + np.where(turn[:, None], [1, 2, 3], [0, 1, 2])
        corners[at + 1] = base[:, None] + np.where(turn[:, None], [1, 3, 0], [0, 2, 3])


def _other_diagonal(mesh: Mesh, fours: Array) -> np.ndarray:
    """Return for each four-sided face whether it is cut from its second to its fourth corner."""
    p = mesh.points[mesh.corners[mesh.offsets[:-1][fours][:, None] + np.arange(4)]]
    normal = vector_areas(mesh)[fours]
    edge = np.roll(p, -1, axis=1) - p
    turn = np.einsum("ijk,ik->ij", np.cross(np.roll(edge, 1, axis=1), edge), normal)
    # a corner that is hollow, or straight, must have the diagonal
    hollow = turn < STRAIGHT * np.einsum("ij,ij->i", normal, normal)[:, None]
    even, odd = hollow[:, 0] | hollow[:, 2], hollow[:, 1] | hollow[:, 3]
    d02, d13 = p[:, 2] - p[:, 0], p[:, 3] - p[:, 1]
    shorter = np.einsum("ij,ij->i", d13, d13) < np.einsum("ij,ij->i", d02, d02) * _SHORTER
    return np.where(odd & ~even, True, np.where(even & ~odd, False, shorter))


def _cut_many(mesh: Mesh, many: Array, starts: Array, corners: Ints) -> None:
    first, sides = mesh.offsets[:-1][many], mesh.sides[many]
    offsets = np.concatenate([[0], np.cumsum(sides)]).astype(np.int32)
    if int(offsets[-1]) > FEW:
        flat = planes_loop(mesh.points, mesh.corners, mesh.offsets, vector_areas(mesh), many, offsets)
    else:
        flat = _in_plane(mesh, many, first, sides)
    clip = clip_ears.choose(int(sides.astype(np.int64) @ sides), 3_000)
    local = clip(flat, offsets, np.int64((sides - 2).sum()))
    fans = sides - 2
    local += np.repeat(first - offsets[:-1], fans)[:, None]
    if len(many) == mesh.n_faces:
        corners[:] = local
    else:
        corners[concatenated_ranges(starts[many], fans)] = local


def _in_plane(mesh: Mesh, faces: Array, first: Ints, sides: Ints) -> Floats:
    """Return the corners of ``faces`` in 2D, turned so that every face runs counter-clockwise."""
    ids = concatenated_ranges(first, sides)
    p = mesh.points[mesh.corners[ids]] - np.repeat(mesh.points[mesh.corners[first]], sides, axis=0)
    normal = vector_areas(mesh)[faces]
    length = np.sqrt(np.einsum("ij,ij->i", normal, normal))
    normal = np.where(length[:, None] > 0, normal / np.where(length > 0, length, 1)[:, None], [0, 0, 1])
    # an axis the normal is far from, made square to it
    axis = np.eye(3)[np.argmin(np.abs(normal), axis=1)]
    u = axis - normal * np.einsum("ij,ij->i", axis, normal)[:, None]
    u /= np.sqrt(np.einsum("ij,ij->i", u, u))[:, None]
    v = np.cross(normal, u)
    u, v = np.repeat(u, sides, axis=0), np.repeat(v, sides, axis=0)
    return np.stack([np.einsum("ij,ij->i", p, u), np.einsum("ij,ij->i", p, v)], axis=1)
