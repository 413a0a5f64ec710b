"""A body and its mirror image, apart or as one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry._mirroring import beside, doubled, points_used
from jukai.core.geometry.arrays import Array, Bools, Floats, frozen
from jukai.core.geometry.halving import heights
from jukai.core.geometry.mesh import Lineage, Mesh, Topology
from jukai.core.geometry.placing import placed
from jukai.core.geometry.rebuilding import corners_of

__all__ = ["in_plane", "mirror_image", "mirrored", "with_image", "with_mirror_image"]

_FEW = 3000
"""Corners up to which plain loops answer sooner than loading the compiler."""


def mirrored(mesh: Mesh, axis: int = 0) -> Mesh:
    """Return a body with one of its axes turned over, at the plane through 0 square to it; its faces still look outward."""
    over = np.ones(4)
    over[axis] = -1.0
    return placed(mesh, np.diag(over))


def mirror_image(mesh: Mesh, point: Floats, normal: Floats) -> Mesh:
    """Return the mirror image of a body at a plane; points on the plane stay exactly where they are, faces look outward."""
    out = mesh.points.copy()
    _turn_over(out, heights(mesh, point, normal) == 0, point, normal)
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
    within, near = beside.choose(len(mesh.corners), _FEW)(mesh.corners, mesh.offsets, frozen(on))
    keep = np.ones(mesh.n_faces, dtype=bool)
    used = np.ones(mesh.n_points, dtype=bool)
    if joined and within.any() and not within.all():
        keep = ~within
        used = points_used.choose(len(mesh.corners), _FEW)(mesh.corners, mesh.offsets, frozen(keep), mesh.n_points)
    fresh = np.ones(mesh.n_points, dtype=bool)
    if joined and len(near):
        fresh = ~_on_open_border(mesh, on, near[keep[near]])
    mine = np.flatnonzero(used)
    again = np.flatnonzero(used & fresh)
    n = len(mine)
    own = np.cumsum(used, dtype=np.int32) - 1
    number = np.where(fresh, np.cumsum(used & fresh, dtype=np.int32) + np.int32(n - 1), own)
    points = np.empty((n + len(again), 3))
    np.take(mesh.points, mine, axis=0, out=points[:n], mode="clip")
    np.take(mesh.points, again, axis=0, out=points[n:], mode="clip")
    _turn_over(points[n:], on[again], point, normal)
    corners, offsets, uv = _doubled(mesh, keep, own, number)
    lineage, rows = _lineage_of_both(mesh, keep, step)
    pairs, edge_data = _marked_edges(mesh, own, number, used)

    def both(table: Array | None) -> Array | None:
        return None if table is None else _twice(table, keep)

    return replace(
        mesh,
        points=points,
        corners=corners,
        offsets=offsets,
        lineage=lineage,
        face_lineage=rows,
        face_finish=both(mesh.face_finish),
        face_soft=both(mesh.face_soft),
        uv=uv,
        edge_pairs=pairs,
        edge_data=edge_data,
        point_data={name: np.concatenate([t[mine], t[again]]) for name, t in mesh.point_data.items()},
        _cache={},
        _topology=Topology(),
    ), n - len(again)


def _doubled(mesh: Mesh, keep: Bools, own: Array, number: Array) -> tuple[Array, Array, Array | None]:
    """Return corners, offsets and texture coordinates of the faces kept and of their mirror images behind them."""
    count = len(mesh.corners) if keep.all() else int(mesh.sides[keep].sum())
    uv = mesh.uv if mesh.uv is not None else np.zeros((0, 2))
    faces = int(keep.sum())
    tables = (
        np.empty(2 * count, np.int32),
        np.empty(2 * faces + 1, np.int32),
        np.empty((2 * count if len(uv) else 0, 2)),
    )
    doubled.choose(len(mesh.corners), _FEW)(
        mesh.corners, mesh.offsets, frozen(uv), frozen(keep), frozen(own), frozen(number), tables
    )
    return tables[0], tables[1], None if mesh.uv is None else tables[2]


def _twice(table: Array, keep: Bools) -> Array:
    """Return the rows kept, two times."""
    rows = table if keep.all() else table[keep]
    return np.concatenate([rows, rows])


def _lineage_of_both(mesh: Mesh, keep: Bools, step: str | None) -> tuple[Lineage, Array | None]:
    """Return the lineage table and the row of each face; with ``step`` the image's faces are a group of it."""
    rows = mesh.face_lineage
    if step is None:
        return mesh.lineage, None if rows is None else _twice(rows, keep)
    own = rows if rows is not None else np.full(mesh.n_faces, -1, np.int32)
    own = own if keep.all() else own[keep]
    kinds = np.flatnonzero(np.bincount(own + 1, minlength=1)) - 1
    place = np.zeros(len(mesh.lineage.rows) + 1, dtype=np.int32)
    lineage, base = mesh.lineage.extended((step, "image", int(p)) for p in kinds)
    place[kinds] = base + np.arange(len(kinds))
    return lineage, np.concatenate([own, place[own]])


def _marked_edges(mesh: Mesh, own: Array, number: Array, used: Bools) -> tuple[Array | None, dict[str, Array]]:
    """Return what edges have that carry something, of both halves, each once."""
    pairs = mesh.edge_pairs
    if pairs is None:
        return None, dict(mesh.edge_data)
    stay = used[pairs].all(axis=1)
    here = pairs[stay]
    both, first = np.unique(np.sort(np.concatenate([own[here], number[here]]), axis=1), axis=0, return_index=True)
    rows = {name: table[stay] for name, table in mesh.edge_data.items()}
    return both, {name: np.concatenate([t, t])[first] for name, t in rows.items()}


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


def _turn_over(points: Floats, on: Bools, point: Floats, normal: Floats) -> None:
    """Put points where their mirror images are; those on the plane stay exactly where they are."""
    axis = np.flatnonzero(normal)
    still, where = points[on], np.flatnonzero(on)
    if len(axis) == 1:
        column = points[:, axis[0]]
        np.subtract(2 * point[axis[0]], column, out=column)
    else:
        points -= 2 * np.outer((points - point) @ normal, normal)
    points[where] = still


def _on_open_border(mesh: Mesh, on: Bools, faces: Array) -> Bools:
    """Return which points are ends of an edge in the plane that one of the faces alone has."""
    out = np.zeros(mesh.n_points, dtype=bool)
    corner = corners_of(mesh, faces)
    sides = mesh.sides[faces].astype(np.int64)
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
