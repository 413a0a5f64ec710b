"""Carrying a closed profile along a path: rails, pipes, mouldings, handles."""

from __future__ import annotations

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
    points_of,
)
from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.graph import graph
from jukai.core.operators.sections import (
    capped,
    closed_section,
    flat_or_open,
    lying,
    path_notes,
    path_points,
    refuse_turning_back,
    rows_along,
    shown_run,
    sizes_along,
    tight_note,
)

if TYPE_CHECKING:
    from jukai.core.geometry.carrying import Tight
    from jukai.core.geometry.paths import Path, Stations
    from jukai.core.geometry.tubes import Run

__all__ = ["Values", "sweep"]


class Values(OperatorValues):
    """A closed profile carried along a path."""

    profile: CurveInput = curve("What is carried along.", closed=True)
    path: CurveInput = curve(
        "What it is carried along: a path in space, or a profile, upright in the plane Y = 0.", of="path"
    )
    rows: int | None = count(
        "Rows of faces along the path; each of its pieces has one at least.", otherwise="as many as the chord tolerance asks for",
        ge=1, le=1_000_000,
    )  # fmt: skip
    turn: float = angle(
        "How far the profile is turned about the path, counter-clockwise looking back along it.",
        default=0.0,
        ge=-36_000,
        le=36_000,
    )
    upright: str = choice(
        "How the profile lies on its way.",
        (("least_twist", "turning as little as it can"), ("fixed", "kept upright along Z")),
    )
    rides: str = choice(
        "What of the profile runs on the path.", (("zero", "its zero point"), ("middle", "its centre of area"))
    )
    ends: str = flat_or_open("How an open path's ends are made.")
    size_along: Graph | None = graph(
        "What the profile's size is multiplied by along the path.", otherwise="the same all along"
    )
    turn_along: Graph | None = graph(
        "How far the profile is turned along the path, beside its turn.",
        measured="angle",
        otherwise="the same all along",
    )


@operator(
    id="sweep",
    kind=Kind.BLANK,
    values=Values,
    sentence="Carry {profile} along {path}",
    quiet="{rows} rows; it is turned by {turn}, {upright}; {rides} runs on the path, ends are {ends}. "
    "Size {size_along}; turn {turn_along}.",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("pipe", "rail", "extrude along a path", "moulding", "handle", "tube", "follow"),
    example=Example(
        (("sweep", {"profile": "c1", "path": "c2"}),),
        profile=({"at": [-4, -3]}, {"at": [4, -3]}, {"at": [4, 3], "fillet": 2}, {"at": [-4, 3], "fillet": 2}),
        closed=True,
        path=(
            {"at": [0, 0, 0]},
            {"at": [0, 0, 26], "fillet": 12},
            {"at": [30, 0, 26], "fillet": 12},
            {"at": [30, 24, 26]},
        ),
    ),
)
def sweep(values: Values, context: Context) -> Result:
    """A body whose section stays as it is drawn while it follows a path; corners are mitred, a closed path has no seam.

    Notes
    -----
    Of a path of straight pieces every wall is flat, and the volume is the section's area times the length of the path on which
    its centre of area runs (Pappus and Guldinus).
    """
    from jukai.core.geometry.carrying import run_along, tightest
    from jukai.core.geometry.tubes import count_tube, pointed, tube

    section, middle = closed_section(values.profile, "profile")
    if values.rides == "middle":
        section = section - middle
    path = values.path.path
    if not path.pieces:
        raise ValueProblem(f"'{values.path.name}' has no length.", field="path", hint="Move its points apart.")
    notes: list[Note] = []
    reach = float(np.hypot(*section.T).max())
    stations = path.stations(rows_along(path, values.rows, reach, values.size_along, values.turn_along, notes))
    refuse_turning_back(values.path, stations)
    context.afford(count_tube(len(stations.points), len(section)), field="rows")
    lies = lying(stations, upright=values.upright == "fixed", what="the profile")
    context.checkpoint(0.2)
    share = stations.share
    scale = sizes_along(values.size_along, share, closed=stations.closed)
    turn = values.turn + (np.zeros(len(share)) if values.turn_along is None else values.turn_along(share))
    run = run_along(stations, lies, scale, turn, reach)
    if not stations.closed:
        run = pointed(run, 1e-9)
    tight = tightest(run, stations, section)
    mesh = tube(
        run,
        section,
        context.step,
        closed=stations.closed,
        capped=capped(values.ends),
    )
    context.checkpoint(0.6)
    # faces are flat, or bent by what they turn on their way: all cut alike they shade evenly; twisted ones along their short diagonals
    mesh = cut_alike(mesh) if values.turn_along is None else with_short_diagonals(mesh)
    notes += _notes(values, path, stations, tight, mesh.n_faces)
    used = {"rows": len(stations.points) - (not stations.closed)}
    facts = {"path_length": path.long}
    return Result(mesh, tuple(notes), _callouts(values, run, section), used, facts, run=shown_run(stations))


def _notes(values: Values, path: Path, stations: Stations, tight: Tight | None, faces: int) -> list[Note]:
    many = f"{faces:,}".replace(",", "\u2009")
    out = [Note("info", f"{many} faces; {path.long:.4g} mm of path.", field="path")]
    out += path_notes(values.path, path, stations, values.turn_along)
    if tight is not None:
        out.append(tight_note(stations, tight, "The path bends more tightly than the profile reaches inward", "path"))
    if stations.closed:
        jump = 0.0 if values.turn_along is None else float(np.subtract(*values.turn_along(np.array([1.0, 0.0]))))
        if abs(jump - 360 * round(jump / 360)) > 1e-6:
            out.append(
                Note(
                    "warning",
                    f"Where the closed path comes back, the profile jumps by {jump:.4g}°.",
                    field="turn_along",
                )
            )
        if values.size_along is not None and abs(float(np.subtract(*values.size_along(np.array([1.0, 0.0]))))) > 1e-6:
            out.append(
                Note("warning", "Where the closed path comes back, the profile jumps in size.", field="size_along")
            )
    return out


def _callouts(values: Values, run: Run, section: Floats) -> tuple[Callout, ...]:
    """Return handles on the points of the path, and the number of rows."""
    x, y = section[int(np.argmax(section[:, 1]))]
    edge = run.centres + run.scale[:, None] * (x * run.across + y * run.up)
    out = list(path_points(values.path, run.centres, edge))
    spot = points_of(edge[len(edge) // 2][None])[0]
    out.append(Callout("values/rows", CalloutForm.COUNT, spot, spot, (0, 0, 1), 0.5))
    return tuple(out)
