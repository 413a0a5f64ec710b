"""Patches of faces made round: their border on a circle, what lies round them finished in four-sided faces."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.filling import ring_turns
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.rebuilding import Block, corners_of, rebuilt, uv_gradients
from jukai.core.geometry.regions import Region, circle_through, with_faces_round
from jukai.core.geometry.rings import disc, ring_between
from jukai.core.geometry.seats import Seat, room_about, roomiest, seat_of

__all__ = ["Asked", "Rounded", "round_patches"]

_SHARP = 30.0
"""Degrees by which a border's faces may turn from those beside, for its points to move."""
_ROOM = 0.8
"""Of the widest circle that has room within a border that stays, where no diameter is given."""
_MOST = 0.98
_CORNER = np.radians(40.0)
_LEAST_POINTS = 12
_LEAST_MOVED = 6
"""Points that a border must have for its own points to make the circle."""


@dataclass(frozen=True, slots=True)
class Asked:
    """How patches are wanted.

    Attributes
    ----------
    diameter : from the one that fits, mm; None for that one.
    points : on the circle; None for as many as the border has, or enough.
    clocking : degrees by which they are turned on.
    even : whether they are spread evenly; else as far apart as they were.
    flat : whether the circle lies in a plane; else on the surface.
    height : mm over the seat.
    four_sided, within : whether the ring, and the disc within, are made of four-sided faces; else one face each.
    """

    diameter: Callable[[float], float] | None
    points: int | None
    clocking: float
    even: bool
    flat: bool
    height: float
    ring_in_fours: bool
    disc_in_fours: bool


@dataclass(slots=True)
class Rounded:
    """What became of one region.

    Attributes
    ----------
    fit, diameter : that which would fit, and that which was made, mm.
    limit : the most that has room, where more was asked for.
    circle : (n, 3) its points.
    centre, normal, clock : the middle, the way it looks, and the direction of clocking 0.
    threes : faces of three sides that the ring took.
    """

    fit: float
    diameter: float
    limit: float | None
    circle: Floats
    centre: Floats
    normal: Floats
    clock: Floats
    threes: int = 0


@dataclass(slots=True)
class _Work:
    """What is being put together."""

    mesh: Mesh
    places: Floats
    gone: Bools
    blocks: list[tuple[str, Array, Array, Array]] = field(default_factory=list)  # group, corners (f, s), parents, -
    added: list[Floats] = field(default_factory=list)
    source: list[int] = field(default_factory=list)

    @property
    def next(self) -> int:
        return self.mesh.n_points + sum(len(a) for a in self.added)

    def add(self, points: Floats, source: int) -> Array:
        first = self.next
        self.added.append(points)
        self.source += [source] * len(points)
        return first + np.arange(len(points))


def round_patches(
    mesh: Mesh, regions: list[Region], asked: Asked, step: str, *, finish: str | None, told: Callable[[float], None]
) -> tuple[Mesh, list[Rounded]]:
    """Make each region a round patch. Groups: ``patch`` and ``border`` (the ring round it).

    Where the border's neighbours go on smoothly and it has as many points as are wanted, its points move onto the circle, and
    the faces beside follow. Else the circle is set within: in the faces beside too, where these go on smoothly and are no
    other patch's, and in the picked ones alone if not; what lies between is a ring.
    """
    work = _Work(mesh, np.array(mesh.points), np.zeros(mesh.n_faces, dtype=bool))
    normals = face_normals(mesh)
    shared = np.zeros(mesh.n_points, dtype=np.int64)
    claimed = np.zeros(mesh.n_faces, dtype=np.int64)
    round_about = []
    for r in regions:
        work.gone[r.faces] = True
        claimed[r.faces] += 1
        shared[r.border] += 1
    for r in regions:
        round_about.append(_beside(mesh, r, normals))
        claimed[round_about[-1][0]] += 1
    out = []
    for i, (r, (beside, smooth)) in enumerate(zip(regions, round_about, strict=True)):
        told(0.1 + 0.8 * i / len(regions))
        seat = seat_of(mesh, r, beside if smooth else np.zeros(0, np.int64))
        moves = smooth and not (shared[r.border] > 1).any() and not work.gone[beside].any()
        made = None
        if moves and asked.points in (None, len(r.border)) and len(r.border) >= _LEAST_MOVED:
            made = _moved_border(work, r, seat, asked, beside)
        if made is None:
            # neighbours alike: none of them takes the faces that lie between
            wide = with_faces_round(mesh, r, beside) if moves and (claimed[beside] == 1).all() else None
            if wide is not None and not (
                _all_smooth(wide, normals) and _star_shaped(work, r, wide, seat) and not (shared[wide.border] > 0).any()
            ):
                wide = None
            made = _within(work, r, wide, seat, asked)
            if wide is not None:
                work.gone[wide.faces] = True
                shared[wide.border] += 1
        out.append(made)
    return _assembled(work, step, finish), out


def _beside(mesh: Mesh, r: Region, normals: Floats) -> tuple[Array, bool]:
    """Return the faces round a region, by points too, and whether its border is smooth: no rim, no sharp edge."""
    con = mesh.connectivity
    among = np.zeros(mesh.n_faces, dtype=bool)
    among[r.faces] = True
    corner = np.concatenate(
        [con.point_corners[con.point_offsets[p] : con.point_offsets[p + 1]] for p in r.border.tolist()]
    )
    near = np.unique(mesh.corner_faces[corner])
    near = near[~among[near]]
    sides = corners_of(mesh, r.faces)
    twin = con.twins[sides]
    at_border = (twin < 0) | ~among[mesh.corner_faces[np.maximum(twin, 0)]]
    if (twin[at_border] < 0).any():
        return near, False
    a, b = mesh.corner_faces[sides[at_border]], mesh.corner_faces[twin[at_border]]
    return near, bool(((normals[a] * normals[b]).sum(axis=1) > np.cos(np.radians(_SHARP))).all())


def _angles(flat: Floats, centre: Floats) -> Floats:
    rel = flat - centre
    return np.asarray(np.unwrap(np.arctan2(rel[:, 1], rel[:, 0])))


def _start(angle: Floats, ideal: Floats) -> float:
    """Return the turn of ``ideal`` angles that brings them nearest to ``angle``."""
    off = angle - ideal
    return float(np.arctan2(np.sin(off).mean(), np.cos(off).mean()))


def _circle(seat: Seat, centre: Floats, radius: float, angle: Floats, asked: Asked) -> tuple[Floats, Floats]:
    """Return (n, 3) points of a circle on the seat and its middle."""
    flat = centre + radius * np.column_stack([np.cos(angle), np.sin(angle)])
    if asked.flat:
        return seat.raised(flat, asked.height), seat.raised(centre[None], asked.height)[0]
    heights = seat.on_surface(np.concatenate([flat, centre[None]])) + asked.height
    return seat.raised(flat, heights[:-1]), seat.raised(centre[None], heights[-1:])[0]


def _moved_border(work: _Work, r: Region, seat: Seat, asked: Asked, beside: Array) -> Rounded | None:
    """Move a border onto its circle; None where the faces beside would turn over even on the one that fits."""
    mesh = work.mesh
    m = len(r.border)
    flat = seat.flat(mesh.points[r.border])
    centre, radius = circle_through(flat)
    angle = _angles(flat, centre)
    if angle[-1] - angle[0] < 0 or not (np.diff(angle) > 0).all() or angle[-1] - angle[0] >= 2 * np.pi:
        return None  # it does not run once round the middle
    if asked.even:
        ideal = 2 * np.pi * np.arange(m) / m
        angle = ideal + _start(angle, ideal)
    clock = seat.axes[0] * np.cos(angle[0]) + seat.axes[1] * np.sin(angle[0])
    angle = angle + np.radians(asked.clocking)
    fit = 2 * radius
    wanted = fit if asked.diameter is None else asked.diameter(fit)
    _refuse_small(wanted, mesh)
    before = _normals_of(mesh, mesh.points, beside)

    def places(diameter: float) -> Floats:
        out = work.places.copy()
        out[r.border] = _circle(seat, centre, diameter / 2, angle, asked)[0]
        return out

    def holds(diameter: float) -> bool:
        after = _normals_of(mesh, places(diameter), beside)
        return bool(((before * after).sum(axis=1) > 0).all()) and _convex_enough(mesh, places(diameter), beside, after)

    limit = None
    if not holds(wanted):
        low = fit if holds(fit) else None
        if low is None:
            return None
        high = wanted
        for _ in range(30):
            middle = (low + high) / 2
            low, high = (middle, high) if holds(middle) else (low, middle)
        limit = wanted = fit + _MOST * (low - fit)
    work.places = places(wanted)
    circle, at = _circle(seat, centre, wanted / 2, angle, asked)
    _fill(work, r, r.border, circle, seat, asked)
    return Rounded(fit, wanted, limit, circle, at, seat.axes[2], clock)


def _place(p: Floats) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def _refuse_small(diameter: float, mesh: Mesh) -> None:
    if not diameter > 1e-9 * mesh.size:
        raise ValueProblem(
            f"A diameter of {diameter:.4g} mm leaves no patch.",
            field="diameter",
            hint="Above 0; fit is the one that fits.",
        )


def _normals_of(mesh: Mesh, points: Floats, faces: Array) -> Floats:
    corner = corners_of(mesh, faces)
    p = points[mesh.corners[corner]]
    sides = mesh.sides[faces].astype(np.int64)
    starts = np.cumsum(sides) - sides
    ahead = np.arange(1, len(corner) + 1)
    ahead[starts + sides - 1] = starts
    first = np.repeat(p[starts], sides, axis=0)
    return np.asarray(np.add.reduceat(np.cross(p - first, p[ahead] - first), starts, axis=0))


def _convex_enough(mesh: Mesh, points: Floats, faces: Array, normals: Floats) -> bool:
    """Return whether no corner of the faces is hollow that was not."""
    corner = corners_of(mesh, faces)
    sides = mesh.sides[faces].astype(np.int64)
    starts = np.cumsum(sides) - sides
    ahead = np.arange(1, len(corner) + 1)
    ahead[starts + sides - 1] = starts
    row = np.repeat(np.arange(len(faces)), sides)

    def turns(at: Floats) -> Floats:
        p = at[mesh.corners[corner]]
        step = p[ahead] - p
        return np.asarray((np.cross(step, step[ahead]) * normals[row]).sum(axis=1))

    before, after = turns(mesh.points), turns(points)
    return bool((after[before > 0] > 0).all())


def _star_shaped(work: _Work, r: Region, wide: Region, seat: Seat) -> bool:
    """Return whether all of a border is seen from the middle of the patch."""
    centre = circle_through(seat.flat(work.mesh.points[r.border]))[0]
    turn = np.diff(_angles(seat.flat(work.places[np.append(wide.border, wide.border[0])]), centre))
    return bool((turn > 0).all() and abs(float(turn.sum()) - 2 * np.pi) < 1e-6)


def _all_smooth(r: Region, normals: Floats) -> bool:
    """Return whether all faces of a region look about the same way."""
    way = normals[r.faces].sum(axis=0)
    way /= max(float(np.linalg.norm(way)), 1e-300)
    return bool((normals[r.faces] @ way > np.cos(np.radians(2 * _SHARP))).all())


def _within(work: _Work, r: Region, wide: Region | None, seat: Seat, asked: Asked) -> Rounded:
    """Set a circle within a border that stays: that of the region, or of the one with the faces round it."""
    mesh = work.mesh
    outer = r if wide is None else wide
    loop = work.places[outer.border]
    flat, own = seat.flat(loop), seat.flat(mesh.points[r.border])
    centre, radius = circle_through(own)
    room = room_about(flat, centre)
    if wide is None or room < radius:
        centre = roomiest(flat, centre)
        room = room_about(flat, centre)
        fit = 2 * _ROOM * room if wide is None else 2 * min(radius, _ROOM * room)
    else:
        fit = 2 * radius
    if not room > 1e-9 * mesh.size:
        raise ValueProblem("The border runs through its own middle: no circle has room.", field="pick", hint="Pick a rounder patch.",
                           places=[_place(loop[0])])  # fmt: skip
    wanted = fit if asked.diameter is None else asked.diameter(fit)
    _refuse_small(wanted, mesh)
    limit = None
    if wanted > 2 * _MOST * room:
        limit = wanted = 2 * _MOST * room
    k = len(outer.border)
    n = asked.points or (k if k >= 8 else k * (2 * int(np.ceil((_LEAST_POINTS / k - 1) / 2)) + 1))
    turn = ring_turns(np.column_stack([flat, np.zeros(k)]), np.array([0.0, 0.0, 1.0]))
    corners = np.flatnonzero(turn > _CORNER)
    lone = _apart(corners, k) if k - 2 * len(corners) == n else np.zeros(0, dtype=np.int64)
    angle = 2 * np.pi * np.arange(n) / n
    rungs = _rungs(flat, centre, n, lone)
    angle = angle + _start(_angles(flat, centre)[rungs[0]], angle[rungs[1] % n])
    clock = seat.axes[0] * np.cos(angle[0]) + seat.axes[1] * np.sin(angle[0])
    angle = angle + np.radians(asked.clocking)
    circle, middle = _circle(seat, centre, wanted / 2, angle, asked)
    numbers = work.add(circle, int(r.border[0]))
    if asked.ring_in_fours:
        ring = ring_between(loop, circle, lone)
        fresh = ring.points
        if len(fresh) and not asked.flat:
            at = seat.flat(fresh)
            fresh = seat.raised(at, seat.on_surface(at))
        extra = work.add(fresh, int(r.border[0]))
        number = np.concatenate([outer.border, numbers, extra])
        for rows in (ring.fours, ring.threes):
            if len(rows):
                work.blocks.append(("border", number[rows], outer.faces, seat.axes[2]))
        threes = len(ring.threes)
    else:
        threes = _two_halves(work, outer, numbers, flat, seat.flat(circle), seat)
    _fill(work, outer, numbers, circle, seat, asked)
    return Rounded(fit, wanted, limit, circle, middle, seat.axes[2], clock, threes)


def _two_halves(work: _Work, outer: Region, numbers: Array, flat: Floats, circle: Floats, seat: Seat) -> int:
    """Leave as few faces round a circle as can be: a ring is no polygon, so it is two."""
    n, k = len(numbers), len(flat)
    gap = np.linalg.norm(flat[:, None] - circle[None], axis=2)
    a = int(np.argmin(gap.min(axis=1)))
    p = int(np.argmin(gap[a]))
    b, q = (a + k // 2) % k, (p + n // 2) % n
    for (o0, o1), (i0, i1) in (((a, b), (p, q)), ((b, a), (q, p))):
        out = [(o0 + j) % k for j in range((o1 - o0) % k + 1)]
        inn = [(i0 + j) % n for j in range((i1 - i0) % n + 1)]
        face = np.concatenate([outer.border[out], numbers[inn[::-1]]])
        work.blocks.append(("border", face[None], outer.faces, seat.axes[2]))
    return 0


def _apart(corners: Array, k: int) -> Array:
    """Return corners if no two of them are neighbours, else none."""
    gaps = np.diff(np.append(corners, corners[:1] + k))
    return corners if len(corners) and (gaps > 1).all() else np.zeros(0, dtype=np.int64)


def _rungs(flat: Floats, centre: Floats, n: int, lone: Array) -> tuple[Array, Array]:
    """Return which outer points have a rung, and to which point of the circle, as ``ring_between`` lays them."""
    k = len(flat)
    outer = np.column_stack([flat, np.zeros(k)])
    angle = 2 * np.pi * np.arange(n) / n
    first = _angles(flat, centre)[0]
    inner = np.column_stack([np.cos(angle + first), np.sin(angle + first), np.zeros(n)]) * 1e-3
    ring = ring_between(outer, inner, lone)
    pairs = np.concatenate(
        [np.stack([f, np.roll(f, -1, axis=1)], axis=2).reshape(-1, 2) for f in (ring.fours, ring.threes) if len(f)]
    )
    pairs = np.sort(pairs, axis=1)
    direct = np.unique(pairs[(pairs[:, 0] < k) & (pairs[:, 1] >= k) & (pairs[:, 1] < k + n)], axis=0)
    if not len(direct):
        return np.array([0]), np.array([0])
    return direct[:, 0], direct[:, 1] - k


def _fill(work: _Work, r: Region, numbers: Array, circle: Floats, seat: Seat, asked: Asked) -> None:
    """Fill a circle."""
    if not asked.disc_in_fours or len(circle) <= 4:
        work.blocks.append(("patch", numbers[None], r.faces, seat.axes[2]))
        return
    inner, fours, threes = disc(circle)
    if not asked.flat and len(inner):
        flat = seat.flat(inner)
        inner = seat.raised(flat, seat.on_surface(flat) + asked.height)
    number = np.concatenate([numbers, work.add(inner, int(r.border[0]))])
    for rows in (fours, threes):
        if len(rows):
            work.blocks.append(("patch", number[rows], r.faces, seat.axes[2]))


def _assembled(work: _Work, step: str, finish: str | None) -> Mesh:
    mesh = work.mesh
    added = np.concatenate(work.added) if work.added else np.zeros((0, 3))
    points = np.concatenate([work.places, added])
    middles = np.add.reduceat(mesh.points[mesh.corners], mesh.offsets[:-1], axis=0) / mesh.sides[:, None]
    blocks = []
    for group in ("patch", "border"):
        for name, corners, faces, _ in work.blocks:
            if name != group:
                continue
            centre = points[corners].mean(axis=1)
            parent = faces[np.argmin(((centre[:, None] - middles[faces][None]) ** 2).sum(axis=2), axis=1)]
            uv = None
            if mesh.uv is not None:
                gradient = uv_gradients(mesh, parent)
                corner = corners_of(mesh, parent)
                sides = mesh.sides[parent].astype(np.int64)
                base = np.add.reduceat(mesh.uv[corner], np.cumsum(sides) - sides, axis=0) / sides[:, None]
                rel = points[corners] - middles[parent][:, None]
                uv = np.clip(base[:, None] + np.einsum("nij,nkj->nki", gradient, rel), 0.0, 1.0)
            blocks.append(Block.of(corners, group, parent, uv, finish if group == "patch" else None))
    return rebuilt(
        mesh, step, keep=~work.gone, added=added, source=np.array(work.source, dtype=np.int64), blocks=_merged(blocks), places=work.places
    )  # fmt: skip


def _merged(blocks: list[Block]) -> list[Block]:
    """Return blocks of the same group as one: each makes rows of history, and one is enough."""
    out = []
    for group in ("patch", "border"):
        some = [b for b in blocks if b.group == group]
        if some:
            uv = np.concatenate([b.uv for b in some]) if some[0].uv is not None else None
            out.append(
                Block(
                    np.concatenate([b.corners for b in some]), np.concatenate([b.sides for b in some]), group,
                    np.concatenate([b.parents for b in some]), uv, some[0].finish,
                )
            )  # fmt: skip
    return out
