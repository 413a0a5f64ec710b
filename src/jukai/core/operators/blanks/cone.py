"""A cone, or one cut off."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.lathe import Section, Turning, count_faces, turn
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
from jukai.core.operators.shapes import Z_AXIS, end_rings, ends, evenly, near_square, on_ring

__all__ = ["Values", "cone"]


class Values(OperatorValues):
    """A cone, centred, standing on Z = 0."""

    bottom_radius: float | None = length(
        "From the axis to the points of the bottom; 0 makes one point of it.",
        otherwise="a tenth of the bench's floor",
        ge=0,
        le=1e6,
    )
    top_radius: float = length(
        "From the axis to the points of the top; 0 makes one point of it.", default=0, ge=0, le=1e6
    )
    height: float | None = length("From the floor to the top.", otherwise="a fifth of the bench's floor", gt=0, le=1e6)
    sides: int | None = count("Faces around.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000)
    rows: int | None = count(
        "Faces along the height.", otherwise="as many as make faces near square", ge=1, le=1_000_000
    )
    ends: str = ends()
    end_rings: int = end_rings()


@operator(
    id="cone",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a cone of radius {bottom_radius} below and {top_radius} above, {height} high, in {sides} sides",
    quiet="In {rows} rows, ends {ends}[, {end_rings} rings to an end].",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("frustum", "pyramid", "funnel", "spike"),
    placing=Placing(radius=("bottom_radius", 1), up=("height", 1)),
    example=Example((("cone", {"bottom_radius": 16, "top_radius": 6, "height": 30, "sides": 24}),)),
)
def cone(values: Values, context: Context) -> Result:
    """A cone or frustum; a radius of 0 makes one apex point."""
    bottom = context.blank_size / 2 if values.bottom_radius is None else values.bottom_radius
    height = context.blank_size if values.height is None else values.height
    top = values.top_radius
    widest = max(bottom, top)
    if widest == 0:
        raise ValueProblem("Both radii are 0.", field="bottom_radius", hint="One of them must be over 0.")
    sides = values.sides or chord_sides(widest, max(2 * widest, height))
    rows = values.rows or near_square(float(np.hypot(height, bottom - top)), (bottom + top) / 2, sides)
    context.afford(rows * sides, field="rows", rough=True)
    share = evenly(1.0, rows)
    section = Section(np.column_stack([bottom * (1 - share) + top * share, evenly(height, rows)]))
    turning = Turning(sides=sides, ends=values.ends, end_rings=values.end_rings)
    context.afford(count_faces([section], turning), field="sides")
    mesh = turn([section], turning, context.step)
    spot = on_ring(widest, sides, 0.0 if bottom >= top else height)
    callouts = (
        Callout("values/bottom_radius", CalloutForm.RADIUS, (0, 0, 0), (bottom, 0, 0), (1, 0, 0)),
        Callout("values/top_radius", CalloutForm.RADIUS, (0, 0, height), (top, 0, height), (1, 0, 0)),
        Callout(
            "values/height", CalloutForm.LENGTH, (widest, 0, 0), (widest, 0, height), (0, 0, 1), grip=(top, 0, height)
        ),
        Callout("values/sides", CalloutForm.COUNT, spot, spot, (1, 0, 0), 24 / (2 * widest)),
    )
    used = {"bottom_radius": bottom, "height": height, "sides": sides, "rows": rows}
    return Result(mesh, callouts=callouts, used=used, axis=Z_AXIS, turned=True)
