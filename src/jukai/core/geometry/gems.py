"""Cut stones: bodies of flat facets, worked out plane by plane."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.building import MeshBuilder
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.mesh import Mesh, Topology, join_meshes

__all__ = ["Brilliant", "StepCut", "brilliant", "least_star", "rose", "step_cut", "widest_table", "with_inner_skin"]


@dataclass(frozen=True, slots=True)
class Brilliant:
    """A round brilliant; lengths for a girdle of radius 1, angles in radians.

    Attributes
    ----------
    symmetry : mains around.
    table : distance of the table's corners from the axis.
    crown, pavilion : angles of the mains against the girdle's plane.
    star : how far the stars reach from the table's edge to the girdle, seen from above, 0 to 1.
    lower : how far the lower halves reach from the girdle to the culet, 0 to 1.
    girdle : its height; 0 for an edge.
    culet : distance of the culet's edges from the axis; 0 for a point.
    """

    symmetry: int
    table: float
    crown: float
    pavilion: float
    star: float
    lower: float
    girdle: float
    culet: float

    @property
    def half(self) -> float:
        """The cosine of half the angle between two mains."""
        return math.cos(math.pi / self.symmetry)

    @property
    def crown_height(self) -> float:
        """From the girdle's upper edge to the table."""
        return math.tan(self.crown) * (1 - self.table)

    @property
    def pavilion_depth(self) -> float:
        """From the girdle's lower edge to the culet."""
        return math.tan(self.pavilion) * (1 - self.culet)

    @property
    def star_tip(self) -> float:
        """Distance of the stars' tips from the axis."""
        inner = self.table * self.half
        return inner + self.star * (1 - inner)

    @property
    def lower_tip(self) -> float:
        """Distance of the lower halves' tips from the axis."""
        return 1 - self.lower * (1 - self.culet / self.half)

    @property
    def angles(self) -> dict[str, float]:
        """The angles of stars, upper and lower halves against the girdle's plane, degrees."""
        c, q = self.half, math.cos(math.pi / self.symmetry / 2)
        tip, low = self.star_tip, self.lower_tip
        star = math.tan(self.crown) * (tip * c - self.table) / (tip - self.table * c)
        upper = math.tan(self.crown) * (1 - tip * c) / (q * (1 - tip))
        lower = math.tan(self.pavilion) * (1 - low * c) / (q * (1 - low))
        return {name: math.degrees(math.atan(t)) for name, t in (("star", star), ("upper", upper), ("lower", lower))}


def least_star(symmetry: int, table: float) -> float:
    """Return the star length over which the stars slope down from the table; 1 or more where no length does."""
    c = math.cos(math.pi / symmetry)
    return table * (1 / c - c) / (1 - table * c)


def widest_table(symmetry: int, star: float) -> float:
    """Return the table under which stars of a length slope down from it."""
    c = math.cos(math.pi / symmetry)
    return star / (1 / c - c + star * c)


def brilliant(cut: Brilliant, radius: float, step: str) -> Mesh:
    """Return a round brilliant that stands on its culet at Z = 0, mains towards +X.

    Notes
    -----
    Kites and mains are flat because the tips of stars and lower halves lie where the planes of two mains meet; all other
    facets are triangles, or lie level. Star and lower half lengths as they are measured in the trade: seen from above.
    """
    n, c = cut.symmetry, cut.half
    main, mid, even = np.arange(n) * 360.0 / n, (np.arange(n) + 0.5) * 360.0 / n, np.arange(2 * n) * 180.0 / n
    foot = cut.pavilion_depth
    top = foot + cut.girdle
    stone = _Facets(radius)
    v = stone.ring(main, cut.table, top + cut.crown_height)
    s = stone.ring(mid, cut.star_tip, top + math.tan(cut.crown) * (1 - cut.star_tip * c))
    g = stone.ring(even, 1.0, top)
    h = stone.ring(even, 1.0, foot) if cut.girdle > 0 else g
    tip = stone.ring(mid, cut.lower_tip, foot + cut.lower_tip * c * math.tan(cut.pavilion) - math.tan(cut.pavilion))
    end = stone.ring(mid, cut.culet / c, 0.0) if cut.culet > 0 else np.repeat(stone.points([[0.0, 0.0, 0.0]]), n)
    g0, g1, g2 = g[::2], g[1::2], np.roll(g[::2], -1)
    h0, h1, h2 = h[::2], h[1::2], np.roll(h[::2], -1)
    stone.place("table", v[None])
    stone.place("stars", np.column_stack([v, s, np.roll(v, -1)]))
    stone.place("kites", np.column_stack([v, np.roll(s, 1), g0, s]))
    stone.place("upper_halves", _by_turns([s, g0, g1], [s, g1, g2]))
    if cut.girdle > 0:
        stone.band(h, g, "girdle")
    stone.place("lower_halves", _by_turns([tip, h1, h0], [tip, h2, h1]))
    if cut.culet > 0:
        stone.place("mains", np.column_stack([np.roll(end, 1), end, tip, h0, np.roll(tip, 1)]))
        stone.place("culet", end[None, ::-1])
    else:
        stone.place("mains", np.column_stack([end, tip, h0, np.roll(tip, 1)]))
    return stone.made(step)


@dataclass(frozen=True, slots=True)
class StepCut:
    """A rectangular stone with clipped corners, cut in steps; lengths for a stone half as wide as 1.

    Attributes
    ----------
    long : half its length.
    clipped : what the corners lose along both sides.
    table, culet : half widths of table and culet; a culet of 0 is a keel line.
    crown, pavilion : heights of crown and pavilion; ``girdle`` that of the girdle.
    rows : steps of the crown, and of the pavilion.
    """

    long: float
    clipped: float
    table: float
    crown: float
    pavilion: float
    girdle: float
    culet: float
    rows: int


_BOW = 0.3
"""How much steeper than the mean the outermost step is; the innermost is as much flatter."""


def step_cut(cut: StepCut, radius: float, step: str) -> Mesh:
    """Return a step cut that stands on Z = 0, its length along X.

    Notes
    -----
    Every facet joins two parallel edges of outlines that have the same directions, so it is flat whatever their sizes. Steps
    are even in width; each is flatter than the one outside of it, so the stone is convex.
    """
    stone = _Facets(radius, cut.long)
    share = np.arange(cut.rows + 1) / cut.rows
    rise = share * (1 + _BOW) - _BOW * share**2
    foot = cut.pavilion
    top = foot + cut.girdle

    def outline(half: float, level: float) -> Array:
        a, b, c = cut.long - 1 + half, half, cut.clipped * half
        if half == 0:  # a keel line, or a point below a square stone
            ends = stone.points(np.array([[a, 0.0, level], [-a, 0.0, level]])[: 1 if a == 0 else 2])
            return ends[0] + np.array([0, 0, 0, 1, 1, 1, 1, 0]) * (a != 0)
        x = np.array([a, a, a - c, c - a, -a, -a, c - a, a - c])
        y = np.array([c - b, b - c, b, b, b - c, c - b, -b, -b])
        return stone.points(np.column_stack([x, y, np.full(8, level)]))

    def steps(end: float, start: float, height: float) -> list[Array]:
        rows = zip(share.tolist(), rise.tolist(), strict=True)
        return [outline(1 - (1 - end) * w, start + height * z if z < 1 else start + height) for w, z in rows]

    crown = steps(cut.table, top, cut.crown)
    pavilion = steps(cut.culet, foot, -cut.pavilion)
    if cut.girdle == 0:
        pavilion[0] = crown[0]
    stone.place("table", crown[-1][None])
    for low, high in pairwise(crown):
        stone.between("crown", low, high)
    if cut.girdle > 0:
        stone.band(pavilion[0], crown[0], "girdle")
    for high, low in pairwise(pavilion):
        stone.between("pavilion", low, high)
    if cut.culet > 0:
        stone.place("culet", pavilion[-1][None, ::-1])
    return stone.made(step)


def rose(symmetry: int, star: float, height: float, radius: float, step: str) -> Mesh:
    """Return a rose cut on a flat base: ``symmetry`` stars round a point, then three triangles for each of them.

    ``star`` and ``height`` are for a base of radius 1: how far the stars reach, and how high the point stands. The stars'
    corners stand on the half ellipse over the base, so the stone is convex.
    """
    n = symmetry
    stone = _Facets(radius)
    top = stone.points([[0.0, 0.0, height]])
    v = stone.ring(np.arange(n) * 360.0 / n, star, height * math.sqrt(1 - star * star))
    b = stone.ring(np.arange(2 * n) * 180.0 / n, 1.0, 0.0)
    after, b0, b1 = np.roll(v, -1), b[::2], b[1::2]
    stone.place("stars", np.column_stack([np.repeat(top, n), v, after]))
    stone.place("kites", np.column_stack([v, b1, after]))
    stone.place("upper_halves", _by_turns([v, b0, b1], [v, np.roll(b1, 1), b0]))
    stone.place("base", b[None, ::-1])
    return stone.made(step)


def with_inner_skin(mesh: Mesh, step: str) -> Mesh:
    """Return a mesh with the same faces once more, reversed, on points of their own: group ``inner_skin``."""
    order = np.arange(len(mesh.corners))
    of = mesh.corner_faces
    back = mesh.offsets[of] + mesh.offsets[of + 1] - 1 - order
    lineage, row = mesh.lineage.extended([(step, "inner_skin", -1)])
    inner = replace(
        mesh,
        corners=mesh.corners[back],
        uv=None if mesh.uv is None else mesh.uv[back],
        lineage=lineage,
        face_lineage=np.full(mesh.n_faces, row, np.int32),
        _cache={},
        _topology=Topology(),
    )
    return join_meshes([mesh.with_changes(lineage=lineage), inner])


def _by_turns(*rows: list[Array]) -> Array:
    """Return triangles (m, 3) of several kinds, one of each kind after the other."""
    return np.stack([np.column_stack(row) for row in rows], axis=1).reshape(-1, 3)


class _Facets:
    """A stone being put together; lengths are for a half width of 1, and made ``radius`` times as large."""

    def __init__(self, radius: float, long: float = 1.0) -> None:
        self.build, self.radius, self.half = MeshBuilder(), radius, np.array([long, 1.0])
        self.at = np.zeros((0, 3))

    def points(self, at: object) -> Array:
        """Add points (n, 3) and return their numbers."""
        rows = np.asarray(at, dtype=np.float64)
        self.at = np.concatenate([self.at, rows])
        return self.build.add_points(rows * self.radius) + np.arange(len(rows))

    def ring(self, degrees: Floats, reach: float, level: float) -> Array:
        """Add points round the axis."""
        sine, cosine = sincos(degrees)
        return self.points(np.column_stack([reach * cosine, reach * sine, np.full(len(degrees), level)]))

    def place(self, group: str, corners: Array) -> None:
        """Add facets (m, k); their texture is the stone seen from above."""
        self.build.add_faces(corners, self.at[corners][..., :2] / (2 * self.half) + 0.5, group)

    def band(self, low: Array, high: Array, group: str) -> None:
        """Add four-sided facets between two outlines of as many points, their texture once round."""
        k = np.arange(len(low) + 1) / len(low)
        uv = np.empty((len(low), 4, 2))
        uv[:, 0, 0] = uv[:, 3, 0] = k[:-1]
        uv[:, 1, 0] = uv[:, 2, 0] = k[1:]
        uv[:, :2, 1], uv[:, 2:, 1] = 0.0, 1.0
        self.build.add_faces(np.column_stack([low, np.roll(low, -1), np.roll(high, -1), high]), uv, group)

    def between(self, group: str, low: Array, high: Array) -> None:
        """Add the facets between two outlines; where points of one fall together they are triangles, or nothing."""
        quads = np.column_stack([low, np.roll(low, -1), np.roll(high, -1), high])
        same = quads == np.roll(quads, -1, axis=1)
        fallen = same.sum(axis=1)
        self.place(group, quads[fallen == 0])
        self.place(group, quads[fallen == 1][~same[fallen == 1]].reshape(-1, 3))

    def made(self, step: str) -> Mesh:
        """Return the stone, shaded flat."""
        return self.build.build(step).with_changes(crease=0.0)
