"""A sphere with two poles."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Placing, Result, chord_sides, operator
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.length import length
from jukai.core.operators.shapes import Z_AXIS, arc, round_callouts

__all__ = ["Values", "sphere"]


class Values(OperatorValues):
    """A sphere, centred, standing on Z = 0."""

    radius: float | None = length(
        "From the middle to the points.", otherwise="a tenth of the bench's floor", gt=0, le=1e6
    )
    sides: int | None = count("Faces around.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000)
    rows: int | None = count("Faces from pole to pole.", otherwise="half the sides", ge=2, le=1_000_000)


@operator(
    id="sphere",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a sphere of radius {radius}, in {sides} sides",
    quiet="In {rows} rows.",
    groups=("walls",),
    synonyms=("ball", "globe", "round"),
    placing=Placing(radius=("radius", 1)),
    example=Example((("sphere", {"radius": 18, "sides": 24}),)),
)
def sphere(values: Values, context: Context) -> Result:
    """A sphere whose rows run from pole to pole at equal angles; triangles at the two poles."""
    radius = context.blank_size / 2 if values.radius is None else values.radius
    sides = values.sides or chord_sides(radius, 2 * radius)
    rows = values.rows or max(2, round(sides / 2))
    context.afford(sides * rows, field="rows" if values.rows else "sides")
    sine, cosine = arc(rows, 0.0, 180.0)
    section = Section(np.column_stack([radius * sine, radius * (1 - cosine)]))
    mesh = turn([section], Turning(sides=sides), context.step)
    reach, level = float(radius * sine[rows // 2]), float(radius * (1 - cosine[rows // 2]))
    used = {"radius": radius, "sides": sides, "rows": rows}
    return Result(mesh, callouts=round_callouts(radius, level, sides, reach=reach), used=used, axis=Z_AXIS, turned=True)
