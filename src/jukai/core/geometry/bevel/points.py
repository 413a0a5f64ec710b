"""Points cut off: each becomes a patch between the edges that met there."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.arrays import Bools, Floats, concatenated_ranges
from jukai.core.geometry.bevel._rings import walk
from jukai.core.geometry.bevel.joining import Bevel, Joining, Piece
from jukai.core.geometry.bevel.patches import fill, interior_count, template
from jukai.core.geometry.bevel.profiles import profile_tables, shares
from jukai.core.geometry.bevel.texture import Texture
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh

__all__ = ["round_points"]

_PLAIN = 2500


def round_points(mesh: Mesh, picked: Bools, width: Floats, how: Bevel, step: str) -> tuple[Mesh, Bools, Floats]:
    """Cut off points of a mesh: each edge that meets one is cut ``width`` from it.

    Parameters
    ----------
    picked : (n,) points; those that no face uses are left alone.
    width : (n,) mm along each edge.

    Returns
    -------
    The body, (n,) which points were stopped at a neighbour (half of an edge, where both its ends are
    cut), and (n,) the widths they have.

    Notes
    -----
    To the middle of its edges a cube becomes the cuboctahedron, an icosahedron the icosidodecahedron
    (rectification, Coxeter 1973). Where faces end at a rim, they are cut and the rim runs on.
    """
    con = mesh.connectivity
    where = np.flatnonzero(picked & mesh.used_points)
    stopped = np.zeros(mesh.n_points, dtype=bool)
    if len(where) == 0:
        return mesh, stopped, width
    if how.stop:
        width, stopped = _limited(mesh, picked, width)
    room = int((con.point_offsets[where + 1] - con.point_offsets[where]).sum())
    before = previous_corners(mesh.offsets)
    every = np.ones(con.n_edges, dtype=bool)
    ring, starts, closes = walk.choose(room, _PLAIN)(
        mesh.corners, con.following, before, con.twins, con.point_offsets, con.point_corners, con.corner_edge, every, where, room
    )  # fmt: skip
    size = np.diff(starts)
    row = np.repeat(np.arange(len(size)), size)
    place = np.arange(len(ring)) - starts[:-1][row]
    # one point on each edge; an open ring has one edge more than corners
    first = np.concatenate([[0], np.cumsum(size + ~closes)])
    here = first[row] + place
    there = np.where(closes[row] & (place == size[row] - 1), first[row], here + 1)
    n = how.segments
    old = mesh.corners[ring]
    ahead, behind = mesh.corners[con.following[ring]], mesh.corners[before[ring]]
    on = np.zeros((int(first[-1]), 3))
    on[there] = _along(mesh, old, behind, width)
    on[here] = _along(mesh, old, ahead, width)
    a, b, v = on[here], on[there], mesh.points[old]
    sections = _sections(a, b, v, how)
    base = mesh.n_points
    inner = base + len(on) + np.arange(len(ring) * (n - 1)).reshape(len(ring), n - 1)
    chain = np.concatenate(
        [(base + here)[:, None], inner, (base + there)[:, None]], axis=1
    )  # from the side that leaves
    points = np.concatenate([mesh.points, on, sections.reshape(-1, 3)])
    # a point between two faces only has no patch: one straight cut
    thin = closes[row] & (size[row] == 2)
    count = np.ones(len(mesh.corners), dtype=np.int64)
    count[ring] = np.where(thin, 2, n + 1)
    offset = np.concatenate([[0], np.cumsum(count)])
    ids: Any = np.empty(int(offset[-1]), dtype=np.int64)
    ids[offset[:-1]] = mesh.corners
    whole = np.flatnonzero(~thin)
    ids[(offset[:-1][ring[whole]][:, None] + np.arange(n + 1)).ravel()] = chain[whole][:, ::-1].ravel()
    two = np.flatnonzero(thin)
    ids[(offset[:-1][ring[two]][:, None] + np.arange(2)).ravel()] = chain[two][:, [-1, 0]].ravel()
    texture = (
        Texture(mesh, how, before, points, ids, np.repeat(np.arange(len(mesh.corners)), count))
        if mesh.uv is not None
        else None
    )
    pieces = []
    tables = profile_tables(n, how.roundness)
    normals = face_normals(mesh)[mesh.corner_faces[ring]]
    for k in np.unique(size[closes & (size > 2)]).tolist():
        rows = np.flatnonzero(closes & (size == k))
        at = concatenated_ranges(starts[:-1][rows], size[rows]).reshape(-1, k)
        border = chain[at][:, :, :n].reshape(len(rows), k * n)
        many = interior_count(k, n)
        own = len(points) + np.arange(len(rows) * many).reshape(len(rows), many)
        if many:
            spots = points[border]
            corner = mesh.points[old[at[:, 0]]]
            outward = spots - corner[:, None]
            chord = np.sqrt(((np.roll(spots, -1, axis=1) - spots) ** 2).sum(axis=2)).mean(axis=1)
            outward = outward / np.maximum(np.sqrt((outward**2).sum(axis=2)), 1e-300)[..., None] * chord[:, None, None]
            both = normals[at] + normals[np.roll(at, 1, axis=1)]
            both = both / np.maximum(np.sqrt((both**2).sum(axis=2)), 1e-300)[..., None]
            outside = np.concatenate([spots + outward, spots + outward], axis=1)
            filled = fill(k, n, spots, outside, corner, both, tables[2, :3], hollow=bool(tables[3, 0]))
            points = np.concatenate([points, filled.reshape(-1, 3)])
            if texture is not None:
                texture.patches(border, k, n)
        all_ids = np.concatenate([border, own], axis=1)
        t = template(k, n)
        pieces.append(Piece(all_ids[:, t.quads].reshape(-1, 4), 1))
        if len(t.middle):
            pieces.append(Piece(all_ids[:, t.middle].reshape(-1, k), 1))
    borders = np.stack([chain[whole, :-1].ravel(), chain[whole, 1:].ravel()], axis=1)
    sides = np.add.reduceat(count, mesh.offsets[:-1])
    joining = Joining(mesh, points, ids, sides, pieces, np.zeros(0, np.int32), borders, texture)
    return joining.body(how, step), stopped, width


def _along(mesh: Mesh, start: Any, end: Any, width: Floats) -> Floats:
    """Return where the edges from ``start`` to ``end`` are cut; the same from either face."""
    p, q = mesh.points[start], mesh.points[end]
    length = np.sqrt(((q - p) ** 2).sum(axis=1))
    return np.asarray(p + (q - p) * (width[start] / np.where(length > 0, length, 1))[:, None])


def _sections(a: Floats, b: Floats, v: Floats, how: Bevel) -> Floats:
    """Return (corners, n - 1, 3) the inner points of the cut across each face, in its plane, round or flat as told."""
    n = how.segments
    u, w = a - v, b - v
    cross = np.cross(u, w)
    angle = np.pi - np.arctan2(np.sqrt((cross**2).sum(axis=1)), (u * w).sum(axis=1))
    beta = shares(profile_tables(n, how.roundness), angle, n)[:, 1:-1]
    alpha = shares(profile_tables(n, how.roundness), angle, n)[:, ::-1][:, 1:-1]
    if how.roundness < 0:
        alpha, beta = 1 - beta, 1 - alpha
    return np.asarray(v[:, None] + alpha[..., None] * u[:, None] + beta[..., None] * w[:, None])


def _limited(mesh: Mesh, picked: Bools, width: Floats) -> tuple[Floats, Bools]:
    """Return widths that leave no edge less than nothing, and which points were limited."""
    edges = mesh.connectivity.edges
    length = np.sqrt(((mesh.points[edges[:, 1]] - mesh.points[edges[:, 0]]) ** 2).sum(axis=1))
    each = np.where(picked, width, 0.0)
    for _ in range(8):
        taken = each[edges].sum(axis=1)
        over = np.flatnonzero(taken > length * (1 + 1e-12))
        if len(over) == 0:
            break
        limit = np.full(mesh.n_points, np.inf)
        for end in (0, 1):
            np.minimum.at(limit, edges[over, end], each[edges[over, end]] * length[over] / taken[over])
        each = np.minimum(each, limit)
    return np.where(picked, each, width), picked & (each < width * (1 - 1e-9))
