"""A flat sheet."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry._lathe import quad_walls
from jukai.core.geometry.building import MeshBuilder, square_uv
from jukai.core.geometry.kernels import FEW
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
from jukai.core.operators.shapes import evenly, over_zero

__all__ = ["Values", "sheet"]


class Values(OperatorValues):
    """A flat sheet, centred, in Z = 0."""

    size: tuple[float, float] | None = vector("Width and depth.", axes=2, otherwise="a fifth of the bench's floor")
    counts: tuple[int, int] = counts("Faces along X and Y.", axes=2, default=(1, 1))


@operator(
    id="sheet",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set a sheet of {size}",
    quiet="Cut into {counts} faces.",
    groups=("faces",),
    synonyms=("plane", "grid", "surface", "square", "ground"),
    placing=Placing(wide=("size/0", 1), deep=("size/1", 1)),
    example=Example((("sheet", {"size": [40, 34], "counts": [5, 4]}),)),
)
def sheet(values: Values, context: Context) -> Result:
    """A flat grid of faces that look up; open all round."""
    size = values.size or (context.blank_size,) * 2
    over_zero(size, "The sheet", "size")
    over_zero(values.counts, "The sheet", "counts", least=1)
    nx, ny = values.counts
    context.afford(nx * ny, field="counts")
    x, y = (evenly(s, n, -s / 2) for s, n in zip(size, values.counts, strict=True))
    points = np.zeros((ny + 1, nx + 1, 3))
    points[:, :, 0], points[:, :, 1] = x, y[:, None]
    build = MeshBuilder(4 * nx * ny)
    build.add_points(points)
    corners, uv = build.room(nx * ny, 4, "faces")
    if 4 * nx * ny > FEW:
        rows = np.arange(ny + 1, dtype=np.int32) * (nx + 1)
        u, v = np.arange(nx + 1) / nx, np.arange(ny + 1) / ny
        quad_walls(rows[:-1], rows[1:], nx, False, u, v[:-1], v[1:], corners, uv)  # noqa: FBT003 - compiled
    else:
        first = (np.arange(ny, dtype=np.int32)[:, None] * (nx + 1) + np.arange(nx, dtype=np.int32)).ravel()
        for k, step in enumerate((0, 1, nx + 2, nx + 1)):
            np.add(first, step, out=corners[:, k])
        uv[:] = square_uv(nx, ny)
    wide, deep = size[0] / 2, size[1] / 2
    callouts = (
        Callout("values/size/0", CalloutForm.LENGTH, (-wide, -deep, 0), (wide, -deep, 0), (1, 0, 0), 2.0),
        Callout("values/size/1", CalloutForm.LENGTH, (wide, -deep, 0), (wide, deep, 0), (0, 1, 0), 2.0),
    )
    return Result(build.build(context.step), callouts=callouts, used={"size": size})
