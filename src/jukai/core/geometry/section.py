"""A body cut by a plane: the outline of the cut, its area, and triangles that fill it."""

from __future__ import annotations

from dataclasses import dataclass

import mapbox_earcut
import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry._slices import follow_chains, nearest_of_segments
from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.flat_rings import holds, ring_area
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import placed
from jukai.core.geometry.triangulation import triangulate

__all__ = ["Cut", "Gap", "Plane", "clipped", "cut", "gap_between"]

_STRAIGHT = 1e-10
"""Sine of the turn up to which a point of an outline lies on the straight line through its neighbours."""
_FEW = 400
_IN_PLANE = 1e-6
"""Share of a body's size up to which a point lies in a plane: a face that is clicked is known to 32 bits."""


@dataclass(frozen=True, slots=True, eq=False)
class Plane:
    """A cutting plane. What lies on the side its normal points to is taken away.

    Attributes
    ----------
    point, normal : (3,) float64, mm and unit length.
    across, up : (3,) float64, the axes of its own coordinates; across × up = normal.
    """

    point: Floats
    normal: Floats
    across: Floats
    up: Floats

    @staticmethod
    def through(point: Floats, normal: Floats) -> Plane:
        """Return the plane through a point; its *up* is the bench's Z where that can be.

        Raises
        ------
        ValueProblem
            When the normal has no length.
        """
        p, n = np.asarray(point, dtype=np.float64), np.asarray(normal, dtype=np.float64)
        length = float(np.linalg.norm(n))
        if not (np.isfinite(length) and length > 1e-12 and np.isfinite(p).all()):
            raise ValueProblem("A cutting plane needs a direction that is not 0.", field="normal")
        n = n / length
        top = np.array([0.0, 0.0, 1.0]) if abs(n[2]) < 0.999 else np.array([0.0, 1.0, 0.0])
        across = np.cross(top, n)
        across /= np.linalg.norm(across)
        return Plane(p, n, across, np.cross(n, across))

    def flat(self, points: Floats) -> Floats:
        """Return (n, 2) the plane's own coordinates of points in it."""
        d = points - self.point
        return np.stack([d @ self.across, d @ self.up], axis=1)

    def raised(self, flat: Floats) -> Floats:
        """Return (n, 3) the bench points of the plane's own coordinates."""
        return self.point + flat[:, :1] * self.across + flat[:, 1:] * self.up

    def heights(self, points: Floats) -> Floats:
        """Return (n,) how far points lie on the side the normal points to, mm."""
        return np.asarray((points - self.point) @ self.normal)


@dataclass(frozen=True, slots=True, eq=False)
class Cut:
    """What a plane meets of a body.

    Attributes
    ----------
    plane : the plane.
    loops : closed outlines in the plane's coordinates, (k, 2) each; the body lies to their left.
    chains : open ones, of open bodies.
    triangles : (t, 3, 2) float64 that fill the loops.
    area : mm², None when the body is open there.
    perimeter : mm, of all outlines.
    """

    plane: Plane
    loops: tuple[Floats, ...]
    chains: tuple[Floats, ...]
    triangles: Floats
    area: float | None
    perimeter: float

    @property
    def empty(self) -> bool:
        """Whether the plane misses the body."""
        return not self.loops and not self.chains

    def segments(self) -> Floats:
        """Return (m, 2, 2) all outlines as straight pieces."""
        rows = [np.stack([loop, np.roll(loop, -1, axis=0)], axis=1) for loop in self.loops]
        rows += [np.stack([chain[:-1], chain[1:]], axis=1) for chain in self.chains]
        return np.concatenate(rows) if rows else np.zeros((0, 2, 2))

    def kept(self, other: Plane, *, ahead: bool) -> Cut:
        """Return the part of the cut that lies ahead of another plane, or behind it.

        The outlines of what is left are open where the other plane goes through; its area and triangles are whole.
        """
        sign = 1.0 if ahead else -1.0
        segments = self.segments()
        ends = sign * other.heights(self.plane.raised(segments.reshape(-1, 2))).reshape(-1, 2)
        pieces = _clipped_lines(segments, ends)
        heights = sign * other.heights(self.plane.raised(self.triangles.reshape(-1, 2))).reshape(-1, 3)
        triangles = _clipped_triangles(self.triangles, heights)
        area = None if self.area is None else float(np.abs(_doubled_areas(triangles)).sum() / 2)
        return Cut(
            self.plane,
            (),
            tuple(pieces),
            triangles,
            area,
            float(np.linalg.norm(pieces[:, 1] - pieces[:, 0], axis=1).sum()),
        )


def cut(mesh: Mesh, plane: Plane, matrix: Floats | None = None) -> Cut:
    """Cut a body by a plane.

    Parameters
    ----------
    mesh : any mesh; open ones give open chains.
    plane : where.
    matrix : (4, 4) where the body stands on the bench.

    Notes
    -----
    Every triangle of which some corners lie ahead of the plane and some behind gives one piece, directed so that the body
    lies to its left; pieces join where they meet the same edge. Points that lie in the plane count as ahead of it, so a
    plane through a face cuts the body just behind that face, and outlines of closed bodies always close (after the
    half-open rule of Edelsbrunner and Mücke, Simulation of Simplicity, 1990, for this one predicate).
    """
    points = mesh.points
    if matrix is not None:
        points = points @ matrix[:3, :3].T + matrix[:3, 3]
    d = _heights(points, plane)
    ahead = d >= 0
    if len(d) == 0 or not ahead.any() or ahead.all():
        return Cut(plane, (), (), np.zeros((0, 3, 2)), 0.0, 0.0)
    tri = triangulate(mesh).points(mesh)
    mirrored = matrix is not None and float(np.linalg.det(matrix[:3, :3])) < 0
    loops, chains = _outlines(tri, points, d, ahead, plane, mirrored=mirrored)
    doubled = sum(ring_area(r) for r in loops)
    perimeter = sum(float(np.linalg.norm(np.roll(r, -1, axis=0) - r, axis=1).sum()) for r in loops)
    perimeter += sum(float(np.linalg.norm(np.diff(c, axis=0), axis=1).sum()) for c in chains)
    triangles = _filled(loops)
    return Cut(plane, tuple(loops), tuple(chains), triangles, None if chains else abs(doubled), perimeter)


def clipped(mesh: Mesh, plane: Plane, matrix: Floats) -> Mesh:
    """Return what a cut leaves of a body, on the bench: open where the plane goes through, without its cap.

    Faces that are cut become triangles and quads; attributes are dropped.
    """
    mesh = placed(mesh, matrix)  # outward also where the placement mirrors
    points = mesh.points
    d = _heights(points, plane)
    ahead = d >= 0
    if not ahead.any():
        return Mesh(points, mesh.corners, mesh.offsets, crease=mesh.crease)
    face_ahead = np.add.reduceat(ahead[mesh.corners].astype(np.int64), mesh.offsets[:-1])
    whole = face_ahead == 0
    tri = triangulate(mesh)
    rows = tri.points(mesh)[(~whole & (face_ahead < mesh.sides))[tri.faces]]
    count = ahead[rows].sum(axis=1)
    behind = rows[count == 0]
    rows, count = rows[(count == 1) | (count == 2)], count[(count == 1) | (count == 2)]
    # turn each so that the corner that stands alone comes first
    alone = np.argmax(ahead[rows] == (count == 1)[:, None], axis=1)
    rows = np.take_along_axis(rows, (alone[:, None] + np.arange(3)) % 3, axis=1)
    pairs = np.sort(np.stack([rows[:, [0, 1]], rows[:, [2, 0]]], axis=1), axis=2)
    keys, number = np.unique(pairs.reshape(-1, 2).astype(np.int64) @ np.array([len(points), 1]), return_inverse=True)
    a, b = keys // len(points), keys % len(points)
    fresh = points[a] + (d[a] / (d[a] - d[b]))[:, None] * (points[b] - points[a])
    new = number.reshape(-1, 2) + len(points)
    one = count == 2  # only the corner that stands alone is left
    corner = np.column_stack([rows[one, 0], new[one, 0], new[one, 1]])
    rest = np.column_stack([new[~one, 0], rows[~one, 1], rows[~one, 2], new[~one, 1]])
    sides = mesh.sides[whole]
    kept = mesh.corners[np.repeat(whole, mesh.sides)]
    corners = np.concatenate([kept, behind.ravel(), corner.ravel(), rest.ravel()]).astype(np.int32)
    lengths = np.concatenate([sides, np.full(len(behind) + len(corner), 3), np.full(len(rest), 4)])
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int32)
    return Mesh(np.concatenate([points, fresh]), corners, offsets, crease=mesh.crease)


def _heights(points: Floats, plane: Plane) -> Floats:
    """Return how far points lie ahead of a plane; 0 for those in it within rounding."""
    d = plane.heights(points)
    if len(d) == 0:
        return d
    rounding = 8 * np.finfo(np.float64).eps * float(np.abs(points).max() + np.abs(plane.point).max())
    near = _IN_PLANE * float(np.ptp(points, axis=0).max()) + rounding
    return np.where(np.abs(d) <= near, 0.0, d)


def _outlines(
    tri: Ints, points: Floats, d: Floats, ahead: Bools, plane: Plane, *, mirrored: bool
) -> tuple[list[Floats], list[Floats]]:
    sides = ahead[tri]
    count = sides.sum(axis=1)
    rows = np.flatnonzero((count == 1) | (count == 2))
    t, s = tri[rows], sides[rows]
    following, s_next = np.roll(t, -1, axis=1), np.roll(s, -1, axis=1)
    one = np.arange(len(rows))
    down = np.argmax(s & ~s_next, axis=1)  # the side that leads from ahead to behind
    rise = np.argmax(~s & s_next, axis=1)
    starts = np.stack([t[one, down], following[one, down]], axis=1)
    ends = np.stack([following[one, rise], t[one, rise]], axis=1)  # both: (ahead, behind)
    if mirrored:
        starts, ends = ends, starts
    nodes, number = np.unique(
        np.concatenate([starts, ends]).astype(np.int64) @ np.array([len(points), 1]), return_inverse=True
    )
    a, b = nodes // len(points), nodes % len(points)
    share = d[a] / (d[a] - d[b])
    where = plane.flat(points[a] + share[:, None] * (points[b] - points[a]))
    from_, to = number[: len(rows)], number[len(rows) :]
    chain_nodes, offsets, closed = follow_chains(from_, to, len(nodes))
    loops, chains = [], []
    for i in range(len(closed)):
        run = where[chain_nodes[offsets[i] : offsets[i + 1]]]
        run = _without_straight(run, closed=bool(closed[i]))
        if closed[i]:
            if len(run) > 2:
                loops.append(run)
        elif len(run) > 1:
            chains.append(run)
    return loops, chains


def _without_straight(run: Floats, *, closed: bool) -> Floats:
    """Leave out doubled points and those on the straight line through their neighbours."""
    gap = np.roll(run, -1, axis=0) - run
    apart = (gap != 0).any(axis=1)
    if not closed:
        apart[-1] = True
    run = run[apart]
    if len(run) < 3:
        return run
    back, forth = run - np.roll(run, 1, axis=0), np.roll(run, -1, axis=0) - run
    turn = back[:, 0] * forth[:, 1] - back[:, 1] * forth[:, 0]
    along = (back * forth).sum(axis=1)
    size = np.hypot(*back.T) * np.hypot(*forth.T)
    keep = (np.abs(turn) > _STRAIGHT * size) | (along < 0)
    if not closed:
        keep[[0, -1]] = True
    return run[keep]


def _filled(loops: list[Floats]) -> Floats:
    """Return (t, 3, 2) triangles that fill loops whose inside lies to their left."""
    areas = [ring_area(r) for r in loops]
    outer = [i for i, a in enumerate(areas) if a > 0]
    outer.sort(key=lambda i: areas[i])  # a hole lies in the smallest that holds it
    holes: dict[int, list[int]] = {i: [] for i in outer}
    for i, a in enumerate(areas):
        if a < 0:
            home = next((o for o in outer if areas[o] > -a and holds(loops[o], loops[i][0])), None)
            if home is not None:
                holes[home].append(i)
    out = []
    for o, inner in holes.items():
        rings = [loops[o], *(loops[i] for i in inner)]
        rows = np.concatenate(rings)
        ends = np.cumsum([len(r) for r in rings]).astype(np.uint32)
        found = mapbox_earcut.triangulate_float64(np.ascontiguousarray(rows), ends)
        out.append(rows[np.asarray(found, dtype=np.int64).reshape(-1, 3)])
    return np.concatenate(out) if out else np.zeros((0, 3, 2))


def _clipped_lines(segments: Floats, heights: Floats) -> Floats:
    keep = (heights > 0).any(axis=1)
    s, h = segments[keep].copy(), heights[keep]
    for k in (0, 1):
        out = h[:, k] < 0
        share = h[out, k] / (h[out, k] - h[out, 1 - k])
        s[out, k] = segments[keep][out, k] + share[:, None] * (segments[keep][out, 1 - k] - segments[keep][out, k])
    return s


def _clipped_triangles(triangles: Floats, heights: Floats) -> Floats:
    inside = heights > 0
    count = inside.sum(axis=1)
    out = [triangles[count == 3]]
    for n in (1, 2):
        rows = np.flatnonzero(count == n)
        odd = np.argmax(inside[rows] if n == 1 else ~inside[rows], axis=1)  # the corner that stands alone
        order = (odd[:, None] + np.arange(3)) % 3
        t, h = (
            np.take_along_axis(triangles[rows], order[:, :, None], axis=1),
            np.take_along_axis(heights[rows], order, axis=1),
        )
        ab = t[:, 0] + (h[:, 0] / (h[:, 0] - h[:, 1]))[:, None] * (t[:, 1] - t[:, 0])
        ac = t[:, 0] + (h[:, 0] / (h[:, 0] - h[:, 2]))[:, None] * (t[:, 2] - t[:, 0])
        if n == 1:
            out.append(np.stack([t[:, 0], ab, ac], axis=1))
        else:
            out += [np.stack([ab, t[:, 1], t[:, 2]], axis=1), np.stack([ab, t[:, 2], ac], axis=1)]
    return np.concatenate(out)


def _doubled_areas(triangles: Floats) -> Floats:
    a, b = triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])


@dataclass(frozen=True, slots=True)
class Gap:
    """What lies between two cuts in one plane.

    Attributes
    ----------
    distance : mm, 0 where they touch or cross.
    places : the two nearest points on the bench.
    crossing : whether one reaches into the other.
    """

    distance: float
    places: tuple[tuple[float, ...], tuple[float, ...]]
    crossing: bool


def gap_between(a: Cut, b: Cut) -> Gap | None:
    """Return the least distance between two cuts made by one plane; None when one of them is empty."""
    if a.empty or b.empty:
        return None
    one, two = a.segments(), b.segments()
    kernel = nearest_of_segments.choose(len(one) * len(two), _FEW)
    distance, p, q = kernel(one, two)
    inside = _reaches_into(one[0, 0], b) or _reaches_into(two[0, 0], a)
    crossing = bool(inside or distance < 0)
    places = a.plane.raised(np.array([p, q]))
    ends = tuple(tuple(float(x) for x in row) for row in places)
    return Gap(0.0 if crossing else float(distance), (ends[0], ends[1]), crossing)


def _reaches_into(point: Floats, other: Cut) -> bool:
    return sum(1 if ring_area(r) > 0 else -1 for r in other.loops if holds(r, point)) > 0
