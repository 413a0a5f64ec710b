"""Pulling faces, or a rim, out of a body: walls rise row by row over their border, and the body stays closed."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TypedDict, Unpack

import numpy as np

from jukai.core.geometry._pulling import columns_of, middle_of, rounds
from jukai.core.geometry.arrays import Array, Bools, Floats, Ints, frozen
from jukai.core.geometry.connectivity import RIM
from jukai.core.geometry.measures import areas_among, vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.rebuilding import Block, corners_of, rebuilt, reversed_faces, turned_over

__all__ = ["Foot", "apply", "foot_of_each", "foot_of_faces", "foot_of_rim", "pull", "pull_to"]

_FEW = 1200
"""Corners up to which plain Python answers sooner than loading the compiler."""
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
    under : (w,) the picked face whose border it rises from, -1 of a rim.
    alone : (f,) moving faces none of whose border has a neighbour.
    starts : (w,) the corner of the picked face at which each wall begins, that of the face beside of a rim.
    centre, normal : of what is picked, weighed by area (faces) or length (a rim); the normal is 0 where it faces all ways.
    """

    mesh: Mesh
    faces: Bools
    columns: Ints
    corner_column: Ints
    walls: Ints
    beside: Ints
    under: Ints
    alone: Bools
    starts: Ints
    centre: Floats
    normal: Floats
    _made: dict[str, Array] = field(default_factory=dict)

    @property
    def border(self) -> Bools:
        """(m,) columns on the border."""
        if "border" not in self._made:
            out = np.zeros(len(self.columns), dtype=bool)
            out[self.walls.ravel()] = True
            self._made["border"] = out
        return np.asarray(self._made["border"])

    @property
    def places(self) -> Floats:
        """(m, 3) where the columns begin."""
        if "places" not in self._made:
            self._made["places"] = self.mesh.points[self.columns]
        return np.asarray(self._made["places"])

    @property
    def normals(self) -> Floats:
        """(f, 3) unit normals of the faces that move; of others they may be anything."""
        if "normals" not in self._made:
            self._made["normals"] = areas_among(self.mesh, np.flatnonzero(self.faces))[1]
        return np.asarray(self._made["normals"])

    @property
    def joined(self) -> bool:
        """Whether anything picked stays joined to faces that do not move."""
        return not self.faces.any() or bool((self.faces & ~self.alone).any())


def foot_of_faces(mesh: Mesh, faces: Bools, way: Floats | None = None) -> Foot:
    """Return the foot of picked faces (f,).

    ``way`` (f, 3) is where each of them sets out to: those without a neighbour that look the other way are turned over.
    """
    con = mesh.connectivity
    which = np.flatnonzero(faces)
    run = columns_of.choose(int(mesh.sides[which].sum()), _FEW)
    corner_column, columns, rims, piece, place = run(
        which, frozen(faces), mesh.offsets, mesh.corners, con.following, con.twins, mesh.corner_faces
    )
    held = np.zeros(len(which), dtype=bool)
    held[piece[place[mesh.corner_faces[rims[con.twins[rims] != RIM]]]]] = True
    alone = np.zeros(mesh.n_faces, dtype=bool)
    alone[which] = ~held[piece]
    if way is not None and alone.any():
        free = np.flatnonzero(~held[piece])
        weights = (vector_areas(mesh)[which[free]] * way[which[free]]).sum(axis=1)
        leads = np.bincount(piece[free], weights=weights, minlength=len(which))
        back = np.zeros(mesh.n_faces, dtype=bool)
        back[which[free[leads[piece[free]] < 0]]] = True
        if back.any():
            return foot_of_faces(turned_over(mesh, back), faces)
    walls = np.stack([corner_column[rims], corner_column[con.following[rims]]], axis=1)
    twin = con.twins[rims]
    paired = (twin >= 0) & (mesh.corners[np.maximum(twin, 0)] != mesh.corners[rims])
    beside = np.where(paired, mesh.corner_faces[twin], -1)
    centre, normal = _middle(mesh, which)
    return Foot(
        mesh, faces, columns, corner_column, walls, beside, mesh.corner_faces[rims], alone, rims, centre, normal
    )


def foot_of_each(mesh: Mesh, faces: Bools, sign: float = 1.0) -> Foot:
    """Return the foot of picked faces (f,) that each go by themselves: every corner is a column of its own.

    Where ``sign`` is below 0 faces without a neighbour are turned over, as they set out the other way.
    """
    con = mesh.connectivity
    which = np.flatnonzero(faces)
    mine = corners_of(mesh, which)
    held = np.zeros(mesh.n_faces, dtype=bool)
    held[mesh.corner_faces[mine[con.twins[mine] >= 0]]] = True
    alone = faces & ~held
    if sign < 0 and alone.any():
        return foot_of_each(turned_over(mesh, alone), faces)
    corner_column = np.full(len(mesh.corners), -1, dtype=np.int32)
    corner_column[mine] = np.arange(len(mine))
    walls = np.stack([corner_column[mine], corner_column[con.following[mine]]], axis=1)
    beside = np.where(con.twins[mine] >= 0, mesh.corner_faces[con.twins[mine]], -1)
    centre, normal = _middle(mesh, which)
    return Foot(
        mesh,
        faces,
        mesh.corners[mine],
        corner_column,
        walls,
        beside,
        mesh.corner_faces[mine],
        alone,
        mine,
        centre,
        normal,
    )


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
        np.full(len(side), -1, np.int32),
        none,
        side.astype(np.int32),
        centre,
        _unit(normal, total**2),
    )


def apply(motions: Floats, places: Floats) -> Floats:
    """Return where affine motions (k, 3, 4) take places (m, 3): (k, m, 3)."""
    return np.asarray(np.einsum("kij,mj->kmi", motions[:, :, :3], places) + motions[:, None, :, 3])


class _Pulled(TypedDict, total=False):
    finish: str | None
    behind: bool
    returns: bool


def pull(foot: Foot, motions: Floats, step: str, **more: Unpack[_Pulled]) -> Mesh:
    """Return the body with what is picked moved by affine motions (k, 3, 4), one for each row of points but the first.

    ``more`` is that of ``pull_to``.
    """
    border = foot.border
    moved = apply(motions, foot.places[border])
    inner = apply(motions[-1:], foot.places[~border])[0]
    return pull_to(foot, moved, inner, step, **more)


def pull_to(
    foot: Foot,
    moved: Floats,
    inner: Floats,
    step: str,
    *,
    finish: str | None = None,
    behind: bool = True,
    returns: bool = False,
    groups: tuple[str, str] = ("walls", "tops"),
    parents: Array | None = None,
    texture: tuple[Floats, Floats] | None = None,
    places: Floats | None = None,
) -> Mesh:
    """Return the body with what is picked moved, and walls behind it.

    Parameters
    ----------
    moved : (k, b, 3) where the columns of the border stand in each row of points but the first, which is where the foot stands.
    inner : (m - b, 3) where the other columns end.
    finish : of the walls; that of the faces they go on from where it is None.
    behind : faces that had no neighbour leave one behind that closes the body.
    returns : the last row leads on to the foot; nothing of the picked faces is left.
    groups : names of the walls and of the moved faces; ``start_cap`` is what is left behind.
    parents : (w,) the face that each wall goes on from; that beside it by default.
    texture : (c, 2) texture coordinates of all corners of faces, and (k, w, 4, 2) of walls, instead of their own.
    places : (n, 3) where the body's own points stand in the end, where they have moved.

    Notes
    -----
    Places that no row moves stay one point: a wall there has three sides, or none between two of them.
    """
    mesh, rows = foot.mesh, len(moved)
    border = np.flatnonzero(foot.border)
    eps = _STILL * max(mesh.size, 1e-300)
    still = np.asarray((np.abs(moved - foot.places[border]) <= eps).all(axis=(0, 2)))
    # numbers of the points of each border column, row by row
    number = np.empty((rows + 1, len(border)), dtype=np.int64)
    number[:] = foot.columns[border]
    rising = np.flatnonzero(~still)
    number[1:, rising] = mesh.n_points + np.arange(rows * len(rising)).reshape(rows, -1)
    added = [moved[:, rising].reshape(-1, 3)]
    source = [np.tile(foot.columns[border[rising]], rows)]
    place = np.full(len(foot.columns), -1, dtype=np.int64)
    place[border] = np.arange(len(border))
    at = place[foot.walls]
    grid = np.concatenate([number, number[:1]]) if returns else number
    p, q = grid[:, at[:, 0]], grid[:, at[:, 1]]
    fours = np.stack([p[:-1], q[:-1], q[1:], p[1:]], axis=-1)  # (rows, w, 4)
    pieces = _Walls(foot, fours, still[at], moved, closed=returns, uv=None if texture is None else texture[1])
    last = np.empty(len(foot.columns), dtype=np.int64)
    last[border] = number[-1]
    caps = np.flatnonzero(foot.alone) if behind and not returns else np.zeros(0, dtype=np.int64)
    if not returns:
        within = np.flatnonzero(place < 0)
        last[within] = mesh.n_points + rows * len(rising) + np.arange(len(within))
        added.append(inner)
        source.append(foot.columns[within])
    of = foot.beside if parents is None else parents
    blocks = [Block.of(c, groups[0], of[w], uv, finish) for c, uv, w in pieces.parts()]
    blocks.append(reversed_faces(mesh, caps, "start_cap"))
    return rebuilt(
        mesh,
        step,
        keep=~foot.faces if returns else None,
        moved=None if returns else (foot.corner_column, last.astype(np.int32)),
        added=np.concatenate(added),
        source=np.concatenate(source),
        renamed=() if returns else ((groups[1], foot.faces),),
        blocks=blocks,
        places=places,
        uv=None if texture is None else texture[0],
    )


@dataclass(slots=True)
class _Walls:
    """Faces of four sides, and of three where one of their columns stays.

    Attributes
    ----------
    fours : (rows, w, 4) points of each wall, row by row.
    flat : (w, 2) whether its first and its second column stay.
    moved : (rows, b, 3) where the columns of the border go.
    closed : the last row leads on to the foot.
    uv : (rows, w, 4, 2) texture coordinates, where they are not round the foot and along.
    """

    foot: Foot
    fours: Array
    flat: Bools
    moved: Floats
    closed: bool
    uv: Floats | None = None

    def parts(self) -> list[tuple[Array, Floats, Array]]:
        """Return corners (n, s), texture (n, s, 2) and the wall of each face."""
        rows, w = self.fours.shape[:2]
        uv = self._texture() if self.uv is None else self.uv
        wall = np.broadcast_to(np.arange(w), (rows, w))
        if not self.flat.any():
            return [(self.fours.reshape(-1, 4), uv.reshape(-1, 4, 2), wall.ravel())]
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

    def _texture(self) -> Floats:
        """Return (rows, w, 4, 2) texture coordinates that run round the loop of each wall, and along."""
        foot = self.foot
        ends = foot.places[foot.walls]
        long = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
        start, total = _round(foot.walls, long, len(foot.mesh.corners))
        u = np.stack([start, start + long], axis=1) / np.maximum(total, 1e-300)[:, None]
        first = foot.places[np.flatnonzero(foot.border)][None]
        every = np.concatenate([first, self.moved, *([first] if self.closed else [])])
        steps = np.linalg.norm(np.diff(every, axis=0), axis=2).mean(axis=1)
        v = np.concatenate([[0.0], np.cumsum(steps)])
        u, v = np.clip(u, 0.0, 1.0), v / max(float(v[-1]), 1e-300)
        uv = np.empty((*self.fours.shape, 2))
        uv[:, :, (0, 3), 0], uv[:, :, (1, 2), 0] = u[:, :1], u[:, 1:]
        uv[:, :, :2, 1], uv[:, :, 2:, 1] = v[:-1, None, None], v[1:, None, None]
        return uv


def _round(walls: Array, long: Floats, corners: int) -> tuple[Floats, Floats]:
    """Return how far round its loop or chain each wall begins, and how long that is; of a large body others are compiled already."""
    run = rounds.choose(max(len(walls), corners // 8), _FEW)
    far, total = run(walls, long, int(walls.max(initial=-1)) + 1)
    return far, total


def _middle(mesh: Mesh, faces: Array) -> tuple[Floats, Floats]:
    """Return the centre of area of picked faces (of bent ones, as they are seen along their normal), and that normal."""
    if not len(faces):
        return np.zeros(3), np.zeros(3)
    sides = mesh.sides[faces]
    run = middle_of.choose(int(sides.sum()), _FEW)
    way, _, areas = run(mesh.points, mesh.corners, mesh.offsets, faces, np.zeros(3))
    normal = _unit(way / 2, max(areas / 2, 1e-300))
    _, third, heavy = run(mesh.points, mesh.corners, mesh.offsets, faces, normal)
    spot = mesh.points[mesh.corners[mesh.offsets[faces[0]]]]  # far from zero digits are kept
    return spot + (third / (3 * heavy) if heavy > 0 else third), normal


def _unit(v: Floats, size: float) -> Floats:
    """Return a vector of length 1, or 0 where it is next to nothing beside ``size``."""
    long = float(np.linalg.norm(v))
    return np.zeros(3) if long <= 1e-9 * size else np.asarray(v / long)
