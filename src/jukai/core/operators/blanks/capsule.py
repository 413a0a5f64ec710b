"""A capsule."""

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
from jukai.core.operators.kinds.length import length as a_length
from jukai.core.operators.shapes import Z_AXIS, arc, evenly, near_square, on_ring, round_callouts

__all__ = ["Values", "capsule"]


class Values(OperatorValues):
    """A capsule, centred, standing on Z = 0."""

    radius: float | None = a_length(
        "From the axis to the points of the walls.", otherwise="a twentieth of the bench's floor", gt=0, le=1e6
    )
    length: float | None = a_length("Over all, caps included.", otherwise="a fifth of the bench's floor", gt=0, le=1e6)
    cap_height: float | None = a_length(
        "How high a cap is; other than the radius makes flatter or longer caps.",
        otherwise="the radius, or half the length where that is less",
        gt=0,
        le=1e6,
    )
    sides: int | None = count("Faces around.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000)
    rows: int | None = count(
        "Faces along the walls.", otherwise="as many as make faces near square", ge=1, le=1_000_000
    )
    cap_rows: int | None = count(
        "Faces from a pole to the walls.", otherwise="a quarter of the sides", ge=1, le=100_000
    )


@operator(
    id="capsule",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a capsule of radius {radius}, {length} long, in {sides} sides",
    quiet="In {rows} rows, {cap_rows} to a cap; the caps are {cap_height} high.",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("pill", "rod", "rounded cylinder", "counterweight"),
    placing=Placing(radius=("radius", 1), up=("length", 1)),
    example=Example((("capsule", {"radius": 10, "length": 40, "sides": 24}),)),
)
def capsule(values: Values, context: Context) -> Result:
    """A cylinder between two caps that are half spheroids, each of them ending in a pole."""
    radius = context.blank_size / 4 if values.radius is None else values.radius
    long = context.blank_size if values.length is None else values.length
    cap = min(radius, long / 2) if values.cap_height is None else values.cap_height
    if 2 * cap > long:
        raise ValueProblem(
            f"Two caps of {cap:g} mm are longer than the capsule of {long:g} mm.",
            field="cap_height",
            hint=f"{long / 2:g} mm is the most, or a length of {2 * cap:g} mm.",
        )
    straight = long - 2 * cap
    sides = values.sides or chord_sides(radius, max(2 * radius, long))
    cap_rows = values.cap_rows or max(1, round(sides / 4))
    rows = 0 if straight == 0 else values.rows or near_square(straight, radius, sides)
    context.afford((2 * cap_rows + rows) * sides, field="rows", rough=True)
    sine, cosine = arc(cap_rows, 0.0, 90.0)
    low = np.column_stack([radius * cosine, cap * (1 - sine)])[::-1]
    high = np.column_stack([radius * cosine, (long - cap) + cap * sine])
    high[-1, 1] = long
    walls = evenly(straight, rows, cap) if rows else np.array([cap])
    middle = np.column_stack([np.full(len(walls), radius), walls])
    bands = (("start_cap", cap_rows), *((("walls", rows),) if rows else ()), ("end_cap", cap_rows))
    section = Section(np.concatenate([low[:-1], middle, high[1:]]), bands=bands)
    turning = Turning(sides=sides)
    context.afford(count_faces([section], turning), field="sides")
    mesh = turn([section], turning, context.step)
    shoulder = on_ring(radius, sides, long - cap, 180.0)
    callouts = (
        *round_callouts(radius, long / 2, sides),
        Callout("values/length", CalloutForm.LENGTH, (radius, 0, 0), (radius, 0, long), (0, 0, 1), grip=(0, 0, long)),
        Callout(
            "values/cap_height",
            CalloutForm.LENGTH,
            (-radius, 0, long - cap),
            (-radius, 0, long),
            (0, 0, -1),
            grip=shoulder,
        ),
    )
    used = {"radius": radius, "length": long, "sides": sides, "rows": rows, "cap_rows": cap_rows, "cap_height": cap}
    return Result(mesh, callouts=callouts, used=used, axis=Z_AXIS, turned=True)
