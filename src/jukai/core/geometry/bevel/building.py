"""A bevelled body put together from where its strips begin and end: points, then faces, then texture."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from jukai.core.geometry.arrays import Array, Floats, Ints, frozen
from jukai.core.geometry.bevel._faces import carry, fans, keep, looked_up, strips
from jukai.core.geometry.bevel._rings import around, both_sides, left, uneven
from jukai.core.geometry.bevel._sections import sections
from jukai.core.geometry.bevel._sectors import KEPT, MITRE, PATCH
from jukai.core.geometry.bevel._texture import level_patches, level_strips
from jukai.core.geometry.bevel.cleaning import Body
from jukai.core.geometry.bevel.joining import New, body_of, run_on, turned_faces
from jukai.core.geometry.bevel.patches import Corner, draw_in, faces_of, fill, interior_count, spread, template
from jukai.core.geometry.bevel.profiles import profile_tables, shares
from jukai.core.geometry.bevel.results import Rounded, Sectors
from jukai.core.geometry.bevel.rings import Rings
from jukai.core.geometry.kernels import Kernel
from jukai.core.geometry.mesh import Mesh

__all__ = ["CHECKED", "build", "overhang"]

CHECKED = 6000
"""Faces up to which a new body is looked through for faces that look the other way, and for crossings."""
_PLAIN = 2500
_SHARP, _FOLDED = 1.999, np.pi - 1e-3
_LEVEL = 1e-6
"""Radians by which faces of one plane may turn at an edge."""
_UNEVEN = 1.1
"""How many times as far from the old point, squared, one corner of a patch is as another when its strips count as uneven."""
_HAIR = 1e-6
"""Roundness and turn from which, and share of the body's size up to which, faces may be thinner than can be told."""


@dataclass(slots=True, eq=False)
class _Faces:
    """Faces in compressed rows as they are written: ``kept`` corners and ``soft`` corners before what has no texture of its own yet."""

    corners: Ints
    offsets: Ints
    uv: Floats
    point_uv: Floats
    kept: int
    soft: int


def build(rings: Rings, at: Sectors, width: Floats, step: str, *, touching: bool, raw: bool = False) -> Rounded:
    """Return the rounded body.

    Parameters
    ----------
    touching : whether faces may have shrunk to nothing or meet themselves.
    raw : whether what shrank to nothing is left in it: each edge then has two faces whatever the widths are.
    """
    building = _Building(rings, at, width, touching=touching)
    building.whole = building.whole or raw
    return building.rounded(step)


def overhang(rings: Rings, at: Sectors, width: Floats) -> Floats:
    """Return (r,) how far the patch of each corner looks past the faces between which it lies, as the largest sine.

    What rounds a bulging corner looks between its faces: along no edge that leaves it, and in a hollow one against
    none. 0 where there is no patch; 1 where edges leave a corner both ways, of which nothing of the kind can be said.
    """
    building = _Building(rings, at, width, touching=True)
    out = np.zeros(len(at.kind))
    for own, corner in building.patches:
        rows = np.flatnonzero((building.kind == PATCH) & (at.picks == corner.strips))
        t, p = template(corner.strips, corner.chords), len(corner.border)
        ids = np.concatenate([corner.border, own + np.arange(p * t.inner).reshape(p, t.inner)], axis=1)
        normals = [_looks(building.points[ids[:, t.quads]])]
        if len(t.middle):
            normals.append(_looks(building.points[ids[:, t.middle]])[:, None])
        assert corner.along is not None  # noqa: S101 - those of strips have it
        sides = np.einsum("pix,pjx->pij", corner.normals, corner.along)
        bulging, hollow = (sides <= _LEVEL).all(axis=(1, 2)), (sides >= -_LEVEL).all(axis=(1, 2))
        past = np.einsum("pmx,pkx->pmk", np.concatenate(normals, axis=1), corner.along)
        out[rows] = np.where(bulging, past.max(axis=(1, 2)), np.where(hollow, -past.min(axis=(1, 2)), 1.0))
    return out


def _looks(at: Floats) -> Floats:
    """Return the unit normals (..., 3) of faces (..., s, 3)."""
    out = np.cross(at, np.roll(at, -1, axis=-2)).sum(axis=-2)
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=-1, keepdims=True), 1e-300))


class _Building:
    """One body being put together."""

    def __init__(self, rings: Rings, at: Sectors, width: Floats, *, touching: bool) -> None:
        self.rings, self.at, self.touching = rings, at, touching
        self.mesh, self.con, self.options = rings.mesh, rings.mesh.connectivity, rings.options
        self.n = rings.options.segments
        self.edges = rings.edges
        self.few = rings.plain and len(self.edges) * self.n <= _PLAIN
        self.kind = at.kind.copy()
        self.numbers, self.base, self.counts = self._numbers()
        turn = rings.turn[self.edges]
        # where nothing can have shrunk to nothing, nothing need be looked for
        self.whole = (
            not rings.plain and not touching and not at.tapered.any() and not (at.kind == KEPT).any() and not self.options.mitre
            and not ((at.after == at.ahead) & (at.after >= 0)).any() and 0 <= self.options.roundness < _SHARP
            and float(width[self.edges].min()) > _HAIR * self.mesh.size and float(turn.max()) < _FOLDED
        )  # fmt: skip
        self.width = width
        self.here, self.there = self._sides()
        self.patches: list[tuple[int, Corner]] = []
        self.points, self.profile, self.row, self.centre = self._points(turn)

    def run(self, kernel: Kernel) -> Callable[..., Any]:
        """Return the kernel as it runs for a body of this size."""
        return kernel.plain if self.few else kernel

    def rounded(self, step: str) -> Rounded:
        """Return the body, and where in it what is to be followed is."""
        rings, mesh, options, n = self.rings, self.mesh, self.options, self.n
        follow = rings.follow
        rings.tell(0.7)
        made, first = self._faces()
        rings.tell(0.9)
        borders = np.zeros((0, 2), np.int32)
        if options.sharp:
            near, far = self.row[self.here], self.row[self.there]
            ends = ((0, n), (n, 0))
            borders = np.concatenate([np.stack([self.profile[near, a], self.profile[far, b]], axis=1) for a, b in ends])
        many = n * len(self.here)
        count = len(made.offsets) - 1
        beside = mesh.corner_faces[self.here]
        new = New(
            many, count - mesh.n_faces - many, beside, borders, self.base, whole=self.whole, told=count <= CHECKED
        )
        if not self.whole:
            new.look = np.concatenate([rings.faces, np.arange(mesh.n_faces, count)])
        if self.touching and not self.whole:
            new.close = rings.faces
        marks = (
            borders
            if mesh.edge_pairs is None
            else self._run_on(made, first, mesh.connectivity.between(mesh.edge_pairs))
        )
        if follow is not None:
            across = self.profile[self.row[follow.ends]]
            new.follow = np.concatenate(
                [
                    self._run_on(made, first, follow.edges),
                    np.stack([across[:, :-1], across[:, 1:]], axis=2).reshape(-1, 2),
                ]
            )
        uv = made.uv if mesh.uv is not None else None
        body, fresh, found = body_of(mesh, Body(self.points, made.corners, made.offsets, uv), new, marks, options, step)
        tapered = mesh.points[mesh.corners[rings.ring[rings.starts[:-1][self.at.tapered]]]]
        return Rounded(
            body, rings.picked, self.width, tapered, fresh, mitred=int((self.centre >= 0).sum()), patched=int((self.kind == PATCH).sum()),
            turned=turned_faces(mesh, self._kept_faces(made)) if count <= CHECKED else np.zeros((0, 3)), kept=None if follow is None else found[: len(follow.edges)],
            across=None if follow is None else found[len(follow.edges) :].reshape(-1, n, 2),
        )  # fmt: skip

    def _run_on(self, made: _Faces, first: Ints, edges: Array) -> Array:
        """Return (k, 2) the points between which old edges run now; -1 for those that are picked."""
        gone = self.rings.picked[edges] | (edges < 0)
        return run_on(self.mesh, made.corners, first, np.where(gone, -1, edges))

    def _kept_faces(self, made: _Faces) -> Mesh:
        """Return the faces of old as they are now."""
        return Mesh(self.points, made.corners[: made.kept], made.offsets[: self.mesh.n_faces + 1])

    def _sides(self) -> tuple[Ints, Ints]:
        """Return (picks,) the corners that each picked edge leaves, and the corners it leaves seen from the other face."""
        picked, con = self.rings.picked, self.con
        if self.few:
            sides = np.flatnonzero(picked[con.corner_edge])
            here = sides[sides < con.twins[sides]].astype(np.int32)
            return here, con.twins[here]
        return both_sides(picked, con.corner_edge, con.twins, len(self.edges))

    # -- points ---------------------------------------------------------------------------------
    def _numbers(self) -> tuple[Ints, int, Ints]:
        """Return (n,) new numbers of the points that stay, -1 for those that go, how many stay, and corners for each corner."""
        mesh, rings, at = self.mesh, self.rings, self.at
        run = left.plain if rings.plain else left
        numbers, stay, counts = run(
            self.con.point_offsets,
            mesh.corners,
            rings.ring,
            rings.starts,
            at.instead,
            at.share,
            at.kind == KEPT,
            self.n,
        )
        return numbers, int(stay), counts

    def _points(self, turn: Floats) -> tuple[Floats, Ints, Ints, Ints]:
        """Return the points (those of old that stay, one for each sector, sections, patches), the sections, and centres of mitres."""
        mesh, con, rings, at, n = self.mesh, self.con, self.rings, self.at, self.n
        tables = profile_tables(n, self.options.roundness)
        row_of = np.full(con.n_edges, -1, dtype=np.int32)
        row_of[self.edges] = np.arange(len(self.edges), dtype=np.int32)
        picks = at.picks
        corners = np.flatnonzero(self.kind == PATCH)
        by_strips = [(k, corners[picks[corners] == k]) for k in np.flatnonzero(np.bincount(picks[corners])).tolist()]
        begin = self.base + len(at.spots)
        room = begin + int(picks.sum()) * (n - 1) + len(corners)
        room += sum(len(rows) * interior_count(k, n) for k, rows in by_strips)
        points = np.empty((room, 3))
        points[: self.base] = mesh.points if self.base == mesh.n_points else mesh.points[self.numbers >= 0]
        points[self.base : begin] = at.spots
        profile, row, centre, end = self.run(sections)(
            points, begin, rings.body, rings.rings, at, self.kind, self.numbers, self.base, row_of, shares(tables, turn, n), self.options.mitre
        )  # fmt: skip
        for k, every in by_strips:
            creased = every[self.kind[every] == MITRE]
            if len(creased):
                self._draw_in(points, creased, self._corner(points, creased, k, profile, row), centre[creased][:, None])
            rows = every[self.kind[every] == PATCH]
            if len(rows):
                corner = self._corner(points, rows, k, profile, row)
                fill(points, end, corner, tables[2, :3], hollow=bool(tables[3, 0]))
                self._draw_in(
                    points, rows, corner, end + np.arange(len(rows) * interior_count(k, n)).reshape(len(rows), -1)
                )
                self.patches.append((end, corner))
                end += len(rows) * interior_count(k, n)
        return points[:end], profile, row, centre

    def _draw_in(self, points: Floats, rows: Array, corner: Corner, inner: Array) -> None:
        """Draw what lies between strips of different widths back where it swells over the faces; equal ones don't.

        Parameters
        ----------
        rows : (p,) the rings whose borders are those of ``corner``.
        inner : (p, m) numbers of the points inside them.
        """
        mesh, rings, n = self.mesh, self.rings, self.n
        part, old = self.run(uneven)(
            mesh.points, points, corner.border, mesh.corners, rings.ring, rings.starts, rows, n, _UNEVEN
        )
        if len(part):
            border = corner.border[part]
            own = np.concatenate([border[:, np.arange(border.shape[1]) % n > 0], inner[part]], axis=1)
            draw_in(points, own, border[:, ::n], mesh.points[old], corner.normals[part])

    def _corner(self, points: Floats, rows: Array, k: int, profile: Ints, row: Ints) -> Corner:
        """Return the border of the patches at some rings of k strips."""
        mesh, rings, n = self.mesh, self.rings, self.n
        run = around.plain if self.few else around
        border, old, normals, edges = run(
            mesh.corners, mesh.corner_faces, rings.normals, rings.ring, rings.starts, self.at.after, self.at.directions, rows, k, profile, row
        )  # fmt: skip

        def outside(part: Array) -> Floats:
            edge, at = edges[part], points[border[part]]
            step = np.roll(at, -1, axis=1) - at
            chord = np.sqrt(np.einsum("pij,pij->pi", step, step)).reshape(-1, k, n).mean(axis=2)  # of side i
            over = np.roll(edge, -1, axis=1) * chord[..., None]  # side i crosses edge i + 1
            out = np.empty((k * n + k, len(at), 3))
            out[: k * n] = (at.reshape(-1, k, n, 3) + over[:, :, None]).reshape(-1, k * n, 3).transpose(1, 0, 2)
            out[k * n :] = (at[:, ::n] + edge * np.roll(chord, 1, axis=1)[..., None]).transpose(1, 0, 2)
            return out

        sharp = mesh.points[old] if self.options.roundness > 1 else None
        return Corner(k, n, border, sharp, normals, outside, edges)

    # -- faces ----------------------------------------------------------------------------------
    def _faces(self) -> tuple[_Faces, Ints]:
        """Write the faces: those that are kept, strips, fans, patches; and (c + 1,) where each old corner begins."""
        mesh, con, rings, n = self.mesh, self.con, self.rings, self.n
        closing = self.run(fans)(
            mesh.corners, con.corner_edge, rings.picked, rings.ring, rings.starts, self.kind, self.row, self.profile, self.numbers, self.centre
        )  # fmt: skip
        made = self._room(closing)
        uv = mesh.uv if mesh.uv is not None else frozen(np.zeros((0, 2)))
        first = self._kept(made, uv)
        c, f, many = made.kept, mesh.n_faces, n * len(self.here)
        self.run(strips)(
            self.here, self.there, con.following, self.row, self.profile, first, made.uv, uv, self.options.cut_texture, made.corners[c:],
            made.uv[c:], made.point_uv,
        )  # fmt: skip
        made.offsets[f : f + many] = np.arange(c, c + 4 * many, 4, dtype=np.int32)
        if len(uv) and not self.options.cut_texture:
            flat = np.flatnonzero(self.rings.turn[con.corner_edge[self.here]] < _LEVEL)
            if len(flat):
                self.run(level_strips)(flat, made.kept, n, made.corners, self.points, made.uv, made.point_uv)
        c, f = made.soft, f + many
        if len(closing):
            sizes = (closing >= 0).sum(axis=1)
            made.offsets[f : f + len(closing)] = c + np.cumsum(sizes) - sizes
            made.corners[c : c + int(sizes.sum())] = closing[closing >= 0]
            c, f = c + int(sizes.sum()), f + len(closing)
        for own, corner in self.patches:
            for sides, faces in zip(*faces_of(made.corners[c:], corner.border, own, corner.strips, n), strict=True):
                made.offsets[f : f + faces] = np.arange(c, c + sides * faces, sides, dtype=np.int32)
                c, f = c + int(sides * faces), f + int(faces)
        made.offsets[f] = c
        if len(uv):
            for own, corner in self.patches:
                spread(made.point_uv, own, corner.border, corner.strips, n)
                self.run(level_patches)(
                    self.points, made.point_uv, corner.border, own, interior_count(corner.strips, n), corner.normals, n
                )
            self._centred(made.point_uv)
            self.run(looked_up)(made.point_uv, made.corners, made.soft, made.uv)
        return made, first

    def _centred(self, point_uv: Floats) -> None:
        """Write the texture of the centres of mitres that no strip reaches: what runs most evenly through the points round each."""
        at, n = self.at, self.n
        rows = np.flatnonzero((self.kind == MITRE) & (n % 2 == 1))
        first = np.cumsum(at.picks) - at.picks
        for k in np.unique(at.picks[rows]).tolist():
            some = rows[at.picks[rows] == k]
            near = self.profile[first[some][:, None] + np.arange(k)][:, :, n // 2 : n // 2 + 2].reshape(
                len(some), 2 * k
            )
            off = self.points[near] - self.points[self.centre[some]][:, None]
            size = np.abs(off).max(axis=(1, 2), keepdims=True)
            known = np.concatenate([np.ones((*near.shape, 1)), off / np.where(size > 0, size, 1.0)], axis=2)
            point_uv[self.centre[some]] = (np.linalg.pinv(known, rcond=1e-9)[:, :1] @ point_uv[near])[:, 0]

    def _kept(self, made: _Faces, uv: Floats) -> Ints:
        """Write the faces that are kept; return (c + 1,) where each old corner begins."""
        mesh, con, rings, at = self.mesh, self.con, self.rings, self.at
        first = np.zeros(len(mesh.corners) + 1, dtype=np.int32)
        np.cumsum(self.counts, out=first[1:])
        made.offsets[: mesh.n_faces] = first[mesh.offsets[:-1]]
        if rings.plain:
            same = np.flatnonzero(rings.position < 0)
            made.corners[first[same]] = self.numbers[mesh.corners[same]]
            if len(uv):
                made.uv[first[same]] = uv[same]
                stays = np.flatnonzero(self.numbers[mesh.corners] >= 0)
                made.point_uv[self.numbers[mesh.corners[stays]]] = uv[stays]
        else:
            carry(
                mesh.corners, rings.position, self.numbers, first, uv, self.base, made.corners, made.uv, made.point_uv
            )
        self.run(keep)(
            mesh.points, mesh.corners, con.following, rings.before, at.instead, at.share, rings.begins, self.profile, self.row, rings.ring,
            self.numbers, self.base, self.points, uv, first, made.corners, made.uv, made.point_uv,
        )  # fmt: skip
        return first

    def _room(self, closing: Ints) -> _Faces:
        """Return room for all faces."""
        mesh, n = self.mesh, self.n
        kept = int(self.counts.sum())
        many = n * len(self.here)
        corners, faces = kept + 4 * many + int((closing >= 0).sum()), mesh.n_faces + many + len(closing)
        for _, corner in self.patches:
            t, p = template(corner.strips, n), len(corner.border)
            corners += p * (t.quads.size + len(t.middle))
            faces += p * (len(t.quads) + bool(len(t.middle)))
        textured = mesh.uv is not None
        # where nothing is left out and strips share the texture of the faces, each point's is written
        room = np.empty if self.whole and not self.options.cut_texture else np.zeros
        return _Faces(
            np.empty(corners, dtype=np.int32), np.empty(faces + 1, dtype=np.int32), np.empty((corners if textured else 0, 2)),
            room((len(self.points) if textured else 0, 2)), kept, kept + 4 * many,
        )  # fmt: skip
