"""Points, edges and faces as things to be picked: where they are, which way they face, what lies in a row with them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.measures import edge_turns, face_normals, vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges

__all__ = [
    "alike",
    "belonging",
    "centres",
    "element_bytes",
    "element_normals",
    "grown",
    "loop_through",
    "many_sided",
    "poles",
    "rows_of",
    "strip_across",
]

_ALIKE = 1e-3
"""Share by which sizes, and radians by which angles, of elements that are the same may differ."""


def rows_of(mesh: Mesh, kind: str) -> int:
    """Return how many ``points``, ``edges`` or ``faces`` there are."""
    return {"points": mesh.n_points, "edges": mesh.connectivity.n_edges, "faces": mesh.n_faces}[kind]


def centres(mesh: Mesh, kind: str) -> Floats:
    """Return (n, 3) the places of points, the middles of edges, the mean corners of faces."""
    if kind == "points":
        return mesh.points
    if kind == "edges":
        return np.asarray(mesh.points[mesh.connectivity.edges].mean(axis=1))
    return np.asarray(np.add.reduceat(mesh.points[mesh.corners], mesh.offsets[:-1], axis=0) / mesh.sides[:, None])


def element_normals(mesh: Mesh, kind: str) -> Floats:
    """Return (n, 3) unit normals: of a point or an edge the mean of its faces'; zero where they cancel."""
    normals = face_normals(mesh)
    if kind == "faces":
        return normals
    con = mesh.connectivity
    rows = mesh.corners if kind == "points" else con.corner_edge
    count = rows_of(mesh, kind)
    of = normals[mesh.corner_faces]
    sums = np.stack([np.bincount(rows, weights=of[:, k], minlength=count) for k in range(3)], axis=1)
    length = np.sqrt(np.einsum("ij,ij->i", sums, sums))
    return np.asarray(np.where(length[:, None] > 1e-9, sums / np.where(length > 1e-9, length, 1)[:, None], 0.0))


def belonging(mesh: Mesh, mask: Bools, of: str, to: str) -> Bools:
    """Return the elements ``to`` that belong to picked elements ``of``.

    Downwards (faces to edges to points) each that a picked one has; upwards each of which all are picked.
    """
    con = mesh.connectivity
    if of == to:
        return mask
    out: Bools
    if of == "points":
        if to == "edges":
            return np.asarray(mask[con.edges].all(axis=1))
        return np.logical_and.reduceat(mask[mesh.corners], mesh.offsets[:-1])
    if of == "edges" and to == "faces":
        return np.logical_and.reduceat(mask[con.corner_edge], mesh.offsets[:-1])
    out = np.zeros(rows_of(mesh, to), dtype=bool)
    if of == "edges":
        out[con.edges[mask]] = True
    else:
        corners = mask[mesh.corner_faces]
        out[con.corner_edge[corners] if to == "edges" else mesh.corners[corners]] = True
    return out


def grown(mesh: Mesh, mask: Bools, kind: str, by: int) -> Bools:
    """Return a pick with all elements that share a point (points: an edge) with it, ``by`` times; shrunk where negative."""
    con = mesh.connectivity
    requested = mask if by > 0 else ~mask
    for _ in range(abs(by)):
        if kind == "points":
            touched = np.zeros(mesh.n_points, dtype=bool)
            touched[con.edges[requested[con.edges].any(axis=1)]] = True
            requested = requested | touched
        else:
            points = belonging(mesh, requested, kind, "points")
            requested = np.asarray(
                points[con.edges].any(axis=1)
                if kind == "edges"
                else np.logical_or.reduceat(points[mesh.corners], mesh.offsets[:-1])
            )
    return np.asarray(requested if by > 0 else ~requested & mask)


def alike(mesh: Mesh, kind: str, which: int) -> Bools:
    """Return the elements that are the same as one: its size, its number of neighbours and its angles."""
    con = mesh.connectivity
    ends = mesh.points[con.edges]
    long = np.sqrt(((ends[:, 1] - ends[:, 0]) ** 2).sum(axis=1))
    if kind == "edges":
        return np.asarray(_near(long, which) & _near(edge_turns(mesh), which, share=False))
    if kind == "faces":
        around = np.add.reduceat(long[con.corner_edge], mesh.offsets[:-1])
        areas = np.sqrt((vector_areas(mesh) ** 2).sum(axis=1))
        return np.asarray((mesh.sides == mesh.sides[which]) & _near(areas, which) & _near(around, which))
    count = np.diff(con.point_offsets)
    sums = [np.zeros(mesh.n_points), np.zeros(mesh.n_points)]
    for out, values in zip(sums, (long, edge_turns(mesh)), strict=True):
        np.add.at(out, con.edges.ravel(), np.repeat(values, 2))
    return np.asarray((count == count[which]) & _near(sums[0], which) & _near(sums[1], which, share=False))


def _near(values: Floats, which: int, *, share: bool = True) -> Bools:
    return np.asarray(np.abs(values - values[which]) <= _ALIKE * (abs(values[which]) if share else 1.0))


def loop_through(mesh: Mesh, edge: int) -> NDArray[np.int64]:
    """Return the edges that run on from ``edge`` end to end, straight through points of four faces; along a rim, the rim."""
    con = mesh.connectivity
    first = int(np.flatnonzero(con.corner_edge == edge)[0])
    out = [edge]
    if con.twins[first] < 0:
        return _rim_through(mesh, first)
    for start in (first, int(con.twins[first])):
        side = start
        while True:
            # at the far end: over one face, across, over the next; straight on where four faces meet
            p = int(mesh.corners[con.following[side]])
            if con.point_offsets[p + 1] - con.point_offsets[p] != 4:
                break
            turn = int(con.twins[con.following[side]])
            if turn < 0:
                break
            side = int(con.following[turn])
            if int(con.corner_edge[side]) == edge or int(con.twins[side]) < 0:
                break
            out.append(int(con.corner_edge[side]))
        if int(con.corner_edge[side]) == edge and len(out) > 1:
            break  # once round
    return np.unique(np.array(out, dtype=np.int64))


def _rim_through(mesh: Mesh, side: int) -> NDArray[np.int64]:
    con = mesh.connectivity
    out = [int(con.corner_edge[side])]
    begin = side
    while True:
        # round the far point to the next side that has no twin
        nxt = int(con.following[side])
        guard = 0
        while con.twins[nxt] >= 0 and guard < len(mesh.corners):
            nxt = int(con.following[con.twins[nxt]])
            guard += 1
        if con.twins[nxt] >= 0 or nxt == begin or len(out) > con.n_edges:
            break
        out.append(int(con.corner_edge[nxt]))
        side = nxt
    return np.unique(np.array(out, dtype=np.int64))


def strip_across(mesh: Mesh, edge: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the edges that lie side by side with ``edge`` across four-sided faces, and those faces."""
    con = mesh.connectivity
    edges, faces = [edge], []
    sides = mesh.sides
    for start in np.flatnonzero(con.corner_edge == edge)[:2].tolist():
        side = int(start)
        while True:
            f = int(mesh.corner_faces[side])
            if sides[f] != 4 or f in faces:
                break
            faces.append(f)
            side = int(con.following[con.following[side]])
            e = int(con.corner_edge[side])
            if e == edge:
                break
            edges.append(e)
            side = int(con.twins[side])
            if side < 0:
                break
    return np.unique(np.array(edges, dtype=np.int64)), np.unique(np.array(faces, dtype=np.int64))


def poles(mesh: Mesh) -> tuple[Floats, NDArray[np.int64]]:
    """Return the (k, 3) points where other than four edges meet on a smooth surface, and how many (k,), the most first.

    Points of sharp edges and rims are no poles: nothing is smoothed across them.
    """
    con = mesh.connectivity
    valence = np.bincount(con.edges.ravel(), minlength=mesh.n_points)
    sharp = sharp_edges(mesh) | (con.edge_sides != 2)
    free = mesh.used_points.copy()
    free[con.edges[sharp].ravel()] = False
    which = np.flatnonzero(free & (valence != 4))
    which = which[np.argsort(-np.abs(valence[which] - 4), kind="stable")]
    return mesh.points[which], valence[which]


def many_sided(mesh: Mesh) -> Floats:
    """Return (k, 2, 3) the sides of faces with more than four."""
    con = mesh.connectivity
    corners = np.flatnonzero((mesh.sides > 4)[mesh.corner_faces])
    return np.stack([mesh.points[mesh.corners[corners]], mesh.points[mesh.corners[con.following[corners]]]], axis=1)


def element_bytes(mesh: Mesh) -> bytes:
    """Return points, edges and faces for a screen that picks them, little endian.

    =============  ==========================  =====================================
    uint32 × 4     points, edges, faces,       the head
                   corners
    float64 × 3    origin                      added to every point
    float32        points (n × 3)              relative to the origin, mm
    uint32         edges (e × 2)               points
    uint32         offsets (f + 1)             first corner of each face
    uint32         corner_edge (c)             edge that leaves each corner
    uint32         corner_point (c)            point of each corner
    float32        edge normals (e × 3)        mean of the faces at each edge
    int32          lineage (f)                 row of the history table, -1 for none
    =============  ==========================  =====================================
    """
    con = mesh.connectivity
    origin = np.round(mesh.bounds.mean(axis=0), 3)
    head = np.array([mesh.n_points, con.n_edges, mesh.n_faces, len(mesh.corners)], "<u4")
    parts = [
        head, origin.astype("<f8"), (mesh.points - origin).astype("<f4"), con.edges.astype("<u4"), mesh.offsets.astype("<u4"),
        con.corner_edge.astype("<u4"), mesh.corners.astype("<u4"), element_normals(mesh, "edges").astype("<f4"),
        (mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1)).astype("<i4"),
    ]  # fmt: skip
    return b"".join(p.tobytes() for p in parts)
