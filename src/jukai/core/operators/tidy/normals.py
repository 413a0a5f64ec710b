"""Normals: where the shading is smooth, and what it goes by."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import crease_of, sharp_edges
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.switch import switch


class Values(OperatorValues):
    """What the shading goes by."""

    crease_angle: float | None = angle(
        "Edges whose faces turn by more than this are sharp in the shading.", default=30.0, ge=0, le=180
    )
    weigh_by: str = choice(
        "What counts how much a face pulls the shading of its corners.",
        (("angle", "its angle there"), ("area", "its area")),
    )
    marked_edges: bool = switch(
        "Whether edges that earlier steps marked sharp or smooth keep their mark.",
        default=True,
        on="Marked edges stay as they are.",
        off="Marks of earlier steps are taken away.",
    )


@operator(
    id="normals",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Smooth the shading up to {crease_angle}",
    quiet="Each face counts by {weigh_by}. {marked_edges}",
    synonyms=("smooth shading", "flat shading", "crease", "hard edges"),
    example=Example((("cylinder", {"radius": 14, "height": 26, "sides": 10}), ("normals", {"crease_angle": 40}))),
)
def normals(mesh: Mesh, values: Values, context: Context) -> Result:
    """Set where the shading is smooth, and how much each face counts.

    Notes
    -----
    Weights by angle do not depend on how a face is cut (Thürmer & Wüthrich 1998); weights by area let
    large faces stay flat beside small ones. No point moves.
    """
    context.checkpoint(0.1)
    before = int(sharp_edges(mesh).sum())
    changes: dict[str, object] = {"crease": values.crease_angle, "by_area": values.weigh_by == "area"}
    if not values.marked_edges:
        changes |= {"edge_pairs": None, "edge_data": {}, "face_soft": None}
    out = mesh.with_changes(**changes)
    after = int(sharp_edges(out).sum())
    same = before == after and values.weigh_by == "angle" and crease_of(mesh, None) == values.crease_angle
    text = (
        f"{after} edges are sharp, {before} were." if not same else "Nothing changes: this is how it is shaded already."
    )
    notes = [Note("info", text, field="crease_angle")]
    if values.crease_angle is not None and values.crease_angle >= 180 and np.any(mesh.sides):
        notes.append(Note("info", "At 180° every edge is smooth, also those of a cube.", field="crease_angle"))
    return Result(out, tuple(notes))
