"""A torus."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Placing,
    Result,
    chord_sides,
    operator,
)
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.length import length
from jukai.core.operators.shapes import Z_AXIS, arc, on_ring

__all__ = ["Values", "torus"]


class Values(OperatorValues):
    """A torus, centred, lying on Z = 0; radii as ISO 10303-42 names them."""

    major_radius: float | None = length(
        "From the axis to the middle of the ring's section.", otherwise="a tenth of the bench's floor", gt=0, le=1e6
    )
    minor_radius: float | None = length(
        "Of the ring's section.", otherwise="a quarter of the major radius", gt=0, le=1e6
    )
    sides: int | None = count("Faces around the axis.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000)  # fmt: skip
    minor_sides: int | None = count(
        "Faces around the section.", otherwise="as many as make faces near square, in twelves", ge=3, le=1_000_000
    )


@operator(
    id="torus",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a torus of major radius {major_radius} and minor radius {minor_radius}, in {sides} sides",
    quiet="With {minor_sides} sides around its section.",
    groups=("walls",),
    synonyms=("ring", "doughnut", "tyre", "o-ring"),
    placing=Placing(radius=("major_radius", 1), up=("minor_radius", 0.5)),
    example=Example((("torus", {"major_radius": 16, "minor_radius": 5, "sides": 36}),)),
)
def torus(values: Values, context: Context) -> Result:
    """A ring of round section; the section keeps off the axis."""
    given = values.minor_radius
    major = values.major_radius or max(context.blank_size / 2, 0.0 if given is None else 2 * given)
    minor = major / 4 if given is None else given
    if not minor < major:
        raise ValueProblem(
            f"A minor radius of {minor:g} mm lets the ring run into itself at the axis.",
            field="minor_radius",
            hint=f"Less than the major radius of {major:g} mm would work.",
        )
    sides = values.sides or chord_sides(major + minor, 2 * (major + minor))
    minor_sides = values.minor_sides or min(996, max(12, 12 * round(sides * minor / major / 12)))
    context.afford(sides * minor_sides, field="sides")
    sine, cosine = arc(minor_sides, 0.0, 360.0)
    section = Section(np.column_stack([major + minor * cosine, minor * (1 + sine)])[:-1], closed=True)
    mesh = turn([section], Turning(sides=sides), context.step)
    outer = major + minor
    top = round(minor_sides / 4)
    high, level = major + minor * float(cosine[top]), minor * (1 + float(sine[top]))
    side, back = on_ring(outer, sides, minor), on_ring(high, sides, level, 180.0)
    callouts = (
        Callout(
            "values/major_radius",
            CalloutForm.RADIUS,
            (0, 0, minor),
            (major, 0, minor),
            (1, 0, 0),
            grip=(outer, 0, minor),
        ),
        Callout(
            "values/minor_radius",
            CalloutForm.RADIUS,
            (major, 0, minor),
            (major, 0, 2 * minor),
            (0, 0, 1),
            grip=(high, 0, level),
        ),
        Callout("values/sides", CalloutForm.COUNT, side, side, (1, 0, 0), 24 / (2 * outer)),
        Callout("values/minor_sides", CalloutForm.COUNT, back, back, (1, 0, 0), 12 / minor),
    )
    used = {"major_radius": major, "minor_radius": minor, "sides": sides, "minor_sides": minor_sides}
    return Result(mesh, callouts=callouts, used=used, axis=Z_AXIS, turned=True)
