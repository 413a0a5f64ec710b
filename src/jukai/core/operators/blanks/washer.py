"""A flat washer."""

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
from jukai.core.operators.fasteners import OWN, for_hole
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.length import length
from jukai.core.operators.shapes import Z_AXIS, on_ring
from jukai.core.operators.tables import table

__all__ = ["SIZES", "Values", "washer"]

SIZES = table("washers")
"""Hole, outer diameter and thickness, mm, by thread."""


class Values(OperatorValues):
    """A flat washer, centred, lying on Z = 0."""

    size: str = choice(
        "The thread it is for.", [*((s, s) for s in SIZES), (OWN, "no thread: a size of its own")], default="M8"
    )
    inner: float | None = length("Diameter of the hole.", otherwise="the size's own", follows="size", gt=0, le=1e6)
    outer: float | None = length("Outer diameter.", otherwise="the size's own", follows="size", gt=0, le=1e6)
    thickness: float | None = length("How thick it is.", otherwise="the size's own", follows="size", gt=0, le=1e6)
    sides: int | None = count("Faces around.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000)


@operator(
    id="washer",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a washer for {size}: hole {inner}, outer diameter {outer}, {thickness} thick",
    quiet="In {sides} sides.",
    groups=("walls", "hole", "bottom", "top"),
    synonyms=("ring", "disc with a hole", "spacer", "shim"),
    placing=Placing(radius=("outer", 2), up=("thickness", 1), hole=("size", for_hole)),
    example=Example((("washer", {"size": "M8", "sides": 36}),), seen_from=(-35, 40)),
)
def washer(values: Values, context: Context) -> Result:
    """A flat washer after ISO 7089; a diameter or thickness of its own goes before the size's."""
    inner, outer, thick = (
        own if given is None else given
        for given, own in zip((values.inner, values.outer, values.thickness), _row(values, context), strict=True)
    )
    if not inner < outer:
        raise ValueProblem(
            f"A hole of {inner:g} mm is not smaller than the outer diameter of {outer:g} mm.",
            field="inner" if values.inner is not None else "outer",
            hint="A smaller hole or a larger outer diameter would work.",
        )
    sides = values.sides or chord_sides(outer / 2, outer)
    context.afford(4 * sides, field="sides")
    a, b = inner / 2, outer / 2
    ring = np.array([[a, 0], [b, 0], [b, thick], [a, thick]])
    section = Section(ring, closed=True, bands=(("bottom", 1), ("walls", 1), ("top", 1), ("hole", 1)))
    mesh = turn([section], Turning(sides=sides), context.step)
    callouts = (
        Callout("values/outer", CalloutForm.DIAMETER, (-b, 0, thick), (b, 0, thick), (1, 0, 0), 2.0),
        Callout(
            "values/inner",
            CalloutForm.DIAMETER,
            (0, -a, thick),
            (0, a, thick),
            (0, 1, 0),
            2.0,
            grip=on_ring(a, sides, thick, 90.0),
        ),
        Callout("values/thickness", CalloutForm.LENGTH, (b, 0, 0), (b, 0, thick), (0, 0, 1)),
    )
    used = {"inner": inner, "outer": outer, "thickness": thick, "sides": sides}
    return Result(mesh, callouts=callouts, used=used, axis=Z_AXIS, turned=True)


def _row(values: Values, context: Context) -> tuple[float, ...]:
    """Return the numbers of a size; one of its own is like an M12 one, as large as a shape that says no size."""
    if values.size != OWN:
        return SIZES[values.size]
    scale = context.blank_size / SIZES["M12"][1]
    return tuple(x * scale for x in SIZES["M12"])
