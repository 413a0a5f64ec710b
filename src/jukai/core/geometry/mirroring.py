"""A body and its mirror image as one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.mesh import Mesh, Topology, join_meshes
from jukai.core.geometry.placing import placed
from jukai.core.geometry.selecting import faces_of

__all__ = ["mirrored", "with_mirror_image"]

_ON = 1e-9
"""Share of the body's size up to which points count as on the plane."""


def mirrored(mesh: Mesh, axis: int = 0) -> Mesh:
    """Return a body with one of its axes turned over, at the plane through 0 square to it; its faces still look outward."""
    over = np.ones(4)
    over[axis] = -1.0
    return placed(mesh, np.diag(over))


def with_mirror_image(mesh: Mesh, axis: int = 0) -> tuple[Mesh, int]:
    """Return a body and its mirror image at a plane through 0 as one, and how many points of the plane they share.

    ``axis`` is square to the plane: X, Y or Z.

    Faces that lie in the plane are left out: the two halves are open to each other there.

    Raises
    ------
    MeshProblem
        When the body reaches over the plane, with a place.
    """
    x = mesh.points[:, axis]
    eps = _ON * max(mesh.size, 1e-300)
    used = mesh.used_points
    if (x[used] < -eps).any() and (x[used] > eps).any():
        side = np.where(used, x, 0.0)
        worst = int(np.argmax(-side if side.max() > -side.min() else side))
        at = mesh.points[worst]
        raise MeshProblem(
            f"The part reaches {abs(float(x[worst])):.4g} mm over the plane at which it is mirrored.",
            hint=f"Move it to one side of {'XYZ'[axis]} = 0, or do not join it.", places=[(float(at[0]), float(at[1]), float(at[2]))],
        )  # fmt: skip
    on = np.abs(x) <= eps
    points = mesh.points.copy()
    points[on, axis] = 0.0
    within = np.logical_and.reduceat(on[mesh.corners], mesh.offsets[:-1]) if mesh.n_faces else np.zeros(0, bool)
    half = faces_of(mesh.with_points(points), ~within) if within.any() else mesh.with_points(points)
    both = join_meshes([half, mirrored(half, axis)])
    n = half.n_points
    shared = np.flatnonzero(half.points[:, axis] == 0)
    number = np.arange(2 * n)
    number[n + shared] = shared
    keep = number == np.arange(2 * n)
    place = (np.cumsum(keep) - 1)[number].astype(np.int32)
    out = replace(
        both,
        points=both.points[keep],
        corners=place[both.corners],
        edge_pairs=None if both.edge_pairs is None else place[both.edge_pairs],
        point_data={name: table[keep] for name, table in both.point_data.items()},
        _cache={},
        _topology=Topology(),
    )
    return out, len(shared)
