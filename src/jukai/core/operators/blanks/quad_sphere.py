"""A sphere without poles."""

from __future__ import annotations

import math

import numpy as np

from jukai.core.geometry._box import onto_ball
from jukai.core.geometry.building import lattice_box
from jukai.core.geometry.frames import sincos
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

__all__ = ["Values", "quad_sphere"]


class Values(OperatorValues):
    """A sphere of six patches, centred, standing on Z = 0."""

    radius: float | None = length(
        "From the middle to the points.", otherwise="a tenth of the bench's floor", gt=0, le=1e6
    )
    counts: int | None = count(
        "Faces along each side of a patch.", otherwise="as many as the chord tolerance asks for", ge=1, le=5000
    )


@operator(
    id="quad_sphere",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a quad sphere of radius {radius}, its patches {counts} faces wide",
    groups=("left", "right", "front", "back", "bottom", "top"),
    synonyms=("ball", "sphere without poles"),
    placing=Placing(radius=("radius", 1)),
    example=Example((("quad_sphere", {"radius": 18, "counts": 6}),)),
)
def quad_sphere(values: Values, context: Context) -> Result:
    """A sphere of six four-sided patches, cut by planes through its middle at equal angles: no poles.

    Source: the equiangular gnomonic grid (Ronchi, Iacono & Paolucci 1996).
    """
    radius = context.blank_size / 2 if values.radius is None else values.radius
    counts = values.counts or 2 * math.ceil(chord_sides(radius, 2 * radius) / 8)  # even: points on the axes
    context.afford(6 * counts * counts, field="counts")
    sine, cosine = sincos(90.0 * np.arange(counts + 1) / counts - 45.0)
    stops = sine / cosine
    mesh = lattice_box(stops, stops, stops, context.step)
    points = np.array(mesh.points)
    onto_ball.choose(len(points))(points, radius)
    points[:, 2] += radius
    # the points nearest to the middles of two patches
    near = float(stops[counts // 2])
    long = radius / math.sqrt(1 + 2 * near * near)
    right, front = (long, near * long, radius + near * long), (near * long, -long, radius + near * long)
    callouts = (
        Callout("values/radius", CalloutForm.RADIUS, (0, 0, radius), (radius, 0, radius), (1, 0, 0), grip=right),
        Callout("values/counts", CalloutForm.COUNT, front, front, (1, 0, 0), 8 / (2 * radius)),
    )
    return Result(mesh.with_points(points), callouts=callouts, used={"radius": radius, "counts": counts}, turned=True)
