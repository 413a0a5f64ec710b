"""Normals per corner that stay apart at sharp edges."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry._faces import sharp_loop
from jukai.core.geometry._fans import fans_loop
from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.measures import face_frames, face_normals, vector_areas
from jukai.core.geometry.mesh import Mesh

__all__ = ["CREASE", "Fans", "corner_angles", "corner_normals", "crease_of", "sharp_edges", "smooth_fans"]

_SOFT = 1e-6
"""Weight of faces whose normals give way, against 1 of the others: it only counts where they are among themselves."""
_HAIR = 1e-4
"""Degrees more than the crease that an edge must turn: three segments round a right angle turn by just 30."""
CREASE = 30.0
"""Degrees by which faces must turn for their edge to be sharp, wherever no angle is given."""


def crease_of(mesh: Mesh, crease: float | None) -> float:
    """Return the angle asked for, else that of the mesh, else 30°."""
    own = mesh.crease if crease is None else crease
    return CREASE if own is None else own


def sharp_edges(mesh: Mesh, crease: float | None = None) -> Bools:
    """Return (e,) which edges are sharp: by angle, on a rim, or marked so."""
    angle = crease_of(mesh, crease)

    def compute() -> Bools:
        con = mesh.connectivity
        normals, cosine = face_normals(mesh), math.cos(math.radians(angle + _HAIR))
        faces = mesh.corner_faces
        if len(mesh.corners) > FEW:
            sharp = sharp_loop(normals, mesh.corners, faces, con.twins, con.corner_edge, con.n_edges, cosine)
        else:
            sharp = np.ones(con.n_edges, dtype=bool)
            one = np.flatnonzero((con.twins > np.arange(len(con.twins))) & ~mesh.same_direction)
            dot = np.einsum("ij,ij->i", normals[faces[one]], normals[faces[con.twins[one]]])
            sharp[con.corner_edge[one]] = dot < cosine
        if mesh.edge_pairs is not None and "sharp" in mesh.edge_data:
            edges, marks = _marked(mesh)
            sharp[edges] = marks
        return sharp

    return mesh.cached(f"sharp {angle}", compute)


def _marked(mesh: Mesh) -> tuple[NDArray[np.int64], Bools]:
    """Return the edges that carry a mark, and whether it says sharp."""
    assert mesh.edge_pairs is not None  # noqa: S101 - asked for by the callers
    at = mesh.connectivity.between(mesh.edge_pairs)
    found = at >= 0
    return at[found], mesh.edge_data["sharp"][found]


@dataclass(frozen=True, slots=True, eq=False)
class Fans:
    """Corners of a mesh gathered into smooth fans: all of a fan stand at one point and share one normal.

    Attributes
    ----------
    of_corner : (c,) int32 fan of each corner.
    first : (m,) int32 a corner of each fan; fans stand in the order of their points.
    normals : (m, 3) float64 unit normals.
    sharp : (k, 2) int32 points of the sharp edges and rims, lower point first, sorted.
    """

    of_corner: Ints
    first: Ints
    normals: Floats
    sharp: Ints

    @property
    def nbytes(self) -> int:
        """Memory held."""
        return self.of_corner.nbytes + self.first.nbytes + self.normals.nbytes + self.sharp.nbytes


def smooth_fans(mesh: Mesh, crease: float | None = None) -> Fans:
    """Return the smooth fans of a mesh and their normals.

    Two corners of a point belong together where their faces share an edge that has just these two
    faces, runs opposite ways in them, and is not sharp. Faces are weighed by the angle they have at
    the point (Thürmer & Wüthrich, Computing vertex normals from polygonal facets, 1998), so that
    how a face is cut does not change the shading.
    """
    angle = crease_of(mesh, crease)
    return mesh.cached(f"fans {angle}", lambda: _smooth_fans(mesh, angle))


def corner_normals(mesh: Mesh, crease: float | None = None) -> Floats:
    """Return (c, 3) unit normals per corner, the same all round a smooth fan (:func:`smooth_fans`)."""
    fans = smooth_fans(mesh, crease)
    return np.asarray(fans.normals[fans.of_corner])


def _smooth_fans(mesh: Mesh, crease: float) -> Fans:
    if len(mesh.corners) > FEW:
        _, normals, angles = face_frames(mesh)
        cosine = math.cos(math.radians(crease + _HAIR))
        angles = _weighed(mesh, angles)
        *arrays, lost = fans_loop(
            mesh.corners, mesh.offsets, mesh.corner_faces, normals, angles, _marks(mesh), mesh.n_points, cosine
        )
        return _each_for_itself(mesh, Fans(*arrays)) if lost else Fans(*arrays)
    con = mesh.connectivity
    normals = face_normals(mesh)
    before = previous_corners(mesh.offsets)
    sharp = sharp_edges(mesh, crease)
    joined = (con.twins >= 0) & ~sharp[con.corner_edge] & ~mesh.same_direction
    onward = np.where(joined[before], con.twins[before], np.arange(len(before)))
    label = _orbits(onward, int(np.diff(con.point_offsets).max(initial=1)))
    low = np.full(len(label), len(label))
    np.minimum.at(low, label, np.arange(len(label)))
    of, first = _numbered(mesh, low[label])
    weights = _weighed(mesh, corner_angles(mesh))
    weighed = normals[mesh.corner_faces] * weights[:, None]
    sums = np.stack([np.bincount(of, weights=weighed[:, k], minlength=len(first)) for k in range(3)], axis=1)
    length = np.sqrt(np.einsum("ij,ij->i", sums, sums))
    unit = np.where(length[:, None] > 0, sums / np.where(length > 0, length, 1)[:, None], 0)
    return _each_for_itself(mesh, Fans(of, first, unit, con.edges[sharp]))


def _weighed(mesh: Mesh, angles: Floats) -> Floats:
    """Return the weight of each corner's face: its angle there, or its area; next to nothing where it gives way."""
    if mesh.by_area:
        areas = vector_areas(mesh)
        angles = np.sqrt(np.einsum("ij,ij->i", areas, areas))[mesh.corner_faces]
    if mesh.face_soft is not None:
        angles = angles * np.where(mesh.face_soft, _SOFT, 1.0)[mesh.corner_faces]
    return angles


def _numbered(mesh: Mesh, low: Array) -> tuple[Ints, Ints]:
    """Return fan of corner and first corner of fan, in the order of the points; ``low`` (c,) names a fan's first corner."""
    first = np.unique(low)
    first = first[np.lexsort((first, mesh.corners[first]))].astype(np.int32)
    number = np.zeros(len(low), dtype=np.int32)
    number[first] = np.arange(len(first))
    return number[low], first


def _each_for_itself(mesh: Mesh, fans: Fans) -> Fans:
    """Return the fans with those taken apart whose faces cancel out or have no area: each corner has its face's normal."""
    lost = (fans.normals == 0).all(axis=1)[fans.of_corner]
    if not lost.any():
        return fans
    low = np.where(lost, np.arange(len(lost)), fans.first[fans.of_corner])
    own = np.where(lost[:, None], face_normals(mesh)[mesh.corner_faces], fans.normals[fans.of_corner])
    of, first = _numbered(mesh, low)
    return Fans(of, first, own[first], fans.sharp)


def _marks(mesh: Mesh) -> NDArray[np.int8]:
    """Return (c,) 1 where the side that leaves a corner is marked sharp, 0 where marked smooth, else -1; empty for no marks."""
    if mesh.edge_pairs is None or "sharp" not in mesh.edge_data:
        return np.zeros(0, np.int8)
    edges, sharp = _marked(mesh)
    marks = np.full(mesh.connectivity.n_edges, -1, np.int8)
    marks[edges] = sharp
    return marks[mesh.connectivity.corner_edge]


def _orbits(onward: Ints, longest: int) -> Ints:
    """Label the chains and rings of the map ``onward`` by pointer doubling."""
    step, low = onward, np.arange(len(onward))
    for _ in range(math.ceil(math.log2(longest + 1)) + 1):
        low = np.minimum(low, low[onward])
        onward = onward[onward]
    chain = step[onward] == onward  # ran into the last corner of a chain; a ring keeps moving
    return np.where(chain, onward, low)


def corner_angles(mesh: Mesh) -> Floats:
    """Return (c,) the angle of each face at each corner, radians."""
    if len(mesh.corners) > FEW:
        return face_frames(mesh)[2]
    here = mesh.points[mesh.corners]
    out = here[mesh.connectivity.following] - here
    back = -out[previous_corners(mesh.offsets)]
    cross = np.cross(out, back)
    return np.arctan2(np.sqrt(np.einsum("ij,ij->i", cross, cross)), np.einsum("ij,ij->i", out, back))
