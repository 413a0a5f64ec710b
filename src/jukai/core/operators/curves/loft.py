"""A body through several closed profiles: grips, ducts, hulls, transitions."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.triangulation import cut_alike, with_short_diagonals
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Result,
    operator,
    three,
)
from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.kinds.angles import angles
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.curves import curves
from jukai.core.operators.kinds.graph import graph
from jukai.core.operators.kinds.length import length
from jukai.core.operators.sections import (
    capped,
    closed_section,
    flat_or_open,
    lying,
    path_points,
    shown_run,
    sizes_along,
    tight_note,
)

if TYPE_CHECKING:
    from jukai.core.geometry.paths import Path

__all__ = ["Values", "loft"]

_SMOOTH_ROWS, _GRAPH_ROWS = 8, 48
"""Rows between two profiles that are joined smoothly, and of the whole where a graph varies it, if none are given."""
_MOST_TURN = 7.5
"""Degrees by which rings next to each other may be turned, where no rows are given."""


class Values(OperatorValues):
    """A body through profiles."""

    profiles: tuple[CurveInput, ...] = curves(
        "The profiles it goes through, in order; they stand evenly apart.", closed=True
    )
    along: str = choice("What they stand along.", (("straight", "straight up"), ("path", "along")))
    height: float | None = length(
        "How high it is, from the first to the last.", otherwise="a fifth of the bench's floor", gt=0, le=1e6,
        relevant='along == "straight"',
    )  # fmt: skip
    path: CurveInput | None = curve(
        "What they stand along: a path in space, or a profile, upright in the plane Y = 0.", of="path", optional=True,
        relevant='along == "path"',
    )  # fmt: skip
    join: str = choice("How it goes from one to the next.", (("straight", "straight"), ("smooth", "smoothly")))
    rows: int | None = count(
        "Rows of faces between two profiles.", otherwise="as many as its shape asks for", ge=1, le=100_000
    )
    turns: tuple[float, ...] | None = angles(
        "By how much more than the least twist each profile is turned against the one before, by where its points stand.",
        beside="profiles", otherwise="turned as little as can be",
    )  # fmt: skip
    upright: str = choice(
        "How profiles lie along a path.",
        (("least_twist", "turning as little as they can"), ("fixed", "kept upright along Z")), relevant='along == "path"',
    )  # fmt: skip
    ends: str = flat_or_open("How the ends are made.")
    size_along: Graph | None = graph("What the size is multiplied by along the way.", otherwise="as drawn")
    turn_along: Graph | None = graph("How far it is turned along the way.", measured="angle", otherwise="nowhere")


@operator(
    id="loft",
    kind=Kind.BLANK,
    values=Values,
    sentence="Join {profiles}, {along}[ by {height}][ {path}], {join}",
    quiet="Rows between two: {rows}; starts {turns}[; {upright}]; ends are {ends}. Size {size_along}; turn {turn_along}.",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("skin", "blend", "transition", "hull", "grip", "through sections", "morph"),
    example=Example(
        (("loft", {"profiles": ["c1", "c2"], "height": 26, "rows": 6}),),
        profile=({"at": [-9, -9]}, {"at": [9, -9]}, {"at": [9, 9]}, {"at": [-9, 9]}),
        closed=True,
        second=tuple({"at": [5 * x, 5 * y], "join": "smooth"} for x, y in ((1, 0), (0, 1), (-1, 0), (0, -1))),
    ),
)
def loft(values: Values, context: Context) -> Result:
    """A body through closed profiles, corners on corners, turned to each other as little as can be.

    Notes
    -----
    Profiles of different points are cut at the same shares of the way round between corners that belong together, so the walls
    are four-sided. Joined smoothly, each point runs on a cubic Hermite curve through the profiles.
    """
    from jukai.core.geometry.carrying import run_along, tightest_of
    from jukai.core.geometry.lofting import Course
    from jukai.core.geometry.tubes import Rings, skin

    rings, turns = _rings(values)
    path = _path(values, context)
    m = len(rings)
    closed = path.closed
    where = np.arange(m + closed) / (m - (not closed))
    stations = path.stations_at(_shares(values, path, where))
    context.afford(len(stations.points) * rings.shape[1] + 2, field="rows")
    lies = lying(stations, upright=values.along == "path" and values.upright == "fixed", what="the profiles")
    context.checkpoint(0.2)
    share = stations.share
    scale = sizes_along(values.size_along, share, closed=closed)
    turn = np.zeros(len(share)) if values.turn_along is None else values.turn_along(share)
    run = run_along(stations, lies, np.ones(len(share)), turn, float(np.linalg.norm(rings, axis=2).max()))
    course = Course.through(rings, where, share, smooth=values.join == "smooth", closed=closed)
    places = course.places(run.centres, run.across * scale[:, None], run.up * scale[:, None])
    context.checkpoint(0.5)
    tight = tightest_of(places, stations)
    first, last = int(scale[0] <= 1e-9 and not closed), len(share) - int(scale[-1] <= 1e-9 and not closed)
    tips = (run.centres[0] if first else None, run.centres[-1] if last < len(share) else None)
    v = np.append(share, 1.0) if closed else share
    caps = [
        _cap_uv(ring) if flat else None
        for ring, flat in zip(course.flat(np.array([first, last - 1])), capped(values.ends), strict=True)
    ]
    mesh = (cut_alike if _rows(values, path, len(where) - 1) >= _SMOOTH_ROWS else with_short_diagonals)(
        skin(Rings(places[first:last], _round(rings), v, tips, closed=closed), (caps[0], caps[1]), context.step)
    )
    many = f"{mesh.n_faces:,}".replace(",", "\u2009")
    notes = [Note("info", f"{many} faces, {rings.shape[1]} round; {path.long:.4g} mm long.", field="profiles")]
    if tight is not None:
        notes.append(
            tight_note(
                stations, tight, "The profiles reach through each other", "path" if values.along == "path" else "height"
            )
        )
    used: dict[str, object] = {"turns": list(turns), "rows": _rows(values, path, len(where) - 1)}
    if values.along == "straight":
        used["height"] = path.long
    return Result(
        mesh,
        tuple(notes),
        _callouts(values, run.centres, places),
        used,
        {"path_length": path.long},
        run=shown_run(stations),
    )


def _rings(values: Values) -> tuple[Floats, tuple[float, ...]]:
    """Return the profiles with as many points each, (m, n, 2), and by how much each is turned by hand."""
    from jukai.core.geometry.lofting import Outline, alike, least_turn

    given = values.turns or ()
    turns = tuple(given[k] if k < len(given) else 0.0 for k in range(len(values.profiles)))
    outlines: list[Outline] = []
    for profile, by_hand in zip(values.profiles, turns, strict=True):
        points, _ = closed_section(profile, "profiles")
        corner = profile.sampled.corner
        if len(points) and not np.array_equal(points[0], profile.sampled.points[0]):
            corner = corner[::-1]  # it was drawn clockwise
        one = Outline(points, corner)
        if outlines:
            one = one.turned_to(least_turn(outlines[-1], one) + by_hand / 360)
        else:
            at = np.flatnonzero(corner)
            one = one.turned_to((float(one.share[at[0]]) if len(at) else 0.0) + by_hand / 360)
        outlines.append(one)
    return alike(outlines), turns


def _path(values: Values, context: Context) -> Path:
    from jukai.core.geometry.curve_pieces import CurveShape
    from jukai.core.geometry.paths import path_through

    if values.along == "straight":
        height = context.blank_size if values.height is None else values.height
        return path_through(CurveShape.straight([[0, 0, 0], [0, 0, height]]))
    if values.path is None:
        raise ValueProblem("No path is chosen.", field="path", hint="Draw one, or go straight up.")
    found = values.path.path
    if not found.pieces:
        raise ValueProblem(f"'{values.path.name}' has no length.", field="path", hint="Move its points apart.")
    return found


def _shares(values: Values, path: Path, where: Floats) -> Floats:
    """Return the shares of the way at which rings stand: at the profiles, and as many between as there are to be rows."""
    each = _rows(values, path, len(where) - 1)
    return np.concatenate([np.linspace(a, b, each + 1)[:-1] for a, b in pairwise(where)] + [where[-1:]])


def _rows(values: Values, path: Path, gaps: int) -> int:
    if values.rows is not None:
        return values.rows
    varies = values.size_along is not None or values.turn_along is not None
    by_hand = max((abs(t) for t in values.turns or ()), default=0.0)
    least = max(1, math.ceil(by_hand / _MOST_TURN))
    least = max(least, _SMOOTH_ROWS) if values.join == "smooth" and gaps > 1 else least
    bends = 1 if path.flat else sum(path.steps(path.size / 500, path.size / 10))
    return max(least, -(-bends // gaps), -(-_GRAPH_ROWS // gaps) if varies else 1)


def _round(rings: Floats) -> Floats:
    """Texture coordinates round a ring: the mean of all."""
    step = np.linalg.norm(np.roll(rings, -1, axis=1) - rings, axis=2)
    share = (step / np.maximum(step.sum(axis=1), 1e-300)[:, None]).mean(axis=0)
    out = np.concatenate([[0.0], np.cumsum(share)])
    out[-1] = 1.0
    return out


def _cap_uv(ring: Floats) -> Floats:
    low, high = ring.min(axis=0), ring.max(axis=0)
    return np.asarray(0.5 + (ring - (low + high) / 2) / max(float((high - low).max()), 1e-300))


def _callouts(values: Values, centres: Floats, places: Floats) -> tuple[Callout, ...]:
    first, last = places[0], places[-1]
    out: list[Callout] = []
    if values.along == "path" and values.path is not None:
        out += path_points(values.path, centres, places[:, 0])
    else:
        edge = int(np.argmax(first[:, 0]))
        low, high = first[edge], np.array([first[edge, 0], first[edge, 1], last[:, 2].max()])
        out.append(
            Callout(
                "values/height",
                CalloutForm.LENGTH,
                three(low),
                three(high),
                (0, 0, 1),
                grip=three(last[int(np.argmax(last[:, 0]))]),
            )
        )
    spot = three(places[len(places) // 2][int(np.argmin(places[len(places) // 2][:, 1]))])
    out.append(Callout("values/rows", CalloutForm.COUNT, spot, spot, (0, 0, 1), 0.5))
    return tuple(out)
