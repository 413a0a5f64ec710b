"""Bodies that are timed."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["fresh", "quads", "shuffled", "triangles"]


def quads(rows: int, sides: int) -> Mesh:
    """A ring of quads: closed, no poles."""
    a = np.arange(rows) * 2 * np.pi / rows
    ring = np.column_stack([40 + 8 * np.cos(a), 8 * np.sin(a)])
    return turn([Section(ring, closed=True)], Turning(sides=sides), "t")


def fresh(mesh: Mesh) -> Mesh:
    return Mesh(
        mesh.points, mesh.corners, mesh.offsets, uv=mesh.uv, lineage=mesh.lineage, face_lineage=mesh.face_lineage
    )


def shuffled(mesh: Mesh) -> Mesh:
    rng = np.random.default_rng(1)
    order = rng.permutation(mesh.n_points)
    back = np.argsort(order).astype(np.int32)
    rows = rng.permutation(mesh.n_faces)
    faces = back[mesh.corners.reshape(-1, 4)][rows]
    uv = None if mesh.uv is None else mesh.uv.reshape(-1, 4, 2)[rows].reshape(-1, 2)
    lineage = None if mesh.face_lineage is None else mesh.face_lineage[rows]
    return Mesh(mesh.points[order], faces.ravel(), mesh.offsets, uv=uv, lineage=mesh.lineage, face_lineage=lineage)


def triangles(mesh: Mesh) -> np.ndarray:
    return np.asarray(triangulate(mesh).points(mesh), dtype=np.int64)
