"""Uniting a body with others, subtracting them from it, or keeping what they share."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import MeshProblem, ValueProblem
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.crossing import flat_notes, made_by
from jukai.core.operators.inputs import Body
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.finish import finish
from jukai.core.operators.kinds.parts import parts

__all__ = ["Values", "boolean"]


class Values(OperatorValues):
    """Other parts, and what becomes of both."""

    how: str = choice(
        "What is made of them.", (("union", "unite"), ("subtract", "take away"), ("intersect", "keep what is shared"))
    )
    parts: tuple[Body, ...] = parts("The other parts, where they stand.", placed="seen")
    finish: str | None = finish("Finish of the faces that the cut leaves.", relevant='how in ("subtract", "intersect")')


@operator(
    id="boolean",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Combine with {parts}: {how}",
    quiet="[The cut faces' finish is {finish}.]",
    groups=("cut", "added"),
    synonyms=("union", "subtract", "intersect", "cut", "difference", "drill", "merge bodies", "join"),
    example=Example(
        (
            ("box", {"size": [17, 17, 21]}),
            ("boolean", {"parts": ["p0"], "how": "subtract"}),
        ),
        beside=(
            ("sphere", {"radius": 8, "sides": 24, "rows": 12}),
            ("shift", {"move": [0, 0, 11], "pick": {"rule": "everything", "of": "points"}, "frame": "part"}),
        ),
        seen_from=(-35, 50),
    ),
)
def boolean(mesh: Mesh, values: Values, context: Context) -> Result:
    """Combine closed bodies: all of them together, the first without the others, or what they share.

    Notes
    -----
    Flat faces come back whole, with their groups, finishes and texture. Bent faces that are cut stay in triangles there.
    """
    from jukai.core.geometry.booleans import Cutter, combine

    others = [(b.name, b.standing, b.finish) for b in values.parts]
    for name, other, _ in others:
        if other is None or other.n_faces == 0:
            raise ValueProblem(
                f"'{name}' has no body.", field="parts", hint="Switch on a shape in it, or leave it out."
            )
    context.afford(mesh.n_faces + sum(o.n_faces for _, o, _ in others if o is not None), field="parts", rough=True)
    context.checkpoint(0.05)
    _refuse(mesh, "The part")
    cutters = []
    for name, other, own in others:
        assert other is not None  # noqa: S101 - looked at above
        _refuse(other, f"'{name}'", "parts")
        cutters.append(Cutter(other, own))
    context.checkpoint(0.2)
    out = combine(mesh, cutters, values.how, context.step, cut_finish=values.finish)
    context.checkpoint(0.9)
    if out.n_faces == 0:
        what = "Nothing is left of the part." if values.how == "subtract" else "The parts share nothing."
        raise ValueProblem(what, field="parts", hint="Move them so that they meet, or combine them otherwise.")
    notes = []
    if (
        values.how != "union"
        and out.n_faces == mesh.n_faces
        and np.array_equal(out.bounds, mesh.bounds)
        and not made_by(out, context.step, "cut").any()
    ):
        notes.append(Note("info", "The others do not reach into the part: nothing was cut.", field="parts"))
    if mesh.edge_pairs is not None or mesh.point_data:
        notes.append(Note("info", "Marks of edges and painted weights are not kept.", field="parts"))
    notes += flat_notes(out, "parts")
    return Result(out, tuple(notes))


def _refuse(mesh: Mesh, name: str, field: str | None = None) -> None:
    """Refuse a body that encloses nothing; what is wrong with another part is said of the value that names it."""
    from jukai.core.geometry.booleans import refuse_open

    try:
        refuse_open(mesh, name)
    except MeshProblem as e:
        raise ValueProblem(e.message, field=field, hint=e.hint, places=() if field else e.places) from None
