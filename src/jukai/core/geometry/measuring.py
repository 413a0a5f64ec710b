"""Distances, angles, radii and lengths of picked points, edges and faces."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from jukai.core.geometry._near import least_of_triangles
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["READINGS", "Circle", "Reading", "Thing", "circle_through", "readings", "smooth_chain", "thing"]

What = Literal["distance", "between", "centres", "angle", "length", "loop", "radius", "area"]
READINGS: dict[str, tuple[str, str]] = {
    "distance": ("least distance", "mm"),
    "between": ("distance square across", "mm"),
    "centres": ("distance of the centres", "mm"),
    "angle": ("angle", "°"),
    "length": ("length", "mm"),
    "loop": ("length of the loop", "mm"),
    "radius": ("radius", "mm"),
    "area": ("area", "mm²"),
}
"""What can be read, in words, and its unit."""

_BEND = math.radians(62.0)
"""A loop runs on where an edge turns less than this; six sides round still count as round."""
_ROUND = 1e-4
"""Share of the radius by which points may lie off a circle."""
_PARALLEL = 1e-6
"""Radians up to which directions count as the same."""


@dataclass(frozen=True, slots=True, eq=False)
class Circle:
    """A circle in space: centre, axis of unit length, radius in mm."""

    centre: Floats
    axis: Floats
    radius: float


@dataclass(frozen=True, slots=True, eq=False)
class Thing:
    """A picked element where it stands on the bench.

    Attributes
    ----------
    kind : of ``points``, ``edges``, ``faces``.
    triangles : (t, 3, 3) what it consists of; a point or an edge is a triangle without area.
    direction : unit normal of a face, unit direction of an edge; None for a point.
    find_run : gives (k, 3) the loop an edge belongs to or the border of a face, and whether it closes on itself.
    area : mm², of a face.
    """

    kind: str
    triangles: Floats
    direction: Floats | None
    find_run: Callable[[], tuple[Floats, bool]]
    area: float = 0.0

    @property
    def run(self) -> Floats:
        """The loop an edge belongs to, the border of a face."""
        return self.find_run()[0]

    @property
    def middle(self) -> Floats:
        """A place to point at."""
        own = self.triangles.reshape(-1, 3) if self.kind != "faces" else self.run
        return np.asarray(own.mean(axis=0)) if self.kind != "edges" else np.asarray(self.triangles[0, :2].mean(axis=0))


@dataclass(frozen=True, slots=True)
class Reading:
    """One thing read.

    Attributes
    ----------
    what : a key of ``READINGS``.
    value : in the unit of its kind.
    places : where it is drawn: both ends of a distance, centre and a point of a radius, corner and two arms of an angle.
    """

    what: str
    value: float
    places: tuple[tuple[float, float, float], ...]


def thing(mesh: Mesh, kind: str, which: int, matrix: Floats) -> Thing:
    """Return an element of a mesh as it stands on the bench.

    Parameters
    ----------
    mesh : the body.
    kind, which : ``points``, ``edges`` or ``faces``, and the number of one.
    matrix : (4, 4) the body's place.
    """
    linear, shift = matrix[:3, :3], matrix[:3, 3]

    def put(points: Floats) -> Floats:
        return np.asarray(points @ linear.T + shift)

    if kind == "points":
        at = put(mesh.points[[which]])
        return Thing(kind, np.repeat(at, 3, axis=0)[None], None, lambda: (at, False))
    if kind == "edges":
        ends = mesh.connectivity.edges[which]
        a, b = put(mesh.points[ends])
        length = float(np.linalg.norm(b - a))

        def run() -> tuple[Floats, bool]:
            chain, closed = smooth_chain(mesh, which)
            return put(mesh.points[chain]), closed

        return Thing(kind, np.stack([a, b, b])[None], (b - a) / length if length > 0 else None, run)
    corners = mesh.corners[mesh.offsets[which] : mesh.offsets[which + 1]]
    tri = triangulate(mesh)
    first, last = np.searchsorted(tri.faces, [which, which + 1])
    triangles = put(mesh.points[mesh.corners[tri.corners[first:last]]].reshape(-1, 3)).reshape(-1, 3, 3)
    border = put(mesh.points[corners])
    normal = _facing(border)
    if float(np.linalg.det(linear)) < 0:
        normal = -normal
    area = float(
        np.linalg.norm(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1).sum() / 2
    )
    return Thing(kind, triangles, normal, lambda: (border, True), area)


def _facing(ring: Floats) -> Floats:
    rel = ring - ring[0]
    v = np.cross(rel, np.roll(rel, -1, axis=0)).sum(axis=0)
    length = float(np.linalg.norm(v))
    return np.asarray(v / length) if length > 0 else np.array([0.0, 0.0, 1.0])


def smooth_chain(mesh: Mesh, edge: int) -> tuple[list[int], bool]:
    """Return the points of the run of edges that goes on most straightly through an edge, and whether it closes.

    At every point the run takes the edge that turns least, as long as that is under 62° and no other turns nearly as little.
    """
    con = mesh.connectivity
    a, b = (int(p) for p in con.edges[edge])
    ahead, closed = _walk(mesh, edge, b, a)
    if closed:
        return [a, *ahead[:-1]], True
    back, _ = _walk(mesh, edge, a, b)
    return [*reversed(back), *ahead], False


def _walk(mesh: Mesh, edge: int, at: int, before: int) -> tuple[list[int], bool]:
    con, points = mesh.connectivity, mesh.points
    out = [at]
    first, last = before, edge
    for _ in range(con.n_edges):
        direction = points[at] - points[before]
        best, second, following = _BEND, math.inf, None
        for e in _edges_round(mesh, at):
            if e == last:
                continue
            u, v = (int(p) for p in con.edges[e])
            far = v if u == at else u
            d = points[far] - points[at]
            turn = math.atan2(float(np.linalg.norm(np.cross(direction, d))), float(direction @ d))
            if turn < best:
                best, second, following = turn, best if following is not None else math.inf, (e, far)
            else:
                second = min(second, turn)
        if following is None or second - best < 1e-3:
            return out, False
        last, before, at = following[0], at, following[1]
        out.append(at)
        if at == first:
            return out, True
        if last == edge:
            return out, False
    return out, False


def _edges_round(mesh: Mesh, point: int) -> list[int]:
    con = mesh.connectivity
    corners = con.point_corners[con.point_offsets[point] : con.point_offsets[point + 1]]
    out = {int(con.corner_edge[c]) for c in corners}
    for c in corners:  # and the edge that arrives
        face = int(mesh.corner_faces[c])
        low, high = int(mesh.offsets[face]), int(mesh.offsets[face + 1])
        out.add(int(con.corner_edge[c - 1 if c > low else high - 1]))
    return sorted(out)


def circle_through(points: Floats) -> Circle | None:
    """Return the circle that points lie on, or None when they lie on none.

    The plane is that of least squares; the circle is found algebraically in it (Kåsa 1976), which is exact for points that
    lie on one.
    """
    if len(points) < 4:
        return None
    middle = points.mean(axis=0)
    rel = points - middle
    scale = float(np.abs(rel).max())
    if not scale > 0:
        return None
    _, spread, axes = np.linalg.svd(rel / scale, full_matrices=False)
    if spread[1] < 1e-6 * spread[0]:
        return None  # on a line
    flat = rel @ axes[:2].T / scale
    a = np.column_stack([2 * flat, np.ones(len(flat))])
    solved, *_ = np.linalg.lstsq(a, (flat**2).sum(axis=1), rcond=None)
    radius = math.sqrt(max(float(solved[2] + solved[0] ** 2 + solved[1] ** 2), 0.0))
    off = np.abs(np.hypot(*(flat - solved[:2]).T) - radius)
    bent = np.abs(rel @ axes[2] / scale)
    if radius <= 0 or max(float(off.max()), float(bent.max())) > _ROUND * radius:
        return None
    return Circle(middle + (solved[0] * axes[0] + solved[1] * axes[1]) * scale, axes[2], radius * scale)


def readings(a: Thing, b: Thing | None = None, *, only: str | None = None) -> list[Reading]:
    """Return all that can be read of one element, or between two; what is asked for most stands first.

    With ``only``, what would take long and is not asked for is left out.
    """
    return _alone(a, only) if b is None else _between(a, b, only)


def _alone(a: Thing, only: str | None) -> list[Reading]:
    if a.kind == "points":
        return []
    out: list[Reading] = []
    run, closed = a.find_run() if only in (None, "loop", "radius") else (a.triangles.reshape(-1, 3)[:2], False)
    circle = circle_through(run)
    if a.kind == "edges":
        p, q = a.triangles[0, 0], a.triangles[0, 1]
        out.append(Reading("length", float(np.linalg.norm(q - p)), (_place(p), _place(q))))
        if len(run) > 2:
            ring = np.vstack([run, run[:1]]) if closed else run
            length = float(np.linalg.norm(np.diff(ring, axis=0), axis=1).sum())
            loop = Reading("loop", length, (_place(p), _place(q)))
            out = [loop, *out] if closed else [*out, loop]
    else:
        out.append(Reading("area", a.area, (_place(a.middle),)))
    if circle is not None:
        out.insert(0, Reading("radius", circle.radius, (_place(circle.centre), _place(run[0]))))
    return out


def _between(a: Thing, b: Thing, only: str | None) -> list[Reading]:
    squared, p, q = least_of_triangles(a.triangles, b.triangles)
    out = [Reading("distance", math.sqrt(max(squared, 0.0)), (_place(p), _place(q)))]
    circles = [circle_through(x.run) if only in (None, "centres") else None for x in (a, b)]
    if circles[0] is not None and circles[1] is not None:
        ends = [c.centre for c in circles if c is not None]
        out.append(Reading("centres", float(np.linalg.norm(ends[1] - ends[0])), (_place(ends[0]), _place(ends[1]))))
    if a.direction is None or b.direction is None:
        face, other = (a, b) if a.kind == "faces" else (b, a)
        if face.kind == "faces" and face.direction is not None:
            out.append(_square(face.direction, other.middle, face.middle))
        return out
    turn = math.atan2(float(np.linalg.norm(np.cross(a.direction, b.direction))), float(a.direction @ b.direction))
    parallel = min(turn, math.pi - turn) < _PARALLEL
    if a.kind == b.kind == "faces":
        angle = math.degrees(math.pi - turn)  # between the faces, through the body
        if parallel:
            out.insert(0, _square(a.direction, b.middle, a.middle))
    elif a.kind == b.kind:
        angle = math.degrees(min(turn, math.pi - turn))
        if parallel:
            rel = b.middle - a.middle
            foot = a.middle + a.direction * float(rel @ a.direction)
            out.insert(0, Reading("between", float(np.linalg.norm(b.middle - foot)), (_place(foot), _place(b.middle))))
    else:
        angle = abs(90.0 - math.degrees(turn))
        face, edge = (a, b) if a.kind == "faces" else (b, a)
        if angle < math.degrees(_PARALLEL) and face.direction is not None:
            out.insert(0, _square(face.direction, edge.middle, face.middle))
    if not parallel or a.kind != b.kind:
        out.append(Reading("angle", angle, _arms(a, b, angle)))
    return out


_FAR = 10.0
"""How many times as far off as the elements are apart the corner of an angle may lie to be drawn there."""


def _arms(a: Thing, b: Thing, angle: float) -> tuple[tuple[float, float, float], ...]:
    """Return the corner of an angle and the ends of two arms that stand by just that angle: in the faces, along the edges.

    Where two lines run past each other the corner lies in the middle between them. Where it would lie far away, or both in one
    line, it is put between the elements and the arms run to their middles.
    """
    between = (a.middle + b.middle) / 2
    plain = (_place(between), _place(a.middle), _place(b.middle))
    if a.direction is None or b.direction is None:
        return plain
    u, v = a.direction, b.direction
    line = np.cross(u, v)
    square = float(line @ line)
    rel = b.middle - a.middle
    if a.kind == b.kind == "faces":
        # on the line of both planes, nearest to the elements
        rows = np.array([u, v, line])
        corner = np.linalg.solve(rows, [u @ a.middle, v @ b.middle, line @ between]) if square > 1e-18 else between
        directions = [_across(t.middle - corner, line) for t in (a, b)]
    elif a.kind == b.kind:
        if square <= 1e-18:
            return plain
        on_a = a.middle + u * float(np.cross(rel, v) @ line) / square
        on_b = b.middle + v * float(np.cross(rel, u) @ line) / square
        corner = (on_a + on_b) / 2
        directions = [u, v]
    else:
        face, edge, normal, along = (a, b, u, v) if a.kind == "faces" else (b, a, v, u)
        slope = float(along @ normal)
        if abs(slope) < 1e-9:
            return plain
        corner = edge.middle + along * float((face.middle - edge.middle) @ normal) / slope
        flat = along - normal * slope
        flat = flat if float(flat @ flat) > 1e-18 else _across(face.middle - corner, normal)
        directions = [flat, along] if a is face else [along, flat]
    lengths = [float(np.linalg.norm(w)) for w in directions]
    reach = max(float(np.linalg.norm(t.middle - corner)) for t in (a, b))
    if min(lengths) < 1e-12 or reach > _FAR * max(float(np.linalg.norm(rel)), 1e-12):
        return plain
    one, two = directions[0] / lengths[0], directions[1] / lengths[1]
    # towards the elements, and by the angle that is told
    one = one if float(one @ (a.middle - corner)) >= 0 else -one
    if abs(math.degrees(math.acos(max(-1.0, min(1.0, float(one @ two))))) - angle) > 1e-3:
        two = -two
    return (_place(corner), _place(corner + reach * one), _place(corner + reach * two))


def _across(direction: Floats, line: Floats) -> Floats:
    """Return what of a way runs square to a line."""
    return np.asarray(direction - line * float(direction @ line) / max(float(line @ line), 1e-300))


def _square(normal: Floats, point: Floats, on: Floats) -> Reading:
    height = float((point - on) @ normal)
    return Reading("between", abs(height), (_place(point - normal * height), _place(point)))


def _place(p: Floats | tuple[float, float, float]) -> tuple[float, float, float]:
    return (float(p[0]), float(p[1]), float(p[2]))
