"""A cylinder."""

from __future__ import annotations

import numpy as np

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
from jukai.core.operators.shapes import Z_AXIS, end_rings, ends, on_ring

__all__ = ["Values", "cylinder"]


class Values(OperatorValues):
    """A cylinder, centred, standing on Z = 0."""

    radius: float | None = length(
        "From the axis to the points.", otherwise="a tenth of the bench's floor", gt=0, le=1e6
    )
    height: float | None = length("From the floor to the top.", otherwise="a fifth of the bench's floor", gt=0, le=1e6)
    sides: int | None = count("Faces around.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000)
    rows: int = count("Faces along the height.", default=1, ge=1, le=1_000_000)
    ends: str = ends()
    end_rings: int = end_rings()


@operator(
    id="cylinder",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a cylinder of radius {radius}, {height} high, in {sides} sides",
    quiet="In {rows} rows, ends {ends}[, {end_rings} rings to an end].",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("tube", "rod", "disc", "pipe", "column"),
    placing=Placing(radius=("radius", 1), up=("height", 1)),
    example=Example((("cylinder", {"radius": 13, "height": 30, "sides": 24}),)),
)
def cylinder(values: Values, context: Context) -> Result:
    """A cylinder whose ends are flat faces, fans, rings or left open."""
    radius = context.blank_size / 2 if values.radius is None else values.radius
    height = context.blank_size if values.height is None else values.height
    sides = values.sides or chord_sides(radius, max(2 * radius, height))
    up = np.arange(values.rows + 1) * (height / values.rows)
    up[-1] = height
    section = Section(np.column_stack([np.full(values.rows + 1, radius), up]))
    turning = Turning(sides=sides, ends=values.ends, end_rings=values.end_rings)
    context.afford(count_faces([section], turning), field="sides")
    mesh = turn([section], turning, context.step)
    spot = on_ring(radius, sides, height / 2)
    callouts = (
        Callout("values/radius", CalloutForm.RADIUS, (0, 0, height), (radius, 0, height), (1, 0, 0)),
        Callout("values/height", CalloutForm.LENGTH, (radius, 0, 0), (radius, 0, height), (0, 0, 1)),
        Callout("values/sides", CalloutForm.COUNT, spot, spot, (1, 0, 0), 24 / (2 * radius)),
    )
    used = {"radius": radius, "height": height, "sides": sides}
    return Result(mesh, callouts=callouts, used=used, axis=Z_AXIS, turned=True)
