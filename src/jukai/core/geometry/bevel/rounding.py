"""Edges become strips, corners become patches: the bevel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Bools, Floats, Ints, concatenated_ranges
from jukai.core.geometry.bevel._rings import fans, places, walk
from jukai.core.geometry.bevel.patches import fill, interior_count, template
from jukai.core.geometry.bevel.profiles import profile_tables
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.measures import edge_turns, face_normals
from jukai.core.geometry.mesh import Lineage, Mesh

__all__ = ["Bevel", "Rounded", "count_faces", "offsets_for", "round_edges"]

_PLAIN = 1500
"""Corners up to which the loops run as they are: loading the compiler would take longer."""
_FLAT = 1 - 1e-10


@dataclass(frozen=True, slots=True)
class Bevel:
    """How edges are rounded: n chords, and the section from hollow (-1) by flat and round to sharp (2)."""

    segments: int = 3
    roundness: float = 1.0
    stop: bool = True


@dataclass(frozen=True, slots=True, eq=False)
class Rounded:
    """What came out.

    Attributes
    ----------
    mesh : the new body.
    stopped : (e,) bool, edges of the old body whose width was limited; ``width`` (e,) what they have now.
    tapered : places where a strip runs to a point because a hollow corner leaves it no room.
    """

    mesh: Mesh
    stopped: Bools
    width: Floats
    tapered: Floats


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
    return mesh.n_faces + int(picked.sum()) * segments + int(corners.sum()) * max(1, segments * segments // 4 + segments)


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
    if how.stop:
        width, stopped = _limited(rings, width)
    return rings.build(width, stopped, step)


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
        run = walk.choose(self.size, _PLAIN)
        self.ring, self.starts, self.closes = run(
            mesh.corners, con.following, self.before, con.twins, con.point_offsets, con.point_corners, con.corner_edge, picked
        )  # fmt: skip

    def places(self, width: Floats, segments: int) -> tuple[NDArray[np.generic], ...]:
        """Return what ``_rings.places`` gives for these widths."""
        mesh, con = self.mesh, self.mesh.connectivity
        run = places.choose(self.size * max(1, segments // 4), _PLAIN)
        tables = profile_tables(segments, self.how.roundness)
        out: tuple[NDArray[np.generic], ...] = run(
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
        sides = np.add.reduceat(count, mesh.offsets[:-1]) if mesh.n_faces else np.zeros(0, np.int64)
        # strips: along each picked edge, from its first side's corner to the twin's
        here = np.flatnonzero(self.picked[con.corner_edge] & (np.arange(self.size) < con.twins))
        there = con.twins[here]
        k = np.arange(n)
        near = prof_ids[prof[here][:, None] + np.arange(n + 1)]
        far = prof_ids[prof[there][:, None] + np.arange(n, -1, -1)]
        strips = np.stack([near[:, k], near[:, k + 1], far[:, k + 1], far[:, k]], axis=2).reshape(-1, 4)
        run = fans.choose(self.size, _PLAIN)
        closing = run(mesh.corners, con.corner_edge, self.picked, self.ring, self.starts, kind, prof, prof_ids, n)
        patches, points = self._patches(points, kind, prof, prof_ids, n)
        pieces = [_Piece.of(strips, "strips"), _Piece.of(closing, "corners"), *patches]
        body = _joined(mesh, points, kept_corners, sides, pieces, np.repeat(mesh.corner_faces[here], n), step)
        places_ = mesh.points[mesh.corners[self.ring[self.starts[:-1][tapered]]]]
        return Rounded(body, stopped, width, places_)

    def _patches(self, points: Floats, kind: Ints, prof: Ints, prof_ids: Ints, n: int) -> tuple[list[_Piece], Floats]:
        """Fill the corners where three strips or more meet, all of one number of strips at once."""
        mesh, con = self.mesh, self.mesh.connectivity
        pieces: list[_Piece] = []
        picks = np.add.reduceat(self.picked[con.corner_edge[self.ring]].astype(np.int64), self.starts[:-1])
        for k in np.unique(picks[kind == 2]).tolist():
            rows = np.flatnonzero((kind == 2) & (picks == k))
            inside = concatenated_ranges(self.starts[rows], np.diff(self.starts)[rows])
            corners = self.ring[inside]
            corners = corners[self.picked[con.corner_edge[corners]]].reshape(-1, k)  # sides that leave, counter-clockwise
            # side i of the border runs from the sector behind edge i across edge i + 1
            ahead = np.roll(corners, -1, axis=1)
            border = prof_ids[prof[ahead][..., None] + (n - np.arange(n))].reshape(len(rows), k * n)
            inner = interior_count(k, n)
            if inner:
                own = len(points) + np.arange(len(rows) * inner).reshape(-1, inner)
                points = np.concatenate([points, self._filled(points, corners, ahead, border, k, n).reshape(-1, 3)])
            else:
                own = np.zeros((len(rows), 0), np.int64)
            ids = np.concatenate([border, own], axis=1)
            t = template(k, n)
            pieces.append(_Piece.of(ids[:, t.quads].reshape(-1, 4), "corners"))
            if len(t.middle):
                pieces.append(_Piece.of(ids[:, t.middle].reshape(-1, k), "corners"))
        return pieces, points

    def _filled(self, points: Floats, corners: Ints, ahead: Ints, border: Ints, k: int, n: int) -> Floats:
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


@dataclass(frozen=True, slots=True, eq=False)
class _Piece:
    """New faces of one group: (m, s) points, -1 for a side that a face has not."""

    faces: NDArray[np.int64]
    group: str

    @staticmethod
    def of(faces: NDArray[np.generic], group: str) -> _Piece:
        return _Piece(faces.astype(np.int64), group)


def _joined(mesh: Mesh, points: Floats, corners: Ints, sides: NDArray[np.int64], pieces: list[_Piece], strip_faces: Ints,
            step: str) -> Mesh:  # fmt: skip
    """Put kept faces and new ones together, clean up what shrank to nothing, number the points anew."""
    flat, sizes, groups = [corners.astype(np.int64)], [sides.astype(np.int64)], [np.full(mesh.n_faces, -1)]
    names = ["strips", "corners"]
    for piece in pieces:
        there = piece.faces >= 0
        flat.append(piece.faces[there])
        sizes.append(there.sum(axis=1))
        groups.append(np.full(len(piece.faces), names.index(piece.group)))
    all_corners, all_sizes, group = np.concatenate(flat), np.concatenate(sizes), np.concatenate(groups)
    merged = _merged(points, all_corners, all_sizes, mesh)
    all_corners = merged[all_corners]
    # a corner that repeats the one before it is gone, and a face of fewer than three corners
    offsets = np.concatenate([[0], np.cumsum(all_sizes)])
    face = np.repeat(np.arange(len(all_sizes)), all_sizes)
    before = np.arange(len(all_corners)) - 1
    first = offsets[:-1][all_sizes > 0]
    before[first] = offsets[1:][all_sizes > 0] - 1
    keep = all_corners != all_corners[before]
    left = np.bincount(face[keep], minlength=len(all_sizes))
    keep &= (left >= 3)[face]
    rows = left >= 3
    used = np.zeros(len(points), bool)
    used[all_corners[keep]] = True
    number = np.cumsum(used) - 1
    lineage, face_lineage = _lineage(mesh, group, strip_faces, step)
    finish = None
    if mesh.face_finish is not None:
        finish = np.concatenate([mesh.face_finish, np.full(len(group) - mesh.n_faces, -1, np.int32)])[rows]
    return Mesh(
        points[used], number[all_corners[keep]].astype(np.int32), np.concatenate([[0], np.cumsum(left[rows])]).astype(np.int32),
        lineage=lineage, face_lineage=face_lineage[rows], finishes=mesh.finishes, face_finish=finish,
    )  # fmt: skip


def _merged(points: Floats, corners: NDArray[np.int64], sizes: NDArray[np.int64], mesh: Mesh) -> NDArray[np.int64]:
    """Return for each point the one it falls together with: new points joined by a side of no length."""
    offsets = np.concatenate([[0], np.cumsum(sizes)])
    after = np.arange(1, len(corners) + 1)
    some = sizes > 0
    after[offsets[1:][some] - 1] = offsets[:-1][some]
    a, b = corners, corners[after]
    short = np.sqrt(((points[a] - points[b]) ** 2).sum(axis=1)) <= 1e-9 * mesh.size
    short &= (a >= mesh.n_points) | (b >= mesh.n_points)
    out = np.arange(len(points))
    a, b = a[short], b[short]
    while len(a):
        low = np.minimum(out[a], out[b])
        before = out.copy()
        np.minimum.at(out, a, low)
        np.minimum.at(out, b, low)
        out = out[out]
        if (out == before).all():
            break
    return out


def _lineage(mesh: Mesh, group: NDArray[np.int64], strip_faces: Ints, step: str) -> tuple[Lineage, Ints]:
    """Return the history: kept faces keep theirs, strips come from the faces beside them, corners from none."""
    kept = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
    parents = kept[strip_faces]
    each, which = np.unique(parents, return_inverse=True)
    lineage, base = mesh.lineage.extended([*((step, "strips", int(p)) for p in each), (step, "corners", -1)])
    new = np.full(len(group) - mesh.n_faces, base + len(each), np.int64)
    is_strip = group[mesh.n_faces :] == 0
    new[is_strip] = base + which
    return lineage, np.concatenate([kept, new]).astype(np.int32)


def _limited(rings: _Rings, width: Floats) -> tuple[Floats, Bools]:
    """Return widths that leave every side of every face some length, and which edges were limited."""
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
    share = np.where(length > 0, length, 0)[over] / taken[over]
    for corner in (over, con.following[over]):
        for sector in (sector_a, sector_b):
            edge = sector[corner]
            there_ = edge >= 0
            np.minimum.at(limit, edge[there_], (share * width[edge * there_])[there_])
    stopped = rings.picked & (limit < width * (1 - 1e-12))
    return np.where(stopped, limit, width), stopped
