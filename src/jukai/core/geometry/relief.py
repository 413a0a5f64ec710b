"""Raising and sinking a surface along its own normals."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import corner_angles

__all__ = ["at_points", "point_normals"]


def point_normals(mesh: Mesh) -> Floats:
    """Return (n, 3) the unit normal at each point; 0 where it has no face or its faces cancel.

    References
    ----------
    G. Thürmer and C. A. Wüthrich, Computing vertex normals from polygonal facets, 1998: faces weigh by their angle.
    """

    def compute() -> Floats:
        angles = corner_angles(mesh)
        normals = face_normals(mesh)
        out = np.empty((mesh.n_points, 3))
        for axis in range(3):
            share = angles * np.repeat(normals[:, axis], mesh.sides)
            out[:, axis] = np.bincount(mesh.corners, share, mesh.n_points)
        size = np.sqrt(np.einsum("ij,ij->i", out, out))
        out[size > 1e-12] /= size[size > 1e-12, None]
        out[size <= 1e-12] = 0.0
        return out

    return mesh.cached("point normals", compute)


def at_points(mesh: Mesh, of_corners: Floats) -> Floats:
    """Return (n,) the mean at each point of what its corners say; 0 where it has none."""
    total = np.bincount(mesh.corners, of_corners, mesh.n_points)
    return np.asarray(total / np.maximum(np.bincount(mesh.corners, minlength=mesh.n_points), 1))
