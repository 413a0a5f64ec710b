"""A body cut by a plane, one side of it kept: open along the cut, with all that its faces carry."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.mesh import Mesh, Topology
from jukai.core.geometry.rebuilding import Block, rebuilt
from jukai.core.geometry.triangulation import triangulate

__all__ = ["ON", "ahead_of", "heights", "in_triangles"]

ON = 1e-9
"""Share of the body's size up to which points count as on a plane."""


def heights(mesh: Mesh, point: Floats, normal: Floats) -> Floats:
    """Return (n,) how far points lie ahead of a plane, mm; exactly 0 for those on it."""
    axis = np.flatnonzero(normal)
    if len(axis) == 1:
        d = (mesh.points[:, axis[0]] - point[axis[0]]) * normal[axis[0]]
    else:
        d = (mesh.points - point) @ normal
    far = max(float(np.abs(mesh.bounds).max()), float(np.abs(point).max()))
    near = ON * max(mesh.size, 1e-300) + 4 * np.finfo(float).eps * far
    return np.asarray(np.where(np.abs(d) <= near, 0.0, d))


def ahead_of(mesh: Mesh, point: Floats, normal: Floats) -> Mesh:
    """Return what lies ahead of a plane. Points on it stay, faces that lie in it go; cut faces end exactly in it.

    Faces that the plane meets more than twice are cut in triangles before.
    """
    d = heights(mesh, point, normal)
    if not (d < 0).any():
        return _without_flat(mesh, d)
    mesh = _simple(mesh, d)
    corners, faces = mesh.corners, mesh.corner_faces
    following = mesh.connectivity.following
    here, there = d[corners], d[corners[following]]
    stays = np.maximum.reduceat(here, mesh.offsets[:-1]) > 0  # with something ahead of it
    keep_corner = stays[faces] & (here >= 0)
    crossing = stays[faces] & (here * there < 0)
    con = mesh.connectivity
    edges, number = np.unique(con.corner_edge[crossing], return_inverse=True)
    a, b = con.edges[edges].T
    share = d[a] / (d[a] - d[b])
    fresh = mesh.points[a] + share[:, None] * (mesh.points[b] - mesh.points[a])
    fresh -= np.outer((fresh - point) @ normal, normal)
    # each corner leaves itself, and the point where its edge goes through
    count = keep_corner.astype(np.int64) + crossing
    starts = np.cumsum(count) - count
    new = np.empty(int(count.sum()), dtype=np.int64)
    source = np.empty(len(new), dtype=np.int64)
    own, cut = np.flatnonzero(keep_corner), np.flatnonzero(crossing)
    new[starts[own]], source[starts[own]] = corners[own], own
    at = starts[cut] + keep_corner[cut]
    new[at], source[at] = mesh.n_points + number, cut
    uv = None
    if mesh.uv is not None:
        uv = mesh.uv[source]
        t = (here[cut] / (here[cut] - there[cut]))[:, None]
        uv[at] = mesh.uv[cut] + t * (mesh.uv[following[cut]] - mesh.uv[cut])
    sides = np.add.reduceat(count, mesh.offsets[:-1])[stays]
    points = np.concatenate([mesh.points, fresh])
    used = np.zeros(len(points), dtype=bool)
    used[new] = True
    place = np.cumsum(used) - 1
    pairs, edge_data = _marks(mesh, d, used, place, edges)
    data = {}
    for name, table in mesh.point_data.items():
        s = share.reshape(-1, *[1] * (table.ndim - 1))
        data[name] = np.concatenate([table, table[a] + s * (table[b] - table[a])])[used]
    return replace(
        mesh,
        points=points[used],
        corners=place[new].astype(np.int32),
        offsets=np.concatenate([[0], np.cumsum(sides)]).astype(np.int32),
        face_lineage=None if mesh.face_lineage is None else mesh.face_lineage[stays],
        face_finish=None if mesh.face_finish is None else mesh.face_finish[stays],
        face_soft=None if mesh.face_soft is None else mesh.face_soft[stays],
        uv=uv,
        edge_pairs=pairs,
        edge_data=edge_data,
        point_data=data,
        _cache={},
        _topology=Topology(),
    )


def _without_flat(mesh: Mesh, d: Floats) -> Mesh:
    from jukai.core.geometry.selecting import faces_of

    return faces_of(mesh, np.maximum.reduceat(d[mesh.corners], mesh.offsets[:-1]) > 0) if mesh.n_faces else mesh


def _simple(mesh: Mesh, d: Floats) -> Mesh:
    """Return the mesh with faces that a plane meets more than twice cut in triangles."""
    corner_sign = np.sign(d[mesh.corners])
    following = mesh.connectivity.following
    # how often the outline changes from not ahead to ahead
    rises = np.add.reduceat((corner_sign <= 0) & (corner_sign[following] > 0), mesh.offsets[:-1])
    falls = np.add.reduceat((corner_sign >= 0) & (corner_sign[following] < 0), mesh.offsets[:-1])
    return in_triangles(mesh, (np.asarray(rises, dtype=np.int64) > 1) | (np.asarray(falls, dtype=np.int64) > 1))


def in_triangles(mesh: Mesh, bad: Bools) -> Mesh:
    """Return the mesh with some of its faces (f,) cut in triangles, each with all that its face carries."""
    if not bad.any():
        return mesh
    cut = triangulate(mesh)
    mine = bad[cut.faces]
    corner = cut.corners[mine].astype(np.int64)
    block = Block(
        mesh.corners[corner].ravel().astype(np.int64), np.full(len(corner), 3, np.int32), "", cut.faces[mine].astype(np.int64),
        None if mesh.uv is None else mesh.uv[corner].reshape(-1, 2),
    )  # fmt: skip
    out = rebuilt(mesh, "", keep=~bad, blocks=[block])
    if mesh.face_lineage is None:
        return replace(out, lineage=mesh.lineage, face_lineage=None, _cache={})
    rows = np.concatenate([mesh.face_lineage[~bad], mesh.face_lineage[cut.faces[mine]]])
    return replace(out, lineage=mesh.lineage, face_lineage=rows, _cache={})


def _marks(mesh: Mesh, d: Floats, used: Bools, place: Array, cut: Array) -> tuple[Array | None, dict[str, Array]]:
    """Return marked edges of what is left; of one that is cut the half ahead keeps the mark."""
    if mesh.edge_pairs is None:
        return None, dict(mesh.edge_data)
    con = mesh.connectivity
    fresh = np.full(con.n_edges, -1, dtype=np.int64)
    fresh[cut] = mesh.n_points + np.arange(len(cut))
    edge = con.between(mesh.edge_pairs)
    pairs = mesh.edge_pairs.astype(np.int64)
    new = np.where(edge >= 0, fresh[np.maximum(edge, 0)], -1)
    ends = np.where((d[pairs] < 0) & (new >= 0)[:, None], new[:, None], pairs)
    fine = used[ends].all(axis=1) & (ends[:, 0] != ends[:, 1])
    ends = np.sort(place[ends[fine]], axis=1)
    ends, row = np.unique(ends, axis=0, return_index=True)
    return ends.astype(np.int32), {k: t[fine][row] for k, t in mesh.edge_data.items()}
