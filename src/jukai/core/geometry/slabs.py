"""A body cut in rows by level planes, both sides of each kept and joined: the surface stays, its faces become smaller."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.halving import in_triangles
from jukai.core.geometry.mesh import Mesh, Topology

__all__ = ["count_cut", "cut_in_rows"]

_NEAR = 1e-9
"""Share of the body's size up to which points count as on a level."""


def cut_in_rows(mesh: Mesh, along: Floats, levels: Floats) -> Mesh:
    """Return the body with each face cut where it crosses a level.

    Parameters
    ----------
    along : (n,) mm of each point along an axis.
    levels : (k,) mm, ascending.

    Notes
    -----
    Going round a face, its corners and the places where its sides cross levels stand in order; those of one slab, taken in
    that order, are the face's piece there, as each level cuts it once. Faces that run up and down more than once are cut in
    triangles before. Pieces of neighbours share their points: what was closed stays closed.
    """
    if not mesh.n_faces or not len(levels):
        return mesh
    mesh = in_triangles(mesh, _up_and_down(mesh, along))
    slab = _slabs(mesh, along, levels)
    edges = _cut_edges(mesh, along, levels, slab)
    items = _items(mesh, slab, edges)
    # each item belongs to its slab, those on a level to both beside it as far as the face reaches
    first, last = (
        np.minimum.reduceat(slab[mesh.corners], mesh.offsets[:-1]),
        np.maximum.reduceat(slab[mesh.corners], mesh.offsets[:-1]),
    )
    low, high = (first + 1) // 2, last // 2  # of each face: its lowest and highest slab
    flat = low > high  # it lies in a level
    low = np.where(flat, high, low)
    high = np.where(flat, low, high)
    below, above = items.slab // 2, items.slab // 2
    on = items.slab % 2 == 1
    # odd numbers are levels: level i lies between the slabs i and i + 1
    above = above + on
    below, above = np.maximum(below, low[items.face]), np.minimum(above, high[items.face])
    times = above - below + 1
    row = np.repeat(np.arange(len(times)), times)
    at = below[row] + np.arange(len(row)) - np.repeat(np.cumsum(times) - times, times)
    order = np.lexsort((row, at, items.face[row]))
    row, at = row[order], at[order]
    face = items.face[row]
    new = np.flatnonzero(np.concatenate([[True], (face[1:] != face[:-1]) | (at[1:] != at[:-1])]))
    of = face[new]
    points = np.concatenate([mesh.points, edges.points])
    pairs, edge_data = _marks(mesh, edges)
    data = {}
    for name, table in mesh.point_data.items():
        share = edges.share.reshape(-1, *[1] * (table.ndim - 1))
        a, b = mesh.connectivity.edges[edges.edge].T
        data[name] = np.concatenate([table, table[a] + share * (table[b] - table[a])])
    return replace(
        mesh,
        points=points,
        corners=items.point[row].astype(np.int32),
        offsets=np.concatenate([new, [len(row)]]).astype(np.int32),
        face_lineage=None if mesh.face_lineage is None else mesh.face_lineage[of],
        face_finish=None if mesh.face_finish is None else mesh.face_finish[of],
        face_soft=None if mesh.face_soft is None else mesh.face_soft[of],
        uv=None if items.uv is None else items.uv[row],
        edge_pairs=pairs,
        edge_data=edge_data,
        point_data=data,
        _cache={},
        _topology=Topology(),
    )


def count_cut(mesh: Mesh, along: Floats, levels: Floats) -> int:
    """Return about how many faces cutting at levels leaves."""
    if not mesh.n_faces or not len(levels):
        return mesh.n_faces
    place = np.searchsorted(levels, along)[mesh.corners]
    crossed = np.maximum.reduceat(place, mesh.offsets[:-1]) - np.minimum.reduceat(place, mesh.offsets[:-1])
    return int(mesh.n_faces + crossed.sum())


def _slabs(mesh: Mesh, along: Floats, levels: Floats) -> Array:
    """Return (n,) where each point lies: 2 i below level i and above the one before, 2 i + 1 on level i."""
    near = _NEAR * max(mesh.size, 1e-300) + 4 * np.finfo(float).eps * float(np.abs(mesh.bounds).max(initial=0.0))
    slab = 2 * np.searchsorted(levels, along)
    i = np.clip(np.searchsorted(levels, along - near), 0, len(levels) - 1)
    return np.asarray(np.where(np.abs(levels[i] - along) <= near, 2 * i + 1, slab))


@dataclass(frozen=True, slots=True, eq=False)
class _Cuts:
    """New points on edges: edge by edge, from its first point to its second.

    ``start`` (e + 1,) is where those of each edge begin, ``share`` (m,) how far along it each is.
    """

    start: Array
    edge: Array
    level: Array
    share: Floats
    points: Floats


def _cut_edges(mesh: Mesh, along: Floats, levels: Floats, slab: Array) -> _Cuts:
    a, b = mesh.connectivity.edges.T
    # levels strictly between: those of odd numbers between both ends
    first, last = np.minimum(slab[a], slab[b]) // 2, np.maximum(slab[a], slab[b])
    first = np.where(np.minimum(slab[a], slab[b]) % 2 == 1, first + 1, first)
    count = np.maximum((last + 1) // 2 - np.where(last % 2 == 1, 1, 0) - first, 0)
    start = np.concatenate([[0], np.cumsum(count)])
    edge = np.repeat(np.arange(len(count)), count)
    within = np.arange(len(edge)) - start[edge]
    rising = slab[a] <= slab[b]
    level = np.where(rising[edge], first[edge] + within, first[edge] + count[edge] - 1 - within)
    p, q = a[edge], b[edge]
    share = (levels[level] - along[p]) / (along[q] - along[p])
    points = mesh.points[p] + share[:, None] * (mesh.points[q] - mesh.points[p])
    return _Cuts(start, edge, level, share, points)


@dataclass(frozen=True, slots=True, eq=False)
class _Items:
    """What stands round the faces in order: their corners and, after each, the cuts of its side."""

    point: Array
    slab: Array
    face: Array
    uv: Floats | None


def _items(mesh: Mesh, slab: Array, cuts: _Cuts) -> _Items:
    con = mesh.connectivity
    corners = mesh.corners.astype(np.int64)
    edge = con.corner_edge
    n_cuts = cuts.start[edge + 1] - cuts.start[edge]
    total = n_cuts + 1
    begins = np.cumsum(total) - total
    corner = np.repeat(np.arange(len(corners)), total)
    within = np.arange(len(corner)) - begins[corner]
    own = within == 0
    along = corners == con.edges[edge, 0]  # the side runs as its edge does
    index = cuts.start[edge[corner]] + np.where(along[corner], within - 1, n_cuts[corner] - within)
    index = np.where(own, 0, index)
    fresh = len(cuts.points) > 0
    point = np.where(own, corners[corner], mesh.n_points + index)
    level = cuts.level[index] if fresh else np.zeros(len(corner), dtype=np.int64)
    at = np.where(own, slab[corners[corner]], 2 * level + 1)
    uv = None
    if mesh.uv is not None:
        share = cuts.share[index] if fresh else np.zeros(len(corner))
        share = np.where(own, 0.0, np.where(along[corner], share, 1 - share))[:, None]
        uv = mesh.uv[corner] + share * (mesh.uv[con.following[corner]] - mesh.uv[corner])
    return _Items(point, at, mesh.corner_faces[corner], uv)


def _up_and_down(mesh: Mesh, along: Floats) -> Bools:
    """Return (f,) which faces run up and down along the axis more than once."""
    step = np.sign(along[mesh.corners[mesh.connectivity.following]] - along[mesh.corners])
    moves = np.flatnonzero(step)
    face = mesh.corner_faces[moves]
    begins = np.flatnonzero(np.concatenate([[True], face[1:] != face[:-1]])) if len(face) else np.zeros(0, np.int64)
    following = np.arange(1, len(face) + 1)
    ends = np.concatenate([begins[1:], [len(face)]]) - 1
    following[ends[: len(begins)]] = begins
    turns = step[moves] != step[moves[following]] if len(moves) else np.zeros(0, dtype=bool)
    return np.asarray(np.bincount(face, turns, mesh.n_faces) > 2)


def _marks(mesh: Mesh, cuts: _Cuts) -> tuple[Array | None, dict[str, Array]]:
    """Return marked edges; the pieces of one that is cut keep its mark."""
    if mesh.edge_pairs is None:
        return None, dict(mesh.edge_data)
    con = mesh.connectivity
    edge = con.between(mesh.edge_pairs)
    known = np.maximum(edge, 0)
    count = np.where(edge >= 0, cuts.start[known + 1] - cuts.start[known], 0)
    row = np.repeat(np.arange(len(edge)), count + 1)
    within = np.arange(len(row)) - np.repeat(np.cumsum(count + 1) - count - 1, count + 1)
    a = np.where(edge >= 0, con.edges[known, 0], mesh.edge_pairs[:, 0])
    b = np.where(edge >= 0, con.edges[known, 1], mesh.edge_pairs[:, 1])
    fresh = mesh.n_points + cuts.start[known[row]] + within
    first = np.where(within == 0, a[row], fresh - 1)
    second = np.where(within == count[row], b[row], fresh)
    ends = np.sort(np.column_stack([first, second]), axis=1)
    ends, kept = np.unique(ends, axis=0, return_index=True)
    return ends.astype(np.int32), {k: t[row][kept] for k, t in mesh.edge_data.items()}
