"""A box."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.building import box_mesh
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Placing,
    Result,
    operator,
)
from jukai.core.operators.kinds.counts import counts
from jukai.core.operators.kinds.vector import vector


class Values(OperatorValues):
    """A box, centred, standing on Z = 0."""

    size: tuple[float, float, float] | None = vector(
        "Width, depth and height.", otherwise="a fifth of the bench's floor"
    )
    counts: tuple[int, int, int] = counts("Faces along X, Y and Z.", default=(1, 1, 1))


@operator(
    id="box",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a box of {size}",
    quiet="Cut into {counts} faces.",
    groups=("left", "right", "front", "back", "bottom", "top"),
    synonyms=("cube", "block", "cuboid", "brick", "plate"),
    placing=Placing(wide=("size/0", 1), deep=("size/1", 1), up=("size/2", 1)),
    example=Example((("box", {"size": [34, 26, 20], "counts": [3, 2, 2]}),)),
)
def box(values: Values, context: Context) -> Result:
    """A box with as many faces along each side as asked for."""
    size = values.size or (context.blank_size,) * 3
    for name, number in zip("xyz", size, strict=True):
        if not number > 0:
            raise ValueProblem(
                f"The box is {number:g} mm along {name.upper()}.", field="size", hint="All three sizes must be over 0."
            )
    for name, number in zip("xyz", values.counts, strict=True):
        if number < 1:
            raise ValueProblem(
                f"The box has {number} faces along {name.upper()}.", field="counts", hint="1 is the least."
            )
    nx, ny, nz = values.counts
    context.afford(2 * (nx * ny + ny * nz + nz * nx), field="counts")
    mesh = box_mesh(np.array(size), values.counts, context.step)
    x, y, z = (s / 2 for s in size)
    callouts = (
        Callout("values/size/0", CalloutForm.LENGTH, (-x, -y, 0), (x, -y, 0), (1, 0, 0), 2.0),
        Callout("values/size/1", CalloutForm.LENGTH, (x, -y, 0), (x, y, 0), (0, 1, 0), 2.0),
        Callout("values/size/2", CalloutForm.LENGTH, (x, y, 0), (x, y, 2 * z), (0, 0, 1)),
    )
    return Result(mesh, callouts=callouts, used={"size": size})


__all__ = ["Values", "box"]
