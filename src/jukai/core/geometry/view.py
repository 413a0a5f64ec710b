"""A mesh as the screen draws it: one vertex per polygon corner, in one block of bytes.

Layout, little endian, every section a multiple of 4 bytes:

=============  ==========================================  =====================================
uint32 × 12    magic ``JKV1``, version, vertices,          the head
               triangles, faces, sharp segments, bytes of
               the lineage and of the finishes, 1 where
               only near sides can be seen, 3 unused
float64 × 3    origin                                      added to every position
float32        position (vertices × 3)                     relative to the origin, mm
float32        sharp (segments × 6)                        both ends of sharp edges and rims
uint32         triangle (triangles × 3)                    vertices
uint32         triangle_face (triangles)                   polygon of each triangle
uint32         vertex_face (vertices)                      polygon of each vertex
int32          face_lineage (faces)                        row of the lineage table, -1 for none
int8 × 4       normal (vertices)                           unit × 127; the fourth is the finish of
                                                           the face, 0 for the part's own
uint8 × 4      edge (vertices)                             distance to the polygon's sides, below
UTF-8          lineage                                     JSON [[step, group, parent row], ...]
UTF-8          finishes                                    JSON [name, ...], the first is number 1
=============  ==========================================  =====================================

``edge`` holds for each side of a triangle 255 at the corner across and 0 at its ends; a diagonal
inside a polygon has 255 everywhere, so no line is drawn there.
"""

from __future__ import annotations

import hashlib
import json

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry._view import quad_view
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.measures import signed_volume, vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import smooth_fans
from jukai.core.geometry.triangulation import triangulate

__all__ = ["finish_numbers", "view_bytes", "view_digest", "view_origin"]

_MAGIC = 0x31564B4A
_LARGE = 60_000
"""Corners from which the pieces of a body are not looked at one by one: their volume together tells which way they face."""
_MOST_FINISHES = 15
"""Finishes that a body may show beside that of its part."""


def view_bytes(mesh: Mesh) -> bytes:
    """Return the drawing data of a mesh (layout above)."""
    return mesh.cached("view", lambda: _view_bytes(mesh))


def view_digest(mesh: Mesh) -> str:
    """Return a hash of all that the drawing data of a mesh is made from."""
    h = hashlib.blake2b(b"JKV1" + mesh.faces_digest(), digest_size=16)
    h.update(mesh.points.data)
    if mesh.face_finish is not None:
        h.update(repr(mesh.finishes).encode())
        h.update(mesh.face_finish.data)
    if mesh.face_lineage is not None:
        h.update(mesh.face_lineage.data)
    h.update(repr(mesh.lineage.rows).encode())
    h.update(repr((mesh.crease, mesh.by_area)).encode())
    if mesh.face_soft is not None:
        h.update(mesh.face_soft.data)
    if mesh.edge_pairs is not None:
        h.update(mesh.edge_pairs.data)
        for name in sorted(mesh.edge_data):
            h.update(name.encode() + mesh.edge_data[name].tobytes())
    return h.hexdigest()


def view_origin(mesh: Mesh) -> Floats:
    """Return (3,) what is added to every position of the drawing data."""
    return np.asarray(np.round(mesh.bounds.mean(axis=0), 3))


def finish_numbers(mesh: Mesh) -> NDArray[np.int8]:
    """Return (f,) the number of each face's finish in the drawing data, 0 for the part's own."""
    if mesh.face_finish is None:
        return np.zeros(mesh.n_faces, np.int8)
    return np.where(mesh.face_finish < _MOST_FINISHES, mesh.face_finish + 1, 0).astype(np.int8)


def _view_bytes(mesh: Mesh) -> bytes:
    tri = triangulate(mesh)
    origin = view_origin(mesh)
    fans = smooth_fans(mesh)
    if len(mesh.corners) > FEW and int(mesh.sides.max()) <= 4:
        position, normal, edge = quad_view(
            mesh.points, mesh.corners, mesh.offsets, fans.normals, fans.of_corner, tri.corners, tri.faces, origin
        )
        triangles, vertex_face = tri.corners, mesh.corner_faces
    else:
        source, triangles, edge = _vertices(mesh)
        position = (mesh.points[mesh.corners[source]] - origin).astype("<f4")
        normal = np.zeros((len(source), 4), np.int8)
        normal[:, :3] = np.rint(fans.normals[fans.of_corner[source]] * 127)
        vertex_face = mesh.corner_faces[source]
    finishes: list[str] = []
    if mesh.face_finish is not None:
        finishes = list(mesh.finishes[:_MOST_FINISHES])
        normal[:, 3] = finish_numbers(mesh)[vertex_face]
    names = json.dumps(finishes).encode() if finishes else b""
    sharp = fans.sharp
    lines = (mesh.points[sharp.ravel()] - origin).astype("<f4")
    lineage = json.dumps([list(r) for r in mesh.lineage.rows]).encode()
    rows = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
    head = np.array(
        [
            _MAGIC,
            1,
            len(position),
            len(triangles),
            mesh.n_faces,
            len(sharp),
            len(lineage),
            len(names),
            int(_closed(mesh)),
            0,
            0,
            0,
        ],
        "<u4",
    )
    parts = [
        head, origin.astype("<f8"), position, lines, np.asarray(triangles).astype("<u4", copy=False), tri.faces.astype("<u4", copy=False),
        np.asarray(vertex_face).astype("<u4", copy=False), np.asarray(rows).astype("<i4", copy=False), normal, edge,
    ]  # fmt: skip
    sections = [np.ascontiguousarray(p).data for p in parts if p.size]
    return b"".join([*sections, lineage, names, b" " * (-(len(lineage) + len(names)) % 4)])


def _closed(mesh: Mesh) -> bool:
    """Whether the body is closed and each of its pieces faces outward, so that faces that look away need not be drawn."""
    if mesh.n_faces == 0 or not mesh.closed or not signed_volume(mesh) > 0:
        return False
    if len(mesh.corners) >= _LARGE:
        return True
    piece = mesh.pieces
    if not piece.any():
        return True
    # a hollow within a piece faces inward too: such a body is drawn with both sides, which only takes longer
    first = mesh.points[mesh.corners[mesh.offsets[:-1]]] - mesh.bounds.mean(axis=0)
    return bool((np.bincount(piece, np.einsum("ij,ij->i", first, vector_areas(mesh))) > 0).all())


def _vertices(mesh: Mesh) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return the corner each vertex stands for, the triangles, and the edge distances.

    Faces of up to four sides share their corners; others get three vertices a triangle.
    """
    tri = triangulate(mesh)
    sides = mesh.sides
    small = sides <= 4
    n = len(mesh.corners)
    keep = small[mesh.corner_faces] if n else np.zeros(0, bool)
    number = np.cumsum(keep) - 1
    own = ~small[tri.faces] if len(tri.faces) else np.zeros(0, bool)
    own_corners = tri.corners[own]
    source = np.concatenate([np.flatnonzero(keep), own_corners.ravel()])
    shared = int(keep.sum())
    triangles = number[tri.corners]
    triangles[own] = shared + np.arange(3 * int(own.sum())).reshape(-1, 3)
    edge = np.zeros((len(source), 4), np.uint8)
    edge[:, 2] = 255
    _edges_of_triangles(mesh, number, edge)
    fours = (
        tri.corners[(sides[tri.faces] == 4)].reshape(-1, 2, 3) if (sides == 4).any() else np.zeros((0, 2, 3), np.int32)
    )
    if len(fours):
        # the first triangle is (a, b, c), the second shares a and c: a is across from the sides at c
        edge[number[fours[:, 0, 2]], 0] = 255
        edge[number[fours[:, 0, 0]], 1] = 255
    if len(own_corners):
        first = mesh.offsets[tri.faces[own]]
        size = sides[tri.faces[own]]
        local = own_corners - first[:, None]
        for k in range(3):
            a, b = local[:, (k + 1) % 3], local[:, (k + 2) % 3]
            inside = ((b - a) % size != 1)[:, None]
            rows = shared + 3 * np.arange(len(local))
            across = np.zeros((len(local), 3), bool)
            across[:, k] = True
            value = np.where(inside | across, 255, 0).astype(np.uint8)
            for v in range(3):
                edge[rows + v, k] = value[:, v]
    return source, triangles, edge


def _edges_of_triangles(mesh: Mesh, number: np.ndarray, edge: np.ndarray) -> None:
    first = mesh.offsets[:-1][mesh.sides == 3]
    for k in range(3):
        rows = number[first + k]
        edge[rows, :3] = 0
        edge[rows, k] = 255
