"""Part of a mesh: some of its faces, with all that they carry."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.mesh import Mesh, Topology

__all__ = ["faces_of"]


def faces_of(mesh: Mesh, faces: Bools) -> Mesh:
    """Return the picked faces alone, in their order; points that none of them uses go.

    Parameters
    ----------
    faces : (f,) which faces stay.
    """
    if faces.all():
        return mesh
    corners, uv, sides = _corners_of(mesh, faces)
    used = np.zeros(mesh.n_points, dtype=bool)
    used[corners] = True
    number = np.cumsum(used, dtype=np.int32) - 1
    pairs, edge_data = mesh.edge_pairs, dict(mesh.edge_data)
    if pairs is not None:
        stay = used[pairs].all(axis=1)
        pairs = number[pairs[stay]].astype(np.int32)
        edge_data = {name: table[stay] for name, table in edge_data.items()}
    return replace(
        mesh,
        points=mesh.points[used],
        corners=number[corners],
        offsets=np.concatenate([[0], np.cumsum(sides)]).astype(np.int32),
        face_lineage=None if mesh.face_lineage is None else mesh.face_lineage[faces],
        face_finish=None if mesh.face_finish is None else mesh.face_finish[faces],
        face_soft=None if mesh.face_soft is None else mesh.face_soft[faces],
        uv=uv,
        edge_pairs=pairs,
        edge_data=edge_data,
        point_data={name: table[used] for name, table in mesh.point_data.items()},
        _cache={},
        _topology=Topology(),
    )


def _corners_of(mesh: Mesh, faces: Bools) -> tuple[Ints, Floats | None, Ints]:
    """Return points, texture coordinates and numbers of sides of the corners of faces; whole rows at a time where all have as many."""
    which = np.flatnonzero(faces)
    n = int(mesh.sides[0])
    if len(mesh.corners) == n * mesh.n_faces and (mesh.sides == n).all():
        uv = None if mesh.uv is None else mesh.uv.reshape(-1, n, 2)[which].reshape(-1, 2)
        return mesh.corners.reshape(-1, n)[which].ravel(), uv, np.full(len(which), n, np.int32)
    corner = faces[mesh.corner_faces]
    return mesh.corners[corner], None if mesh.uv is None else mesh.uv[corner], mesh.sides[faces]
