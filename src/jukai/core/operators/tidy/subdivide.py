"""Catmull-Clark subdivision as a step."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.factor import factor
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.operators.kinds.switch import switch

__all__ = ["Values", "subdivide"]


class Values(OperatorValues):
    """How finely a body is divided, and what stays sharp."""

    levels: int = count("How often every face is divided in four.", default=2, ge=1, le=8)
    sharp: AnyPick = pick("The edges that stay sharp.", of=("edges",), default={"rule": "sharper_than", "angle": 180})
    sharpness: float | None = factor(
        "For how many divisions they stay sharp; between whole numbers the last one is mixed.",
        otherwise="always",
        ge=0,
        le=20,
    )
    rims: str = choice(
        "What the corners of open borders do.", (("corners_stay", "stay"), ("corners_rounded", "are rounded"))
    )
    on_limit: bool = switch(
        "Whether points lie where they would come to in the end.",
        default=False,
        on="Points lie on the limit surface.",
        off="Points lie where the divisions leave them.",
    )


@operator(
    id="subdivide",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Subdivide {levels} times, {sharp} staying sharp",
    quiet="Sharp for {sharpness} divisions; corners of rims {rims}. {on_limit}",
    synonyms=("smooth surface", "catmull clark", "refine", "divide", "round off", "semi-sharp", "crease"),
    example=Example(
        (
            ("box", {"size": [24, 24, 24]}),
            (
                "subdivide",
                {"levels": 3, "sharp": {"rule": "facing", "of": "edges", "direction": [0, 0, -1], "within": 50}},
            ),
        ),
    ),
)
def subdivide(mesh: Mesh, values: Values, context: Context) -> Result:
    """Divide every face in four, smoothly: all faces become four-sided, sharp edges stay.

    Notes
    -----
    Catmull and Clark 1978; semi-sharp edges by DeRose, Kass and Truong 1998; the limit by Halstead, Kass and DeRose 1993.
    """
    from jukai.core.geometry.subdividing import ALWAYS, limit_positions, subdivided

    context.afford(len(mesh.corners) * 4 ** (values.levels - 1), field="levels", bytes_each=700)
    picked = values.sharp.mask
    amount = ALWAYS if values.sharpness is None else values.sharpness
    done = subdivided(
        mesh, np.where(picked, amount, 0.0), values.levels, corners_stay=values.rims == "corners_stay", told=context.checkpoint
    )  # fmt: skip
    out = done.mesh
    if values.on_limit:
        con = out.connectivity
        marks = np.zeros(con.n_edges, dtype=bool)
        marks[con.between(done.edges[done.sharpness > 0])] = True
        out = out.with_points(limit_positions(out, marks))
    notes = []
    if values.sharpness != 0 and picked.all():
        notes.append(Note("info", "All edges stay sharp: faces are divided, and the shape stays.", field="sharp"))
    return Result(out, tuple(notes), used={"sharp": float(values.sharp.count)})
