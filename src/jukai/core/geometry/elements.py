"""Points, edges and faces as things to be picked: where they are, which way they face, what lies in a row with them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh

__all__ = ["centres", "element_bytes", "element_normals", "loop_through", "rows_of", "strip_across"]


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
    =============  ==========================  =====================================
    """
    con = mesh.connectivity
    origin = np.round(mesh.bounds.mean(axis=0), 3)
    head = np.array([mesh.n_points, con.n_edges, mesh.n_faces, len(mesh.corners)], "<u4")
    parts = [
        head, origin.astype("<f8"), (mesh.points - origin).astype("<f4"), con.edges.astype("<u4"), mesh.offsets.astype("<u4"),
        con.corner_edge.astype("<u4"), mesh.corners.astype("<u4"), element_normals(mesh, "edges").astype("<f4"),
    ]  # fmt: skip
    return b"".join(p.tobytes() for p in parts)
