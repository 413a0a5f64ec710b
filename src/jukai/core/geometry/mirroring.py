"""A body and its mirror image, apart or as one."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.halving import heights
from jukai.core.geometry.mesh import Mesh, Topology
from jukai.core.geometry.placing import placed
from jukai.core.geometry.rebuilding import corners_of
from jukai.core.geometry.selecting import faces_of

__all__ = ["in_plane", "mirror_image", "mirrored", "with_image", "with_mirror_image"]


def mirrored(mesh: Mesh, axis: int = 0) -> Mesh:
    """Return a body with one of its axes turned over, at the plane through 0 square to it; its faces still look outward."""
    over = np.ones(4)
    over[axis] = -1.0
    return placed(mesh, np.diag(over))


def mirror_image(mesh: Mesh, point: Floats, normal: Floats) -> Mesh:
    """Return the mirror image of a body at a plane; points on the plane stay exactly where they are, faces look outward."""
    out = _image_of(mesh.points, heights(mesh, point, normal) == 0, point, normal)
    order = _reversed_order(mesh)
    uv = None if mesh.uv is None else _ordered(mesh.uv, order)
    return replace(mesh, points=out, corners=_ordered(mesh.corners, order), uv=uv, _cache={}, _topology=Topology())


def in_plane(mesh: Mesh, point: Floats, normal: Floats) -> Mesh:
    """Return a body whose points next to a plane are in it."""
    return _in_plane(mesh, point, normal)[0]


def _in_plane(mesh: Mesh, point: Floats, normal: Floats) -> tuple[Mesh, Bools]:
    on = np.asarray(heights(mesh, point, normal) == 0)
    points = mesh.points[on]
    if not len(points):
        return mesh, on
    flat = points - np.outer((points - point) @ normal, normal)
    axis = np.flatnonzero(np.abs(normal) == 1)
    if len(axis):
        flat[:, axis[0]] = point[axis[0]]
    if (flat == points).all():
        return mesh, on
    out = mesh.points.copy()
    out[on] = flat
    return mesh.with_points(out), on


def with_image(mesh: Mesh, point: Floats, normal: Floats, *, joined: bool, step: str | None = None) -> tuple[Mesh, int]:
    """Return a body and its mirror image at a plane as one mesh, and how many points of the plane they share.

    Joined, they share points on the plane that are on an open border in it, and faces in it are left out: the two are open
    to each other there. Where a body but touches the plane nothing is shared: that would pinch it.
    ``step`` names the image's faces a group, ``image``.
    """
    mesh, on = _in_plane(mesh, point, normal)
    if joined and mesh.n_faces and on.any():
        within = _all_on(mesh, on)
        if within.any() and not within.all():
            mesh, on = _in_plane(faces_of(mesh, ~within), point, normal)
    n = mesh.n_points
    fresh = np.ones(n, dtype=bool)
    if joined and on.any():
        fresh = ~_on_open_border(mesh, on)
    number = np.arange(n, dtype=np.int32)
    number[fresh] = n + np.arange(int(fresh.sum()), dtype=np.int32)
    whole = bool(fresh.all())
    image = _image_of(mesh.points if whole else mesh.points[fresh], on if whole else on[fresh], point, normal)
    order = _reversed_order(mesh)

    def both(table: Any) -> Any:
        return None if table is None else np.concatenate([table, table])

    lineage, rows = mesh.lineage, mesh.face_lineage
    if step is None:
        rows = both(rows)
    else:
        own = rows if rows is not None else np.full(mesh.n_faces, -1, np.int32)
        kinds = np.flatnonzero(np.bincount(own + 1, minlength=1)) - 1
        place = np.zeros(len(mesh.lineage.rows) + 1, dtype=np.int32)
        lineage, base = lineage.extended((step, "image", int(p)) for p in kinds)
        place[kinds] = base + np.arange(len(kinds))
        rows = np.concatenate([own, place[own]])
    pairs, edge_data = mesh.edge_pairs, dict(mesh.edge_data)
    if pairs is not None:
        pairs = np.sort(np.concatenate([pairs, number[pairs]]), axis=1)
        pairs, first = np.unique(pairs, axis=0, return_index=True)
        edge_data = {k: np.concatenate([t, t])[first] for k, t in edge_data.items()}
    out = replace(
        mesh,
        points=np.concatenate([mesh.points, image]),
        corners=_with_reversed(mesh.corners, order, number),
        offsets=np.concatenate([mesh.offsets, mesh.offsets[1:] + np.int32(len(mesh.corners))]),
        lineage=lineage,
        face_lineage=rows,
        face_finish=both(mesh.face_finish),
        face_soft=both(mesh.face_soft),
        uv=None if mesh.uv is None else _with_reversed(mesh.uv, order, None),
        edge_pairs=pairs,
        edge_data=edge_data,
        point_data={name: np.concatenate([t, t[fresh]]) for name, t in mesh.point_data.items()},
        _cache={},
        _topology=Topology(),
    )
    return out, n - int(fresh.sum())


def _all_on(mesh: Mesh, on: Bools) -> Bools:
    """Return which faces have all their points among some."""
    near = mesh.corner_faces[np.flatnonzero(on[mesh.corners])]
    return np.asarray(np.bincount(near, minlength=mesh.n_faces) == mesh.sides)


def _reversed_order(mesh: Mesh) -> Array | int:
    """Return the order of corners in which each face runs the other way round, from the same first corner; a number of sides where all have that."""
    if mesh.n_faces and len(mesh.corners) == mesh.n_faces * int(mesh.sides[0]) and (mesh.sides == mesh.sides[0]).all():
        return int(mesh.sides[0])
    first = np.repeat(mesh.offsets[:-1], mesh.sides)
    last = np.repeat(mesh.offsets[1:], mesh.sides)
    return np.asarray(first + (first - np.arange(len(mesh.corners))) % np.maximum(last - first, 1))


def _ordered(table: Array, order: Array | int) -> Array:
    if isinstance(order, int):
        rows = table.reshape(-1, order, *table.shape[1:])
        return np.asarray(rows[:, [0, *range(order - 1, 0, -1)]]).reshape(table.shape)
    return table[order]


def _with_reversed(table: Array, order: Array | int, number: Array | None) -> Array:
    """Return a table of corners and behind it the same in another order, as other numbers where these are given."""
    c = len(table)
    out = np.empty((2 * c, *table.shape[1:]), table.dtype)
    out[:c] = table
    if isinstance(order, int):
        rows, into = table.reshape(-1, order, *table.shape[1:]), out[c:].reshape(-1, order, *table.shape[1:])
        for k in range(order):
            row = rows[:, -k % order]
            into[:, k] = row if number is None else number[row]
    else:
        out[c:] = table[order] if number is None else number[table[order]]
    return out


def _image_of(points: Floats, on: Bools, point: Floats, normal: Floats) -> Floats:
    """Return mirror images of points; those on the plane stay exactly where they are."""
    axis = np.flatnonzero(normal)
    if len(axis) == 1:
        out = points.copy()
        np.subtract(2 * point[axis[0]], points[:, axis[0]], out=out[:, axis[0]])
    else:
        out = points - 2 * np.outer((points - point) @ normal, normal)
    out[on] = points[on]
    return out


def _on_open_border(mesh: Mesh, on: Bools) -> Bools:
    """Return which points are ends of an edge in the plane that one face alone has."""
    out = np.zeros(mesh.n_points, dtype=bool)
    mine = on[mesh.corners]
    near = np.zeros(mesh.n_faces, dtype=bool)
    near[mesh.corner_faces[np.flatnonzero(mine)]] = True
    corner = corners_of(mesh, np.flatnonzero(near))
    sides = mesh.sides[near].astype(np.int64)
    ends = np.cumsum(sides)
    ahead = np.arange(1, len(corner) + 1)
    ahead[ends - 1] = ends - sides
    a, b = mesh.corners[corner].astype(np.int64), mesh.corners[corner[ahead]].astype(np.int64)
    both = on[a] & on[b]
    a, b = a[both], b[both]
    key = np.minimum(a, b) * mesh.n_points + np.maximum(a, b)
    _, where, count = np.unique(key, return_inverse=True, return_counts=True)
    single = count[where] == 1
    out[a[single]] = out[b[single]] = True
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
