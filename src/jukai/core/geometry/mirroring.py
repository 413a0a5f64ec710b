"""A body and its mirror image, apart or as one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.halving import heights
from jukai.core.geometry.mesh import Mesh, Topology
from jukai.core.geometry.placing import placed
from jukai.core.geometry.selecting import faces_of

__all__ = ["in_plane", "mirror_image", "mirrored", "with_image", "with_mirror_image"]


def mirrored(mesh: Mesh, axis: int = 0) -> Mesh:
    """Return a body with one of its axes turned over, at the plane through 0 square to it; its faces still look outward."""
    over = np.ones(4)
    over[axis] = -1.0
    return placed(mesh, np.diag(over))


def mirror_image(mesh: Mesh, point: Floats, normal: Floats) -> Mesh:
    """Return the mirror image of a body at a plane; points on the plane stay exactly where they are, faces look outward."""
    d = heights(mesh, point, normal)
    out = mesh.points - 2 * np.outer((mesh.points - point) @ normal, normal)
    out[d == 0] = mesh.points[d == 0]
    first = np.repeat(mesh.offsets[:-1], mesh.sides)
    last = np.repeat(mesh.offsets[1:], mesh.sides)
    order = first + (first - np.arange(len(mesh.corners))) % np.maximum(last - first, 1)
    uv = None if mesh.uv is None else mesh.uv[order]
    return replace(mesh, points=out, corners=mesh.corners[order], uv=uv, _cache={}, _topology=Topology())


def in_plane(mesh: Mesh, point: Floats, normal: Floats) -> Mesh:
    """Return a body whose points next to a plane are in it."""
    d = heights(mesh, point, normal)
    points = mesh.points.copy()
    on = d == 0
    points[on] -= np.outer((points[on] - point) @ normal, normal)
    axis = np.flatnonzero(np.abs(normal) == 1)
    if len(axis):
        points[on, axis[0]] = point[axis[0]]
    return mesh.with_points(points)


def with_image(mesh: Mesh, point: Floats, normal: Floats, *, joined: bool, step: str | None = None) -> tuple[Mesh, int]:
    """Return a body and its mirror image at a plane as one mesh, and how many points of the plane they share.

    Joined, they share points on the plane that are on an open border in it, and faces in it are left out: the two are open
    to each other there. Where a body but touches the plane nothing is shared: that would pinch it.
    ``step`` names the image's faces a group, ``image``.
    """
    mesh = in_plane(mesh, point, normal)
    on = heights(mesh, point, normal) == 0
    if joined and mesh.n_faces:
        within = np.logical_and.reduceat(on[mesh.corners], mesh.offsets[:-1])
        if within.any() and not within.all():
            mesh = faces_of(mesh, ~within)
            on = heights(mesh, point, normal) == 0
    image = mirror_image(mesh, point, normal)
    n = mesh.n_points
    number = np.arange(n) + n
    shared = np.flatnonzero(_on_open_border(mesh, on)) if joined else np.zeros(0, dtype=np.int64)
    fresh = np.ones(n, dtype=bool)
    fresh[shared] = False
    number[fresh] = n + np.arange(int(fresh.sum()))
    number[shared] = shared

    def both(table: np.ndarray | None) -> np.ndarray | None:
        return None if table is None else np.concatenate([table, table])

    lineage, rows = mesh.lineage, both(mesh.face_lineage)
    if step is not None:
        own = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
        parents, which = np.unique(own, return_inverse=True)
        lineage, base = lineage.extended((step, "image", int(p)) for p in parents)
        rows = np.concatenate([own, base + which])
    pairs, edge_data = mesh.edge_pairs, dict(mesh.edge_data)
    if pairs is not None:
        pairs = np.sort(np.concatenate([pairs, number[pairs]]), axis=1)
        pairs, first = np.unique(pairs, axis=0, return_index=True)
        edge_data = {k: np.concatenate([t, t])[first] for k, t in edge_data.items()}
    out = replace(
        mesh,
        points=np.concatenate([mesh.points, image.points[fresh]]),
        corners=np.concatenate([mesh.corners, number[image.corners].astype(np.int32)]),
        offsets=np.concatenate([mesh.offsets, mesh.offsets[1:] + len(mesh.corners)]),
        lineage=lineage,
        face_lineage=rows,
        face_finish=both(mesh.face_finish),
        face_soft=both(mesh.face_soft),
        uv=None if mesh.uv is None else np.concatenate([mesh.uv, image.uv]),
        edge_pairs=pairs,
        edge_data=edge_data,
        point_data={name: np.concatenate([t, t[fresh]]) for name, t in mesh.point_data.items()},
        _cache={},
        _topology=Topology(),
    )
    return out, len(shared)


def _on_open_border(mesh: Mesh, on: Bools) -> Bools:
    con = mesh.connectivity
    edges = con.edges[(con.edge_sides == 1) & on[con.edges].all(axis=1)]
    out = np.zeros(mesh.n_points, dtype=bool)
    out[edges.ravel()] = True
    return out


def with_mirror_image(mesh: Mesh, axis: int = 0) -> tuple[Mesh, int]:
    """Return a body and its mirror image at a plane through 0 as one, and how many points of the plane they share.

    ``axis`` is square to the plane: X, Y or Z.

    Raises
    ------
    MeshProblem
        When the body reaches over the plane, with a place.
    """
    normal = np.eye(3)[axis]
    x = np.where(mesh.used_points, heights(mesh, np.zeros(3), normal), 0.0)
    if (x < 0).any() and (x > 0).any():
        worst = int(np.argmax(-x if x.max() > -x.min() else x))
        at = mesh.points[worst]
        raise MeshProblem(
            f"The part reaches {abs(float(x[worst])):.4g} mm over the plane at which it is mirrored.",
            hint=f"Move it to one side of {'XYZ'[axis]} = 0, or do not join it.", places=[(float(at[0]), float(at[1]), float(at[2]))],
        )  # fmt: skip
    return with_image(mesh, np.zeros(3), normal, joined=True)
