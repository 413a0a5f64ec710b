"""Turning faces over, or making all look outward."""

from __future__ import annotations

from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.pick import AnyPick, pick

__all__ = ["Values", "flip"]


class Values(OperatorValues):
    """Which way faces look."""

    to: str = choice(
        "Which way faces look afterwards.",
        (("other_way", "the other way"), ("outward", "outward, agreeing with those beside them")),
    )
    pick: AnyPick = pick(
        "The faces that are turned over.", of=("faces",), default={"rule": "everything"}, relevant='to == "other_way"'
    )


@operator(
    id="flip",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Make faces look {to}[: {pick}]",
    synonyms=("reverse", "invert", "turn over", "orient", "inside out"),
    example=Example(
        (("sheet", {"size": [24, 24], "counts": [3, 3]}), ("flip", {})),
        seen_from=(-20, 65),
    ),
)
def flip(mesh: Mesh, values: Values, context: Context) -> Result:
    """Turn faces over, or have them agree with each other and look outward. No point moves."""
    from jukai.core.geometry.rebuilding import turned_over
    from jukai.core.geometry.welding import outward

    context.checkpoint(0.1)
    if values.to == "outward":
        out, over, torn = outward(mesh)
        text = f"{over} faces were turned over." if over else "All faces look outward already."
        notes = [Note("info", text, field="to")]
        if torn:
            text = f"{torn} pieces have but one side, as a band turned by half a turn has: they can't agree, and stay as they are."
            notes.append(Note("warning", text, field="to"))
        return Result(out, tuple(notes))
    picked = values.pick.mask
    notes = []
    if not picked.any():
        notes.append(Note("info", "No face is picked: nothing is turned over.", field="pick"))
    elif not picked.all() and mesh.closed:
        notes.append(Note("warning", "Faces beside those turned over look the other way now.", field="pick"))
    return Result(
        turned_over(mesh, picked) if picked.any() else mesh, tuple(notes), used={"pick": float(values.pick.count)}
    )
