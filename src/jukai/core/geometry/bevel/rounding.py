"""Edges become strips, corners become patches or creases: the bevel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Bools, Floats, Ints, concatenated_ranges
from jukai.core.geometry.bevel._faces import fans, keep, strips
from jukai.core.geometry.bevel._rings import walk
from jukai.core.geometry.bevel._sections import sections
from jukai.core.geometry.bevel._sectors import KEPT, PATCH, PROFILE, parting, sectors, shrinking
from jukai.core.geometry.bevel.cleaning import Body
from jukai.core.geometry.bevel.joining import Bevel, New, body_of
from jukai.core.geometry.bevel.limits import CHECKED, cleared, limited, searched
from jukai.core.geometry.bevel.patches import Corner, faces_of, fill, interior_count, spread, template
from jukai.core.geometry.bevel.profiles import profile_tables, shares
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.kernels import Kernel
from jukai.core.geometry.measures import edge_turns, face_normals, vector_areas
from jukai.core.geometry.mesh import Mesh

__all__ = ["Bevel", "Rings", "Rounded", "Sectors", "count_faces", "offsets_for", "round_edges"]

_PLAIN = 2500
"""Corners up to which the loops run as they are: loading the compiler would take longer."""
_FLAT = 1 - 1e-10
_TOUCHING = 1 + 1e-6
"""Share of the widths that fits up to which faces may touch themselves."""
_SHARP, _FOLDED = 1.999, np.pi - 1e-3
_HAIR = 1e-6
"""Roundness and turn from which, and share of the body's size up to which, faces may be thinner than can be told."""


@dataclass(frozen=True, slots=True, eq=False)
class Rounded:
    """What came out.

    Attributes
    ----------
    mesh : the new body.
    stopped : (e,) bool, edges of the old body whose width was limited; ``width`` (e,) what they have now.
    fits : share of the widths asked for at which no edge would be stopped; more than 1 if none was.
    tapered : places where a strip runs to a point because a hollow corner leaves it no room.
    mitred, patched : how many corners are closed by creases, and how many by a patch.
    turned : places of kept faces that came out the other way round; looked for on small bodies only.
    """

    mesh: Mesh
    stopped: Bools
    width: Floats
    tapered: Floats
    fits: float = np.inf
    mitred: int = 0
    patched: int = 0
    turned: Floats = field(default_factory=lambda: np.zeros((0, 3)))


class Sectors(NamedTuple):
    """What ``_sectors.sectors`` gives."""

    spots: Floats
    instead: Ints
    share: Floats
    after: Ints
    ahead: Ints
    kind: Ints
    tapered: Bools
    one: Ints
    two: Ints


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
    rings = Rings(mesh, picked, how)
    stopped = np.zeros(con.n_edges, bool)
    at = rings.sectors(width)
    limit, fits = rings.limits(at, width)
    if how.stop and fits < 1:
        width, stopped, at, limit = limited(rings, width, at, limit)
    out = replace(rings.build(at, width, step, touching=fits < _TOUCHING), fits=fits, stopped=stopped, width=width)
    search = how.stop and searched(int(picked.sum()), out.mesh.n_faces, fits)
    return cleared(rings, out, step) if search else out


def _refuse(mesh: Mesh, picked: Bools) -> None:
    con = mesh.connectivity
    twins = con.twins
    bad = np.zeros(con.n_edges, bool)
    bad[con.corner_edge[(twins < 0) | con.same_way(mesh.corners)]] = True
    wrong = np.flatnonzero(bad & picked)
    if len(wrong) == 0:
        return
    e = wrong[0]
    sides = int(con.edge_sides[e])
    at = mesh.points[con.edges[e]].mean(axis=0)
    what = f"{sides} faces" if sides > 2 else "one face only" if sides == 1 else "two faces that look opposite ways"
    more = f" ({len(wrong)} such edges are picked)" if len(wrong) > 1 else ""
    raise MeshProblem(
        f"The edge at ({at[0]:.4g}, {at[1]:.4g}, {at[2]:.4g}) has {what}{more}: there is no strip between two faces.",
        hint="Leave it out of the pick, or mend the body there first.",
        places=[tuple(float(x) for x in mesh.points[con.edges[e]].mean(axis=0)) for e in wrong[:50]],
    )


class Rings:
    """The rings of faces round the points that picked edges meet; widths come later."""

    def __init__(self, mesh: Mesh, picked: Bools, how: Bevel) -> None:
        self.mesh, self.picked, self.how = mesh, picked, how
        self.turn = edge_turns(mesh)
        con = mesh.connectivity
        self.before = previous_corners(mesh.offsets)
        self.normals = face_normals(mesh)
        met = np.zeros(mesh.n_points, dtype=bool)
        met[con.edges[picked]] = True
        where = np.flatnonzero(met)
        room = int((con.point_offsets[where + 1] - con.point_offsets[where]).sum())
        self.plain = room <= _PLAIN and len(mesh.corners) <= _PLAIN
        self.ring, self.starts, self.closes = walk.choose(room, _PLAIN)(
            mesh.corners, con.following, self.before, con.twins, con.point_offsets, con.point_corners, con.corner_edge, picked, where, room
        )  # fmt: skip
        self.position = np.full(len(mesh.corners), -1, dtype=np.int32)
        self.position[self.ring] = np.arange(len(self.ring), dtype=np.int32)
        self.begins = np.repeat(self.starts[:-1], np.diff(self.starts))

    def sectors(self, width: Floats) -> Sectors:
        """Return where borders meet for these widths."""
        mesh, con = self.mesh, self.mesh.connectivity
        run = sectors.plain if self.plain else sectors
        return Sectors(*run(
            mesh.points, mesh.corners, con.following, self.before, mesh.corner_faces, con.corner_edge, self.normals, self.picked,
            width, self.turn, self.ring, self.starts, self.closes, _FLAT,
        ))  # fmt: skip

    def limits(self, at: Sectors, width: Floats) -> tuple[Floats, float]:
        """Return (e,) how wide each strip may be for the faces beside it, and the share of the widths that fits all."""
        mesh, con = self.mesh, self.mesh.connectivity
        limit = np.full(con.n_edges, np.inf)
        one, two = (shrinking.plain, parting.plain) if self.plain else (shrinking, parting)
        fits = one(mesh.points, mesh.corners, con.following, self.position, at.instead, at.share, at.after, at.ahead, self.begins,
                   at.spots, at.one, at.two, width, limit)  # fmt: skip
        other = two(mesh.points, mesh.corners, mesh.offsets, self.normals, self.position, at.instead, at.share, at.after, at.ahead,
                    self.begins, at.spots, at.one, at.two, width, limit)  # fmt: skip
        return limit, min(float(fits), float(other))

    def build(self, at: Sectors, width: Floats, step: str, *, touching: bool) -> Rounded:
        """Return the rounded body."""
        mesh, con, n = self.mesh, self.mesh.connectivity, self.how.segments
        tables = profile_tables(n, self.how.roundness)
        edges = np.flatnonzero(self.picked)
        row_of = np.full(con.n_edges, -1, dtype=np.int32)
        row_of[edges] = np.arange(len(edges), dtype=np.int32)
        section = shares(tables, self.turn[edges], n)
        kind = at.kind.copy()
        # points: those of old that stay, one for each sector, sections, patches
        numbers, base = self._numbers(at)
        picks = np.add.reduceat(self.picked[con.corner_edge[self.ring]].astype(np.int64), self.starts[:-1])
        corners = np.flatnonzero(kind == PATCH)
        by_strips = (
            [(int(k), corners[picks[corners] == k]) for k in np.flatnonzero(np.bincount(picks[corners]))]
            if len(corners)
            else []
        )
        begin = base + len(at.spots)
        room = begin + int(picks.sum()) * (n - 1) + len(corners)
        room += sum(len(rows) * interior_count(k, n) for k, rows in by_strips)
        points = np.empty((room, 3))
        points[:base] = mesh.points if base == mesh.n_points else mesh.points[numbers >= 0]
        points[base:begin] = at.spots
        few = self.plain and len(edges) * n <= _PLAIN

        def run(kernel: Kernel) -> Callable[..., Any]:
            return kernel.plain if few else kernel

        profile, row, centre, filled = run(sections)(
            points, mesh.n_points, numbers, base, at.spots, mesh.points, mesh.corners, con.following, con.corner_edge, self.picked,
            row_of, section, self.ring, self.starts, self.closes, at.after, at.ahead, kind, n, begin, self.how.mitre,
        )  # fmt: skip
        patches: list[tuple[int, Corner]] = []
        end = filled
        for k, every in by_strips:
            rows = every[kind[every] == PATCH]
            if len(rows):
                corner = self._corner(points, rows, k, n, profile, row)
                fill(points, end, corner, tables[2, :3], hollow=bool(tables[3, 0]))
                patches.append((end, corner))
                end += len(rows) * interior_count(k, n)
        points = points[:end]
        # faces: those that are kept, strips, fans, patches
        closing = run(fans)(
            mesh.corners, con.corner_edge, self.picked, self.ring, self.starts, kind, row, profile, numbers, centre
        )
        here = np.flatnonzero(self.picked[con.corner_edge] & (np.arange(len(con.twins)) < con.twins)).astype(np.int32)
        there = con.twins[here]
        cut = (at.share[at.instead[:, 0] == PROFILE] * n + 0.5).astype(np.int64)  # from where to where along a profile
        kept = (
            len(mesh.corners) - len(self.ring) + int((at.instead >= 0).sum()) + int((cut[:, 0] - cut[:, 1] + 1).sum())
        )
        within = [(len(c.border), c.strips, template(c.strips, n)) for _, c in patches]
        total = (
            kept
            + 4 * n * len(here)
            + int((closing >= 0).sum())
            + sum(p * (t.quads.size + len(t.middle)) for p, _, t in within)
        )
        count = (
            mesh.n_faces
            + n * len(here)
            + len(closing)
            + sum(p * (len(t.quads) + bool(len(t.middle))) for p, _, t in within)
        )
        out, offsets = np.empty(total, dtype=np.int32), np.empty(count + 1, dtype=np.int32)
        uv = mesh.uv if mesh.uv is not None else np.zeros((0, 2))
        out_uv = np.empty((total if len(uv) else 0, 2))
        point_uv = np.zeros((len(points) if len(uv) else 0, 2))
        first = run(keep)(
            mesh.points, mesh.corners, mesh.offsets, con.following, self.before, self.position, at.instead, at.share, self.begins, profile, row,
            self.ring, numbers, base, points, uv, out, offsets, out_uv, point_uv,
        )  # fmt: skip
        c, f = kept, mesh.n_faces
        run(strips)(
            here,
            there,
            con.following,
            row,
            profile,
            first,
            out_uv,
            uv,
            self.how.cut_texture,
            out[c:],
            out_uv[c:],
            point_uv,
        )
        offsets[f : f + n * len(here)] = c + 4 * np.arange(n * len(here), dtype=np.int32)
        c, f = c + 4 * n * len(here), f + n * len(here)
        soft = c
        if len(closing):
            sizes = (closing >= 0).sum(axis=1)
            offsets[f : f + len(closing)] = c + np.cumsum(sizes) - sizes
            out[c : c + int(sizes.sum())] = closing[closing >= 0]
            c, f = c + int(sizes.sum()), f + len(closing)
        for own, corner in patches:
            for sides, faces in zip(*faces_of(out[c:], corner.border, own, corner.strips, n), strict=True):
                offsets[f : f + faces] = c + sides * np.arange(faces, dtype=np.int32)
                c, f = c + int(sides * faces), f + int(faces)
        offsets[f] = c
        if len(uv):
            for own, corner in patches:
                spread(point_uv, own, corner.border, corner.strips, n)
            out_uv[soft:] = point_uv[out[soft:]]
        near, far = row[here], row[there]
        borders = (
            np.concatenate([np.stack([profile[near, a], profile[far, b]], axis=1) for a, b in ((0, n), (n, 0))])
            if self.how.sharp
            else np.zeros((0, 2), np.int32)
        )
        new = New(
            n * len(here), count - mesh.n_faces - n * len(here), np.repeat(mesh.corner_faces[here], n), borders, base
        )
        if touching:
            new.close = np.unique(mesh.corner_faces[self.ring])
        # where nothing can have shrunk to nothing, nothing need be looked for
        new.whole = (
            not self.plain and not touching and not at.tapered.any() and not (at.kind == KEPT).any() and not self.how.mitre
            and not ((at.after == at.ahead) & (at.after >= 0)).any() and 0 <= self.how.roundness < _SHARP
            and float(width[edges].min()) > _HAIR * mesh.size and float(self.turn[edges].max()) < _FOLDED
        )  # fmt: skip
        marks = numbers[mesh.edge_pairs] if mesh.edge_pairs is not None else borders
        body = body_of(mesh, Body(points, out, offsets, out_uv if len(uv) else None), new, marks, self.how, step)
        turned = np.zeros((0, 3))
        if count <= CHECKED:
            same = Mesh(points, out[:kept], offsets[: mesh.n_faces + 1])
            turned = points[
                out[
                    offsets[:-1][: mesh.n_faces][
                        np.einsum("ij,ij->i", vector_areas(same), self.normals) < -1e-12 * mesh.size**2
                    ]
                ]
            ]
        places = mesh.points[mesh.corners[self.ring[self.starts[:-1][at.tapered]]]]
        return Rounded(
            body, self.picked, width, places, mitred=int((centre >= 0).sum()), patched=int((kind == PATCH).sum()),
            turned=turned,
        )  # fmt: skip

    def _numbers(self, at: Sectors) -> tuple[Ints, int]:
        """Return (n,) new numbers of the points that stay, -1 for those that go, and how many stay."""
        mesh, con = self.mesh, self.mesh.connectivity
        left = np.diff(con.point_offsets)
        old = mesh.corners[self.ring]
        gone = (at.instead != old[:, None]).all(axis=1)
        left = left - np.bincount(old[gone], minlength=mesh.n_points)
        left[mesh.corners[self.ring[self.starts[:-1][at.kind == KEPT]]]] += 1
        stays = left > 0
        return np.where(stays, np.cumsum(stays) - 1, -1).astype(np.int32), int(stays.sum())

    def _corner(self, points: Floats, rows: Any, k: int, n: int, profile: Ints, row: Ints) -> Corner:
        """Return the border of the patches at some rings of k strips."""
        mesh, con = self.mesh, self.mesh.connectivity
        inside = concatenated_ranges(self.starts[rows], np.diff(self.starts)[rows])
        corners = self.ring[inside]
        corners = corners[self.picked[con.corner_edge[corners]]].reshape(-1, k)  # sides that leave, counter-clockwise
        # side i of the border runs from the sector behind edge i across edge i + 1
        border = profile[row[np.roll(corners, -1, axis=1)]][:, :, :0:-1].reshape(len(rows), k * n)
        old = mesh.corners[corners[:, 0]]

        tips = mesh.corners[con.following[corners]]

        def outside(part: slice) -> Floats:
            edge = mesh.points[tips[part]] - mesh.points[old[part]][:, None]
            edge /= np.maximum(np.sqrt(np.einsum("pij,pij->pi", edge, edge)), 1e-300)[..., None]
            at = points[border[part]]
            step = np.roll(at, -1, axis=1) - at
            chord = np.sqrt(np.einsum("pij,pij->pi", step, step)).reshape(-1, k, n).mean(axis=2)  # of side i
            over = np.roll(edge, -1, axis=1) * chord[..., None]  # side i crosses edge i + 1
            out = np.empty((k * n + k, len(at), 3))
            out[: k * n] = (at.reshape(-1, k, n, 3) + over[:, :, None]).reshape(-1, k * n, 3).transpose(1, 0, 2)
            out[k * n :] = (at[:, ::n] + edge * np.roll(chord, 1, axis=1)[..., None]).transpose(1, 0, 2)
            return out

        normals = self.normals[mesh.corner_faces[corners]]
        return Corner(k, n, border, mesh.points[old], normals, outside, (mesh.points, old, tips))
