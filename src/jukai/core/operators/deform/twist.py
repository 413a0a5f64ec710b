"""Twisting a body about an axis."""

from __future__ import annotations

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.deform import twist_points
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import with_short_diagonals
from jukai.core.operators.base import Along, AxisSpec, Callout, Context, Kind, Note, OperatorValues, Result, operator
from jukai.core.operators.values import along, angle, axis, choice, length, share

__all__ = ["Values", "twist"]


class Values(OperatorValues):
    """A twist that grows evenly along an axis."""

    axis: AxisSpec = axis("What it turns about.", default=AxisSpec("longest"))
    from_: Along = along("Where the twist begins.", default=Along(0.0, share=True))
    to: Along = along("Where it ends.", default=Along(100.0, share=True))
    turn: float | None = angle(
        "How far the end is turned against the start.", otherwise="45°", instead_of="lead", ge=-360_000, le=360_000
    )
    lead: float | None = length(
        "The length along the axis that one whole turn takes.", instead_of="turn", ge=-1e6, le=1e6
    )
    still_at: str = choice(
        "The place that does not turn.", (("from", "the start"), ("middle", "the middle"), ("to", "the end"))
    )
    strength: float = share("How much of it acts, 0 to 1.", default=1.0, ge=0, le=1)

    @model_validator(mode="after")
    def _one(self) -> Values:
        if self.turn is not None and self.lead is not None:
            raise ValueError("turn and lead say the same thing: give one of them")
        return self


@operator(
    id="twist",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Twist by {turn|lead} about {axis}, from {from} to {to}",
    quiet="{still_at} stays still, strength {strength}.",
    synonyms=("wring", "spiral", "torsion"),
)
def twist(mesh: Mesh, values: Values, context: Context) -> Result:
    """Turn each slice of a body about an axis, evenly more from one place to another.

    References
    ----------
    A. H. Barr, Global and local deformations of solid primitives, SIGGRAPH 1984. The map keeps
    volume: its determinant is 1.
    """
    frame = values.axis.frame(mesh)
    along_axis = (mesh.points - frame.origin) @ frame.direction
    used = along_axis if mesh.used_points.all() else along_axis[mesh.used_points]
    low, high = (float(used.min()), float(used.max())) if len(used) else (0.0, 0.0)
    length_ = high - low
    if not length_ > 1e-12 * max(mesh.size, 1e-300):
        raise ValueProblem("The body has no length along the axis.", field="axis", hint="Choose another axis.")
    start, stop = low + values.from_.at(length_), low + values.to.at(length_)
    if not stop > start:
        raise ValueProblem(f"The twist ends at {stop - low:.4g} mm, not after it begins at {start - low:.4g} mm.", field="to",
                           hint="Let 'to' lie beyond 'from'.")  # fmt: skip
    degrees = _degrees(values, stop - start)
    still = {"from": start, "middle": (start + stop) / 2, "to": stop}[values.still_at]
    context.checkpoint(0.1)
    points = twist_points(mesh.points, frame.origin, frame.direction, start, stop, degrees * values.strength, still)
    notes = _notes(mesh, along_axis, start, stop, degrees * values.strength)
    reach = mesh.points - frame.origin
    reach = reach - np.outer(reach @ frame.direction, frame.direction)
    radius = float(np.sqrt(np.einsum("ij,ij->i", reach, reach).max())) if mesh.n_points else 1.0
    tip = frame.origin + frame.direction * stop
    rim = tip + frame.axes[0] * radius
    axis_way = _three(frame.direction)
    callouts = []
    if values.lead is None:
        callouts.append(Callout("values/turn", "angle", _three(tip), _three(rim), axis_way))
    else:
        callouts.append(
            Callout("values/lead", "length", _three(tip - frame.direction * (stop - start)), _three(tip), axis_way)
        )
    for key, place in (("from", start), ("to", stop)):
        on = frame.origin + frame.direction * place
        callouts.append(Callout(f"values/{key}", "level", _three(on), _three(on + frame.axes[0] * radius), axis_way))
    used_values = {"turn": degrees} if values.lead is None else {"lead": values.lead}
    shown = {"from": start - low, "to": stop - low, "length": length_, "axis": _axis_name(values, frame.direction)}
    twisted = with_short_diagonals(mesh.with_points(points))
    return Result(twisted, notes, tuple(callouts), used_values | shown, (frame.origin, frame.direction))


def _three(v: np.ndarray) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _axis_name(values: Values, direction: np.ndarray) -> str | None:
    if values.axis.name != "longest":
        return values.axis.name
    return "xyz"[int(np.argmax(np.abs(direction)))]


def _degrees(values: Values, span: float) -> float:
    if values.lead is not None:
        if values.lead == 0:
            raise ValueProblem(
                "A lead of 0 mm would be an endless twist.", field="lead", hint="A longer lead twists less."
            )
        return 360.0 * span / values.lead
    return 45.0 if values.turn is None else values.turn


def _notes(mesh: Mesh, along_axis: np.ndarray, start: float, stop: float, degrees: float) -> tuple[Note, ...]:
    """Say when nothing is to be seen, or when the body has too few rows to follow."""
    if degrees == 0:
        return (Note("info", "A twist of 0° changes nothing.", field="turn"),)
    eps = 1e-9 * max(stop - start, 1e-300)
    levels = np.unique(
        np.round(along_axis[(along_axis >= start - eps) & (along_axis <= stop + eps)] / max(stop - start, 1e-300), 6)
    )
    if len(levels) == 0:
        return (Note("info", "No point of the body lies between the start and the end of the twist.", field="from"),)
    steps = max(len(levels) - 1, 1)
    if abs(degrees) / steps > 30 and mesh.n_faces:
        needed = int(np.ceil(abs(degrees) / 10))
        text = f"The body has {steps} {'row' if steps == 1 else 'rows'} to twist through {abs(degrees):.4g}°; give the step before it {needed} rows for a smooth twist."
        return (Note("warning", text, field="turn"),)
    return ()
