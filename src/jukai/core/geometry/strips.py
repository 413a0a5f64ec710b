"""Strips of faces that may be drawn two as one where they are finer than the lines between them can be seen.

A loop of edges that closes, on which the surface hardly bends and all points have four edges, can be left out of a
picture: the faces to its two sides become one row, and since both borders of that row stay as they are, nothing else
changes and no gap opens. Each loop can be left out for itself, so the picture decides anew for each (a discrete level of
detail as in Luebke et al., Level of detail for 3D graphics, 2003, without cracks by its construction).

Layout, little endian, every section a multiple of 4 bytes:

=============  ============================  ==============================================================
uint32 × 6     magic ``JKS1``, version,      the head
               vertices, triangles, strips,
               0
float32        position (vertices × 3)       relative to the origin of the drawing data, pairs along each
                                             strip: one on its left border, one on its right
uint32         order (triangles)             triangles of the drawing data, those of each strip first: four
                                             for each of its rungs, two left and two right of the loop
uint32         rungs (strips)                faces of each strip when drawn two as one; it has one more pair
                                             of vertices, the last as the first
float32        spacing (strips)              the widest of its faces across, mm
int8 × 4       normal (vertices)             as in the drawing data
uint8 × 4      edge (vertices)               lines across the strip only
=============  ============================  ==============================================================
"""

from __future__ import annotations

import math

import numpy as np

from jukai.core.geometry._strips import apart, closed_loops
from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges, smooth_fans
from jukai.core.geometry.triangulation import triangulate
from jukai.core.geometry.view import finish_numbers, view_origin

__all__ = ["BEND", "loops_to_leave_out", "strip_bytes"]

_MAGIC = 0x31534B4A
BEND = 12.0
"""Degrees that the surface may turn at an edge that is left out."""


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
    good = _good(mesh)
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
    finish = np.zeros(mesh.n_faces, np.int32) if mesh.face_finish is None else mesh.face_finish.astype(np.int32)
    chosen = apart.choose(small)(
        along, starts, spacing, order, con.following, con.twins, np.asarray(mesh.corner_faces, np.int32), finish
    )
    keep = np.repeat(chosen, np.diff(starts))
    counts = np.diff(starts)[chosen]
    return along[keep], np.concatenate([[0], np.cumsum(counts)]).astype(np.int32), spacing[chosen]


def _good(mesh: Mesh) -> Bools:
    """Return (c,) whether the edge that leaves a corner may be left out: two quads, smooth, through points of four edges."""
    con = mesh.connectivity
    out = (con.twins >= 0) & ~con.same_way(mesh.corners) & ~sharp_edges(mesh)[con.corner_edge]
    out &= (mesh.sides == 4)[mesh.corner_faces]
    # a point that all loops may pass: four corners, and each of the edges that leave them as wanted
    poor = np.bincount(mesh.corners[~out], minlength=mesh.n_points) > 0
    through = (np.diff(con.point_offsets) == 4) & ~poor
    twin = np.maximum(con.twins, 0)
    out &= out[twin]
    normals = face_normals(mesh)
    bend = np.einsum("ij,ij->i", normals[mesh.corner_faces], normals[mesh.corner_faces[twin]])
    out &= bend >= math.cos(math.radians(BEND))
    return np.asarray(out & through[mesh.corners] & through[mesh.corners[con.following]])


def _strip_bytes(mesh: Mesh) -> bytes:
    along, starts, spacing = loops_to_leave_out(mesh)
    con = mesh.connectivity
    rungs = np.diff(starts)
    # each loop once more its first at the end
    last = np.cumsum(rungs + 1) - 1
    place = np.ones(len(along) + len(rungs), dtype=bool)
    place[last] = False
    ring = np.empty(len(place), np.int64)
    ring[place] = along
    ring[last] = along[starts[:-1]]
    pair = np.stack([previous_corners(mesh.offsets)[ring], con.following[con.following[con.twins[ring]]]], axis=1)
    corner = pair.ravel()
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
    faces = np.stack([mesh.corner_faces[along], mesh.corner_faces[con.twins[along]]], axis=1).ravel()
    rest = np.ones(mesh.n_faces, dtype=bool)
    rest[faces] = False
    order = np.concatenate([(first[faces][:, None] + [0, 1]).ravel(), np.flatnonzero(rest[tri.faces])])
    head = np.array([_MAGIC, 1, len(corner), len(tri.faces), len(rungs), 0], "<u4")
    position = (mesh.points[mesh.corners[corner]] - view_origin(mesh)).astype("<f4")
    parts = [head, position, order.astype("<u4"), rungs.astype("<u4"), spacing.astype("<f4"), normal, edge]
    return b"".join(np.ascontiguousarray(p).tobytes() for p in parts)
