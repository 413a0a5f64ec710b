"""Edges become strips, corners become patches: the bevel."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Bools, Floats, Ints, concatenated_ranges
from jukai.core.geometry.bevel._closing import fans
from jukai.core.geometry.bevel._rings import PATCH, places, walk
from jukai.core.geometry.bevel.joining import Bevel, Joining, Piece
from jukai.core.geometry.bevel.patches import fill, interior_count, template
from jukai.core.geometry.bevel.profiles import profile_tables
from jukai.core.geometry.bevel.texture import Texture
from jukai.core.geometry.components import components
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.measures import edge_turns, face_normals
from jukai.core.geometry.mesh import Mesh

__all__ = ["Bevel", "Rounded", "count_faces", "offsets_for", "round_edges"]

_PLAIN = 2500
"""Corners at picked edges up to which the loops run as they are: loading the compiler would take longer."""
_FLAT = 1 - 1e-10
_ROUNDS = 12
_RUN = 30.0
"""Degrees by which edges that share a limit may turn at most where they meet."""


@dataclass(frozen=True, slots=True, eq=False)
class Rounded:
    """What came out.

    Attributes
    ----------
    mesh : the new body.
    stopped : (e,) bool, edges of the old body whose width was limited; ``width`` (e,) what they have now.
    fits : share of the widths asked for at which no edge would be stopped; more than 1 if none was.
    tapered : places where a strip runs to a point because a hollow corner leaves it no room.
    """

    mesh: Mesh
    stopped: Bools
    width: Floats
    tapered: Floats
    fits: float = np.inf


def offsets_for(turn: Floats, width: Floats, measured: str) -> Floats:
    """Return how far the border of a strip lies from the old edge, along each face.

    Parameters
    ----------
    turn : angle in radians by which the faces turn at the edge.
    width : mm, along each face (``leg``), straight across the strip (``face``) or radius of the arc.
    """
    half = np.minimum(turn / 2, np.pi / 2 - 1e-6)
    if measured == "face":
        return np.asarray(width / (2 * np.cos(half)))
    return np.asarray(width * np.tan(half)) if measured == "radius" else width


def count_faces(mesh: Mesh, picked: Bools, segments: int) -> int:
    """Return the faces to be expected, a little more than there will be."""
    ends = np.bincount(mesh.connectivity.edges[picked].ravel(), minlength=1)
    corners = ends[ends > 2]
    return (
        mesh.n_faces + int(picked.sum()) * segments + int(corners.sum()) * max(1, segments * segments // 4 + segments)
    )


def round_edges(mesh: Mesh, picked: Bools, width: Floats, how: Bevel, step: str) -> Rounded:
    """Round edges of a mesh.

    Parameters
    ----------
    picked : (e,) the edges to round; each must have two faces that run opposite ways along it.
    width : (e,) mm from the edge to the strip's border along each face.
    step : names the new faces in the lineage: groups ``strips`` and ``corners``.

    Raises
    ------
    MeshProblem
        When an edge can't be rounded, with its place.

    Notes
    -----
    Round each point the borders of the strips meet in the faces between them (offset lines of a
    straight skeleton, Aichholzer et al. 1995); a strip is limited where a side of a face would
    shrink to nothing, which for faces that are not hollow is where its first neighbours meet.
    """
    con = mesh.connectivity
    _refuse(mesh, picked)
    if not picked.any():
        return Rounded(mesh, np.zeros(con.n_edges, bool), width, np.zeros((0, 3)))
    turn = edge_turns(mesh)
    rings = _Rings(mesh, picked, turn, how)
    stopped = np.zeros(con.n_edges, bool)
    _, fits = _limits(rings, width)
    if how.stop and fits < 1:
        width, stopped = _limited(rings, width)
    return replace(rings.build(width, stopped, step), fits=fits)


def _refuse(mesh: Mesh, picked: Bools) -> None:
    con = mesh.connectivity
    twins = con.twins
    bad = np.zeros(con.n_edges, bool)
    bad[con.corner_edge] |= (twins < 0) | con.same_way(mesh.corners)
    wrong = np.flatnonzero(bad & picked)
    if len(wrong) == 0:
        return
    e = wrong[0]
    sides = int(con.edge_sides[e])
    at = mesh.points[con.edges[e]].mean(axis=0)
    what = (
        f"{sides} faces" if sides > 2 else "one face only" if sides == 1 else "two faces that look opposite ways"
    )  # fmt: skip
    more = f" ({len(wrong)} such edges are picked)" if len(wrong) > 1 else ""
    raise MeshProblem(
        f"The edge at ({at[0]:.4g}, {at[1]:.4g}, {at[2]:.4g}) has {what}{more}: there is no strip between two faces.",
        hint="Leave it out of the pick, or mend the body there first.",
        places=[tuple(float(x) for x in mesh.points[con.edges[e]].mean(axis=0)) for e in wrong[:50]],
    )


class _Rings:
    """The rings of faces round the points that picked edges meet; widths come later."""

    def __init__(self, mesh: Mesh, picked: Bools, turn: Floats, how: Bevel) -> None:
        self.mesh, self.picked, self.turn, self.how = mesh, picked, turn, how
        con = mesh.connectivity
        self.before = previous_corners(mesh.offsets)
        self.normals = face_normals(mesh)
        self.size = len(mesh.corners)
        where = np.unique(con.edges[picked])
        room = int((con.point_offsets[where + 1] - con.point_offsets[where]).sum())
        self.ring, self.starts, self.closes = walk.choose(room, _PLAIN)(
            mesh.corners, con.following, self.before, con.twins, con.point_offsets, con.point_corners, con.corner_edge, picked, where, room
        )  # fmt: skip

    def places(self, width: Floats, segments: int) -> tuple[Any, ...]:
        """Return what ``_rings.places`` gives for these widths."""
        mesh, con = self.mesh, self.mesh.connectivity
        run = places.choose(len(self.ring) * max(1, segments // 4), _PLAIN)
        tables = profile_tables(segments, self.how.roundness)
        out: tuple[Any, ...] = run(
            mesh.points, mesh.corners, con.following, self.before, mesh.corner_faces, con.corner_edge, self.normals, self.picked,
            width, self.turn, self.ring, self.starts, self.closes, segments, tables, _FLAT,
        )  # fmt: skip
        return out

    def build(self, width: Floats, stopped: Bools, step: str) -> Rounded:
        """Return the rounded body."""
        mesh, con, n = self.mesh, self.mesh.connectivity, self.how.segments
        made, start, count, ids, prof, prof_ids, kind, tapered, _, _ = self.places(width, n)
        points = np.concatenate([mesh.points, made])
        kept_corners = ids[concatenated_ranges(start, count)]
        sides = np.add.reduceat(count, mesh.offsets[:-1])
        # strips: along each picked edge, from its first side's corner to the twin's
        here = np.flatnonzero(self.picked[con.corner_edge] & (np.arange(self.size) < con.twins))
        there = con.twins[here]
        k = np.arange(n)
        near = prof_ids[prof[here][:, None] + np.arange(n + 1)]
        far = prof_ids[prof[there][:, None] + np.arange(n, -1, -1)]
        strips = np.stack([near[:, k], near[:, k + 1], far[:, k + 1], far[:, k]], axis=2).reshape(-1, 4)
        texture = (
            Texture(mesh, self.how, self.before, points, kept_corners, np.repeat(np.arange(self.size), count))
            if mesh.uv is not None
            else None
        )
        strip_uv = None if texture is None else texture.strips(here, there, near, far, count)
        run = fans.choose(len(self.ring), _PLAIN)
        closing = run(mesh.corners, con.corner_edge, self.picked, self.ring, self.starts, kind, prof, prof_ids, n)
        patches, points = self._patches(points, kind, prof, prof_ids, n, texture)
        pieces = [
            Piece(strips.astype(np.int64), 0, strip_uv),
            *(Piece(f.astype(np.int64), 1) for f in (closing, *patches)),
        ]
        borders = (
            np.concatenate([near[:, [0]], far[:, [0]]], axis=1),
            np.concatenate([near[:, [n]], far[:, [n]]], axis=1),
        )
        beside = np.repeat(mesh.corner_faces[here], n)
        body = Joining(mesh, points, kept_corners, sides, pieces, beside, np.concatenate(borders), texture).body(
            self.how, step
        )
        places_ = mesh.points[mesh.corners[self.ring[self.starts[:-1][tapered]]]]
        return Rounded(body, stopped, width, places_)

    def _patches(self, points: Floats, kind: Ints, prof: Ints, prof_ids: Ints, n: int, texture: Texture | None) -> tuple[list[Any], Floats]:  # fmt: skip
        """Fill the corners where three strips or more meet, all of one number of strips at once."""
        con = self.mesh.connectivity
        faces: list[Any] = []
        picks = np.add.reduceat(self.picked[con.corner_edge[self.ring]].astype(np.int64), self.starts[:-1])
        for k in np.unique(picks[kind == PATCH]).tolist():
            rows = np.flatnonzero((kind == PATCH) & (picks == k))
            inside = concatenated_ranges(self.starts[rows], np.diff(self.starts)[rows])
            corners = self.ring[inside]
            corners = corners[self.picked[con.corner_edge[corners]]].reshape(
                -1, k
            )  # sides that leave, counter-clockwise
            # side i of the border runs from the sector behind edge i across edge i + 1
            ahead = np.roll(corners, -1, axis=1)
            border = prof_ids[prof[ahead][..., None] + (n - np.arange(n))].reshape(len(rows), k * n)
            inner = interior_count(k, n)
            own = len(points) + np.arange(len(rows) * inner).reshape(len(rows), inner)
            if inner:
                points = np.concatenate([points, self._filled(points, corners, border, k, n).reshape(-1, 3)])
                if texture is not None:
                    texture.patches(border, k, n)
            ids = np.concatenate([border, own], axis=1)
            t = template(k, n)
            faces.append(ids[:, t.quads].reshape(-1, 4))
            if len(t.middle):
                faces.append(ids[:, t.middle].reshape(-1, k))
        return faces, points

    def _filled(self, points: Floats, corners: Ints, border: Ints, k: int, n: int) -> Floats:
        mesh, con = self.mesh, self.mesh.connectivity
        old = mesh.points[mesh.corners[corners[:, 0]]]
        edge = mesh.points[mesh.corners[con.following[corners]]] - old[:, None]
        edge = edge / np.maximum(np.sqrt(np.einsum("pij,pij->pi", edge, edge)), 1e-300)[..., None]
        at = points[border]
        chord = np.sqrt(((np.roll(at, -1, axis=1) - at) ** 2).sum(axis=2)).reshape(-1, k, n).mean(axis=2)  # of side i
        over = np.roll(edge, -1, axis=1)  # side i crosses edge i + 1
        away = np.repeat(over * chord[..., None], n, axis=1)
        other = np.zeros_like(away)
        other[:, ::n] = edge * np.roll(chord, 1, axis=1)[..., None]
        outside = np.concatenate([at + away, at + other], axis=1)
        tables = profile_tables(n, self.how.roundness)
        normals = self.normals[mesh.corner_faces[corners]]
        return fill(k, n, at, outside, old, normals, tables[2, :3], hollow=bool(tables[3, 0]))


def _limited(rings: _Rings, width: Floats) -> tuple[Floats, Bools]:
    """Return widths that leave every side of every face some length, and which edges were limited.

    A limit on one strip moves the places where its neighbours meet, so it is asked again until all
    sides are left; from the fourth time on each limit is taken a little lower than it need be. Edges that
    run on end to end share their least limit, so that the border stays parallel.
    """
    asked = width
    run = _runs(rings)
    for turn in range(_ROUNDS):
        limit, _ = _limits(rings, width)
        if not (rings.picked & (limit < width * (1 - 1e-12))).any():
            break
        shared = np.full(len(limit), np.inf)
        wide = rings.picked & (asked > 0)  # an edge that asks for nothing, as a flat one by radius, limits no other
        np.minimum.at(shared, run[wide], limit[wide] / asked[wide])
        limit = np.where(wide, shared[run], np.inf) * np.where(wide, asked, 1.0)
        over = rings.picked & (limit < width * (1 - 1e-12))
        width = np.where(over, limit * (1 if turn < 3 else 0.9), width)
    return width, rings.picked & (width < asked * (1 - 1e-9))


def _runs(rings: _Rings) -> Ints:
    """Return (e,) a number for all picked edges that run on end to end, turning by less than 30°, with no other between them."""
    mesh, con = rings.mesh, rings.mesh.connectivity
    edges = np.flatnonzero(rings.picked)
    ends = con.edges[edges].ravel()
    of = np.repeat(edges, 2)
    order = np.argsort(ends, kind="stable")
    ends, of = ends[order], of[order]
    first = np.flatnonzero(np.diff(ends, prepend=-1) > 0)
    two = first[np.diff(np.append(first, len(ends))) == 2]
    a, b, p = of[two], of[two + 1], ends[two]

    def away(e: Any) -> Floats:
        other = con.edges[e].sum(axis=1) - p
        d = mesh.points[other] - mesh.points[p]
        return np.asarray(d / np.maximum(np.sqrt((d * d).sum(axis=1)), 1e-300)[:, None])

    straight = (away(a) * away(b)).sum(axis=1) < -math.cos(math.radians(_RUN))
    return components(con.n_edges, a[straight], b[straight])


def _limits(rings: _Rings, width: Floats) -> tuple[Floats, float]:
    """Return (e,) how wide each strip may be for the sides of the faces beside it, and the share that fits all.

    What a side loses grows with the widths in proportion, so the share is exact.
    """
    mesh, con = rings.mesh, rings.mesh.connectivity
    made, start, count, ids, *_, sector_a, sector_b = rings.places(width, 1)
    points = np.concatenate([mesh.points, made])
    first, last = points[ids[start]], points[ids[start + count - 1]]
    here, there = mesh.points[mesh.corners], mesh.points[mesh.corners[con.following]]
    side = there - here
    length = np.sqrt(np.einsum("ij,ij->i", side, side))
    way = side / np.where(length > 0, length, 1)[:, None]
    taken = np.einsum("ij,ij->i", last - here, way) + np.einsum("ij,ij->i", there - first[con.following], way)
    over = np.flatnonzero(taken > length * (1 + 1e-12))
    limit = np.full(con.n_edges, np.inf)
    some = taken > 1e-12 * length
    fits = float((length[some] / taken[some]).min()) if some.any() else np.inf
    share = length[over] / taken[over]
    for corner in (over, con.following[over]):
        for sector in (sector_a, sector_b):
            edge = sector[corner]
            decides = edge >= 0
            np.minimum.at(limit, edge[decides], share[decides] * width[edge[decides]])
    return limit, fits
