"""Points cut off: each becomes a patch between the edges that met there."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints, concatenated_ranges
from jukai.core.geometry.bevel._rings import walk
from jukai.core.geometry.bevel._texture import level_patches
from jukai.core.geometry.bevel.cleaning import Body
from jukai.core.geometry.bevel.joining import Bevel, New, body_of, run_on, turned_faces
from jukai.core.geometry.bevel.limits import cleared, crossed, crossed_nearby, searched, unopened
from jukai.core.geometry.bevel.patches import Corner, draw_in, fill, interior_count, spread, template
from jukai.core.geometry.bevel.profiles import profile_tables, shares
from jukai.core.geometry.bevel.results import Rounded
from jukai.core.geometry.bevel.texture import Texture
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh

__all__ = ["round_points"]

_PLAIN = 600
_PLACES = 50


def round_points(
    mesh: Mesh,
    picked: Bools,
    width: Floats,
    options: Bevel,
    step: str,
    tell: Callable[[float], None] = lambda _: None,
) -> Rounded:
    """Cut off points of a mesh: each edge that meets one is cut ``width`` from it.

    Parameters
    ----------
    picked : (n,) points; those that no face uses are left alone.
    width : (n,) mm along each edge.
    tell : hears from 0 to 1 how far it is, and may raise to stop.

    Returns
    -------
    The body, and what (n,) points have: those that are stopped at a neighbour have no more than half of an
    edge whose other end is cut too, and no more than keeps the new faces apart.

    Notes
    -----
    To the middle of its edges a cube becomes the cuboctahedron, an icosahedron the icosidodecahedron
    (rectification, Coxeter 1973). Where faces end at a rim, they are cut and the rim runs on. A patch stays
    on the inner side of the faces it cuts where these bulge.
    """
    tell(0.1)
    cut = _Cut(mesh, picked & mesh.used_points, options, step)
    asked = width
    fits = _room(mesh, cut.picked, width)
    if options.stop and fits < 1:
        width = _limited(mesh, cut.picked, width)
    stopped = cut.picked & (width < asked * (1 - 1e-9))
    out = replace(cut.at(width), stopped=stopped, fits=fits)
    out = unopened(cut, out) if fits < 1 or not options.stop else out
    tell(0.6)
    if not searched(int(cut.picked.sum()), out.mesh.n_faces, fits):
        return replace(out, searched=False, crosses=crossed_nearby(mesh, out))
    if not options.stop:
        return replace(out, crosses=crossed(mesh, out))
    return cleared(cut, out)


class _Cut:
    """Points being cut off, at whatever widths."""

    def __init__(self, mesh: Mesh, picked: Bools, options: Bevel, step: str) -> None:
        self.mesh, self.picked, self.options, self.step = mesh, picked, options, step

    def together(self) -> Ints:
        """Return a number for each point: none shares its limit."""
        return np.arange(self.mesh.n_points, dtype=np.int32)

    def near(self, places: Floats, width: Floats) -> Ints:
        """Return the picked points that are cut near the places; all of them if none is."""
        rows = np.flatnonzero(self.picked)
        close = np.zeros(len(rows), dtype=bool)
        for place in places[:_PLACES]:
            off = self.mesh.points[rows] - place
            close |= np.einsum("ij,ij->i", off, off) <= (2 * width[rows]) ** 2
        return np.asarray(rows[close] if close.any() else rows, dtype=np.int32)

    def at(self, width: Floats, *, raw: bool = False) -> Rounded:
        """Return the body with cuts of these widths; ``raw`` with what shrank to nothing left in it."""
        return _cut(self.mesh, self.picked, width, self.options, self.step, raw=raw)


def _cut(mesh: Mesh, picked: Bools, width: Floats, options: Bevel, step: str, *, raw: bool) -> Rounded:
    """Return the body with picked points cut off."""
    con = mesh.connectivity
    where = np.flatnonzero(picked)
    none = np.zeros(mesh.n_points, dtype=bool)
    if len(where) == 0:
        return Rounded(mesh, none, width, np.zeros((0, 3)), np.zeros(mesh.n_faces, dtype=bool))
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
    n = options.segments
    old = mesh.corners[ring]
    ahead, behind = mesh.corners[con.following[ring]], mesh.corners[before[ring]]
    on = np.zeros((int(first[-1]), 3))
    on[there] = _along(mesh, old, behind, width)
    on[here] = _along(mesh, old, ahead, width)
    a, b, v = on[here], on[there], mesh.points[old]
    sections = _sections(a, b, v, options)
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
    ids: Array = np.empty(int(offset[-1]), dtype=np.int64)
    ids[offset[:-1]] = mesh.corners
    whole = np.flatnonzero(~thin)
    ids[(offset[:-1][ring[whole]][:, None] + np.arange(n + 1)).ravel()] = chain[whole][:, ::-1].ravel()
    two = np.flatnonzero(thin)
    ids[(offset[:-1][ring[two]][:, None] + np.arange(2)).ravel()] = chain[two][:, [-1, 0]].ravel()
    texture = (
        Texture(mesh, before, points, ids, np.repeat(np.arange(len(mesh.corners)), count))
        if mesh.uv is not None
        else None
    )
    faces = []
    normals = face_normals(mesh)[mesh.corner_faces[ring]]
    for k in np.unique(size[closes & (size > 2)]).tolist():
        rows = np.flatnonzero(closes & (size == k))
        at = concatenated_ranges(starts[:-1][rows], size[rows]).reshape(-1, k)
        border = chain[at][:, :, :n].reshape(len(rows), k * n)
        begin, many = len(points), interior_count(k, n)
        own = begin + np.arange(len(rows) * many).reshape(len(rows), many)
        if many:
            points = np.concatenate([points, np.zeros((len(rows) * many, 3))])
            _fill(points, own, border, mesh.points[old[at[:, 0]]], normals[at], options)
            if texture is not None:
                texture.points = np.concatenate([texture.points, np.zeros((len(rows) * many, 2))])
                spread(texture.points, begin, border, k, n)
                run = level_patches.choose(border.size, _PLAIN)
                run(points, texture.points, border.astype(np.int32), begin, many, normals[at], n)
        all_ids = np.concatenate([border, own], axis=1)
        t = template(k, n)
        faces.append(all_ids[:, t.quads].reshape(-1, 4))
        if len(t.middle):
            faces.append(all_ids[:, t.middle].reshape(-1, k))
    sides = [np.add.reduceat(count, mesh.offsets[:-1]), *(np.full(len(f), f.shape[1]) for f in faces)]
    corners = np.concatenate([ids, *(f.ravel() for f in faces)])
    uv = None
    if texture is not None:
        uv = texture.points[corners]
        uv[: len(ids)] = texture.kept
    # only points that a face still uses
    used = np.zeros(len(points), dtype=bool)
    used[corners] = True
    number = np.where(used, np.cumsum(used) - 1, -1).astype(np.int32)
    borders = number[np.stack([chain[whole, :-1].ravel(), chain[whole, 1:].ravel()], axis=1)]
    body = Body(
        points[used], number[corners], np.concatenate([[0], np.cumsum(np.concatenate(sides))]).astype(np.int32), uv
    )
    new = New(0, sum(len(f) for f in faces), np.zeros(0, np.int32), borders, int(used[: mesh.n_points].sum()))
    new.told, new.whole = True, raw
    new.close = np.unique(mesh.corner_faces[ring])
    pairs = mesh.edge_pairs
    marks = borders if pairs is None else number[run_on(mesh, ids, offset, mesh.connectivity.between(pairs))]
    out, fresh, _ = body_of(mesh, body, new, marks, options, step)
    kept = Mesh(points, ids.astype(np.int32), np.concatenate([[0], np.cumsum(sides[0])]).astype(np.int32))
    return Rounded(out, none, width, np.zeros((0, 3)), fresh, turned=turned_faces(mesh, kept))


def _fill(points: Floats, own: Array, border: Array, old: Floats, normals: Floats, options: Bevel) -> None:
    """Write the inner points ``own`` (p, m) of the patches that cut off points ``old`` (p, 3), whose faces have ``normals`` (p, k, 3)."""
    k, n = normals.shape[1], options.segments
    tables = profile_tables(n, options.roundness)
    saddle = _saddle(points[border] - old[:, None], normals)
    for part in (np.flatnonzero(~saddle), np.flatnonzero(saddle)):
        if not len(part):
            continue
        grown = np.concatenate([points, np.zeros((len(part) * own.shape[1], 3))])
        weights = tables[2, :3]
        if saddle[part].any():
            # a sheet that leaves the faces of a saddle as its border does would fold over itself there
            weights = np.array([weights[0] + weights[1], 0.0, weights[2]])
        corner = _corner(points, border[part], old[part], normals[part], k, n)
        fill(grown, len(points), corner, weights, hollow=bool(tables[3, 0]))
        points[own[part]] = grown[len(points) :].reshape(len(part), own.shape[1], 3)
    draw_in(points, own, border, old, normals)


def _corner(points: Floats, border: Array, old: Floats, normals: Floats, k: int, n: int) -> Corner:
    """Return the border of the patches that cut off points ``old`` (p, 3)."""
    both = normals + np.roll(normals, 1, axis=1)
    both /= np.maximum(np.sqrt(np.einsum("pij,pij->pi", both, both)), 1e-300)[..., None]

    def outside(part: Array) -> Floats:
        at = points[border[part]]
        step = np.roll(at, -1, axis=1) - at
        chord = np.sqrt(np.einsum("pij,pij->pi", step, step)).mean(axis=1)
        outward = at - old[part, None]
        length = np.maximum(np.sqrt(np.einsum("pij,pij->pi", outward, outward)), 1e-300)
        out = (at + outward * (chord[:, None] / length)[..., None]).transpose(1, 0, 2)
        return np.concatenate([out, out[::n]])

    return Corner(k, n, border, old, both, outside)


def _saddle(at: Floats, normals: Floats) -> Bools:
    """Return (p,) whether points bulge to some of their faces and are hollow to others.

    Parameters
    ----------
    at : (p, m, 3) from each point to the border of its patch.
    normals : (p, k, 3) of its faces.
    """
    size = np.sqrt(np.einsum("pij,pij->pi", at, at)).max(axis=1)
    out = np.einsum("pij,pkj->pik", at, normals) / size[:, None, None]
    return np.asarray((out > 1e-6).any(axis=(1, 2)) & (out < -1e-6).any(axis=(1, 2)))


def _along(mesh: Mesh, start: Array, end: Array, width: Floats) -> Floats:
    """Return where the edges from ``start`` to ``end`` are cut; the same from either face."""
    p, q = mesh.points[start], mesh.points[end]
    length = np.sqrt(((q - p) ** 2).sum(axis=1))
    return np.asarray(p + (q - p) * (width[start] / np.where(length > 0, length, 1))[:, None])


def _sections(a: Floats, b: Floats, v: Floats, options: Bevel) -> Floats:
    """Return (corners, n - 1, 3) the inner points of the cut across each face, in its plane, round or flat as told."""
    n = options.segments
    u, w = a - v, b - v
    cross = np.cross(u, w)
    angle = np.pi - np.arctan2(np.sqrt((cross**2).sum(axis=1)), (u * w).sum(axis=1))
    both = shares(profile_tables(n, options.roundness), angle, n)
    beta, alpha = both[:, 1:-1], both[:, ::-1][:, 1:-1]
    return np.asarray(v[:, None] + alpha[..., None] * u[:, None] + beta[..., None] * w[:, None])


def _room(mesh: Mesh, picked: Bools, width: Floats) -> float:
    """Return the share of the widths that leaves no edge less than nothing."""
    length = _lengths(mesh)
    taken = np.where(picked, width, 0.0)[mesh.connectivity.edges].sum(axis=1)
    over = taken > 0
    return float((length[over] / taken[over]).min()) if over.any() else math.inf


def _lengths(mesh: Mesh) -> Floats:
    """Return (e,) mm, how long the edges are."""
    line = np.diff(mesh.points[mesh.connectivity.edges], axis=1)[:, 0]
    return np.asarray(np.sqrt(np.einsum("ij,ij->i", line, line)))


def _limited(mesh: Mesh, picked: Bools, width: Floats) -> Floats:
    """Return widths that leave no edge less than nothing."""
    edges, length = mesh.connectivity.edges, _lengths(mesh)
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
    return np.where(picked, each, width)
