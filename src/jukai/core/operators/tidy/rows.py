"""Cutting a body in rows along an axis."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Result,
    operator,
    three,
)
from jukai.core.operators.inputs import Along, AxisSpec
from jukai.core.operators.kinds.along import along
from jukai.core.operators.kinds.axis import axis
from jukai.core.operators.kinds.count import count as count_

__all__ = ["Values", "rows"]


class Values(OperatorValues):
    """Rows of faces that lie level along an axis."""

    count: int = count_("Rows from the start to the end.", default=10, ge=1, le=10_000)
    axis: AxisSpec = axis("The axis along which they lie.", default=AxisSpec("longest"))
    from_: Along = along("Where they begin.", default=Along(0.0, share=True))
    to: Along = along("Where they end.", default=Along(100.0, share=True))


@operator(
    id="rows",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Cut in {count} rows along {axis}, from {from} to {to}",
    synonyms=("loops", "slices", "segments", "add rows", "finer", "divide", "rings"),
    example=Example((("cylinder", {"radius": 11, "height": 40, "sides": 16}), ("rows", {"count": 8, "axis": "z"}))),
)
def rows(mesh: Mesh, values: Values, context: Context) -> Result:
    """Cut faces by level planes, so that what bends, twists or swells has rows to do it with; the surface stays as it is.

    Notes
    -----
    Each face's pieces lie in it, so areas and volume are kept; pieces of neighbours share their points.
    """
    from jukai.core.geometry.levels import Levels
    from jukai.core.geometry.slabs import count_cut, cut_in_rows

    frame = values.axis.frame(mesh)
    places = (mesh.points - frame.origin) @ frame.direction
    used = places[mesh.used_points]
    low, high = (float(used.min()), float(used.max())) if len(used) else (0.0, 0.0)
    if not high - low > 1e-12 * max(mesh.size, 1e-300):
        raise ValueProblem("The body has no length along the axis.", field="axis", hint="Choose another axis.")
    start, stop = low + values.from_.at(high - low), low + values.to.at(high - low)
    if not stop > start:
        raise ValueProblem(
            f"The rows end at {stop - low:.4g} mm, not after they begin at {start - low:.4g} mm.",
            field="to", hint="Let 'to' lie beyond 'from'.",
        )  # fmt: skip
    levels = np.linspace(start, stop, values.count + 1)
    context.afford(count_cut(mesh, places, levels), field="count", bytes_each=600)
    out = cut_in_rows(mesh, places, levels)
    notes = []
    if out.n_faces == mesh.n_faces:
        notes.append(Note("info", "No face crosses these levels: nothing changes.", field="count"))
    direction = three(frame.direction)
    find = Levels(mesh, mesh.connectivity.edges, frame.origin, frame.direction)
    callouts = [
        Callout(f"values/{key}", CalloutForm.LEVEL, three(frame.origin + frame.direction * at),
                three(find.farthest(at, -frame.axes[1])), direction)
        for key, at in (("from", start), ("to", stop))
    ]  # fmt: skip
    middle = three(find.farthest((start + stop) / 2, frame.axes[0]))
    callouts.append(
        Callout("values/count", CalloutForm.COUNT, middle, middle, direction, values.count / (stop - start))
    )
    facts = {"length": high - low, "from": start - low, "to": stop - low}
    return Result(out, tuple(notes), tuple(callouts), {}, facts, (frame.origin, frame.direction))
