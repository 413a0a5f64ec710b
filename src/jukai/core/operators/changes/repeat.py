"""Repeating a body along a line, round an axis or along a path."""

from __future__ import annotations

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.frames import Frame, sincos
from jukai.core.geometry.measures import surface_centroid
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
from jukai.core.operators.inputs import AxisSpec, CurveInput
from jukai.core.operators.kinds.angle import angle as angle_
from jukai.core.operators.kinds.axis import axis as axis_
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count as count_
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.per_copy import per_copy
from jukai.core.operators.kinds.switch import switch

__all__ = ["Values", "repeat"]

_TOUCHING = 1e-9
"""Share of the size within which points of neighbouring copies are one."""


class Values(OperatorValues):
    """A body that stands several times, evenly."""

    how: str = choice(
        "What the copies are set along.",
        (("line", "in a line along"), ("round_axis", "round"), ("path", "along the path")),
    )
    count: int = count_("How many there are in all, the first one included.", default=4, ge=1, le=10_000)
    axis: AxisSpec = axis_("What they stand round.", default=AxisSpec("z"), relevant='how == "round_axis"')
    angle: float | None = angle_(
        "From each copy to the next.", instead_of="over", ge=-36_000, le=36_000, relevant='how == "round_axis"'
    )
    over: float | None = angle_(
        "Over which angle they are spread, evenly; less than a whole turn has one at either end.",
        otherwise="a whole turn",
        instead_of="angle",
        ge=-36_000,
        le=36_000,
        relevant='how == "round_axis"',
    )
    direction: AxisSpec = axis_("Which way the line goes.", default=AxisSpec("x"), relevant='how == "line"')
    gap: float | None = length(
        "Clear space between neighbours.",
        otherwise="a quarter of how long the body is that way",
        instead_of="pitch",
        ge=-1e6,
        le=1e6,
        relevant='how == "line"',
    )
    pitch: float | None = length(
        "From each copy to the next.", instead_of="gap", ge=-1e6, le=1e6, relevant='how == "line"'
    )
    path: CurveInput | None = curve(
        "What they are spread along, evenly: a path in space, or a profile, upright in the plane Y = 0.",
        of="path",
        relevant='how == "path"',
    )
    lies: str = choice(
        "How copies lie on the path.",
        (("along", "turned to lie along it"), ("as_it_is", "all as the first one")),
        relevant='how == "path"',
    )
    turn: tuple[float, ...] | None = per_copy(
        "How far each is turned about its own middle: a formula may speak of copy (from 0) and copies.",
        of="angle",
        otherwise="not",
    )
    scale: tuple[float, ...] | None = per_copy(
        "How large each is, about its own middle: a formula may speak of copy (from 0) and copies.",
        of="",
        otherwise="all alike",
    )
    rise: tuple[float, ...] | None = per_copy(
        "How far each is moved along the axis, or up: a formula may speak of copy (from 0) and copies.",
        of="length",
        otherwise="not",
    )
    join: bool = switch(
        "Whether copies that touch become one body.",
        default=True,
        on="Copies that touch are joined.",
        off="Each copy is a body by itself.",
    )

    @model_validator(mode="after")
    def _one(self) -> Values:
        for a, b in (("angle", "over"), ("gap", "pitch")):
            if getattr(self, a) is not None and getattr(self, b) is not None:
                raise ValueError(f"{a} and {b} say the same thing: give one of them")
        return self


@operator(
    id="repeat",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Repeat {count} times {how}[ {direction}, {gap|pitch}][ {axis}, {over|angle}][ {path}, {lies}]",
    quiet="Each is turned by {turn}, scaled by {scale} and raised by {rise}. {join}",
    groups=("copies",),
    synonyms=("array", "pattern", "copies", "duplicate", "polar", "radial", "linear"),
    example=Example(
        (
            ("box", {"size": [6, 4, 10]}),
            (
                "repeat",
                {
                    "how": "round_axis",
                    "count": 9,
                    "axis": {"point": [-14, 0, 0], "direction": [0, 0, 1]},
                    "rise": "copy * 1.5",
                },
            ),
        ),
    ),
)
def repeat(mesh: Mesh, values: Values, context: Context) -> Result:
    """Set copies of a body along a line, round an axis or along a path, evenly; what each differs by may be a formula.

    Notes
    -----
    Round an axis the copies are turned by exact sines: k of them over a whole turn have k-fold symmetry.
    """
    from jukai.core.geometry.repeating import repeated

    if mesh.n_faces == 0:
        return Result(mesh)
    context.afford(mesh.n_faces * values.count, field="count")
    notes: list[Note] = []
    k = values.count
    facts: dict[str, float] = {}
    used: dict[str, object] = {"turn": 0.0, "scale": 1.0, "rise": 0.0}
    place, frame = _places(mesh, values, k, notes, used, facts)
    sizes = np.ones(k) if values.scale is None else np.array(values.scale)
    if (sizes <= 0).any():
        bad = int(np.argmax(sizes <= 0))
        raise ValueProblem(
            f"Copy {bad} would be {sizes[bad]:.4g} times as large.", field="scale", hint="Above 0 for each: 0.9 ** copy, for example."
        )  # fmt: skip
    motions = _with_own(place, frame, mesh, values, sizes)
    context.checkpoint(0.2)
    out = repeated(mesh, motions, context.step)
    context.checkpoint(0.6)
    if values.join and k > 1:
        out = _joined(mesh, out, k, notes)
    callouts = _callouts(mesh, values, motions, frame)
    axis = (frame.origin, frame.direction) if values.how == "round_axis" else None
    return Result(out, tuple(notes), callouts, used, facts, axis=axis)


def _places(
    mesh: Mesh, values: Values, k: int, notes: list[Note], used: dict[str, object], facts: dict[str, float]
) -> tuple[Floats, Frame]:
    """Return the motion (k, 3, 4) of each copy but for what it has of its own, and the frame it is turned and raised in."""
    share = np.arange(k)
    out = np.zeros((k, 3, 4))
    out[:, :, :3] = np.eye(3)
    if values.how == "round_axis":
        frame = values.axis.frame(mesh if values.axis.name == "longest" else None)
        over = 360.0 if values.over is None else values.over
        if values.angle is not None:
            degrees = values.angle * share.astype(np.float64)
        elif abs(over) >= 360:
            degrees = over * share / k
        else:
            degrees = over * share / max(k - 1, 1)
        if values.over is None and values.angle is None:
            used["over"] = 360.0
        if k > 1:
            step = float(degrees[1] - degrees[0])
            facts |= {
                "angle": step,
                "over": over if values.angle is None else step * (k if abs(step * k) >= 360 else k - 1),
            }
        sine, cosine = sincos(degrees)
        x, y, z = frame.axes
        flat, cross = np.outer(x, x) + np.outer(y, y), np.outer(y, x) - np.outer(x, y)
        linear = np.outer(z, z) + cosine[:, None, None] * flat + sine[:, None, None] * cross
        linear[np.abs(linear) < 1e-17] = 0.0
        out[:, :, :3] = linear
        out[:, :, 3] = frame.origin - linear @ frame.origin
        return out, frame
    if values.how == "line":
        way = values.direction.frame(mesh if values.direction.name == "longest" else None)
        along = mesh.points[mesh.used_points] @ way.direction
        long = float(np.ptp(along))
        gap = values.gap if values.gap is not None else 0.25 * long
        step = values.pitch if values.pitch is not None else long + gap
        if values.gap is None and values.pitch is None:
            used["gap"] = gap
        facts |= {"pitch": step, "gap": step - long}
        if step == 0 and k > 1 and values.rise is None:
            notes.append(Note("warning", "All copies stand at the same place.", field="pitch"))
        out[:, :, 3] = np.outer(share * step, way.direction)
        return out, AxisSpec("z").frame()
    return _along_path(values, k, out)


def _along_path(values: Values, k: int, out: Floats) -> tuple[Floats, Frame]:
    from jukai.core.operators.sections import lying

    assert values.path is not None  # noqa: S101 - required where it counts
    path = values.path.path
    if not path.pieces:
        raise ValueProblem(f"'{values.path.name}' has no length.", field="path", hint="Move its points apart.")
    fine = path.stations([64] * len(path.pieces))
    lies = lying(fine, upright=False, what="the copies")
    at = np.append(fine.length, fine.long) if path.closed else fine.length
    sought = fine.long * np.arange(k) / (k if path.closed else max(k - 1, 1))

    def along(rows: Floats) -> Floats:
        rows = np.concatenate([rows, rows[:1]]) if path.closed else rows
        return np.stack([np.interp(sought, at, rows[:, i]) for i in range(3)], axis=1)

    points = along(fine.points)
    out[:, :, 3] = points - points[0]
    if values.lies == "along":
        across = along(lies.across)
        ahead = along(fine.before)
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1), 1e-300)[:, None]
        across -= (across * ahead).sum(axis=1)[:, None] * ahead
        across /= np.maximum(np.linalg.norm(across, axis=1), 1e-300)[:, None]
        axes = np.stack([across, np.cross(ahead, across), ahead], axis=2)
        linear = axes @ axes[0].T
        linear[0] = np.eye(3)
        out[:, :, :3] = linear
        out[:, :, 3] = points - linear @ points[0]
    return out, AxisSpec("z").frame()


def _with_own(place: Floats, frame: Frame, mesh: Mesh, values: Values, sizes: Floats) -> Floats:
    """Return motions in which each copy is first scaled and turned about its own middle and raised."""
    if values.scale is None and values.turn is None and values.rise is None:
        return place
    k, middle = len(place), surface_centroid(mesh)
    sine, cosine = sincos(np.zeros(k) if values.turn is None else np.array(values.turn))
    x, y, z = frame.axes
    flat, cross = np.outer(x, x) + np.outer(y, y), np.outer(y, x) - np.outer(x, y)
    own = (np.outer(z, z) + cosine[:, None, None] * flat + sine[:, None, None] * cross) * sizes[:, None, None]
    rise = np.zeros(k) if values.rise is None else np.array(values.rise)
    shift = middle - own @ middle + rise[:, None] * frame.direction
    linear = place[:, :, :3] @ own
    return np.concatenate(
        [linear, (np.einsum("kij,kj->ki", place[:, :, :3], shift) + place[:, :, 3])[:, :, None]], axis=2
    )


def _joined(mesh: Mesh, out: Mesh, copies: int, notes: list[Note]) -> Mesh:
    """Return the copies with points of theirs that stand at the same place made one, where there are any."""
    from jukai.core.geometry.welding import welded

    near = _TOUCHING * mesh.size
    meeting = _where_boxes_meet(out, copies, near)
    if not meeting.any():
        done, back = None, np.zeros(0, dtype=bool)
    else:
        done = welded(out, near, meeting)
        back = done.back
    if mesh.closed:
        # closed bodies that touch would share faces: only where these lie back to back do they become one
        if not back.any():
            return out
        touching = np.zeros(out.n_points, dtype=bool)
        touching[out.corners[back[out.corner_faces]]] = True
        return welded(out, near, touching).mesh
    if done is None or done.points == 0:
        notes.append(Note("info", "No points of neighbouring copies meet: each is a body by itself.", field="join"))
        return out
    return done.mesh


def _where_boxes_meet(out: Mesh, copies: int, near: float) -> Bools:
    """Return (n,) which points of copies lie in the box of another copy, too."""
    places = out.points.reshape(copies, -1, 3)
    # reducing a column is many times faster than reducing rows of three
    columns = [places[:, :, i] for i in range(3)]
    low = np.stack([c.min(axis=1) for c in columns], axis=1) - near
    high = np.stack([c.max(axis=1) for c in columns], axis=1) + near
    found = np.zeros((copies, places.shape[1]), dtype=bool)
    for k in range(copies):
        meets = ((low <= high[k]) & (high >= low[k])).all(axis=1)
        meets[k] = False
        for other in np.flatnonzero(meets).tolist():
            found[k] |= ((places[k] >= low[other]) & (places[k] <= high[other])).all(axis=1)
    return found.ravel()


def _callouts(mesh: Mesh, values: Values, motions: Floats, frame: Frame) -> tuple[Callout, ...]:
    """Return the count on the last copy, and the angle or the distance to the second one."""
    used_points = mesh.points[mesh.used_points]
    spot = used_points[int(np.argmax(np.round(used_points @ [0.35, -0.8, 0.5], 9)))]
    ends = motions[:, :, :3] @ spot + motions[:, :, 3]
    out = [Callout("values/count", CalloutForm.COUNT, three(ends[-1]), three(ends[-1]), (0, 0, 1), 0.5)]
    if len(ends) < 2:
        return tuple(out)
    if values.how == "round_axis":
        target, which = ("angle", 1) if values.angle is not None else ("over", len(ends) - 1)
        middle = frame.origin + ((ends[0] - frame.origin) @ frame.direction) * frame.direction
        if target == "angle" or (values.over is not None and abs(values.over) < 360):
            out.append(
                Callout(
                    f"values/{target}",
                    CalloutForm.ANGLE,
                    three(middle),
                    three(ends[0]),
                    three(frame.direction),
                    grip=three(ends[which]),
                )
            )
    elif values.how == "line":
        way = ends[1] - ends[0]
        size = float(np.linalg.norm(way))
        if size > 0 and values.rise is None and values.turn is None and values.scale is None:
            target = "pitch" if values.pitch is not None else "gap"
            sign = 1.0
            if target == "pitch":
                sign = 1.0 if values.pitch > 0 else -1.0  # type: ignore[operator]
                out.append(
                    Callout(
                        "values/pitch", CalloutForm.LENGTH, three(ends[0]), three(ends[1]), three(sign * way / size)
                    )
                )
            else:
                along = used_points @ (way / size)
                front = used_points[int(np.argmax(np.round(along, 9)))]
                gap = size - float(np.ptp(along))
                back = front + gap * way / size
                near = used_points[int(np.argmin(np.round(along, 9)))] + way
                out.append(
                    Callout(
                        "values/gap", CalloutForm.LENGTH, three(front), three(back), three(way / size), grip=three(near)
                    )
                )
    return tuple(out)
