"""A body with some of its faces taken off, others moved to other points, and new ones put in: all that faces carry goes along."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from jukai.core.geometry._pulling import at_columns, gradients, packed
from jukai.core.geometry.arrays import Array, Bools, Floats, frozen
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Lineage, Mesh, Topology

__all__ = ["Block", "corners_of", "rebuilt", "reversed_faces", "turned_over", "uv_gradients"]


_FEW = 1200
"""Corners up to which plain Python answers sooner than loading the compiler."""


@dataclass(frozen=True, slots=True, eq=False)
class Block:
    """New faces of one group.

    Attributes
    ----------
    corners : (c,) points of the faces, one face after another.
    sides : (n,) of each.
    group : what they are called.
    parents : (n,) the face of the body that each goes on from, -1 for none.
    uv : (c, 2) texture coordinates; 0 where there are none.
    finish : that they are given; that of their parents where it is None.
    soft : whether their normals give way to those beside.
    """

    corners: Array
    sides: Array
    group: str
    parents: Array
    uv: Floats | None = None
    finish: str | None = None
    soft: bool = False

    @staticmethod
    def of(
        corners: Array, group: str, parents: Array | int = -1, uv: Floats | None = None, finish: str | None = None
    ) -> Block:
        """Return a block of (n, s) faces, all of s sides; ``uv`` is (n, s, 2)."""
        n, s = corners.shape
        of = np.broadcast_to(np.asarray(parents, dtype=np.int64), (n,))
        return Block(
            corners.ravel(), np.full(n, s, np.int32), group, of, None if uv is None else uv.reshape(-1, 2), finish
        )


def corners_of(mesh: Mesh, faces: Array) -> Array:
    """Return the corners (numbers into ``mesh.corners``) of faces, one after another, for any order of faces."""
    sides = mesh.sides[faces].astype(np.int64)
    ends = np.cumsum(sides)
    within = np.arange(int(ends[-1]) if len(ends) else 0) - np.repeat(ends - sides, sides)
    return np.asarray(np.repeat(mesh.offsets[faces].astype(np.int64), sides) + within)


def reversed_faces(mesh: Mesh, faces: Array, group: str) -> Block:
    """Return faces of a body the other way round, as new ones."""
    sides = mesh.sides[faces].astype(np.int64)
    ends = np.cumsum(sides)
    within = np.arange(int(ends[-1]) if len(ends) else 0) - np.repeat(ends - sides, sides)
    corner = np.repeat(mesh.offsets[faces + 1].astype(np.int64) - 1, sides) - within
    return Block(mesh.corners[corner], sides, group, faces, None if mesh.uv is None else mesh.uv[corner])


def rebuilt(
    body: Mesh,
    step: str,
    *,
    keep: Bools | None = None,
    moved: tuple[Array, Array] | None = None,
    added: Floats | None = None,
    source: Array | None = None,
    renamed: Sequence[tuple[str, Bools]] = (),
    blocks: Sequence[Block] = (),
    places: Floats | None = None,
    uv: Floats | None = None,
) -> Mesh:
    """Return a body anew.

    Parameters
    ----------
    keep : (f,) faces that stay; all of them by default. New faces come after them, block by block.
    moved : (c,) which column each corner has, -1 for none, and (m,) the points at which columns end; numbers from
        ``body.n_points`` on are of ``added``.
    added : (a, 3) new points; ``source`` (a,) says which point of the body each takes its weights from.
    renamed : groups that faces which stay become of, each with (f,) which.
    places : (n, 3) where the body's own points stand, where they have moved.
    uv : (c, 2) texture coordinates of the faces that stay, where they have others.

    Notes
    -----
    Points that no face is left to use go; those that none used before stay. Marks of edges stay where an edge does, and go
    along where it moves.
    """
    every = keep is None or bool(keep.all())
    keep = np.ones(body.n_faces, dtype=bool) if keep is None else keep
    kept: Bools | slice = slice(None) if every else keep[body.corner_faces]
    new = np.concatenate([np.zeros(0, np.int32), *(b.corners.astype(np.int32) for b in blocks)])
    extra = np.zeros((0, 3)) if added is None else added
    count = body.n_points + len(extra)
    all_corners, used = _moved_corners(body, moved, new, count)
    own = all_corners[: len(body.corners)]
    if body.edge_pairs is not None:
        own = own.copy()
    if not every:
        all_corners = np.concatenate([own[kept], new])
        used = np.zeros(count, dtype=bool)
        used[all_corners] = True
    sides = np.concatenate([*(() if every else (body.sides[keep],)), *(b.sides for b in blocks)]).astype(np.int32)
    first = body.offsets if every else np.zeros(1, np.int32)
    offsets = np.concatenate([first, first[-1] + np.cumsum(sides, dtype=np.int32)])
    if not body.used_points.all():
        used[: body.n_points] |= ~body.used_points
    stand = body.points if places is None else np.ascontiguousarray(places, dtype=np.float64)
    run = packed.choose(len(all_corners), _FEW)
    points, number = run(frozen(stand), frozen(np.ascontiguousarray(extra, dtype=np.float64)), used, all_corners)
    lineage, rows = _lineage(body, step, keep, renamed, blocks)
    names, finishes = _finishes(body, keep, blocks)
    soft = None
    if body.face_soft is not None or any(b.soft for b in blocks):
        soft = np.concatenate([body.soft()[keep], *(np.full(len(b.sides), b.soft) for b in blocks)])
    texture = None
    if body.uv is not None:
        parts = [np.zeros((len(b.corners), 2)) if b.uv is None else b.uv for b in blocks]
        texture = np.concatenate([(body.uv if uv is None else uv)[kept], *parts])
    out = replace(
        body,
        points=points,
        corners=all_corners,
        offsets=offsets,
        lineage=lineage,
        face_lineage=rows,
        finishes=names,
        face_finish=finishes,
        face_soft=soft,
        uv=texture,
        edge_pairs=None,
        edge_data={},
        point_data=_weights(body, count, source, used),
        _cache={},
        _topology=Topology(),
    )
    if body.edge_pairs is None:
        return out
    return _with_marks(out, body, keep[body.corner_faces], own, number)


def _moved_corners(body: Mesh, moved: tuple[Array, Array] | None, new: Array, count: int) -> tuple[Array, Bools]:
    """Return the points of all corners, where they come to, those of new ones behind them, and which points are used."""
    column, last = moved if moved is not None else (np.full(len(body.corners), -1, np.int32), np.zeros(0, np.int32))
    out: tuple[Array, Bools] = at_columns.choose(len(body.corners), _FEW)(
        body.corners, frozen(column), frozen(last), frozen(new), count
    )
    return out


def _weights(body: Mesh, count: int, source: Array | None, used: Bools) -> dict[str, Array]:
    if not body.point_data:
        return {}
    origin = np.arange(count)
    origin[body.n_points :] = 0 if source is None else source
    return {name: table[origin[used]] for name, table in body.point_data.items()}


def _lineage(
    body: Mesh, step: str, keep: Bools, renamed: Sequence[tuple[str, Bools]], blocks: Sequence[Block]
) -> tuple[Lineage, Array]:
    """Return the history: faces that stay come from themselves, new ones from their parents."""
    rows = body.face_lineage if body.face_lineage is not None else np.full(body.n_faces, -1, np.int32)
    table: list[tuple[str, str, int]] = []
    base = len(body.lineage.rows)

    def added(group: str, parents: Array) -> Array:
        each = np.flatnonzero(np.bincount(parents + 1)) - 1  # they are few numbers from -1 on
        number = np.zeros(len(body.lineage.rows) + 1, dtype=np.int64)
        number[each] = base + len(table) + np.arange(len(each))
        table.extend((step, group, int(p)) for p in each)
        return np.asarray(number[parents])

    every = bool(keep.all())
    count = body.n_faces if every else int(keep.sum())
    total = np.empty(count + sum(len(b.sides) for b in blocks), np.int32)
    after = total[:count] if every else rows.copy()
    if every:
        after[:] = rows
    for group, faces in renamed:
        some = np.flatnonzero(faces if every else faces & keep)
        if len(some):
            after[some] = added(group, rows[some])
    if not every:
        total[:count] = after[keep]
    of = np.append(rows, np.int32(-1)) if any((b.parents < 0).any() for b in blocks) else rows
    new = [added(b.group, of[b.parents]) for b in blocks if len(b.sides)]
    lineage, _ = body.lineage.extended(table)
    if new:
        total[count:] = np.concatenate(new)
    return lineage, total


def _finishes(body: Mesh, keep: Bools, blocks: Sequence[Block]) -> tuple[tuple[str, ...], Array | None]:
    if body.face_finish is None and all(b.finish is None for b in blocks):
        return body.finishes, None
    own = np.append(body.face_finish if body.face_finish is not None else np.full(body.n_faces, -1, np.int32), -1)
    names, out = body.finishes, [own[:-1][keep]]
    for b in blocks:
        if b.finish is None:
            out.append(own[b.parents])
            continue
        if b.finish not in names:
            names = (*names, b.finish)
        out.append(np.full(len(b.sides), names.index(b.finish)))
    return names, np.concatenate(out).astype(np.int32)


def _with_marks(out: Mesh, body: Mesh, kept: Bools, own: Array, number: Array) -> Mesh:
    con = body.connectivity
    assert body.edge_pairs is not None  # noqa: S101 - asked for by the caller
    edge = con.between(body.edge_pairs)
    row_of = np.full(con.n_edges, -1, dtype=np.int64)
    row_of[edge[edge >= 0]] = np.flatnonzero(edge >= 0)
    marked = row_of[con.corner_edge] >= 0
    goes = np.flatnonzero(kept & marked)
    along = number[np.stack([own[goes], own[con.following[goes]]], axis=1)]
    rows = row_of[con.corner_edge[goes]]
    # an edge whose faces are all new ones
    lost = np.flatnonzero(~kept & marked)
    ends = number[np.stack([body.corners[lost], body.corners[con.following[lost]]], axis=1)]
    lost, ends = lost[(ends >= 0).all(axis=1)], ends[(ends >= 0).all(axis=1)]
    stays = out.connectivity.between(ends.astype(np.int32)) >= 0 if len(ends) else np.zeros(0, bool)
    pairs = np.sort(np.concatenate([along, ends[stays]]), axis=1)
    rows = np.concatenate([rows, row_of[con.corner_edge[lost[stays]]]])
    pairs, first = np.unique(pairs, axis=0, return_index=True)
    return replace(
        out, edge_pairs=pairs.astype(np.int32), edge_data={k: t[rows[first]] for k, t in body.edge_data.items()}
    )


def uv_gradients(mesh: Mesh, faces: Array) -> Floats:
    """Return (n, 2, 3) how the texture coordinates of faces change with the place on them, by least squares over their corners."""
    assert mesh.uv is not None  # noqa: S101 - asked for where there are some
    run = gradients.choose(int(mesh.sides[faces].sum()), _FEW)
    out: Floats = run(mesh.points, mesh.corners, mesh.offsets, mesh.uv, np.asarray(faces, np.int64), face_normals(mesh))
    return out


def turned_over(mesh: Mesh, faces: Bools) -> Mesh:
    """Return a body some of whose faces run the other way round."""
    mine = faces[mesh.corner_faces]
    order = np.arange(len(mesh.corners))
    face = mesh.corner_faces[mine]
    order[mine] = mesh.offsets[face].astype(np.int64) + mesh.offsets[face + 1] - 1 - order[mine]
    return replace(
        mesh,
        corners=mesh.corners[order],
        uv=None if mesh.uv is None else mesh.uv[order],
        _cache={},
        _topology=Topology(),
    )
