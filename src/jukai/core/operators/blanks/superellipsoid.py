"""A superellipsoid: between a box, an ellipsoid and an octahedron."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.frames import sincos
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
    three,
)
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.factor import factor
from jukai.core.operators.kinds.vector import vector
from jukai.core.operators.shapes import Z_AXIS, over_zero

__all__ = ["Values", "superellipsoid"]


class Values(OperatorValues):
    """A superellipsoid, centred, standing on Z = 0."""

    half_sizes: tuple[float, float, float] | None = vector(
        "Half its width, depth and height.", otherwise="a tenth of the bench's floor"
    )
    exponent_around: float = factor(
        "The shape seen from above: 0 square, 1 round, 2 a square on its corner, more is hollow.",
        default=0.5,
        ge=0,
        le=10,
    )
    exponent_up: float = factor(
        "The shape seen from the side: 0 square, 1 round, 2 a square on its corner, more is hollow.",
        default=0.5,
        ge=0,
        le=10,
    )
    sides: int | None = count("Faces around.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000)
    rows: int | None = count("Faces from pole to pole.", otherwise="half the sides", ge=2, le=1_000_000)


@operator(
    id="superellipsoid",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a superellipsoid of half sizes {half_sizes}, exponent {exponent_around} around and {exponent_up} up",
    quiet="In {sides} sides and {rows} rows.",
    groups=("walls",),
    synonyms=("ellipsoid", "rounded box", "squircle", "pebble", "cushion"),
    placing=Placing(wide=("half_sizes/0", 0.5), deep=("half_sizes/1", 0.5), up=("half_sizes/2", 0.5)),
    example=Example((("superellipsoid", {"half_sizes": [18, 14, 14], "exponent_around": 0.5, "exponent_up": 0.5}),)),
)
def superellipsoid(values: Values, context: Context) -> Result:
    """A spherical product of two superellipses (Barr 1981); exponents 1 and 1 make an ellipsoid."""
    half = values.half_sizes or (context.blank_size / 2,) * 3
    over_zero(half, "The superellipsoid", "half_sizes")
    most = max(half)
    # a multiple of 24, so that the corners of square ones are points
    sides = values.sides or 24 * int(np.ceil(chord_sides(most, 2 * most) / 24))
    rows = values.rows or max(2, round(sides / 2))
    context.afford(sides * rows, field="rows" if values.rows else "sides")
    up = _superellipse(np.linspace(-90.0, 90.0, rows + 1), values.exponent_up)
    round_ = _superellipse(np.linspace(0.0, 360.0, sides + 1)[:-1], values.exponent_around)
    # the faces of a sphere on points of their own
    mesh = turn([Section(np.column_stack([up[:, 0], up[:, 1]]))], Turning(sides=sides), context.step)
    points = np.empty((rows + 1, sides, 3))
    points[:, :, 0] = up[:, :1] * (round_[:, 0] * half[0])
    points[:, :, 1] = up[:, :1] * (round_[:, 1] * half[1])
    points[:, :, 2] = (half[2] + half[2] * up[:, 1])[:, None]
    rings = points[1:-1].reshape(-1, 3)
    flat = np.concatenate([points[0, :1] * [0, 0, 1], rings, points[-1, :1] * [0, 0, 1]])
    x, y, z = half
    right, far, front = (three(points[rows // 2, round(share * sides) % sides]) for share in (0, 0.25, 0.75))
    callouts = (
        Callout("values/half_sizes/0", CalloutForm.LENGTH, (0, -y, 0), (x, -y, 0), (1, 0, 0), grip=right),
        Callout("values/half_sizes/1", CalloutForm.LENGTH, (x, 0, 0), (x, y, 0), (0, 1, 0), grip=far),
        Callout(
            "values/half_sizes/2", CalloutForm.LENGTH, (x, y, z), (x, y, 2 * z), (0, 0, 1), 0.5, grip=(0, 0, 2 * z)
        ),
        Callout("values/sides", CalloutForm.COUNT, front, front, (1, 0, 0), 24 / (2 * x)),
    )
    used = {"half_sizes": half, "sides": sides, "rows": rows}
    return Result(mesh.with_points(flat), callouts=callouts, used=used, axis=Z_AXIS)


def _superellipse(degrees: Floats, exponent: float) -> Floats:
    """Return the (n, 2) points of the superellipse at polar angles; even in angle, however square or hollow it is.

    On |x|^(2/e) + |y|^(2/e) = 1 the greater of both is 1 / (1 + q^(2/e))^(e/2), with q the ratio of the two.
    """
    sine, cosine = sincos(degrees)
    most = np.maximum(np.abs(sine), np.abs(cosine))
    ratio = np.minimum(np.abs(sine), np.abs(cosine)) / most
    if exponent > 0:
        with np.errstate(under="ignore"):
            reach = (1 + ratio ** (2 / exponent)) ** (-exponent / 2)
    else:
        reach = np.ones(len(ratio))
    return np.column_stack([cosine, sine]) * (reach / most)[:, None]
