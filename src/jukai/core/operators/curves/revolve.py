"""Turning a profile round an axis."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.crossings import polyline_crossing
from jukai.core.geometry.frames import Frame
from jukai.core.geometry.lathe import Section, Turning, count_faces, round_axis, turn, widening
from jukai.core.geometry.triangulation import with_short_diagonals
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Point,
    Result,
    chord_sides,
    operator,
    points_of,
    three,
)
from jukai.core.operators.inputs import AxisSpec, CurveInput
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.axis import axis
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.length import length
from jukai.core.operators.sections import corner_notes, shared_out

__all__ = ["Values", "revolve"]


_LEAST_ANGLE = 1e-4
"""Degrees below which the two ends of a part turn can't be told apart in what is drawn and written."""


class Values(OperatorValues):
    """A body of turning."""

    profile: CurveInput = curve("What is turned: (distance from the axis, height along it).")
    axis: AxisSpec = axis("What it is turned about.", default=AxisSpec("z"))
    angle: float = angle(
        "How far it is turned; counter-clockwise seen from the tip of the axis.", default=360.0, ge=-36_000, le=36_000
    )
    sides: int | None = count(
        "Faces around, over the whole angle.", otherwise="as many as the chord tolerance asks for", ge=1, le=1_000_000
    )
    measured_across: str = choice("Where the profile's distance from the axis is found.", (("corners", "the corners"), ("flats", "the flats"), ("round", "a circle of equal area")))  # fmt: skip
    copies: int = count("How many times it stands round the axis, evenly.", default=1, ge=1, le=10_000)
    rise: float = length("How much it has risen along the axis at the end.", default=0.0, ge=-1e6, le=1e6)
    rows: int | None = count(
        "Faces along the profile; at least one for each of its chords.",
        otherwise="so that faces come out near square",
        ge=1,
        le=1_000_000,
    )
    ends: str = choice("What closes an open profile, or the two sections of a partial turn.", (("flat_face", "flat faces"), ("fan", "fans"), ("rings", "rings"), ("open", "left open")))  # fmt: skip


@operator(
    id="revolve",
    kind=Kind.BLANK,
    values=Values,
    name="Turn",
    sentence="Turn {profile} about {axis} through {angle} in {sides} sides",
    quiet="Measured across {measured_across}, rising {rise}, in {rows} rows; {copies} of it round the axis; ends {ends}.",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("spin", "lathe", "revolve", "rotate profile", "solid of revolution"),
    example=Example(
        (("revolve", {"profile": "c1", "sides": 24, "rows": 1}),),
        profile=(
            {"at": [0, 0]},
            {"at": [12, 0]},
            {"at": [12, 5], "fillet": 2},
            {"at": [5, 10]},
            {"at": [8, 26], "join": "smooth"},
            {"at": [6, 34]},
            {"at": [10, 40]},
            {"at": [0, 40]},
        ),
    ),
)
def revolve(values: Values, context: Context) -> Result:
    """Turn a profile round an axis.

    Notes
    -----
    The volume of a whole turn of n sides is that of Pappus and Guldinus times n sin(2π/n) / 2π.
    """
    notes: list[Note] = []
    profile = _checked(values.profile)
    degrees = values.angle
    if abs(degrees) < _LEAST_ANGLE:
        raise ValueProblem(
            f"Turned through {degrees:g}° there is no body.",
            field="angle",
            hint=f"{_LEAST_ANGLE:g}° is the least; 360° turns it all the way round.",
        )
    if abs(degrees) > 360 and values.rise == 0:
        notes.append(
            Note(
                "warning",
                f"Turned through {degrees:g}° without a rise it would run into itself; turned through 360°.",
                field="angle",
            )
        )
        degrees = math.copysign(360.0, degrees)
    profile = _counter_clockwise(profile, closed=values.profile.sampled.closed, rises=values.rise != 0)
    if values.ends != "open" and not values.profile.sampled.closed:
        _refuse_crossed_closing(profile, rises=values.rise != 0)
    reach = float(profile[:, 0].max())
    extent = max(2 * reach, float(np.ptp(profile[:, 1])))
    sides = values.sides or chord_sides(reach, extent, degrees)
    if abs(degrees) == 360 and values.rise == 0 and sides < 3:
        raise ValueProblem(f"A whole turn in {sides} sides has no inside.", field="sides", hint="3 is the least.")
    if abs(degrees) / sides >= 180:
        raise ValueProblem(f"Each of the {sides} sides would turn by {abs(degrees) / sides:g}°.", field="sides",
                           hint=f"Take {math.floor(abs(degrees) / 180) + 1} or more.")  # fmt: skip
    wide = profile * [widening(values.measured_across, degrees, sides), 1.0]
    closed = values.profile.sampled.closed
    sections = _sections(wide, closed=closed, degrees=degrees, sides=sides, values=values, notes=notes)
    turning = Turning(degrees, sides, values.rise, values.ends, end_rings=2)
    copies = _copies(values, degrees, notes)
    context.afford(copies * count_faces(sections, turning), field="sides")
    context.checkpoint(0.1)
    mesh = turn(sections, turning, context.step)
    if values.rise:
        mesh = with_short_diagonals(mesh)
    if copies > 1:
        mesh = round_axis(mesh, copies)
    _warn_of_overlap(profile, degrees, values.rise, copies, notes)
    notes += corner_notes(values.profile, lambda at: (float(at[0]), 0.0, float(at[1])))
    frame = values.axis.frame()
    mesh = mesh if frame.plain else mesh.with_points(frame.to_bench(mesh.points))
    used = {"sides": sides, "rows": sum(len(s.points) - (not s.closed) for s in sections)}
    return Result(
        mesh,
        tuple(notes),
        _callouts(values, frame, extent, degrees, sides),
        used,
        axis=(frame.origin, frame.direction),
        turned=abs(degrees) >= 360 and values.rise == 0,
    )


def _checked(profile: CurveInput) -> Floats:
    """Return the sampled profile, or refuse one that can't be turned, naming the place."""
    pts, closed = profile.sampled.points, profile.sampled.closed
    if len(pts) < (3 if closed else 2):
        raise ValueProblem(f"The profile '{profile.name}' has {len(profile.shape.at)} points.", field="profile",
                           hint="An open one needs two, a closed one three.")  # fmt: skip
    size = float(np.ptp(pts, axis=0).max())
    across = np.where(np.abs(pts[:, 0]) <= 1e-9 * size, 0.0, pts[:, 0])
    if not (across != 0).any():
        raise ValueProblem(
            f"The profile '{profile.name}' lies on the axis.", field="profile", hint="Move a point away from it."
        )
    if across.max() <= 0:
        across = -across  # drawn on the other side of the axis: the same body
    if across.min() < 0:
        at = pts[int(np.argmin(across))]
        raise ValueProblem(f"The profile '{profile.name}' crosses the axis at ({at[0]:.4g}, {at[1]:.4g}).", field="profile",
                           hint="Keep all its points on one side of the axis.", places=[(at[0], 0.0, at[1])])  # fmt: skip
    pts = np.column_stack([across, pts[:, 1]])
    crossing = polyline_crossing(pts, closed=closed)
    if crossing is not None:
        _, _, at = crossing
        raise ValueProblem(f"The profile '{profile.name}' crosses itself at ({at[0]:.4g}, {at[1]:.4g}).", field="profile",
                           hint="Move the points there apart.", places=[(at[0], 0.0, at[1])])  # fmt: skip
    return pts


def _counter_clockwise(pts: Floats, *, closed: bool, rises: bool) -> Floats:
    """Return the profile so that it runs counter-clockwise round the body's section."""
    ring = pts if closed or rises else np.concatenate([pts, [[0.0, pts[-1, 1]], [0.0, pts[0, 1]]]])
    x, y = ring[:, 0] - ring[0, 0], ring[:, 1] - ring[0, 1]
    double_area = float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
    if abs(double_area) <= 1e-12 * float(np.ptp(ring, axis=0).max()) ** 2:
        raise ValueProblem("The profile encloses no area with the axis.", field="profile", hint="Give it a height.")
    return pts if double_area > 0 else pts[::-1]


def _refuse_crossed_closing(pts: Floats, *, rises: bool) -> None:
    """Refuse an open profile whose closing discs, or with a rise whose closing line, run through it."""
    if rises:
        crossing = polyline_crossing(pts, closed=True)
        at = None if crossing is None else crossing[2]
        what = "The line that closes the profile"
    else:
        at = _on_disc(pts)
        if at is None:
            at = _on_disc(pts[::-1])
        what = "The disc that closes the profile"
    if at is not None:
        raise ValueProblem(f"{what} runs through it at ({at[0]:.4g}, {at[1]:.4g}).", field="profile",
                           hint="Lead the profile to the axis, or draw it closed.", places=[(at[0], 0.0, at[1])])  # fmt: skip


def _on_disc(pts: Floats) -> Floats | None:
    """Return where a profile meets the disc that reaches from its first point to the axis, if it does."""
    reach, level = pts[0]
    eps = 1e-9 * float(np.ptp(pts, axis=0).max())
    if reach <= eps:
        return None
    p, q = pts[1:-1], pts[2:]  # the first chord only leaves from the disc's edge, if it does not run along it
    a, b = p[:, 1] - level, q[:, 1] - level
    flat = (np.abs(a) <= eps) & (np.abs(b) <= eps)
    share = np.where(flat, 0.0, a / np.where(a == b, 1.0, a - b))
    across = p[:, 0] + share * (q[:, 0] - p[:, 0])
    meets = ((share >= -1e-12) & (share <= 1 + 1e-12) & ~flat & (np.abs(a - b) > 0)) | flat
    inside = np.where(flat, np.minimum(p[:, 0], q[:, 0]), across)
    hit = meets & (inside < reach + eps) & (np.where(flat, np.maximum(p[:, 0], q[:, 0]), across) > eps)
    first = pts[1]
    if abs(first[1] - level) <= eps and first[0] < reach:
        return np.array([first[0], level])  # the profile itself runs inward along the disc
    if not hit.any():
        return None
    k = int(np.argmax(hit))
    return np.array([across[k], level])


@dataclass(slots=True)
class _Plan:
    """What cutting a profile into rows goes by."""

    values: Values
    degrees: float
    sides: int
    notes: list[Note]
    length: float

    def rows(self, run: Floats, *, closed: bool) -> Floats:
        """Cut the chords of a run so that faces come out near square, or into the rows asked for."""
        to = np.roll(run, -1, axis=0) if closed else run[1:]
        start = run if closed else run[:-1]
        cuts = self.near_square(start, to) if self.values.rows is None else self.as_asked(start, to, self.values.rows)
        steps = np.repeat(np.arange(len(cuts)), cuts)
        share = (np.arange(len(steps)) - np.repeat(np.cumsum(cuts) - cuts, cuts)) / cuts[steps]
        rows = start[steps] + (to - start)[steps] * share[:, None]
        return rows if closed else np.concatenate([rows, run[-1:]])

    def near_square(self, start: Floats, to: Floats) -> np.ndarray:
        # only height is cut: a flat disc needs no rings, a wall that is to be deformed needs rows
        width = np.maximum(start[:, 0], to[:, 0]) * math.radians(abs(self.degrees)) / self.sides
        cuts = np.maximum(1, np.rint(np.abs(to[:, 1] - start[:, 1]) / np.maximum(width, 1e-300)))
        return np.minimum(cuts, max(1, min(10_000, 2_000_000 // self.sides))).astype(np.int64)

    def as_asked(self, start: Floats, to: Floats, rows: int) -> np.ndarray:
        lengths = np.hypot(*(to - start).T)
        if rows < len(lengths):
            text = f"{rows} rows are fewer than the profile's {len(lengths)} chords; each of them has a row."
            self.notes.append(Note("info", text, field="rows"))
        return shared_out(lengths, max(len(lengths), round(rows * float(lengths.sum()) / self.length)))


def _sections(
    pts: Floats, *, closed: bool, degrees: float, sides: int, values: Values, notes: list[Note]
) -> list[Section]:
    """Cut the profile into runs between places on the axis, and each run into rows."""
    on = pts[:, 0] == 0
    if values.rise != 0 and on.any():
        at = pts[int(np.argmax(on))]
        raise ValueProblem(
            f"With a rise the profile must keep off the axis; it touches it at height {at[1]:.4g}.",
            field="rise",
            hint="Set the rise to 0, or move that point away from the axis.",
            places=[(0.0, 0.0, at[1])],
        )
    ends = pts[[*range(len(pts)), 0]] if closed else pts
    plan = _Plan(values, degrees, sides, notes, float(np.hypot(*np.diff(ends, axis=0).T).sum()))
    if closed:
        if not on.any():
            return [Section(plan.rows(pts, closed=True), closed=True)]
        first = int(np.argmax(on))
        pts = np.concatenate([np.roll(pts, -first, axis=0), pts[first : first + 1]])
        on = pts[:, 0] == 0
    cuts = [0, *(int(i) for i in np.flatnonzero(on) if 0 < i < len(pts) - 1), len(pts) - 1]
    runs = [pts[a : b + 1] for a, b in pairwise(cuts)]
    # a run along the axis has no surface
    out = [Section(plan.rows(r, closed=False)) for r in runs if len(r) > 2 or r[:, 0].any()]
    if len(out) > 1:
        out = _each_outward(out)
        notes.append(Note("info", f"The profile touches the axis between its ends: {len(out)} bodies."))
    return out


def _each_outward(sections: list[Section]) -> list[Section]:
    """Return runs between places on the axis so that each body looks outward, and a hollow in another one inward.

    Each run, closed along the axis, is a ring; one that lies inside an odd number of others bounds a hollow.
    """
    rings = [np.concatenate([s.points, [[0.0, s.points[-1, 1]], [0.0, s.points[0, 1]]]]) for s in sections]
    out = []
    for i, (section, ring) in enumerate(zip(sections, rings, strict=True)):
        x, y = ring[:, 0], ring[:, 1] - ring[0, 1]
        turns = float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
        spot = section.points[int(np.argmax(section.points[:, 0]))]
        depth = sum(_inside(spot, other) for k, other in enumerate(rings) if k != i)
        out.append(section if (turns > 0) == (depth % 2 == 0) else Section(section.points[::-1]))
    return out


def _inside(spot: Floats, ring: Floats) -> bool:
    """Return whether a place lies in a ring, by the sides that a ray to the right crosses."""
    a, b = ring, np.roll(ring, -1, axis=0)
    over = (a[:, 1] > spot[1]) != (b[:, 1] > spot[1])
    rise = np.where(over, b[:, 1] - a[:, 1], 1.0)
    across = a[:, 0] + (spot[1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / rise
    return bool((over & (across > spot[0])).sum() % 2)


def _copies(values: Values, degrees: float, notes: list[Note]) -> int:
    """Return how many copies there is room for round the axis, or refuse those that run into each other."""
    copies, turns = values.copies, abs(degrees) / 360
    if copies == 1 or values.rise != 0:
        return copies
    if turns == 1:
        notes.append(Note("info", "A whole turn leaves no room for copies beside it.", field="copies"))
        return 1
    if copies * turns > 1 + 1e-12:
        raise ValueProblem(
            f"{copies} copies of {abs(degrees):g}° are more than a whole turn: they would run into each other.", field="copies",
            hint=f"{math.floor(1 / turns)} have room, or {360 / copies:.4g}° each.",
        )  # fmt: skip
    if copies * turns > 1 - 1e-12:
        notes.append(Note("warning", f"{copies} copies of {abs(degrees):g}° touch each other: less of an angle keeps them apart.", field="copies"))  # fmt: skip
    return copies


def _warn_of_overlap(pts: Floats, degrees: float, rise: float, copies: int, notes: list[Note]) -> None:
    if rise != 0 and copies * abs(degrees) > 360:
        each = abs(rise) * 360 / abs(degrees) / copies
        height = float(np.ptp(pts[:, 1]))
        if each < height:
            what = "a turn" if copies == 1 else "from copy to copy"
            text = f"It rises by {each:.4g} mm {what}, less than the profile's height of {height:.4g} mm: turns may run into each other."
            notes.append(Note("warning", text, field="rise"))


def _callouts(values: Values, frame: Frame, extent: float, degrees: float, sides: int) -> tuple[Callout, ...]:
    """Handles on the profile's points and fillets, and the number of sides."""
    shape, sampled = values.profile.shape, values.profile.sampled
    mirrored = -1.0 if float(shape.at[:, 0].max(initial=0)) <= 0 else 1.0
    wide = widening(values.measured_across, degrees, sides)

    def placed(rows: Floats) -> tuple[Point, ...]:
        """Return places of the profile (n, 2) on the bench."""
        flat = np.zeros(len(rows))
        return points_of(frame.to_bench(np.column_stack([mirrored * rows[:, 0], flat, rows[:, 1]])))

    def nearest(rows: Floats) -> tuple[Point, ...]:
        """Return the points of the body's first section that stand for places of the profile."""
        gap = ((sampled.points[None] - rows[:, None]) ** 2).sum(axis=2)
        return placed(sampled.points[gap.argmin(axis=1)] * [wide, 1.0])

    out, up = frame.axes[0] * mirrored, frame.axes[2]
    curve_id, ids = values.profile.id, values.profile.point_ids
    callouts = [
        Callout(f"curves/{curve_id}/{p}/at", CalloutForm.POINT, at, at, three(out), 1.0, three(up), grip=grip)
        for p, at, grip in zip(ids, placed(shape.at), nearest(shape.at), strict=True)
        if p  # points of a deformed curve are not those that are drawn
    ]
    fillets = [f for f in sampled.fillets if f.radius > 0 and not f.cut]
    if fillets:
        centres, radii = np.array([f.centre for f in fillets]), np.array([f.radius for f in fillets])
        away = shape.at[[f.point for f in fillets]] - centres
        reach = np.hypot(*away.T)
        toward = away / np.maximum(reach, 1e-300)[:, None]
        on = centres + toward * radii[:, None]
        directions = points_of(-(toward[:, :1] * out + toward[:, 1:] * up))
        # the arc's middle goes away from the corner as the radius grows
        gains = (1 / np.maximum(reach / radii - 1, 0.2)).tolist()
        ends = zip(placed(centres), placed(on), directions, strict=True)
        for f, (centre, end, direction), gain, grip in zip(fillets, ends, gains, nearest(on), strict=True):
            key = f"curves/{curve_id}/{ids[f.point]}/fillet"
            callouts.append(Callout(key, CalloutForm.RADIUS, centre, end, direction, gain, grip=grip))
    top = sampled.points[int(np.argmax(np.abs(sampled.points[:, 0])))]
    # a side that can be seen: beside the front of a whole turn, the middle of a part of one
    k = round(-sides / 6) % sides if abs(degrees) >= 360 else round(sides / 2)
    a = math.radians(degrees * k / sides)
    radius = abs(float(top[0])) * wide
    spot = three(
        frame.to_bench(np.array([[radius * math.cos(a), radius * math.sin(a), top[1] + values.rise * k / sides]]))[0]
    )
    callouts.append(
        Callout("values/sides", CalloutForm.COUNT, spot, spot, three(frame.axes[0]), 48 / max(extent, 1e-300))
    )
    if abs(degrees) < 360:
        middle, start = placed(np.array([[0.0, top[1]], [mirrored * radius, top[1]]]))
        callouts.append(Callout("values/angle", CalloutForm.ANGLE, middle, start, three(frame.direction)))
    return tuple(callouts)
