"""Carrying picked faces, or an open rim, along a path out of their body: spouts, branches, handles that grow out."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.mesh import Mesh
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
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.finish import finish
from jukai.core.operators.kinds.graph import graph
from jukai.core.operators.kinds.pick import AnyPick
from jukai.core.operators.pulling import faces_or_rim, foot_of, left_behind, nothing_picked
from jukai.core.operators.sections import (
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
    from jukai.core.geometry.paths import Stations
    from jukai.core.geometry.pulling import Foot

__all__ = ["Values", "sweep_faces"]


class Values(OperatorValues):
    """Picked faces carried along a path."""

    pick: AnyPick = faces_or_rim("carried")  # without a body before it the rule as it is written
    path: CurveInput = curve(
        "What they are carried along: a path in space, or a profile, upright in the plane Y = 0.", of="path"
    )
    path_lies: str = choice(
        "Where the path is followed.",
        (
            ("moved", "moved to begin in their middle"),
            ("moved_and_turned", "moved to begin in their middle and turned to leave them squarely"),
            ("as_drawn", "where it is drawn"),
        ),
    )
    rows: int | None = count(
        "Rows of faces along the path; each of its pieces has one at least.",
        otherwise="as many as the chord tolerance asks for",
        ge=1,
        le=1_000_000,
    )
    turn: float = angle(
        "How far they have turned about the path at its end, counter-clockwise looking back along it.",
        default=0.0,
        ge=-36_000,
        le=36_000,
    )
    upright: str = choice(
        "How the faces lie on their way.",
        (("least_twist", "turning as little as they can"), ("fixed", "kept upright along Z")),
    )
    size_along: Graph | None = graph(
        "What their size is multiplied by along the path, against that at its beginning.",
        otherwise="the same all along",
    )
    turn_along: Graph | None = graph(
        "How far they are turned along the path, against its beginning.",
        measured="angle",
        otherwise="evenly by their turn",
    )
    behind: str = left_behind()
    finish: str | None = finish("Finish of the new walls.")


@operator(
    id="sweep_faces",
    kind=Kind.CHANGE,
    values=Values,
    name="Carry faces",
    sentence="Carry {pick} along {path}",
    quiet="It is {path_lies}; {rows} rows, turned by {turn} at the end, {upright}; {behind}; walls {finish}. "
    "Size {size_along}; turn {turn_along}.",
    groups=("walls", "tops", "start_cap"),
    synonyms=("extrude along a path", "sweep faces", "branch", "spout", "follow", "pull along"),
    example=Example(
        (
            ("box", {"size": [30, 30, 8]}),
            (
                "sweep_faces",
                {
                    "pick": {"rule": "group", "step": "s1", "name": "top"},
                    "path": "c2",
                    "size_along": [{"at": 0, "value": 1}, {"at": 0.3, "value": 0.4}, {"at": 1, "value": 0.3}],
                },
            ),
        ),
        path=(
            {"at": [0, 0, 8]},
            {"at": [0, 0, 34], "fillet": 18},
            {"at": [34, 0, 34]},
        ),
    ),
)
def sweep_faces(mesh: Mesh, values: Values, context: Context) -> Result:
    """Carry faces out of their body along a path; walls follow them, corners are mitred, and they stay joined.

    Notes
    -----
    Faces square to a path of straight pieces enclose their area times the length of the path of their centre
    (Pappus and Guldinus).
    """
    from jukai.core.geometry.carrying import motions_along, run_along, tightest_of
    from jukai.core.geometry.pulling import apply, pull

    path = values.path.path
    if not path.pieces:
        raise ValueProblem(f"'{values.path.name}' has no length.", field="path", hint="Move its points apart.")
    if path.closed:
        raise ValueProblem(
            f"'{values.path.name}' is closed: faces that are carried along it would come back into their body.",
            field="path",
            hint="Open it on the board, or carry a profile along it.",
        )
    foot = foot_of(mesh, values.pick)
    if foot is None:
        return nothing_picked(mesh, values.pick, "carried")
    begin = path.stations([1] * len(path.pieces))
    move = _moved(foot, values, begin)
    first = move[:, :3] @ begin.after[0]
    foot = foot_of(mesh, values.pick, np.tile(first, (mesh.n_faces, 1))) or foot
    notes: list[Note] = []
    reach = float(np.linalg.norm(foot.places - foot.centre, axis=1).max())
    steps = rows_along(path, values.rows, reach, values.size_along, values.turn_along, notes, twist=abs(values.turn))
    stations = path.stations(steps)
    refuse_turning_back(values.path, stations)
    stations = _placed(stations, move)
    context.afford(mesh.n_faces + (len(stations.points) - 1) * len(foot.walls), field="rows")
    lies = lying(stations, upright=values.upright == "fixed", what="the faces")
    context.checkpoint(0.2)
    share = stations.share
    scale = _sizes(values.size_along, share)
    turn = values.turn * share if values.turn_along is None else values.turn_along(share)
    run = run_along(stations, lies, scale, turn - turn[0], reach)
    motions = motions_along(run.across * scale[:, None], run.up * scale[:, None], stations)
    mesh_out = pull(foot, motions[1:], context.step, finish=values.finish, behind=values.behind == "closed")
    context.checkpoint(0.6)
    tight = tightest_of(np.concatenate([foot.places[None], apply(motions[1:], foot.places)]), stations)
    notes += path_notes(values.path, path, stations, values.turn_along)
    if tight is not None:
        notes.append(tight_note(stations, tight, "The path bends more tightly than the faces reach inward", "path"))
    leaves = float(first @ foot.normal) if foot.normal.any() else 1.0
    if foot.joined and leaves < -1e-9:
        text = "The path leads into their body: reversed, or turned to leave them squarely, it leads out of it."
        notes.append(Note("warning", text, field="path"))
    elif abs(leaves) <= 1e-9:
        text = "The path begins in the plane of the faces: the first walls lie in it and enclose nothing."
        notes.append(Note("warning", text, field="path"))
    used = {"rows": len(stations.points) - 1, "pick": float(values.pick.count)}
    facts = {"path_length": path.long}
    return Result(
        mesh_out, tuple(notes), _callouts(values, foot, motions, stations, move), used, facts, run=shown_run(stations)
    )


def _moved(foot: Foot, values: Values, begin: Stations) -> Floats:
    """Return the motion (3, 4) that brings the path to where it is followed."""
    from jukai.core.geometry.carrying import least_turn

    linear = np.eye(3)
    if values.path_lies == "as_drawn":
        return np.column_stack([linear, np.zeros(3)])
    if values.path_lies == "moved_and_turned":
        if not foot.normal.any():
            raise ValueProblem(
                "What is picked faces no way of its own that the path could leave it by.", field="path_lies",
                hint="Follow the path as it is drawn.",
            )  # fmt: skip
        linear = least_turn(begin.after[0], foot.normal)
    return np.column_stack([linear, foot.centre - linear @ begin.points[0]])


def _placed(stations: Stations, move: Floats) -> Stations:
    linear = move[:, :3]
    return replace(
        stations,
        points=stations.points @ linear.T + move[:, 3],
        before=stations.before @ linear.T,
        after=stations.after @ linear.T,
    )


def _sizes(size: Graph | None, share: Floats) -> Floats:
    """Return the size at each station against the first; faces can't run out to a point."""
    found = sizes_along(size, share, closed=True)
    return np.asarray(found / found[0])


def _callouts(values: Values, foot: Foot, motions: Floats, stations: Stations, move: Floats) -> tuple[Callout, ...]:
    """Return handles on the points of the path where it is followed, and the number of rows."""
    border = foot.places[foot.border]
    edge = border[int(np.argmax(border[:, 2]))]
    beside = motions[:, :, :3] @ edge + motions[:, :, 3]
    out = list(path_points(values.path, stations.points, beside, move))
    spot = three(beside[len(beside) // 2])
    out.append(Callout("values/rows", CalloutForm.COUNT, spot, spot, (0, 0, 1), 0.5))
    return tuple(out)
