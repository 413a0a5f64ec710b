"""Welding points that stand close to each other."""

from __future__ import annotations

from jukai.core.errors import ValueProblem
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.crossing import flat_notes
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.pick import AnyPick, pick

__all__ = ["Values", "weld"]

_SHARE = 1e-6
"""Of the body's size, where no distance is given."""


class Values(OperatorValues):
    """Points that become one."""

    pick: AnyPick = pick(
        "The points that may be welded.", of=("points", "edges", "faces"), default={"rule": "everything"}
    )
    distance: float | None = length(
        "How far apart points may stand that become one; 0 takes those at the very same place.",
        otherwise="a millionth of the part's size",
        ge=0,
        le=1e6,
    )


@operator(
    id="weld",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Weld {pick} within {distance}",
    synonyms=("merge", "join points", "doubled points", "snap together", "sew"),
    example=Example(
        (
            ("box", {"size": [24, 24, 24], "counts": [2, 2, 2]}),
            ("weld", {"distance": 12.5, "pick": {"rule": "facing", "direction": [0, 0, 1], "of": "faces"}}),
        )
    ),
)
def weld(mesh: Mesh, values: Values, context: Context) -> Result:
    """Make points one that stand within a distance of each other; faces that lie back to back then go.

    Notes
    -----
    Welded points come to stand in their middle. Chains of points each within the distance of the next become one point.
    """
    from jukai.core.geometry.elements import belonging
    from jukai.core.geometry.welding import welded

    context.checkpoint(0.1)
    picked = values.pick
    mask = picked.mask if picked.kind == "points" else belonging(mesh, picked.mask, picked.kind, "points")
    distance = values.distance if values.distance is not None else _SHARE * mesh.size
    done = welded(mesh, distance, mask)
    context.checkpoint(0.8)
    if done.mesh.n_faces == 0:
        raise ValueProblem(
            f"Within {distance:g} mm so much becomes one point that no face is left.", field="distance", hint="A shorter distance would work."
        )  # fmt: skip
    notes = []
    if done.points == 0:
        notes.append(Note("info", f"No two points stand within {distance:.4g} mm of each other.", field="distance"))
    else:
        notes.append(Note("info", f"{done.points} points became one with others.", field="distance"))
    if done.flattened:
        notes.append(Note("info", f"{done.flattened} faces had nothing left of them.", field="distance"))
    if done.doubled:
        notes.append(Note("info", f"{done.doubled} faces lay back to back and went.", field="distance"))
    notes += flat_notes(done.mesh, "distance")
    used: dict[str, object] = {"pick": float(picked.count)}
    if values.distance is None:
        used["distance"] = distance
    return Result(done.mesh, tuple(notes), used=used)
