"""Strips of faces that may be drawn two or four as one where they are finer than the lines between them can be seen.

A loop of edges that closes, on which the surface hardly bends and all points have four edges, can be left out of a
picture: the faces to its two sides become one row, and since both borders of that row stay as they are, nothing else
changes and no gap opens. Each loop can be left out for itself, so the picture decides anew for each (a discrete level of
detail as in Luebke et al., Level of detail for 3D graphics, 2003, without cracks by its construction).

Where two such rows lie side by side and the surface bends over all four faces no more than it may at one loop, they are one
strip: the edges between them are left out too.

Layout, little endian, every section a multiple of 4 bytes:

=============  ============================  ==============================================================
uint32 × 6     magic ``JKS1``, version,      the head; the first ``wide`` strips are four faces wide,
               vertices, triangles, strips,  the others two
               wide
float32        position (vertices × 3)       relative to the origin of the drawing data, pairs along each
                                             strip: one on its left border, one on its right
uint32         order (triangles)             triangles of the drawing data, those of each strip first, rung
                                             by rung from left to right
uint32         rungs (strips)                faces of each strip when drawn as one; it has one more pair
                                             of vertices, the last as the first
float32        spacing (strips)              the widest of its faces across, mm
int8 × 4       normal (vertices)             as in the drawing data
uint8 × 4      edge (vertices)               lines across the strip only
=============  ============================  ==============================================================
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry._strips import apart, closed_loops, side_by_side
from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges, smooth_fans
from jukai.core.geometry.triangulation import triangulate
from jukai.core.geometry.view import finish_numbers, view_origin

__all__ = ["BEND", "GENTLE", "Strips", "loops_to_leave_out", "strip_bytes", "strips_of"]

_MAGIC = 0x31534B4A
BEND = 12.0
"""Degrees that the surface may turn at an edge that is left out."""
GENTLE = BEND / 4
"""Degrees that it may turn at each of three edges that are left out together: it is as near to what is drawn then."""


def strip_bytes(mesh: Mesh) -> bytes:
    """Return the strips of a mesh (layout above); it need not have any."""
    return mesh.cached("strips", lambda: _strip_bytes(mesh))


def loops_to_leave_out(mesh: Mesh) -> tuple[Ints, Ints, Floats]:
    """Find loops of edges that can be left out of a picture, each for itself.

    Returns
    -------
    along : (k,) int32, corners whose edges make up the loops, one loop after another.
    starts : (loops + 1,) int32, where each begins.
    spacing : (loops,) float64, mm, the longest edge that ends on each from either side.
    """
    con = mesh.connectivity
    good = _good(mesh, BEND)
    small = len(mesh.corners)
    along, starts = closed_loops.choose(small)(con.following, con.twins, good)
    if len(starts) < 2:
        return along, starts, np.zeros(0)
    before = previous_corners(mesh.offsets)
    here = mesh.points[mesh.corners[along]]
    left = mesh.points[mesh.corners[before[along]]] - here
    right = mesh.points[mesh.corners[con.following[con.following[con.twins[along]]]]] - here
    across = np.sqrt(np.maximum(np.einsum("ij,ij->i", left, left), np.einsum("ij,ij->i", right, right)))
    spacing = np.maximum.reduceat(across, starts[:-1])
    order = np.lexsort((np.arange(len(spacing)), np.round(spacing, 9))).astype(np.int32)
    chosen = apart.choose(small)(
        along, starts, spacing, order, con.following, con.twins, np.asarray(mesh.corner_faces, np.int32), _finish(mesh)
    )
    keep = np.repeat(chosen, np.diff(starts))
    counts = np.diff(starts)[chosen]
    return along[keep], np.concatenate([[0], np.cumsum(counts)]).astype(np.int32), spacing[chosen]


@dataclass(frozen=True)
class Strips:
    """Rows of faces that may be drawn as one, four faces wide or two."""

    left: Ints
    """(k,) int32, corners whose edges make up the leftmost loop of each strip; the border of the strip is one edge to its left."""
    right: Ints
    """(k,) int32, those of its rightmost loop, each across from that of the left; the same where a strip is two faces wide."""
    starts: Ints
    """(strips + 1,) int32, where each begins."""
    spacing: Floats
    """(strips,) float64, mm, the longest edge across any of its faces."""
    wide: int
    """How many, the first, are four faces wide."""


def strips_of(mesh: Mesh) -> Strips:
    """Find strips of a mesh, each of which may be drawn as one for itself; it need not have any."""
    along, starts, spacing = loops_to_leave_out(mesh)
    if len(starts) < 2:
        return Strips(along, along, starts, spacing, 0)
    con = mesh.connectivity
    left, right, begins, loops, wide = side_by_side.choose(len(mesh.corners))(
        along,
        starts,
        con.following,
        con.twins,
        _good(mesh, GENTLE),
        np.asarray(mesh.corner_faces, np.int32),
        _finish(mesh),
    )
    return Strips(left, right, begins, spacing[loops].max(axis=1), int(wide))


def _finish(mesh: Mesh) -> Ints:
    return np.zeros(mesh.n_faces, np.int32) if mesh.face_finish is None else mesh.face_finish.astype(np.int32)


def _good(mesh: Mesh, turn: float) -> Bools:
    """Return (c,) whether the edge that leaves a corner may be left out.

    Between two quads that turn by ``turn`` degrees at most, smooth, through points of four edges.
    """
    con = mesh.connectivity
    out = (con.twins >= 0) & ~mesh.same_direction & ~sharp_edges(mesh)[con.corner_edge]
    out &= (mesh.sides == 4)[mesh.corner_faces]
    # a point that all loops may pass: four corners, and each of the edges that leave them as asked for
    poor = np.bincount(mesh.corners[~out], minlength=mesh.n_points) > 0
    through = (np.diff(con.point_offsets) == 4) & ~poor
    twin = np.maximum(con.twins, 0)
    out &= out[twin]
    normals = face_normals(mesh)
    bend = np.einsum("ij,ij->i", normals[mesh.corner_faces], normals[mesh.corner_faces[twin]])
    out &= bend >= math.cos(math.radians(turn))
    return np.asarray(out & through[mesh.corners] & through[mesh.corners[con.following]])


def _strip_bytes(mesh: Mesh) -> bytes:
    strips = strips_of(mesh)
    con = mesh.connectivity
    starts, rungs = strips.starts, np.diff(strips.starts)
    # each loop once more its first at the end
    last = np.cumsum(rungs + 1) - 1
    ring = np.insert(np.arange(len(strips.left)), starts[1:], starts[:-1])
    borders = [
        previous_corners(mesh.offsets)[strips.left[ring]],
        con.following[con.following[con.twins[strips.right[ring]]]],
    ]
    corner = np.stack(borders, axis=1).ravel()
    fans = smooth_fans(mesh)
    normal = np.zeros((len(corner), 4), np.int8)
    normal[:, :3] = np.rint(fans.normals[fans.of_corner[corner]] * 127)
    normal[:, 3] = finish_numbers(mesh)[mesh.corner_faces[corner]]
    edge = np.zeros((len(corner), 4), np.uint8)
    edge[:, 0] = 255
    odd = (np.arange(len(ring)) - np.repeat(last - rungs, rungs + 1)) % 2 == 1
    edge[:, 1] = np.repeat(np.where(odd, 0, 255), 2)
    edge[:, 2] = np.repeat(np.where(odd, 255, 0), 2)
    tri = triangulate(mesh)
    first = np.zeros(mesh.n_faces, np.int64)
    first[tri.faces[::-1]] = np.arange(len(tri.faces))[::-1]
    across = mesh.corner_faces[
        np.stack([strips.left, con.twins[strips.left], strips.right, con.twins[strips.right]], axis=1)
    ]
    split = starts[strips.wide]
    faces = np.concatenate([across[:split].ravel(), across[split:, :2].ravel()])
    rest = np.ones(mesh.n_faces, dtype=bool)
    rest[faces] = False
    order = np.concatenate([(first[faces][:, None] + [0, 1]).ravel(), np.flatnonzero(rest[tri.faces])])
    head = np.array([_MAGIC, 2, len(corner), len(tri.faces), len(rungs), strips.wide], "<u4")
    position = (mesh.points[mesh.corners[corner]] - view_origin(mesh)).astype("<f4")
    parts = [head, position, order.astype("<u4"), rungs.astype("<u4"), strips.spacing.astype("<f4"), normal, edge]
    return b"".join(np.ascontiguousarray(p).tobytes() for p in parts)
