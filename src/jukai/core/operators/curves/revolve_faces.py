"""Turning picked faces, or an open rim, out of a body: elbows, hooks, hinged lids."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.frames import Frame, frame_along, sincos
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
    chord_sides,
    operator,
    three,
)
from jukai.core.operators.inputs import AxisSpec
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.axis import axis
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.finish import finish
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.pick import AnyPick
from jukai.core.operators.pulling import faces_or_rim, foot_of, left_behind, nothing_picked

if TYPE_CHECKING:
    from jukai.core.geometry.pulling import Foot

__all__ = ["Values", "revolve_faces"]

_LEAST_ANGLE = 1e-4
_LONG_RADIUS = 1.5
"""Times the width: what an elbow of long radius has (ASME B16.9, from memory)."""
_ON = 1e-9


class Values(OperatorValues):
    """Picked faces turned about a pivot."""

    pick: AnyPick = faces_or_rim("turned")  # without a body before it the rule as it is written
    toward: float = angle(
        "The way they bend to, turned about where they face.",
        default=0.0,
        ge=-36_000,
        le=36_000,
        relevant='pivot == "beside"',
    )
    angle: float = angle(
        "How far they are turned; about an axis counter-clockwise seen from its tip, beside them below 0 the other way.",
        default=90.0,
        ge=-36_000,
        le=36_000,
    )
    rows: int | None = count(
        "Rows of faces over the whole angle.", otherwise="as many as the chord tolerance asks for", ge=1, le=1_000_000
    )
    pivot: str = choice("Where they turn about.", (("beside", "a pivot beside them"), ("axis", "an axis of the part")))
    bend_radius: float | None = length(
        "From the middle of the faces to the pivot.",
        otherwise="one and a half times as wide as they are",
        ge=0,
        le=1e6,
        relevant='pivot == "beside"',
    )
    axis: AxisSpec = axis("What they are turned about.", default=AxisSpec("z"), relevant='pivot == "axis"')
    rise: float = length("How much they have moved along the axis at the end.", default=0.0, ge=-1e6, le=1e6)
    behind: str = left_behind()
    finish: str | None = finish("Finish of the new walls.")


@operator(
    id="revolve_faces",
    kind=Kind.CHANGE,
    values=Values,
    name="Turn faces",
    sentence="Turn {pick} through {angle} about {pivot}[ at {bend_radius}][: {axis}]",
    quiet="[Bending {toward} round; ]{rows} rows, rising {rise}; {behind}; walls {finish}.",
    groups=("walls", "tops", "start_cap"),
    synonyms=("elbow", "bend faces", "spin faces", "hinge", "revolve faces", "pipe bend"),
    example=Example(
        (
            ("cylinder", {"radius": 7, "height": 18, "sides": 24}),
            (
                "revolve_faces",
                {"pick": {"rule": "group", "step": "s1", "name": "end_cap"}, "bend_radius": 16, "rows": 10},
            ),
        ),
    ),
)
def revolve_faces(mesh: Mesh, values: Values, context: Context) -> Result:
    """Turn faces out of their body about a pivot; walls follow them, and they stay joined.

    Notes
    -----
    Over n rows of an angle a the walls enclose n sin(a / n) times the faces' area times the distance of their centre from the
    axis (Pappus and Guldinus: n sin(a / n) goes to a).
    """
    from jukai.core.geometry.pulling import pull

    if abs(values.angle) < _LEAST_ANGLE and values.rise == 0:
        raise ValueProblem(
            f"Turned through {values.angle:g}° the faces stay where they are.", field="angle",
            hint=f"{_LEAST_ANGLE:g}° is the least.",
        )  # fmt: skip
    foot = foot_of(mesh, values.pick)
    if foot is None:
        return nothing_picked(mesh, values.pick, "turned")
    frame, radius = _frame(foot, mesh, values)
    foot = foot_of(mesh, values.pick, _sets_out(mesh, frame, values)) or foot
    notes: list[Note] = []
    degrees = _angle(foot, values, notes)
    if values.pivot == "beside":
        degrees = abs(degrees)  # the pivot is on the other side then
    _refuse_axis_within(foot, frame, values)
    reach = _reach(foot.places, frame)
    rows = values.rows or chord_sides(reach, max(mesh.size, 2 * reach), degrees)
    returns = abs(degrees) == 360 and values.rise == 0
    if returns and rows < 3:
        raise ValueProblem(f"A whole turn in {rows} rows has no inside.", field="rows", hint="3 is the least.")
    if abs(degrees) / rows >= 180:
        raise ValueProblem(
            f"Each of the {rows} rows would turn by {abs(degrees) / rows:g}°.", field="rows",
            hint=f"Take {math.floor(abs(degrees) / 180) + 1} or more.",
        )  # fmt: skip
    context.afford(mesh.n_faces + rows * len(foot.walls), field="rows")
    context.checkpoint(0.2)
    motions = turned(frame, degrees, values.rise, rows - returns, degrees * (rows - 1) / rows if returns else degrees)
    out = pull(foot, motions, context.step, finish=values.finish, behind=values.behind == "closed", returns=returns)
    _warn_of_overlap(foot, frame, degrees, values.rise, notes)
    used: dict[str, object] = {"rows": rows, "pick": float(values.pick.count)}
    if values.pivot == "beside":
        used["bend_radius"] = radius
    return Result(
        out,
        tuple(notes),
        _callouts(foot, frame, values, degrees, motions),
        used,
        axis=(frame.origin, frame.direction),
    )


def turned(frame: Frame, degrees: float, rise: float, rows: int, last: float) -> Floats:
    """Return the motions (rows, 3, 4) of turning about an axis up to ``last`` of ``degrees``, evenly, rising on the way."""
    share = np.arange(1, rows + 1) / rows
    sine, cosine = sincos(share * last)
    x, y, z = frame.axes
    flat, cross = np.outer(x, x) + np.outer(y, y), np.outer(y, x) - np.outer(x, y)
    linear = np.outer(z, z) + cosine[:, None, None] * flat + sine[:, None, None] * cross
    climb = share * (last / degrees if degrees else 1.0) * rise
    shift = frame.origin - linear @ frame.origin + climb[:, None] * z
    return np.concatenate([linear, shift[:, :, None]], axis=2)


def _frame(foot: Foot, mesh: Mesh, values: Values) -> tuple[Frame, float]:
    """Return the axis, and how far the middle of the faces is from it."""
    if values.pivot == "axis":
        frame = values.axis.frame(mesh if values.axis.name == "longest" else None)
        return frame, float(np.hypot(*((foot.centre - frame.origin) @ frame.axes.T)[:2]))
    if not foot.normal.any():
        raise ValueProblem(
            "What is picked faces no way of its own: there is no beside.", field="pivot", hint="Turn it about an axis of the part.",
        )  # fmt: skip
    across = frame_along(foot.normal).axes
    a = math.radians(values.toward + (180.0 if values.angle < 0 else 0.0))
    way = math.cos(a) * across[0] + math.sin(a) * across[1]
    sideways = np.cross(foot.normal, way)
    rel = foot.places - foot.centre
    width = 2 * float(np.linalg.norm(rel - np.outer(rel @ foot.normal, foot.normal), axis=1).max())
    radius = _LONG_RADIUS * width if values.bend_radius is None else values.bend_radius
    # counter-clockwise about ``sideways`` seen from its tip, the faces set out along their normal
    return Frame(foot.centre + radius * way, np.array([-way, -np.cross(sideways, way), sideways])), radius


def _sets_out(mesh: Mesh, frame: Frame, values: Values) -> Floats:
    """Return where each face (f, 3) sets out to, not of length 1."""
    centres = np.add.reduceat(mesh.points[mesh.corners], mesh.offsets[:-1], axis=0) / mesh.sides[:, None]
    sense = float(np.sign(values.angle)) if values.pivot == "axis" else 1.0
    climb = values.rise / math.radians(abs(values.angle)) if values.angle else values.rise
    return np.asarray(sense * np.cross(frame.direction, centres - frame.origin) + climb * frame.direction)


def _angle(foot: Foot, values: Values, notes: list[Note]) -> float:
    degrees = values.angle
    if values.rise != 0 or abs(degrees) < 360:
        return degrees
    if foot.joined:
        raise ValueProblem(
            f"Turned through {degrees:g}° they come back to the body that they are joined to.", field="angle",
            hint="Less than 360° would work, or a rise.",
        )  # fmt: skip
    if abs(degrees) > 360:
        text = f"Turned through {degrees:g}° without a rise they would run into themselves; turned through 360°."
        notes.append(Note("warning", text, field="angle"))
    return math.copysign(360.0, degrees)


def _reach(places: Floats, frame: Frame) -> float:
    local = (places - frame.origin) @ frame.axes.T
    return float(np.hypot(local[:, 0], local[:, 1]).max())


def _refuse_axis_within(foot: Foot, frame: Frame, values: Values) -> None:
    """Refuse an axis that part of the faces is on the one side of, and part on the other: they would run through each other."""
    if not foot.normal.any() or values.angle == 0:
        return
    velocity = np.cross(frame.direction, foot.places - frame.origin)
    forward = velocity @ foot.normal
    eps = _ON * max(float(np.linalg.norm(velocity, axis=1).max()), 1e-300)
    if (np.abs(forward) <= eps).all() and values.rise == 0:
        raise ValueProblem(
            "Turned about this axis what is picked stays in its own plane.", field="axis",
            hint="Take an axis that lies along it, such as one of its edges: click it in the view.",
        )  # fmt: skip
    if (forward > eps).any() and (forward < -eps).any():
        least = int(np.argmin(forward if forward.sum() > 0 else -forward))
        at = foot.places[least]
        field = "bend_radius" if values.pivot == "beside" else "axis"
        need = float(np.abs(forward[np.sign(forward) != np.sign(forward.sum())]).max())
        raise ValueProblem(
            "The axis runs through what is picked: it would be turned through itself.", field=field,
            hint=f"Move the axis {need:.4g} mm away from its middle; an edge of it may lie on the axis.", places=[three(at)],
        )  # fmt: skip


def _warn_of_overlap(foot: Foot, frame: Frame, degrees: float, rise: float, notes: list[Note]) -> None:
    if rise != 0 and abs(degrees) >= 360:
        per_turn = abs(rise) * 360 / abs(degrees)
        height = float(np.ptp((foot.places - frame.origin) @ frame.direction))
        if per_turn < height:
            text = f"It rises by {per_turn:.4g} mm a turn, less than the {height:.4g} mm that the faces are high: turns run into each other."
            notes.append(Note("warning", text, field="rise"))
    if foot.joined and foot.normal.any():
        forward = np.sign(degrees) * float(np.cross(frame.direction, foot.centre - frame.origin) @ foot.normal)
        if forward < -_ON:
            text = f"They go into their body this way; through {-degrees:g}° they go out of it."
            notes.append(Note("warning", text, field="angle"))


def _callouts(foot: Foot, frame: Frame, values: Values, degrees: float, motions: Floats) -> tuple[Callout, ...]:
    """Return the angle on the outermost wall, the rows in the middle of it, and the bend radius at the end."""
    border = np.flatnonzero(foot.border)
    local = (foot.places[border] - frame.origin) @ frame.axes.T
    outer = int(np.argmax(np.round(np.hypot(local[:, 0], local[:, 1]), 9)))
    start = foot.places[border[outer]]
    middle = frame.origin + local[outer, 2] * frame.direction
    over = -1.0 if values.pivot == "beside" and values.angle < 0 else 1.0
    out = [Callout("values/angle", CalloutForm.ANGLE, three(middle), three(start), three(over * frame.direction))]
    half = motions[(len(motions) - 1) // 2]
    spot = three(half[:, :3] @ start + half[:, 3])
    out.append(Callout("values/rows", CalloutForm.COUNT, spot, spot, three(frame.direction), 0.5))
    if values.pivot == "beside":
        last = motions[-1]
        nearest = foot.places[int(np.argmin(np.linalg.norm(foot.places - foot.centre, axis=1)))]
        end, grip = (last[:, :3] @ p + last[:, 3] for p in (foot.centre, nearest))
        a = math.radians(degrees)
        way = (frame.origin - foot.centre) / max(float(np.linalg.norm(frame.origin - foot.centre)), 1e-300)
        if not way.any():
            way = -frame.axes[0]
        # the middle of the moved faces goes this way as the radius grows
        goes = (1 - math.cos(a)) * way + math.sin(a) * np.cross(way, frame.direction) * -1
        size = float(np.linalg.norm(goes))
        if size > 1e-6:
            out.append(
                Callout(
                    "values/bend_radius", CalloutForm.RADIUS, three(frame.origin), three(end), three(goes / size), 1 / size,
                    grip=three(grip),
                )
            )  # fmt: skip
    return tuple(out)
