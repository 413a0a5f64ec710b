"""Bending a body along an axis."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.deform import Deformation, bending, turned
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm, Context, Example, Kind, Result, operator, three
from jukai.core.operators.deforming import (
    PLACES_STILL,
    DeformingValues,
    Span,
    arc_on,
    coarse,
    deformed,
    rows_at_ends,
    share_still,
    span_of,
)
from jukai.core.operators.inputs import Along
from jukai.core.operators.kinds.along import along
from jukai.core.operators.kinds.angle import angle as angle_
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.share import share

if TYPE_CHECKING:
    from jukai.core.geometry.levels import Levels

__all__ = ["Values", "bend"]

_LEAST = 1e-9
"""Degrees below which a bend is none."""
_FLAT = 120.0
"""Degrees up to which an angle is drawn where both straight ends would meet; beyond, about the bend's centre."""


class Values(DeformingValues):
    """A bend along an axis, as sheet metal is bent: by an angle or round a radius."""

    angle: float | None = angle_(
        "By how much the end is turned against the start.",
        otherwise="45°",
        instead_of="inside_radius",
        ge=-3600,
        le=3600,
    )
    inside_radius: float | None = length("The radius of its inside.", instead_of="angle", ge=0, le=1e9)
    direction: float = angle_("Towards which side it bends, turned about the axis.", default=0.0, ge=-3600, le=3600)
    still_at: str = choice("The place that stays as it is.", PLACES_STILL)
    still_place: Along = along("Where it stays.", default=Along(50.0, share=True), relevant='still_at == "place"')
    neutral: str = choice(
        "The line that keeps its length.",
        (
            ("axis", "the axis"),
            ("inside", "the inside"),
            ("middle", "the middle"),
            ("outside", "the outside"),
            ("share", "the line at"),
        ),
    )
    neutral_share: float = share(
        "Where that line lies, from the inside to the outside.",
        default=0.5,
        ge=-10,
        le=10,
        relevant='neutral == "share"',
    )

    @model_validator(mode="after")
    def _one(self) -> Values:
        if self.angle is not None and self.inside_radius is not None:
            raise ValueError("an angle and an inside radius say the same thing: give one of them")
        return self


@operator(
    id="bend",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Bend by {angle|inside_radius} along {axis}, from {from} to {to}",
    quiet="Towards {direction}; {still_at}[ {still_place}] stays still, {neutral}[ {neutral_share}] keeps its length; "
    "strength {strength}, {weights}.",
    synonyms=("curve", "arch", "curl", "hook", "bow", "elbow"),
    example=Example(
        (("box", {"size": [10, 16, 44], "counts": [1, 1, 16]}), ("bend", {"angle": 90, "axis": "z"})),
    ),
)
def bend(mesh: Mesh, values: Values, context: Context) -> Result:
    """Bend a stretch of a body round an arc; what lies beyond goes straight on.

    References
    ----------
    A. H. Barr, Global and local deformations of solid primitives, SIGGRAPH 1984: the determinant is 1 - k x, so about its
    middle a body of even thickness keeps its volume.
    """
    span = span_of(mesh, values, "bend")
    frame = turned(span.frame, values.direction)
    across = (mesh.points - frame.origin) @ frame.axes[0]
    across = across if mesh.used_points.all() else across[mesh.used_points]
    inside, outside = (float(across.max()), float(across.min())) if len(across) else (0.0, 0.0)
    neutral = _neutral(values, inside, outside, -1.0 if (values.angle or 0) < 0 else 1.0)
    length_ = span.stop - span.start
    degrees = _degrees(values, length_, inside - neutral)
    still = span.start + length_ * share_still(span, values.still_at, values.still_place)
    carried = bending(frame, span.start, span.stop, degrees, neutral, still)
    context.checkpoint(0.1)
    points = carried(mesh.points, span.amount)
    context.checkpoint(0.8)
    if abs(degrees) <= _LEAST:
        notes = [Note("info", "A bend of 0° changes nothing.", field="angle")]
    else:
        field = "angle" if values.inside_radius is None else "inside_radius"
        notes = _folds(span, degrees, neutral, inside, outside, field)
        notes = notes or coarse(span, values, carried, points, field=field, what="bend", turn=degrees)
        notes = notes or rows_at_ends(span, "bend")
    used = {"angle": degrees} if values.inside_radius is None else {}

    def callouts(find: Levels) -> list[Callout]:
        return [_drawn(span, values, carried, degrees * span.most, neutral, inside, find)]

    return deformed(
        span,
        values,
        points,
        notes=notes,
        callouts=callouts,
        used=used,
        carried=carried,
        more=_said(degrees, length_, inside - neutral),
    )


def _neutral(values: Values, inside: float, outside: float, sign: float) -> float:
    """Return how far from the axis, towards the bend's side, the line lies that keeps its length."""
    if sign < 0:
        inside, outside = outside, inside
    if values.neutral == "share":
        return inside + (outside - inside) * values.neutral_share
    return {"axis": 0.0, "inside": inside, "middle": (inside + outside) / 2, "outside": outside}[values.neutral]


def _degrees(values: Values, length_: float, inner: float) -> float:
    """Return the angle; of an inside radius that round which the stretch goes, ``inner`` mm within its neutral line."""
    if values.inside_radius is None:
        return 45.0 if values.angle is None else values.angle
    radius = values.inside_radius + inner
    if not radius > 0:
        raise ValueProblem(
            f"An inside radius of {values.inside_radius:.4g} mm leaves the line that keeps its length none.",
            field="inside_radius", hint="Let another line keep its length, or a larger radius.",
        )  # fmt: skip
    return float(np.degrees(length_ / radius))


def _said(degrees: float, length_: float, inner: float) -> dict[str, float]:
    """Return the bend in both ways of saying it."""
    said = {"angle": degrees}
    if degrees > _LEAST and length_ / np.radians(degrees) > inner:
        said["inside_radius"] = float(length_ / np.radians(degrees)) - inner
    return said


def _folds(span: Span, degrees: float, neutral: float, inside: float, outside: float, field: str) -> list[Note]:
    """Say when the inside runs through itself: there the determinant falls below 0."""
    rate = float(np.radians(degrees)) * span.most / (span.stop - span.start)
    reach = inside - neutral if rate > 0 else neutral - outside
    if abs(rate) * reach <= 1 + 1e-9:
        return []
    most = float(np.degrees((span.stop - span.start) / reach)) / span.most
    most = float(np.floor(most * 1e3) / 1e3)
    text = f"The inside runs through itself: {most:.5g}° is the most that this stretch can be bent by."
    solve = ("angle", float(np.copysign(most, degrees)), "bend by that") if field == "angle" else None
    if field == "inside_radius":
        text = "The inside runs through itself: a larger radius, or a longer stretch, would not."
    return [Note("warning", text, field=field, solve=solve)]


def _drawn(span: Span, values: Values, carried: Deformation, degrees: float, neutral: float, inside: float,
           find: Levels) -> Callout:  # fmt: skip
    frame = carried.frame
    line = frame.origin + frame.axes[0] * neutral
    ends = (line + frame.direction * span.start)[None]
    nudge = frame.direction * 1e-3 * (span.stop - span.start)
    first = carried(ends, span.most)[0]
    out = _unit(first - carried(ends - nudge, span.most)[0])
    turn = np.radians(degrees)
    if values.inside_radius is not None:
        middle = frame.origin + frame.axes[0] * inside + frame.direction * (span.start + span.stop) / 2
        rim = carried(middle[None], span.most)[0]
        centre = rim + _unit(_across(carried, middle, span.most)) * values.inside_radius
        form = CalloutForm.RADIUS
        return Callout("values/inside_radius", form, three(centre), three(rim), three(_unit(rim - centre)))
    about, gain = frame.axes[1], 1 / max(span.most, 1e-3)
    if abs(degrees) <= _FLAT:
        # where both straight ends would meet, if they went on
        leg = (span.stop - span.start) * (0.5 if abs(turn) < 1e-6 else float(np.tan(turn / 2) / turn))
        vertex = first + out * leg
        return arc_on("values/angle", vertex, vertex + out * leg, about, find.farthest(span.stop, frame.axes[1]), gain)
    radius = (span.stop - span.start) / turn
    centre = first + np.cross(about, out) * radius
    return arc_on("values/angle", centre, first, about, find.farthest(span.stop, frame.axes[1]), gain)


def _across(carried: Deformation, point: Floats, amount: float) -> Floats:
    """Return where the inside lies from a point once it is bent."""
    step = 1e-6 * max(carried.length, 1e-300)
    two = carried(np.array([point, point + carried.frame.axes[0] * step]), amount)
    return np.asarray(two[1] - two[0])


def _unit(v: Floats) -> Floats:
    return np.asarray(v / max(float(np.linalg.norm(v)), 1e-300))
