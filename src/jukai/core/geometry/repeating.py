"""A body that stands many times."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.mesh import Mesh, Topology

__all__ = ["repeated"]


def repeated(mesh: Mesh, motions: Floats, step: str | None = None) -> Mesh:
    """Return a body once for each affine motion (k, 3, 4), as one mesh, points copy by copy.

    ``step`` names the faces of all copies but the first a group, ``copies``. Motions must not turn the body over.
    """
    k, n, c = len(motions), mesh.n_points, len(mesh.corners)
    points = np.empty((k, n, 3))
    for i, motion in enumerate(motions):
        linear, shift = motion[:, :3], motion[:, 3]
        if (linear == np.eye(3)).all():
            np.add(mesh.points, shift, out=points[i])
        else:
            np.matmul(mesh.points, linear.T, out=points[i])
            points[i] += shift
    number = np.arange(k, dtype=np.int32)[:, None]
    offsets = np.empty(k * mesh.n_faces + 1, dtype=np.int32)
    offsets[0] = 0
    np.add(mesh.offsets[1:], number * np.int32(c), out=offsets[1:].reshape(k, -1))

    def tiled(table: Array | None) -> Array | None:
        return None if table is None else np.tile(table, (k, *[1] * (table.ndim - 1)))

    lineage, rows = mesh.lineage, tiled(mesh.face_lineage)
    if step is not None and k > 1:
        own = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
        parents, which = np.unique(own, return_inverse=True)
        lineage, base = lineage.extended((step, "copies", int(p)) for p in parents)
        rows = np.concatenate([own, np.tile((base + which).astype(np.int32), k - 1)])
    pairs = None if mesh.edge_pairs is None else (mesh.edge_pairs + number[:, :, None] * np.int32(n)).reshape(-1, 2)
    return replace(
        mesh,
        points=points.reshape(-1, 3),
        corners=(mesh.corners + number * np.int32(n)).ravel(),
        offsets=offsets,
        lineage=lineage,
        face_lineage=rows,
        face_finish=tiled(mesh.face_finish),
        face_soft=tiled(mesh.face_soft),
        uv=tiled(mesh.uv),
        edge_pairs=pairs,
        edge_data={name: np.tile(t, (k, *[1] * (t.ndim - 1))) for name, t in mesh.edge_data.items()},
        point_data={name: np.tile(t, (k, *[1] * (t.ndim - 1))) for name, t in mesh.point_data.items()},
        _cache={},
        _topology=Topology(),
    )
