"""A mesh as the screen draws it: one vertex per polygon corner, in two blocks of bytes.

The **form** is what bodies have in common of which only the points have moved: while a number is dragged it is
mostly the one that the page has already. The **places** are where points stand, and the normals there.

Layout, little endian, every section a multiple of 4 bytes, each block a multiple of 8:

=============  ==========================================  =====================================
form
uint32 × 12    magic ``JKV2``, vertices, triangles,        the head
               faces, points, sharp segments, bytes of
               the lineage and of the finishes, 4 unused
uint8 × 16     hash                                        of the form
uint32         triangle (triangles × 3)                    vertices
uint32         triangle_face (triangles)                   polygon of each triangle
uint32         vertex_face (vertices)                      polygon of each vertex
uint32         vertex_point (vertices)                     its point
uint32         vertex_fan (vertices)                       its normal
uint32         sharp (segments × 2)                        points at the ends of sharp edges and rims
int32          face_lineage (faces)                        row of the lineage table, -1 for none
uint8 × 4      edge (vertices)                             distance to the polygon's sides, below;
                                                           the fourth is the finish of the face,
                                                           0 for the part's own
UTF-8          lineage                                     JSON [[step, group, parent row], ...]
UTF-8          finishes                                    JSON [name, ...], the first is number 1
=============  ==========================================  =====================================

=============  ==========================================  =====================================
places
uint32 × 4     magic ``JKP2``, points, fans, 1 where only  the head
               near sides can be seen
uint8 × 16     hash                                        of the form
float64 × 3    origin                                      added to every position
float32        position (points × 3)                       relative to the origin, mm
int8 × 4       normal (fans)                               unit × 127; the fourth is 0
=============  ==========================================  =====================================

``edge`` holds for each side of a triangle 255 at the corner across and 0 at its ends; a diagonal
inside a polygon has 255 everywhere, so no line is drawn there.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry._view import quad_edges
from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.measures import signed_volume, vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import Fans, smooth_fans
from jukai.core.geometry.triangulation import Triangulation, triangulate

__all__ = ["Form", "View", "finish_numbers", "view_bytes", "view_digest", "view_of", "view_origin"]

_FORM = 0x3256_4B4A
_PLACES = 0x3250_4B4A
_LARGE = 60_000
"""Corners from which the pieces of a body are not looked at one by one: their volume together tells which way they face."""
_MOST_FINISHES = 15
"""Finishes that a body may show beside that of its part."""


@dataclass(frozen=True, slots=True, eq=False, repr=False)
class Form:
    """What bodies of the same faces have in common on the screen.

    Attributes
    ----------
    digest : 16 bytes, the same for equal forms.
    data : the block of bytes.
    triangles, fans, sharp, lineages, finishes, words : what it was made of, beside the faces.
    """

    digest: bytes
    data: bytes
    triangles: Ints
    fans: Ints
    sharp: Ints
    lineages: Ints | None
    finishes: Ints | None
    words: str


@dataclass(frozen=True, slots=True, eq=False)
class View:
    """The drawing data of a body."""

    form: Form
    places: bytes

    @property
    def blocks(self) -> tuple[bytes, bytes]:
        """Both blocks, the form first."""
        return self.form.data, self.places

    @property
    def nbytes(self) -> int:
        """Memory held, the form as if no other body had it."""
        return len(self.form.data) + len(self.places)


def view_of(mesh: Mesh) -> View:
    """Return the drawing data of a mesh (layout above)."""
    found: View = mesh.cached("view", lambda: _view(mesh))
    return found


def view_bytes(mesh: Mesh) -> bytes:
    """Return the drawing data of a mesh as one."""
    return b"".join(view_of(mesh).blocks)


def view_digest(mesh: Mesh) -> str:
    """Return a hash of all that the drawing data of a mesh is made from."""
    h = hashlib.blake2b(b"JKV2" + mesh.faces_digest(), digest_size=16)
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


def _view(mesh: Mesh) -> View:
    mesh.share_topology()
    fans = smooth_fans(mesh)  # first: the areas that faces are cut by come with it
    tri = triangulate(mesh)
    words = json.dumps([[list(r) for r in mesh.lineage.rows], mesh.finishes[:_MOST_FINISHES]])

    def fits(form: Form) -> bool:
        return (
            form.words == words
            and np.array_equal(form.triangles, tri.corners)
            and np.array_equal(form.fans, fans.of_corner)
            and np.array_equal(form.sharp, fans.sharp)
            and _same(form.lineages, mesh.face_lineage)
            and _same(form.finishes, mesh.face_finish)
        )

    form = mesh.last_fitting("form", fits, lambda: _form(mesh, tri, fans, words))
    origin = view_origin(mesh)
    normal = np.zeros((len(fans.normals), 4), np.int8)
    normal[:, :3] = np.rint(fans.normals * 127)
    head = np.array([_PLACES, mesh.n_points, len(normal), int(_closed(mesh))], "<u4")
    position = (mesh.points - origin).astype("<f4")
    places: list[memoryview | bytes] = [head.data, form.digest, origin.astype("<f8").data, *_sections(position, normal)]
    return View(form, _block(places))


def _same(a: Ints | None, b: Ints | None) -> bool:
    return a is b or (a is not None and b is not None and np.array_equal(a, b))


def _sections(*arrays: np.ndarray) -> list[memoryview]:
    return [np.ascontiguousarray(a).data for a in arrays if a.size]


def _block(parts: list[memoryview | bytes]) -> bytes:
    """Join sections to a block that ends at a multiple of 8 bytes."""
    return b"".join([*parts, b" " * (-sum(memoryview(p).nbytes for p in parts) % 8)])


def _form(mesh: Mesh, tri: Triangulation, fans: Fans, words: str) -> Form:
    """Make the form of a body from how its faces are cut and which corners share a normal."""
    h = hashlib.blake2b(mesh.faces_digest() + mesh.n_points.to_bytes(8, "little") + words.encode(), digest_size=16)
    for table in (tri.corners, fans.of_corner, fans.sharp, mesh.face_lineage, mesh.face_finish):
        h.update(b"-" if table is None else np.ascontiguousarray(table).data)
    if len(mesh.corners) > FEW and int(mesh.sides.max()) <= 4:
        source, triangles, edge = None, tri.corners, quad_edges(len(mesh.corners), mesh.offsets, tri.corners, tri.faces)
    else:
        source, triangles, edge = _vertices(mesh)

    def vertices(of_corner: Ints) -> Ints:
        return of_corner if source is None else of_corner[source]

    vertex_face = vertices(mesh.corner_faces)
    if mesh.face_finish is not None:
        edge[:, 3] = finish_numbers(mesh)[vertex_face]
    rows = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
    lineage, names = (json.dumps(part).encode() if part else b"" for part in json.loads(words))
    head = np.array(
        [_FORM, len(edge), len(triangles), mesh.n_faces, mesh.n_points, len(fans.sharp), len(lineage), len(names), 0, 0, 0, 0],
        "<u4",
    )  # fmt: skip
    numbers = (
        triangles, tri.faces, vertex_face, vertices(mesh.corners), vertices(fans.of_corner), fans.sharp, rows
    )  # fmt: skip
    sections = _sections(*(np.asarray(a).astype("<i4", copy=False) for a in numbers), edge)
    data = _block([head.data, h.digest(), *sections, lineage, names])
    return Form(h.digest(), data, tri.corners, fans.of_corner, fans.sharp, mesh.face_lineage, mesh.face_finish, words)


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
