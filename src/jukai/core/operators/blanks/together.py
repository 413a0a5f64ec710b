"""Several parts as one body, to be deformed or edited together."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.mesh import Lineage, Mesh, join_meshes
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.inputs import Body
from jukai.core.operators.kinds.parts import parts

__all__ = ["Values", "together"]


class Values(OperatorValues):
    """Parts that are taken together, each where it stands."""

    parts: tuple[Body, ...] = parts("The parts that are taken together, where they stand.")


@operator(
    id="together",
    kind=Kind.BLANK,
    values=Values,
    name="Take together",
    sentence="Take {parts} together",
    synonyms=("group", "assembly", "deform parts together", "set of parts", "merge parts", "as one"),
    example=Example(
        (("together", {"parts": ["p0"]}),),
        beside=(("box", {"size": [16, 10, 26], "counts": [2, 1, 4]}),),
    ),
)
def together(values: Values, context: Context) -> Result:
    """Several parts as one, so that what follows, such as a bend, goes through all of them alike.

    The parts themselves stay as they are. Each is a piece, named by its id, that another part can follow by itself; its
    groups keep their names within it, and its faces their finish.
    """
    context.afford(sum(0 if b.mesh is None else b.mesh.n_faces for b in values.parts), field="parts")
    bodies = []
    for b in values.parts:
        mesh = b.standing
        if mesh is None or mesh.n_faces == 0:
            raise ValueProblem(
                f"'{b.name}' has no body.", field="parts", hint="Switch on a shape in it, or leave it out."
            )
        bodies.append(_piece(mesh, b, context.step))
    return Result(join_meshes(bodies), pieces=tuple(b.part for b in values.parts))


def _piece(mesh: Mesh, body: Body, step: str) -> Mesh:
    """Return a part's body with a lineage of this step, and the part's finish where faces have none of their own."""
    names = [group for _, group, _ in mesh.lineage.rows]
    known = list(dict.fromkeys(names))
    lineage = Lineage(((step, body.part, -1), *((step, name, 0) for name in known)))
    number = np.array([*(1 + known.index(n) for n in names), 0], dtype=np.int32)
    rows = np.zeros(mesh.n_faces, np.int32) if mesh.face_lineage is None else number[mesh.face_lineage]
    finishes, finish = mesh.finishes, mesh.face_finish
    if body.finish is not None:
        finishes = finishes if body.finish in finishes else (*finishes, body.finish)
        own = np.full(mesh.n_faces, -1, np.int32) if finish is None else finish
        finish = np.where(own < 0, np.int32(finishes.index(body.finish)), own)
    return replace(mesh, lineage=lineage, face_lineage=rows, finishes=finishes, face_finish=finish, edge_pairs=None, edge_data={},
                   point_data={}, _cache={})  # fmt: skip
