"""Pulling faces, or a rim, out of a body: walls rise row by row over their border, and the body stays closed."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.components import components
from jukai.core.geometry.connectivity import RIM
from jukai.core.geometry.measures import vector_areas
from jukai.core.geometry.mesh import Lineage, Mesh, Topology

__all__ = ["Foot", "apply", "foot_of_faces", "foot_of_rim", "pull"]

_STILL = 1e-9
"""Share of a body's size by which a point must move to count as moved."""


@dataclass(frozen=True, slots=True, eq=False)
class Foot:
    """What is pulled, before it moves.

    Attributes
    ----------
    mesh : the body; faces without a neighbour may have been turned over so that they lead the way.
    faces : (f,) which faces move; none of a rim.
    columns : (m,) the point that each moving place begins at. Where picked faces touch only in a point, each has its own.
    corner_column : (c,) the column of each corner of a moving face, -1 of others.
    walls : (w, 2) columns p, q over which a wall rises that runs p, q, then on.
    beside : (w,) the face that each wall goes on from, -1 where none is.
    alone : (f,) moving faces none of whose border has a neighbour.
    centre, normal : of what is picked, weighed by area (faces) or length (a rim); the normal is 0 where it faces all ways.
    """

    mesh: Mesh
    faces: Bools
    columns: Ints
    corner_column: Ints
    walls: Ints
    beside: Ints
    alone: Bools
    centre: Floats
    normal: Floats

    @property
    def border(self) -> Bools:
        """(m,) columns on the border."""
        out = np.zeros(len(self.columns), dtype=bool)
        out[self.walls.ravel()] = True
        return out

    @property
    def places(self) -> Floats:
        """(m, 3) where the columns begin."""
        return np.asarray(self.mesh.points[self.columns])

    @property
    def joined(self) -> bool:
        """Whether anything picked stays joined to faces that do not move."""
        return not self.faces.any() or bool((self.faces & ~self.alone).any())


def foot_of_faces(mesh: Mesh, faces: Bools, way: Floats | None = None) -> Foot:
    """Return the foot of picked faces (f,).

    ``way`` (f, 3) is where each of them sets out to: those without a neighbour that look the other way are turned over.
    """
    con = mesh.connectivity
    mine = faces[mesh.corner_faces]
    paired = (con.twins >= 0) & ~con.same_direction(mesh.corners)
    within = mine & paired & faces[mesh.corner_faces[con.twins]]
    border = mine & ~within
    here = np.flatnonzero(within)
    ahead, twin = con.following[here], con.twins[here]
    # corners of one fan of picked faces are one column
    label = components(len(mesh.corners), np.concatenate([here, ahead]), np.concatenate([con.following[twin], twin]))
    corner_column = np.full(len(mesh.corners), -1, dtype=np.int32)
    labels, number = np.unique(label[mine], return_inverse=True)
    corner_column[mine] = number
    columns = np.empty(len(labels), dtype=np.int32)
    columns[number] = mesh.corners[mine]
    pieces = components(
        mesh.n_faces, mesh.corner_faces[here].astype(np.int64), mesh.corner_faces[twin].astype(np.int64)
    )
    rims = np.flatnonzero(border)
    held = np.zeros(mesh.n_faces, dtype=bool)
    held[pieces[mesh.corner_faces[rims[con.twins[rims] != RIM]]]] = True
    alone = faces & ~held[pieces]
    if way is not None and alone.any():
        leads = np.bincount(
            pieces[alone], weights=(vector_areas(mesh)[alone] * way[alone]).sum(axis=1), minlength=mesh.n_faces
        )
        back = alone & (leads[pieces] < 0)
        if back.any():
            return foot_of_faces(_turned_over(mesh, back), faces)
    walls = np.stack([corner_column[rims], corner_column[con.following[rims]]], axis=1)
    beside = np.where(paired[rims], mesh.corner_faces[con.twins[rims]], -1)
    centre, normal = _middle(mesh, faces, mine)
    return Foot(mesh, faces, columns, corner_column, walls, beside, alone, centre, normal)


def foot_of_rim(mesh: Mesh, edges: Bools) -> Foot:
    """Return the foot of picked edges (e,) of an open border; edges that are none are left out.

    Raises
    ------
    ValueError
        With the place (3,) at which the picked rim touches itself.
    """
    con = mesh.connectivity
    side = np.flatnonzero((con.twins == RIM) & edges[con.corner_edge])
    ends = np.stack([mesh.corners[con.following[side]], mesh.corners[side]], axis=1)  # walls run on from the faces
    columns, walls = np.unique(ends, return_inverse=True)
    walls = walls.reshape(-1, 2)
    leaving = np.bincount(walls[:, 0], minlength=len(columns))
    if (leaving > 1).any():
        raise ValueError(mesh.points[columns[int(np.argmax(leaving > 1))]])
    p, q = mesh.points[ends[:, 0]], mesh.points[ends[:, 1]]
    long = np.linalg.norm(q - p, axis=1)
    total = max(float(long.sum()), 1e-300)
    centre = ((p + q) / 2 * long[:, None]).sum(axis=0) / total
    normal = np.cross(p - centre, q - centre).sum(axis=0) / 2
    none = np.zeros(mesh.n_faces, dtype=bool)
    return Foot(
        mesh,
        none,
        columns.astype(np.int32),
        np.full(len(mesh.corners), -1, np.int32),
        walls.astype(np.int32),
        mesh.corner_faces[side],
        none,
        centre,
        _unit(normal, total**2),
    )


def apply(motions: Floats, places: Floats) -> Floats:
    """Return where affine motions (k, 3, 4) take places (m, 3): (k, m, 3)."""
    return np.asarray(np.einsum("kij,mj->kmi", motions[:, :, :3], places) + motions[:, None, :, 3])


def pull(
    foot: Foot,
    motions: Floats,
    step: str,
    *,
    finish: str | None = None,
    behind: bool = True,
    returns: bool = False,
) -> Mesh:
    """Return the body with what is picked moved, and walls behind it.

    Parameters
    ----------
    motions : (k, 3, 4) affine, one for each row of points but the first, which is where the foot stands.
    finish : of the walls; that of the faces beside where it is None.
    behind : faces that had no neighbour leave one behind that closes the body.
    returns : the last row leads on to the foot; nothing of the picked faces is left.

    Notes
    -----
    Places that no motion moves stay one point: a wall there has three sides, or none between two of them. Groups: ``walls``,
    ``tops`` (the moved faces) and ``start_cap``.
    """
    mesh, rows = foot.mesh, len(motions)
    border = np.flatnonzero(foot.border)
    moved = apply(motions, foot.places[border])
    eps = _STILL * max(mesh.size, 1e-300)
    still = np.asarray((np.abs(moved - foot.places[border]) <= eps).all(axis=(0, 2)))
    # numbers of the points of each border column, row by row
    number = np.empty((rows + 1, len(border)), dtype=np.int64)
    number[:] = foot.columns[border]
    rising = np.flatnonzero(~still)
    number[1:, rising] = mesh.n_points + np.arange(rows * len(rising)).reshape(rows, -1)
    points = [mesh.points, moved[:, rising].reshape(-1, 3)]
    place = np.full(len(foot.columns), -1, dtype=np.int64)
    place[border] = np.arange(len(border))
    at = place[foot.walls]
    grid = np.concatenate([number, number[:1]]) if returns else number
    p, q = grid[:, at[:, 0]], grid[:, at[:, 1]]
    fours = np.stack([p[:-1], q[:-1], q[1:], p[1:]], axis=-1)  # (rows, w, 4)
    pieces = _Walls(foot, fours, still[at], moved, closed=returns)
    last = np.empty(len(foot.columns), dtype=np.int64)
    last[border] = number[-1]
    inner = np.flatnonzero(place < 0)
    if returns:
        keep = ~foot.faces
        tops = np.zeros(mesh.n_faces, dtype=bool)
        last[:] = foot.columns
        caps = np.zeros(0, dtype=np.int64)
    else:
        keep, tops = np.ones(mesh.n_faces, dtype=bool), foot.faces
        first = mesh.n_points + rows * len(rising)
        last[inner] = first + np.arange(len(inner))
        points.append(apply(motions[-1:], foot.places[inner])[0])
        caps = np.flatnonzero(foot.alone) if behind else np.zeros(0, dtype=np.int64)
    own = foot.corner_column >= 0
    corners = mesh.corners.astype(np.int64)
    corners[own] = last[foot.corner_column[own]]
    work = _Joining(mesh, step, keep, tops, caps, corners, pieces, finish)
    return work.mesh(np.concatenate(points), last[foot.corner_column[own]], own)


@dataclass(slots=True)
class _Walls:
    """Faces of four sides, and of three where one of their columns stays.

    Attributes
    ----------
    fours : (rows, w, 4) points of each wall, row by row.
    flat : (w, 2) whether its first and its second column stay.
    moved : (rows, b, 3) where the columns of the border go.
    closed : the last row leads on to the foot.
    """

    foot: Foot
    fours: Array
    flat: Bools
    moved: Floats
    closed: bool

    def parts(self) -> list[tuple[Array, Floats, Array]]:
        """Return corners (n, s), texture (n, s, 2) and the wall of each face."""
        u, v = self._texture()
        rows, w = self.fours.shape[:2]
        uv = np.empty((rows, w, 4, 2))
        uv[:, :, (0, 3), 0], uv[:, :, (1, 2), 0] = u[:, :1], u[:, 1:]
        uv[:, :, :2, 1], uv[:, :, 2:, 1] = v[:-1, None, None], v[1:, None, None]
        wall = np.broadcast_to(np.arange(w), (rows, w))
        out = []
        # a wall over a column that stays loses its last corner there; one over two of them is none
        for which, sides in (((False, False), (0, 1, 2, 3)), ((True, False), (0, 1, 2)), ((False, True), (0, 1, 3))):
            some = (self.flat == which).all(axis=1)
            if some.any():
                pick = list(sides)
                out.append(
                    (
                        self.fours[:, some][:, :, pick].reshape(-1, len(pick)),
                        uv[:, some][:, :, pick].reshape(-1, len(pick), 2),
                        wall[:, some].ravel(),
                    )
                )
        return out

    def _texture(self) -> tuple[Floats, Floats]:
        """Return texture coordinates: (w, 2) of the two ends of each wall round its loop, and (rows + 1,) along."""
        foot = self.foot
        ends = foot.places[foot.walls]
        long = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
        start, total = _round(foot.walls, long)
        u = np.stack([start, start + long], axis=1) / np.maximum(total, 1e-300)[:, None]
        first = foot.places[np.flatnonzero(foot.border)][None]
        every = np.concatenate([first, self.moved, *([first] if self.closed else [])])
        steps = np.linalg.norm(np.diff(every, axis=0), axis=2).mean(axis=1)
        v = np.concatenate([[0.0], np.cumsum(steps)])
        return np.clip(u, 0.0, 1.0), v / max(float(v[-1]), 1e-300)


def _round(walls: Array, long: Floats) -> tuple[Array, Array]:
    """Return how far round its loop or chain each wall begins, and how long that is (by doubling: each looks twice as far back)."""
    w = len(walls)
    at = np.full(int(walls.max(initial=-1)) + 1, -1, dtype=np.int64)
    at[walls[:, 1]] = np.arange(w)
    before = at[walls[:, 0]]  # the wall that leads to this one
    # the least number round each loop is where it begins
    least, back = np.arange(w), before.copy()
    for _ in range(max(w, 2).bit_length()):
        there = back >= 0
        least = np.where(there, np.minimum(least, least[back]), least)
        back = np.where(there, back[back], -1)
    begins = (least == np.arange(w)) & (before >= 0)
    back = np.where(begins, -1, before)
    far = np.where(back >= 0, long[back], 0.0)
    for _ in range(max(w, 2).bit_length()):
        there = back >= 0
        far = far + np.where(there, far[back], 0.0)
        back = np.where(there, back[back], -1)
    # a chain is known by where it begins, as a loop is
    root = components(len(at), walls[:, 0].astype(np.int64), walls[:, 1].astype(np.int64))[walls[:, 0]]
    total = np.bincount(root, weights=long, minlength=len(at))[root]
    return far, total


@dataclass(slots=True)
class _Joining:
    """Puts old faces, walls and caps together, with all that they carry."""

    body: Mesh
    step: str
    keep: Bools
    tops: Bools
    caps: Array
    corners: Array
    walls: _Walls
    finish: str | None

    def mesh(self, points: Floats, moved: Array, own: Bools) -> Mesh:
        """Return the body; ``moved`` are the new numbers of the corners ``own`` of moved faces."""
        body = self.body
        parts = self.walls.parts()
        kept_corner = self.keep[body.corner_faces]
        cap_corner, cap_sides = self._reversed_corners()
        corners = [self.corners[kept_corner], *(c.ravel() for c, _, _ in parts), body.corners[cap_corner]]
        sides = [
            body.sides[self.keep],
            *(np.full(len(c), c.shape[1], np.int32) for c, _, _ in parts),
            cap_sides,
        ]
        offsets = np.concatenate([[0], np.cumsum(np.concatenate(sides))]).astype(np.int32)
        uv = None
        if body.uv is not None:
            uv = np.concatenate([body.uv[kept_corner], *(t.reshape(-1, 2) for _, t, _ in parts), body.uv[cap_corner]])
        wall = np.concatenate([np.zeros(0, np.int64), *(w for _, _, w in parts)])
        beside = self.walls.foot.beside[wall]
        lineage, rows = self._lineage(beside)
        names, finishes = self._finishes(beside)
        soft = None
        if body.face_soft is not None:
            soft = np.concatenate([body.face_soft[self.keep], np.zeros(len(wall), bool), body.face_soft[self.caps]])
        pairs, edge_data = self._pairs(moved, own)
        number, source = self._numbers(points, np.concatenate(corners), moved, own)
        return replace(
            body,
            points=points[number >= 0],
            corners=number[np.concatenate(corners)].astype(np.int32),
            offsets=offsets,
            lineage=lineage,
            face_lineage=rows,
            finishes=names,
            face_finish=finishes,
            face_soft=soft,
            uv=uv,
            edge_pairs=None if pairs is None else number[pairs].astype(np.int32),
            edge_data=edge_data,
            point_data={name: table[source[number >= 0]] for name, table in body.point_data.items()},
            _cache={},
            _topology=Topology(),
        )

    def _numbers(self, points: Floats, corners: Array, moved: Array, own: Bools) -> tuple[Array, Array]:
        """Return the final number of each point, -1 where no face uses it that was used, and the old point it comes from."""
        used = np.zeros(len(points), dtype=bool)
        used[corners] = True
        used[: self.body.n_points] |= ~self.body.used_points
        source = np.arange(len(points))
        source[self.body.n_points :] = 0
        fours = self.walls.fours
        source[fours[1:, :, 0]] = fours[0, :, 0] if len(fours) > 1 else source[fours[1:, :, 0]]
        source[fours[-1, :, (2, 3)]] = fours[0, :, (1, 0)]
        source[moved] = self.body.corners[own]
        return np.where(used, np.cumsum(used) - 1, -1), source

    def _reversed_corners(self) -> tuple[Array, Array]:
        """Return the corners of the faces that are left behind, each face the other way round, and their sides."""
        sides = self.body.sides[self.caps]
        ends = np.cumsum(sides)
        within = np.arange(int(ends[-1]) if len(ends) else 0) - np.repeat(ends - sides, sides)
        return np.repeat(self.body.offsets[self.caps + 1] - 1, sides) - within, sides

    def _lineage(self, beside: Array) -> tuple[Lineage, Array]:
        """Return the history: moved faces come from themselves, walls from the faces beside them."""
        body = self.body
        kept = body.face_lineage if body.face_lineage is not None else np.full(body.n_faces, -1, np.int32)
        rows = kept.astype(np.int64)
        groups = [
            ("tops", rows[self.tops]),
            ("walls", np.where(beside >= 0, rows[beside], -1)),
            ("start_cap", rows[self.caps]),
        ]
        table: list[tuple[str, str, int]] = []
        base, out = len(body.lineage.rows), []
        for name, parents in groups:
            each, which = np.unique(parents, return_inverse=True)
            out.append(base + len(table) + which)
            table += [(self.step, name, int(p)) for p in each]
        rows[self.tops] = out[0]
        lineage, _ = body.lineage.extended(table)
        return lineage, np.concatenate([rows[self.keep], out[1], out[2]]).astype(np.int32)

    def _finishes(self, beside: Array) -> tuple[tuple[str, ...], Array | None]:
        body = self.body
        if self.finish is None and body.face_finish is None:
            return body.finishes, None
        kept = body.face_finish if body.face_finish is not None else np.full(body.n_faces, -1, np.int32)
        names = body.finishes
        if self.finish is not None and self.finish not in names:
            names = (*names, self.finish)
        walls = np.where(beside >= 0, kept[beside], -1)
        if self.finish is not None:
            walls[:] = names.index(self.finish)
        return names, np.concatenate([kept[self.keep], walls, kept[self.caps]]).astype(np.int32)

    def _pairs(self, moved: Array, own: Bools) -> tuple[Array | None, dict[str, np.ndarray]]:
        """Return edges that carry marks: those between moved points go along, those of the border stay and go along."""
        body = self.body
        if body.edge_pairs is None:
            return None, dict(body.edge_data)
        con = body.connectivity
        edge = con.between(body.edge_pairs)
        row_of = np.full(con.n_edges, -1, dtype=np.int64)
        row_of[edge[edge >= 0]] = np.flatnonzero(edge >= 0)
        kept_side = np.zeros(con.n_edges, dtype=bool)
        stays = (self.keep & ~self.tops)[body.corner_faces]
        stays |= np.isin(body.corner_faces, self.caps)
        kept_side[con.corner_edge[stays]] = True
        old = np.flatnonzero((edge >= 0) & kept_side[np.maximum(edge, 0)])
        goes = np.flatnonzero(own & self.tops[body.corner_faces] & (row_of[con.corner_edge] >= 0))
        new_of = np.full(len(body.corners), -1, dtype=np.int64)
        new_of[own] = moved
        along = np.sort(np.stack([new_of[goes], new_of[con.following[goes]]], axis=1), axis=1)
        along, first = np.unique(along, axis=0, return_index=True)
        rows = np.concatenate([old, row_of[con.corner_edge[goes[first]]]])
        pairs = np.concatenate([body.edge_pairs[old].astype(np.int64), along])
        pairs, first = np.unique(np.sort(pairs, axis=1), axis=0, return_index=True)
        return pairs, {name: table[rows[first]] for name, table in body.edge_data.items()}


def _turned_over(mesh: Mesh, faces: Bools) -> Mesh:
    """Return a body some of whose faces run the other way round."""
    mine = faces[mesh.corner_faces]
    order = np.arange(len(mesh.corners))
    face = mesh.corner_faces[mine]
    order[mine] = mesh.offsets[face].astype(np.int64) + mesh.offsets[face + 1] - 1 - order[mine]
    return replace(
        mesh,
        corners=mesh.corners[order],
        uv=None if mesh.uv is None else mesh.uv[order],
        _cache={},
        _topology=Topology(),
    )


def _middle(mesh: Mesh, faces: Bools, mine: Bools) -> tuple[Floats, Floats]:
    """Return the centre of area of picked faces (of bent ones, as they are seen along their normal), and that normal."""
    areas = vector_areas(mesh)[faces]
    normal = _unit(areas.sum(axis=0), max(float(np.linalg.norm(areas, axis=1).sum()), 1e-300))
    corner = np.flatnonzero(mine)
    first = mesh.points[mesh.corners[mesh.offsets[mesh.corner_faces[corner]]]]
    here, ahead = mesh.points[mesh.corners[corner]], mesh.points[mesh.corners[mesh.connectivity.following[corner]]]
    cross = np.cross(here - first, ahead - first)
    weights = cross @ normal if normal.any() else np.linalg.norm(cross, axis=1)
    spot = mesh.points[mesh.corners[corner[0]]] if len(corner) else np.zeros(3)  # far from zero digits are kept
    total = float(weights.sum())
    thirds = ((first - spot) + (here - spot) + (ahead - spot)) * weights[:, None]
    return spot + (thirds.sum(axis=0) / (3 * total) if total > 0 else thirds.sum(axis=0)), normal


def _unit(v: Floats, size: float) -> Floats:
    """Return a vector of length 1, or 0 where it is next to nothing beside ``size``."""
    long = float(np.linalg.norm(v))
    return np.zeros(3) if long <= 1e-9 * size else np.asarray(v / long)
