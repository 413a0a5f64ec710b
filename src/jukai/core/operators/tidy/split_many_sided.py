"""Cutting faces of more than four sides."""

from __future__ import annotations

from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.crossing import flat_notes
from jukai.core.operators.kinds.pick import AnyPick, pick

__all__ = ["Values", "split_many_sided"]


class Values(OperatorValues):
    """Faces of more than four sides that are cut."""

    pick: AnyPick = pick(
        "The faces that are cut if they have more than four sides.", of=("faces",), default={"rule": "everything"}
    )


@operator(
    id="split_many_sided",
    kind=Kind.CHANGE,
    values=Values,
    name="Split many-sided faces",
    sentence="Split {pick} of more than four sides",
    groups=("split",),
    synonyms=("quadrangulate", "triangulate", "ngon", "polygon", "cut faces"),
    example=Example((("cylinder", {"radius": 14, "height": 16, "sides": 16}), ("split_many_sided", {}))),
)
def split_many_sided(mesh: Mesh, values: Values, context: Context) -> Result:
    """Cut faces of more than four sides into faces of four, and one of three where their number is odd. No point is added."""
    from jukai.core.geometry.quads import split_many_sided as split

    context.checkpoint(0.1)
    picked = values.pick.mask
    many = int((picked & (mesh.sides > 4)).sum())
    out, threes = split(mesh, picked, context.step)
    if not many:
        notes = [Note("info", "No picked face has more than four sides.", field="pick")]
    else:
        word = "three-sided face is" if threes == 1 else "three-sided faces are"
        more = f"; {threes} {word} left over" if threes else ""
        notes = [Note("info", f"{many} faces were split{more}.", field="pick")]
    if many:
        notes += flat_notes(out, "pick")
    return Result(out, tuple(notes), used={"pick": float(values.pick.count)})
