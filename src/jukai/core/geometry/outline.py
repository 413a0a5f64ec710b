"""What an outline is found from: edges between two faces, and the planes of these.

An edge is part of the outline where the eye sees one of its faces from the front and the other from behind (Markosian et al.,
Real-time nonphotorealistic rendering, 1997). Sharp edges and rims are left out, for they are drawn from everywhere, as are
edges over which the surface does not turn at all.

Layout, little endian:

=============  ==========================  =================================================================
uint32 × 5     magic ``JKO1``, version,    the head
               points, faces, edges
float32        points (points × 3)         relative to the origin of the drawing data, mm
float32        planes (faces × 4)          unit normal n and d: n · x + d > 0 in front of the face, in the same space
uint32         edges (edges × 4)           two points, two faces
=============  ==========================  =================================================================
"""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Ints
from jukai.core.geometry.elements import centres
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges
from jukai.core.geometry.view import view_origin

__all__ = ["outline_bytes", "outline_edges"]

_MAGIC = 0x314F4B4A
_FLAT = 1e-6
"""Radians of turn below which two faces are one plane but for rounding."""


def outline_edges(mesh: Mesh) -> tuple[Ints, Ints]:
    """Find edges that may be part of an outline.

    Returns
    -------
    points : (k, 2) int32, the ends of each.
    faces : (k, 2) int32, the faces at its two sides.
    """
    con = mesh.connectivity
    corner = np.flatnonzero((con.twins > np.arange(len(con.twins))) & ~mesh.same_direction)
    corner = corner[~sharp_edges(mesh)[con.corner_edge[corner]]]
    faces = mesh.corner_faces[np.stack([corner, con.twins[corner]], axis=1)]
    normals = face_normals(mesh)
    apart = normals[faces[:, 0]] - normals[faces[:, 1]]
    turned = np.einsum("ij,ij->i", apart, apart) > _FLAT**2
    corner = corner[turned]
    points = np.stack([mesh.corners[corner], mesh.corners[con.following[corner]]], axis=1)
    return points.astype(np.int32), faces[turned].astype(np.int32)


def outline_bytes(mesh: Mesh) -> bytes:
    """Return what the outline of a mesh is found from (layout above)."""
    return mesh.cached("outline", lambda: _outline_bytes(mesh))


def _outline_bytes(mesh: Mesh) -> bytes:
    points, faces = outline_edges(mesh)
    origin = view_origin(mesh)
    normals = face_normals(mesh)
    # of a face that is not flat the plane through the mean of its corners
    middle = centres(mesh, "faces") - origin
    planes = np.column_stack([normals, -np.einsum("ij,ij->i", normals, middle)])
    head = np.array([_MAGIC, 1, mesh.n_points, mesh.n_faces, len(points)], "<u4")
    at = (mesh.points - origin).astype("<f4")
    parts = [head, at, planes.astype("<f4"), np.column_stack([points, faces]).astype("<u4")]
    return b"".join(np.ascontiguousarray(p).tobytes() for p in parts)
