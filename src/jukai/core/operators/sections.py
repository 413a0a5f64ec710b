"""Sections that are carried along a path: what operators that do so share."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.crossings import polyline_crossing
from jukai.core.geometry.graphs import Graph
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm, Point, points_of, three
from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.kinds.choice import choice

if TYPE_CHECKING:
    from jukai.core.geometry.carrying import Tight
    from jukai.core.geometry.path_frames import Frames
    from jukai.core.geometry.paths import Path, Stations

__all__ = [
    "capped",
    "closed_section",
    "corner_notes",
    "drawn_section",
    "flat_or_open",
    "lying",
    "path_notes",
    "path_points",
    "reach_of",
    "refuse_turning_back",
    "rows_along",
    "shared_out",
    "shown_run",
    "sizes_along",
    "square_section",
    "tight_note",
]

_TURNS_BACK = 165.0
"""Degrees: a corner that turns by more has no mitre worth having."""
_LEAST_ROWS = 48
"""Rows of a run along which something varies, where none are given."""
_MOST_TURN = 7.5
"""Degrees that neighbouring sections of a twisted run may be turned against each other, where no rows are given."""
_MOST_SHOWN, _MOST_HELD = 400, 500
"""Stations of a run that are told; and that points of a path are held at, the nearest of so many."""
_COARSE = 45.0
"""Degrees by which a row may turn before it is said that there are too few."""


_MOST_SECTIONS = 200
_SECTIONS: dict[str, tuple[Floats, Floats]] = {}
"""Sections that were found to be sound, by the key of their curve: while its path is dragged they stay the same."""


def square_section(sides: int) -> Floats:
    """Return a square (n, 2) of half width 1, counter-clockwise, each of its sides in as many pieces; ``sides`` is rounded to fours."""
    each = max(1, round(sides / 4))
    t = np.arange(each) / each * 2 - 1
    one = np.ones(each)
    return np.concatenate([np.column_stack(p) for p in ((one, t), (-t, one), (-one, -t), (t, -one))])


def drawn_section(profile: CurveInput | None, field: str) -> Floats:
    """Return a closed profile (n, 2) about its centre of area, counter-clockwise, its widest extent 2.

    Raises
    ------
    ValueProblem
        When there is none, or it is open, crosses itself or has no area.
    """
    if profile is None:
        raise ValueProblem("No profile is chosen.", field=field, hint="Draw a closed one, or take a round section.")
    section, centre = closed_section(profile, field)
    extent = float(np.ptp(profile.sampled.points, axis=0).max())
    return np.asarray((section - centre) * (2 / extent))


def closed_section(profile: CurveInput, field: str) -> tuple[Floats, Floats]:
    """Return a closed profile (n, 2) counter-clockwise, mm, and its centre of area.

    Raises
    ------
    ValueProblem
        When it is open, crosses itself or has no area.
    """
    known = _SECTIONS.get(profile.key)
    if known is not None:
        return known
    points, name = profile.sampled.points, profile.name
    if not profile.sampled.closed or len(points) < 3:
        raise ValueProblem(f"The profile '{name}' is open.", field=field, hint="Close it on the drawing board.")
    crossing = polyline_crossing(points, closed=True)
    if crossing is not None:
        x, y = crossing[2]
        raise ValueProblem(
            f"The profile '{name}' crosses itself at ({x:.4g}, {y:.4g}).",
            field=field,
            hint="Move the points there apart.",
        )
    p, q = points - points[0], np.roll(points, -1, axis=0) - points[0]
    cross = p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]
    area, extent = float(cross.sum()) / 2, float(np.ptp(points, axis=0).max())
    if not abs(area) > 1e-12 * extent**2:
        raise ValueProblem(f"The profile '{name}' encloses no area.", field=field, hint="Move its points apart.")
    centre = points[0] + ((p + q) * cross[:, None]).sum(axis=0) / (6 * area)
    found = (points if area > 0 else points[::-1]), np.asarray(centre)
    if profile.key:
        _SECTIONS[profile.key] = found
        while len(_SECTIONS) > _MOST_SECTIONS:
            del _SECTIONS[next(iter(_SECTIONS))]
    return found


def corner_notes(profile: CurveInput, place: Callable[[Floats], Point]) -> list[Note]:
    """Say which radii and chamfers of a profile have no room or no effect; ``place`` is where a point of it (2,) stands."""
    out = []
    for f in profile.sampled.fillets:
        at = profile.shape.at[f.point]
        name, what = f"The corner at ({at[0]:.4g}, {at[1]:.4g})", "chamfer" if f.cut else "radius"
        if f.flat:
            out.append(Note("info", f"{name} is straight: its {what} has no effect.", (place(at),)))
        elif f.radius < f.asked * (1 - 1e-9):
            text = f"{name} has room for a {what} of {f.radius:.4g} mm, not {f.asked:.4g} mm."
            out.append(Note("warning", text, (place(at),)))
    return out


def shared_out(lengths: Floats, total: int) -> np.ndarray:
    """Share out ``total`` rows over pieces by their lengths, at least one each (largest remainder)."""
    cuts = np.ones(len(lengths), dtype=np.int64)
    left = total - len(lengths)
    if left > 0:
        ideal = lengths / lengths.sum() * total
        extra = np.maximum(ideal - 1, 0)
        extra = extra / max(float(extra.sum()), 1e-300) * left
        cuts += np.floor(extra).astype(np.int64)
        rest = total - int(cuts.sum())
        cuts[np.argsort(-(extra - np.floor(extra)), kind="stable")[:rest]] += 1
    return cuts


def sizes_along(size: Graph | None, share: Floats, *, closed: bool) -> Floats:
    """Return the size at each station of a run; only the ends of an open one may be 0, where it runs out to a point.

    Raises
    ------
    ValueProblem
        When it falls to nothing anywhere else, with the place.
    """
    if size is None:
        return np.ones(len(share))
    places = np.union1d(np.linspace(0.0, 1.0, 1001), share)
    found = size(places)
    inner = np.ones(len(places), bool) if closed else (places > 0) & (places < 1)
    bad = (found < 0) | (inner & (found <= 1e-9))
    if bad.any():
        at = int(np.argmin(np.where(bad, found, np.inf)))
        raise ValueProblem(
            f"The size falls to {found[at]:.3g} at {100 * places[at]:.3g} % of the way.", field="size_along",
            hint="Only the ends of what is open may run to 0, in a point.",
        )  # fmt: skip
    return size(share)


def rows_along(
    path: Path,
    rows: int | None,
    reach: float,
    size: Graph | None,
    turn: Graph | None,
    notes: list[Note],
    *,
    twist: float = 0.0,
) -> list[int]:
    """Return into how many rows each piece of a path is cut: as many as are asked for, else as its bends and graphs need.

    ``reach`` is how far the section reaches from the path, mm; ``twist`` degrees by which it turns evenly besides.
    """
    lengths = path.lengths
    if rows is not None:
        if rows < len(lengths):
            text = f"{rows} rows are fewer than the path's {len(lengths)} pieces; each of them has a row."
            notes.append(Note("info", text, field="rows"))
        return [int(n) for n in shared_out(lengths, max(rows, len(lengths)))]
    steps = path.steps((path.size + 2 * reach) / 500, reach)
    turned = twist if turn is None else float(np.abs(np.diff(turn(np.linspace(0, 1, 513)))).sum())
    least = _LEAST_ROWS if size is not None or turn is not None else 0
    if turned > 0:
        least = max(least, int(np.ceil(min(turned / _MOST_TURN, 1e6))))
    more = shared_out(lengths, max(least, len(lengths)))
    return [max(a, int(b)) for a, b in zip(steps, more, strict=True)] if least else steps


def refuse_turning_back(path: CurveInput, stations: Stations) -> None:
    """Refuse a path with a corner that no section can be mitred at, with the place."""
    from jukai.core.geometry.carrying import sharpest

    at, degrees = sharpest(stations)
    if degrees > _TURNS_BACK:
        spot = stations.points[at]
        raise ValueProblem(
            f"'{path.name}' turns back by {degrees:.4g}° at ({', '.join(f'{x:.4g}' for x in spot)}): no section fits both ways.",
            field="path", hint=f"Up to {_TURNS_BACK:g}° can be mitred; or give that corner a radius.", places=[three(spot)],
        )  # fmt: skip


def flat_or_open(description: str) -> str:
    """Declare how the two ends of a run are made; ``capped`` reads it."""
    words = (
        ("flat", "flat faces"),
        ("flat_start", "a flat face at the start, open at the end"),
        ("flat_end", "open at the start, a flat face at the end"),
        ("open", "open"),
    )
    out: str = choice(description, words)
    return out


def capped(ends: str) -> tuple[bool, bool]:
    """Return whether the start and the end of a run are closed by a flat face."""
    return ends in ("flat", "flat_start"), ends in ("flat", "flat_end")


def lying(stations: Stations, *, upright: bool, what: str) -> Frames:
    """Return how sections lie along a path: upright along Z, or turning as little as can be.

    Raises
    ------
    ValueProblem
        Where the path runs straight up or down and they are to be upright, with the place; ``what`` is carried: "the faces".
    """
    from jukai.core.geometry.path_frames import frames

    try:
        return frames(stations, fixed_up=upright)
    except ValueError as e:
        turns = "it can" if what == "the profile" else "they can"
        raise ValueProblem(
            "The path runs straight up or down, where upright says nothing.", field="upright",
            hint=f"Let {what} turn as little as {turns}.", places=[three(stations.points[e.args[0]])],
        ) from None  # fmt: skip


def shown_run(stations: Stations) -> Floats:
    """Return what graphs along a path go by, (k, 4): shares of the way and the places there, no more than can be seen."""
    few = np.linspace(0, len(stations.points) - 1, min(len(stations.points), _MOST_SHOWN)).astype(int)
    return np.column_stack([stations.share[few], stations.points[few]])


def path_notes(curve: CurveInput, path: Path, stations: Stations, turn: Graph | None) -> list[Note]:
    """Say which radii of a path have no room, and whether rows turn too far against each other."""
    out, at = [], curve.shape.at
    for r in path.roundings:
        if r.radius < r.asked * (1 - 1e-9):
            spot = at[r.point] if at.shape[1] == 3 else np.array([at[r.point, 0], 0.0, at[r.point, 1]])
            where = ", ".join(f"{x:.4g}" for x in at[r.point])
            what = "chamfer" if r.cut else "radius"
            room = (
                f"has room for a {what} of {r.radius:.4g} mm, not {r.asked:.4g} mm"
                if r.radius > 0
                else f"takes no {what}: in space straight pieces must meet there at an angle; beside curved ones the path must lie in a plane"
            )
            out.append(Note("warning", f"The corner at ({where}) {room}.", (three(spot),), field="path"))
    if turn is not None:
        rows = stations.share if not stations.closed else np.append(stations.share, 1.0)
        most = float(np.abs(np.diff(turn(rows))).max())
        if most > _COARSE:
            wanted = int(np.ceil((len(rows) - 1) * most / _MOST_TURN))
            text = f"Rows turn by up to {most:.3g}° against each other: {wanted} would be smooth."
            out.append(Note("info", text, field="rows"))
    return out


def tight_note(stations: Stations, tight: Tight, what: str, field: str) -> Note:
    """Return the warning that a section is carried through itself, with the place and how much smaller it would pass."""
    spot = stations.points[tight.station]
    where = ", ".join(f"{x:.4g}" for x in spot)
    text = f"{what} at ({where}): {100 * tight.share:.3g} % of the size would pass there."
    return Note("warning", text, (three(spot),), field=field)


def path_points(path: CurveInput, stations: Floats, edge: Floats, move: Floats | None = None) -> Iterator[Callout]:
    """Yield a handle for each point of a path, in the part's own space; each is held by the body beside it.

    ``stations`` (k, 3) are places along the path, ``edge`` (k, 3) a point of the body at each; ``move`` (3, 4) is the motion
    that brings the path from where it is drawn to where it is followed.
    """
    flat = path.shape.at.shape[1] == 2
    linear, shift = (np.eye(3), np.zeros(3)) if move is None else (move[:, :3], move[:, 3])
    across = three(linear[:, 0])
    second = three(linear[:, 2] if flat else linear[:, 1])
    at = path.shape.at
    drawn = np.column_stack([at[:, 0], np.zeros(len(at)), at[:, 1]]) if flat else at
    spots = drawn @ linear.T + shift
    each = -(-len(stations) // _MOST_HELD)
    middle = spots.mean(axis=0)
    near = stations[::each] - middle
    gaps = np.einsum("ij,ij->i", near, near) - 2 * (spots - middle) @ near.T
    grips = points_of(edge[::each][gaps.argmin(axis=1)])
    for point, here, grip in zip(path.point_ids, points_of(spots), grips, strict=True):
        if point:  # points of a deformed curve are not those that are drawn
            yield Callout(f"curves/{path.id}/{point}/at", CalloutForm.POINT, here, here, across, 1.0, second, grip=grip)


def reach_of(section: Floats, angle: Floats) -> Floats:
    """Return how far a section reaches in directions given in radians: its support function."""
    out = np.full(np.shape(angle), -np.inf)
    for x, y in section:
        np.maximum(out, np.cos(angle) * x + np.sin(angle) * y, out=out)
    return out
