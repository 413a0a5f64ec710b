"""Normals per corner that stay apart at sharp edges."""

from __future__ import annotations

import math

import numpy as np

from jukai.core.geometry._faces import corner_angles_loop, corner_normals_loop, sharp_loop
from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.measures import edge_turns, face_normals
from jukai.core.geometry.mesh import Mesh

__all__ = ["CREASE", "corner_normals", "sharp_edges"]

CREASE = 30.0
"""Degrees by which faces must turn for their edge to be sharp, wherever no angle is given."""


def sharp_edges(mesh: Mesh, crease: float = CREASE) -> Bools:
    """Return (e,) which edges are sharp: by angle, on a rim, or marked so."""

    def compute() -> Bools:
        if len(mesh.corners) > FEW:
            con = mesh.connectivity
            cosine = math.cos(math.radians(crease))
            sharp = sharp_loop(
                face_normals(mesh), mesh.corners, mesh.corner_faces, con.twins, con.corner_edge, con.n_edges, cosine
            )
        else:
            sharp = edge_turns(mesh) > math.radians(crease)
        if mesh.edge_pairs is not None and "sharp" in mesh.edge_data:
            con = mesh.connectivity
            pairs = np.sort(mesh.edge_pairs, axis=1).astype(np.int64)
            key = con.edges[:, 0].astype(np.int64) * mesh.n_points + con.edges[:, 1]
            wanted = pairs[:, 0] * mesh.n_points + pairs[:, 1]
            at = np.minimum(np.searchsorted(key, wanted), len(key) - 1)
            found = key[at] == wanted
            sharp[at[found]] = mesh.edge_data["sharp"][found]
        return sharp

    return mesh.cached(f"sharp {crease}", compute)


def corner_normals(mesh: Mesh, crease: float = CREASE) -> Floats:
    """Return (c, 3) unit normals per corner, the same all round a smooth fan.

    Faces are weighed by the angle they have at the point (Thürmer & Wüthrich, Computing vertex
    normals from polygonal facets, 1998), so that how a face is cut does not change the shading.
    """
    return mesh.cached(f"corner normals {crease}", lambda: _corner_normals(mesh, crease))


def _corner_normals(mesh: Mesh, crease: float) -> Floats:
    con = mesh.connectivity
    normals = face_normals(mesh)
    weights = _corner_angles(mesh)
    sharp = sharp_edges(mesh, crease)
    if len(mesh.corners) > FEW:
        return corner_normals_loop(normals, weights, mesh.corners, mesh.offsets, mesh.corner_faces,
                                   con.following, con.twins, con.corner_edge, sharp)  # fmt: skip
    before = previous_corners(mesh.offsets)
    joined = (con.twins >= 0) & ~sharp[con.corner_edge] & ~con.same_way(mesh.corners)
    onward = np.where(joined[before], con.twins[before], np.arange(len(before)))
    label = _orbits(onward, int(np.diff(con.point_offsets).max(initial=1)))
    weighed = normals[mesh.corner_faces] * weights[:, None]
    sums = np.stack([np.bincount(label, weights=weighed[:, k], minlength=len(label)) for k in range(3)], axis=1)
    length = np.sqrt(np.einsum("ij,ij->i", sums, sums))
    unit = np.where(length[:, None] > 0, sums / np.where(length > 0, length, 1)[:, None], 0)
    lost = length[label] == 0
    return np.where(lost[:, None], normals[mesh.corner_faces], unit[label])


def _orbits(onward: Ints, longest: int) -> Ints:
    """Label the chains and rings of the map ``onward`` by pointer doubling."""
    step, low = onward, np.arange(len(onward))
    for _ in range(math.ceil(math.log2(longest + 1)) + 1):
        low = np.minimum(low, low[onward])
        onward = onward[onward]
    chain = step[onward] == onward  # ran into the last corner of a chain; a ring keeps moving
    return np.where(chain, onward, low)


def _corner_angles(mesh: Mesh) -> Floats:
    """Return (c,) the angle of each face at each corner, radians."""
    if len(mesh.corners) > FEW:
        return corner_angles_loop(mesh.points, mesh.corners, mesh.offsets)
    here = mesh.points[mesh.corners]
    out = here[mesh.connectivity.following] - here
    back = -out[previous_corners(mesh.offsets)]
    cross = np.cross(out, back)
    return np.arctan2(np.sqrt(np.einsum("ij,ij->i", cross, cross)), np.einsum("ij,ij->i", out, back))
