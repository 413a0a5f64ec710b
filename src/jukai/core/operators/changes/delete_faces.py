"""Deleting faces: what is left is open where they were."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.selecting import faces_of
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator, three
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.operators.pulling import nothing_picked

__all__ = ["Values", "delete_faces"]


class Values(OperatorValues):
    """Picked faces that go."""

    pick: AnyPick = pick("The faces that go.", of=("faces",), default={"rule": "facing", "direction": [0, 0, 1]})


@operator(
    id="delete_faces",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Delete {pick}",
    synonyms=("remove", "open", "erase", "cut out"),
    example=Example(
        (
            ("box", {"size": [30, 24, 18], "counts": [3, 3, 2]}),
            ("delete_faces", {"pick": {"rule": "group", "step": "s1", "name": "top"}}),
        ),
        seen_from=(-35, 50),
    ),
)
def delete_faces(mesh: Mesh, values: Values, context: Context) -> Result:
    """Take faces off their body; it is open there, ready to be bridged, filled or thickened."""
    from jukai.core.geometry.soundness import pinched_points

    picked = values.pick.mask
    if not picked.any():
        return nothing_picked(mesh, values.pick, "deleted")
    if picked.all():
        raise ValueProblem(
            "Every face is picked: nothing would be left of the part.", field="pick",
            hint="Pick some of them; a part that is not wanted is hidden or deleted in the list.",
        )  # fmt: skip
    context.checkpoint(0.1)
    out = faces_of(mesh, ~picked)
    rims = int((out.connectivity.edge_sides == 1).sum())
    notes = [Note("info", f"The part is open: {rims} rim edges.", field="pick")] if rims and mesh.closed else []
    pinched = (
        np.setdiff1d(pinched_points(out), pinched_points(mesh))
        if out.n_points == mesh.n_points
        else pinched_points(out)
    )
    if len(pinched):
        text = f"{len(pinched)} points hold faces together that share nothing else."
        notes.append(Note("warning", text, field="pick", places=tuple(three(p) for p in out.points[pinched[:50]])))
    return Result(out, tuple(notes), used={"pick": float(values.pick.count)})
