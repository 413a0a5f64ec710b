"""What a drawing shows of bodies seen along one direction: outlines and sharp edges, what is covered left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry._sight import grid_of, seen_pieces
from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.connectivity import Connectivity
from jukai.core.geometry.crossings import meeting_lines
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges
from jukai.core.geometry.triangulation import triangulate

__all__ = ["SEEN_FROM", "Eye", "Lines", "turned_eye", "visible_lines"]

_EPS = 1e-6
"""Share of the size by which a face must lie before an edge to cover it."""


@dataclass(frozen=True, slots=True, eq=False)
class Eye:
    """A direction of looking: unit vectors of the drawing's right and up, and towards the eye."""

    right: Floats
    up: Floats
    back: Floats

    @property
    def axes(self) -> Floats:
        """(3, 3) rows right, up, back."""
        return np.stack([self.right, self.up, self.back])


def _eye(right: Sequence[float], up: Sequence[float]) -> Eye:
    r, u = np.array(right, dtype=np.float64), np.array(up, dtype=np.float64)
    return Eye(r, u, np.cross(r, u))


def turned_eye(around: float, above: float) -> Eye:
    """Return the eye that looks along +Y turned about Z, and down; degrees."""
    a, b = np.radians(around), np.radians(above)
    right = np.array([np.cos(a), np.sin(a), 0.0])
    back = np.array([np.sin(a) * np.cos(b), -np.cos(a) * np.cos(b), np.sin(b)])
    return Eye(right, np.cross(back, right), back)


SEEN_FROM = {
    "front": _eye((1, 0, 0), (0, 0, 1)),
    "left": _eye((0, -1, 0), (0, 0, 1)),
    "right": _eye((0, 1, 0), (0, 0, 1)),
    "top": _eye((1, 0, 0), (0, 1, 0)),
    "back": _eye((-1, 0, 0), (0, 0, 1)),
    "bottom": _eye((1, 0, 0), (0, -1, 0)),
    "turned": turned_eye(-35.0, 22.0),
}
"""The six views of a drawing, and one turned: front looks along +Y, left from the left along +X, top straight down."""


@dataclass(frozen=True, slots=True, eq=False)
class Lines:
    """Straight pieces that are seen.

    Attributes
    ----------
    pieces : (m, 2, 2) float64 both ends, across and up, mm.
    body : (m,) int32 which body each belongs to.
    outline : (m,) whether it is part of a contour or rim, else a sharp edge within.
    """

    pieces: Floats
    body: Ints
    outline: Bools


@dataclass(slots=True)
class _Gathered:
    tri: list[Floats]
    tri_face: list[NDArray[np.int32]]
    seg: list[Floats]
    seg_faces: list[NDArray[np.int32]]
    body: list[NDArray[np.int32]]
    contour: list[Bools]
    numbers: list[int]


def visible_lines(bodies: Sequence[tuple[Mesh, Floats]], eye: Eye, caps: Floats | None = None) -> Lines:
    """Return the lines of bodies that a parallel view shows.

    Parameters
    ----------
    bodies : meshes, each with the (4, 4) matrix of its place.
    eye : from where.
    caps : (t, 3, 3) triangles on the bench that cover what lies behind them and are not drawn.

    Notes
    -----
    Whether an edge is seen can change only where a contour crosses it on the drawing or where it runs through a face
    (Appel 1967). Edges are split there, and the middle of each piece is held against all triangles over it, found by a grid.
    Edges drawn are contours (one face towards the eye, one away), rims, sharp edges and the lines in which bodies run into each
    other; faces of the edge itself never cover it.
    """
    g = _Gathered([], [], [], [], [], [], [])
    faces = 0
    # about the middle of the bodies: far from the zero point the digits would go
    middles = [matrix[:3, :3] @ mesh.bounds.mean(axis=0) + matrix[:3, 3] for mesh, matrix in bodies if mesh.n_faces]
    middle = np.mean(middles, axis=0) if middles else np.zeros(3)
    for number, (mesh, matrix) in enumerate(bodies):
        if mesh.n_faces:
            _gather(g, mesh, matrix, eye, number, faces, middle)
            faces += mesh.n_faces
    if not g.seg or not sum(len(s) for s in g.seg):
        return Lines(np.zeros((0, 2, 2)), np.zeros(0, np.int32), np.zeros(0, dtype=bool))
    _add_meetings(g)
    if caps is not None and len(caps):
        g.tri.append((caps - middle) @ eye.axes.T)
        g.tri_face.append(np.full(len(caps), -1, np.int32))
    tri, seg = np.concatenate(g.tri), np.concatenate(g.seg)
    contour_mask = np.concatenate(g.contour)
    contour = np.ascontiguousarray(seg[contour_mask])
    low, high = tri[..., :2].min(axis=(0, 1)), tri[..., :2].max(axis=(0, 1))
    size = float(max((high - low).max(), np.ptp(tri[..., 2]), 1e-12))
    cells = max(1.0, np.sqrt(len(tri) / 2))
    cell = float(max((high - low).max() / cells, size * 1e-6))
    corner = low - cell * 1e-3
    nx, ny = (int(n) for n in np.maximum(np.ceil((high - corner) / cell + 1e-6), 1))
    t_rows, t_items = grid_of(tri[..., :2].min(axis=1), tri[..., :2].max(axis=1), corner, cell, nx, ny)
    c_rows, c_items = grid_of(contour[..., :2].min(axis=1), contour[..., :2].max(axis=1), corner, cell, nx, ny)
    which, span = seen_pieces(seg, np.concatenate(g.seg_faces), contour, c_rows, c_items, tri, np.concatenate(g.tri_face), t_rows, t_items,
                              corner, cell, nx, ny, _EPS * size)  # fmt: skip
    a, b = seg[which, 0, :2], seg[which, 1, :2]
    pieces = np.stack([a + span[:, :1] * (b - a), a + span[:, 1:] * (b - a)], axis=1) + (eye.axes @ middle)[:2]
    return Lines(pieces, np.concatenate(g.body)[which], contour_mask[which])


def _gather(g: _Gathered, mesh: Mesh, matrix: Floats, eye: Eye, number: int, faces: int, middle: Floats) -> None:
    linear, own = eye.axes @ matrix[:3, :3], mesh.bounds.mean(axis=0)
    points = (mesh.points - own) @ linear.T + eye.axes @ (matrix[:3, :3] @ own + matrix[:3, 3] - middle)
    tri = triangulate(mesh)
    g.tri.append(points[tri.points(mesh)])
    g.tri_face.append((tri.faces + faces).astype(np.int32))
    con = mesh.connectivity
    # towards the eye or away; faces seen edge on count as away, so that a box has one contour and not two
    facing = np.linalg.inv(linear)[:, 2]  # outward normals go by the inverse's transpose, mirrored bodies' too
    towards = face_normals(mesh) @ facing > 1e-9 * float(np.linalg.norm(facing))
    first, second, two = _faces_of_edges(mesh)
    contour = ~two | (towards[first] != towards[second])
    front = towards[first] | towards[second] | ~two
    drawn = np.flatnonzero((contour | sharp_edges(mesh)) & (front | ~_closed(con)))
    g.seg.append(points[con.edges[drawn]])
    g.seg_faces.append((np.stack([first[drawn], second[drawn]], axis=1) + faces).astype(np.int32))
    g.body.append(np.full(len(drawn), number, np.int32))
    g.contour.append(contour[drawn])
    g.numbers.append(number)


def _add_meetings(g: _Gathered) -> None:
    """Add the lines in which bodies run into each other, those of each two to the first."""
    boxes = [(t.min(axis=(0, 1)), t.max(axis=(0, 1))) for t in g.tri]
    for i, j in combinations(range(len(boxes)), 2):
        if (boxes[i][0] > boxes[j][1]).any() or (boxes[j][0] > boxes[i][1]).any():
            continue
        lines, pairs = meeting_lines(g.tri[i], g.tri[j])
        g.seg.append(lines)
        g.seg_faces.append(np.stack([g.tri_face[i][pairs[:, 0]], g.tri_face[j][pairs[:, 1]]], axis=1).astype(np.int32))
        g.body.append(np.full(len(lines), g.numbers[i], np.int32))
        g.contour.append(np.zeros(len(lines), dtype=bool))


def _closed(con: Connectivity) -> bool:
    return bool((con.edge_sides == 2).all())


def _faces_of_edges(mesh: Mesh) -> tuple[Ints, Ints, Bools]:
    """Return a face of each edge, another one, and whether there are just two."""
    con = mesh.connectivity
    first, last = np.zeros((2, con.n_edges), np.int32)
    first[con.corner_edge[::-1]] = mesh.corner_faces[::-1]
    last[con.corner_edge] = mesh.corner_faces
    return first, last, con.edge_sides == 2
