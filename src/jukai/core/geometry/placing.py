"""Where a part stands: scaled, then turned about the fixed X, Y, Z in that order, then moved."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.mesh import Mesh

__all__ = ["placed", "placement_matrix"]


def placement_matrix(move: Floats, turn: Floats, scale: Floats) -> Floats:
    """Return the (4, 4) matrix of a placement; angles in degrees."""
    s, c = sincos(np.asarray(turn, dtype=np.float64))
    x = np.array([[1, 0, 0], [0, c[0], -s[0]], [0, s[0], c[0]]])
    y = np.array([[c[1], 0, s[1]], [0, 1, 0], [-s[1], 0, c[1]]])
    z = np.array([[c[2], -s[2], 0], [s[2], c[2], 0], [0, 0, 1]])
    out = np.eye(4)
    out[:3, :3] = z @ y @ x @ np.diag(np.asarray(scale, dtype=np.float64))
    out[:3, 3] = move
    return out


def placed(mesh: Mesh, matrix: Floats) -> Mesh:
    """Return the mesh in bench space; a mirroring placement turns the faces so that they stay outward."""
    if (matrix == np.eye(4)).all():
        return mesh
    points = mesh.points if (matrix[:3, :3] == np.eye(3)).all() else mesh.points @ matrix[:3, :3].T
    out = mesh.with_points(points + matrix[:3, 3])
    if np.linalg.det(matrix[:3, :3]) >= 0:
        return out
    # each face runs the other way round, from the same first corner
    first = np.repeat(mesh.offsets[:-1], mesh.sides)
    last = np.repeat(mesh.offsets[1:], mesh.sides)
    order = first + (first - np.arange(len(mesh.corners))) % np.maximum(last - first, 1)
    uv = None if out.uv is None else out.uv[order]
    return replace(out, corners=mesh.corners[order], uv=uv, _cache={}, _topology={})
