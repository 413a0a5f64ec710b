"""Bodies of turning: a section carried round an axis."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry._lathe import quad_walls, ring_points
from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.building import MeshBuilder
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.mesh import Mesh

__all__ = ["Section", "Turning", "count_faces", "round_axis", "turn", "widening"]


@dataclass(frozen=True, slots=True, eq=False)
class Section:
    """One run of a profile between places where it meets the axis.

    Attributes
    ----------
    points : (k, 2) float64 (distance from the axis, height along it); counter-clockwise round the
        body, so that faces come out outward.
    closed : whether the last point is joined to the first (a ring that keeps off the axis).
    bands : (group, chords) of the faces along the profile, first to last; all are ``walls`` without.
    """

    points: Floats
    closed: bool = False
    bands: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True, slots=True)
class Turning:
    """How a section is carried round.

    Attributes
    ----------
    angle : degrees, counter-clockwise seen from the tip of the axis; negative turns the other way.
    sides : flat sides over the whole angle.
    rise : mm along the axis over the whole angle.
    ends : what closes open discs and the sections of partial turns: ``flat_face``, ``fan``,
        ``rings`` or ``open``.
    end_rings : rings of a disc when ``ends`` is ``rings``.
    """

    angle: float = 360.0
    sides: int = 36
    rise: float = 0.0
    ends: str = "flat_face"
    end_rings: int = 2

    @property
    def closes(self) -> bool:
        """Whether the turn meets itself."""
        return abs(self.angle) == 360.0 and self.rise == 0.0


@dataclass(frozen=True, slots=True, eq=False)
class _Ring:
    """Numbers of the points that one profile point leaves on its way round."""

    first: int
    on_axis: bool


def widening(measured_across: str, angle: float, sides: int) -> float:
    """Return the factor from the profile's distance to the distance of the points.

    ``corners`` keeps it; ``flats`` puts the middles of the sides there, 1 / cos(π / n); ``round``
    gives each ring the area of its circle, √(2h / sin 2h) with h half the angle of a side.
    """
    half = math.radians(abs(angle)) / sides / 2
    if measured_across == "flats":
        return 1 / math.cos(half)
    if measured_across == "round":
        return math.sqrt(2 * half / math.sin(2 * half))
    return 1.0


def count_faces(sections: Sequence[Section], turning: Turning) -> int:
    """Return the number of faces :func:`turn` will make, without making them."""
    total = 0
    for s in sections:
        spans = len(s.points) - (0 if s.closed else 1)
        total += max(spans, 0) * turning.sides
        if turning.closes:
            open_ends = 0 if s.closed else int((s.points[[0, -1], 0] > 0).sum())
            per_disc = {"open": 0, "flat_face": 1, "fan": turning.sides}
            total += open_ends * per_disc.get(turning.ends, turning.sides * turning.end_rings)
        else:
            total += 0 if turning.ends == "open" else 2
    return total


def turn(sections: Sequence[Section], turning: Turning, step: str) -> Mesh:
    """Carry sections round Z and return the body.

    Groups: ``walls``, ``start_cap`` and ``end_cap`` (the discs at the profile's two ends of a whole
    turn, the two sections of a partial one). Profile points on the axis become one point, and
    their faces triangles; everything else is four-sided.
    """
    build = MeshBuilder(sum(4 * len(s.points) * turning.sides for s in sections))
    for section in sections:
        _turn_one(build, section, turning)
    return build.build(step)


def round_axis(mesh: Mesh, copies: int) -> Mesh:
    """Return a body without marks of edges that stands ``copies`` times round Z, evenly; all are of the same groups."""
    sine, cosine = sincos(360.0 * np.arange(copies) / copies)
    x, y, z = mesh.points.T
    points = np.empty((copies, mesh.n_points, 3))
    points[:, :, 0] = cosine[:, None] * x - sine[:, None] * y
    points[:, :, 1] = sine[:, None] * x + cosine[:, None] * y
    points[:, :, 2] = z
    number = np.arange(copies, dtype=np.int64)[:, None]
    ends = mesh.offsets[1:] + number * len(mesh.corners)
    return Mesh(
        points.reshape(-1, 3),
        (mesh.corners + number * mesh.n_points).ravel(),
        np.concatenate([[0], ends.ravel()]),
        lineage=mesh.lineage,
        face_lineage=None if mesh.face_lineage is None else np.tile(mesh.face_lineage, copies),
        uv=None if mesh.uv is None else np.tile(mesh.uv, (copies, 1)),
    )


def _turn_one(build: MeshBuilder, section: Section, turning: Turning) -> None:
    pts = section.points
    if not turning.closes and not section.closed:
        pts = _to_axis(pts, turning)
    n, k = turning.sides, len(pts)
    around = n if turning.closes else n + 1
    steps = np.arange(around) / n
    sine, cosine = sincos(turning.angle * steps)
    lift = turning.rise * steps
    if turning.angle < 0:  # run the same way round, from the far end back to +X
        sine, cosine, lift = sine[::-1], cosine[::-1], lift[::-1]
        if turning.closes:
            sine, cosine = np.roll(sine, 1), np.roll(cosine, 1)
    on_axis = (pts[:, 0] == 0) & (turning.rise == 0)

    places = np.empty((k, around, 3))
    if 4 * k * around > FEW:
        ring_points(*(np.ascontiguousarray(a, dtype=np.float64) for a in (pts, cosine, sine, lift)), places)
    else:
        np.multiply(pts[:, :1], cosine, out=places[:, :, 0])
        np.multiply(pts[:, :1], sine, out=places[:, :, 1])
        np.add(pts[:, 1:], lift, out=places[:, :, 2])
    first = np.zeros(k, dtype=np.int64)
    if on_axis.any():
        keep = np.ones((k, around), dtype=bool)
        keep[on_axis, 1:] = False
        number = np.cumsum(np.where(on_axis, 1, around))
        first[1:] = number[:-1]
        flat = places[keep]
    else:
        first = np.arange(k, dtype=np.int64) * around
        flat = places.reshape(-1, 3)
    base = build.add_points(flat)
    rings = [_Ring(int(base + f), bool(a)) for f, a in zip(first, on_axis, strict=True)]
    _walls(build, pts, rings, section, around, turning)
    if turning.ends == "open":
        return
    if turning.closes:
        if not section.closed:
            _disc(build, pts, rings[0], turning, "start_cap", at_start=True)
            _disc(build, pts, rings[-1], turning, "end_cap", at_start=False)
    else:
        _section_caps(build, pts, rings, around, turning)


def _to_axis(pts: Floats, turning: Turning) -> Floats:
    """Lead the open ends of a partial turn's profile to the axis, so that its sections close."""
    if turning.rise != 0 or turning.ends == "open":
        return pts
    parts = [pts]
    if pts[0, 0] > 0:
        parts.insert(0, np.array([[0.0, pts[0, 1]]]))
    if pts[-1, 0] > 0:
        parts.append(np.array([[0.0, pts[-1, 1]]]))
    return np.concatenate(parts)


def _walls(
    build: MeshBuilder, pts: Floats, rings: Sequence[_Ring], section: Section, around: int, turning: Turning
) -> None:
    close_section = section.closed or (turning.rise != 0 and turning.ends != "open")
    spans = len(rings) - (0 if close_section else 1)
    to = [(i + 1) % len(rings) for i in range(spans)]
    length = np.hypot(*(np.roll(pts, -1, axis=0) - pts).T)[:spans]
    v = np.concatenate([[0.0], np.cumsum(length)])
    v = v / (v[-1] or 1.0)
    v[-1] = 1.0
    first = 0
    for group, count in section.bands or (("walls", spans),):
        _band(build, [(rings[i], rings[to[i]]) for i in range(first, first + count)], v[first:], around, turning, group)
        first += count


def _band(
    build: MeshBuilder, pairs: Sequence[tuple[_Ring, _Ring]], v: Floats, around: int, turning: Turning, group: str
) -> None:
    """Put faces between pairs of rings: four-sided ones first, then the triangles at the axis."""
    n = turning.sides
    j = np.arange(n, dtype=np.int32)
    nxt = np.where(j + 1 < around, j + 1, 0).astype(np.int32)
    u = np.arange(n + 1) / n
    quads = np.array([i for i, (a, b) in enumerate(pairs) if not (a.on_axis or b.on_axis)], dtype=np.int64)
    if len(quads):
        low = np.array([pairs[i][0].first for i in quads], dtype=np.int32)[:, None]
        high = np.array([pairs[i][1].first for i in quads], dtype=np.int32)[:, None]
        corners, uv = build.room(len(quads) * n, 4, group)
        if len(quads) * n * 4 > FEW:
            quad_walls(low[:, 0], high[:, 0], n, around == n, u, v[quads], v[quads + 1], corners, uv)
        else:
            corners, uv = corners.reshape(-1, n, 4), uv.reshape(-1, n, 4, 2)
            corners[:, :, 0] = low + j
            corners[:, :, 1] = low + nxt
            corners[:, :, 2] = high + nxt
            corners[:, :, 3] = high + j
            uv[:, :, 0, 0] = uv[:, :, 3, 0] = u[:-1]
            uv[:, :, 1, 0] = uv[:, :, 2, 0] = u[1:]
            uv[:, :, 0, 1] = uv[:, :, 1, 1] = v[quads, None]
            uv[:, :, 2, 1] = uv[:, :, 3, 1] = v[quads + 1, None]
    middle = (u[:-1] + u[1:]) / 2
    for i, (a, b) in enumerate(pairs):
        if a.on_axis and not b.on_axis:
            corners3 = np.stack([np.full(n, a.first), b.first + nxt, b.first + j], axis=1)
            uv3 = np.stack([_uv(middle, v[i]), _uv(u[1:], v[i + 1]), _uv(u[:-1], v[i + 1])], axis=1)
            build.add_faces(corners3, uv3, group)
        elif b.on_axis and not a.on_axis:
            corners3 = np.stack([a.first + j, a.first + nxt, np.full(n, b.first)], axis=1)
            uv3 = np.stack([_uv(u[:-1], v[i]), _uv(u[1:], v[i]), _uv(middle, v[i + 1])], axis=1)
            build.add_faces(corners3, uv3, group)


def _uv(u: Array, v: Array) -> Floats:
    return np.stack(np.broadcast_arrays(np.asarray(u, dtype=np.float64), np.asarray(v, dtype=np.float64)), axis=-1)


def _disc(build: MeshBuilder, pts: Floats, ring: _Ring, turning: Turning, group: str, *, at_start: bool) -> None:
    """Close the round opening that an end of the profile off the axis leaves."""
    if ring.on_axis:
        return
    n = turning.sides
    j = np.arange(n)
    radius, height = pts[0 if at_start else -1]
    sine, cosine = sincos(360.0 * j / n)
    disc_uv = np.stack([0.5 + 0.5 * cosine, 0.5 + 0.5 * sine * (-1 if at_start else 1)], axis=1)
    winding = j[::-1] if at_start else j  # seen from outside, counter-clockwise
    if turning.ends == "flat_face":
        build.add_faces((ring.first + winding)[None], disc_uv[winding][None], group)
        return
    outer = ring.first + j
    outer_uv = disc_uv
    rings = turning.end_rings if turning.ends == "rings" else 1
    for r in range(rings - 1, 0, -1):
        share = r / rings
        flat = np.column_stack([radius * share * cosine, radius * share * sine, np.full(n, height)])
        inner = build.add_points(flat) + j
        inner_uv = 0.5 + (disc_uv - 0.5) * share
        a, b, c, d = outer, np.roll(outer, -1), np.roll(inner, -1), inner
        ua, ub, uc, ud = outer_uv, np.roll(outer_uv, -1, axis=0), np.roll(inner_uv, -1, axis=0), inner_uv
        order = (b, a, d, c) if at_start else (a, b, c, d)
        order_uv = (ub, ua, ud, uc) if at_start else (ua, ub, uc, ud)
        build.add_faces(np.stack(order, axis=1), np.stack(order_uv, axis=1), group)
        outer, outer_uv = inner, inner_uv
    centre = build.add_points([[0.0, 0.0, height]])
    a, b = outer, np.roll(outer, -1)
    ua, ub = outer_uv, np.roll(outer_uv, -1, axis=0)
    mid = np.full((n, 2), 0.5)
    corners = (b, a) if at_start else (a, b)
    corner_uv = (ub, ua) if at_start else (ua, ub)
    build.add_faces(np.stack([*corners, np.full(n, centre)], axis=1), np.stack([*corner_uv, mid], axis=1), group)


def _section_caps(build: MeshBuilder, pts: Floats, rings: Sequence[_Ring], around: int, turning: Turning) -> None:
    low, span = pts.min(axis=0), np.ptp(pts, axis=0)
    flat = (pts - low) / np.where(span > 0, span, 1)
    start = np.array([r.first for r in rings])
    stop = np.array([r.first + (0 if r.on_axis else around - 1) for r in rings])
    names = ("start_cap", "end_cap") if turning.angle > 0 else ("end_cap", "start_cap")
    build.add_faces(start[None], flat[None], names[0])
    mirrored = np.stack([1 - flat[::-1, 0], flat[::-1, 1]], axis=1)
    build.add_faces(stop[::-1][None], mirrored[None], names[1])
