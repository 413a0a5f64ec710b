"""A live copy of another part."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.mesh import Lineage
from jukai.core.geometry.selecting import faces_of
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.inputs import Body
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.part import part
from jukai.core.operators.kinds.pick import pick
from jukai.core.operators.kinds.step import step
from jukai.core.operators.kinds.switch import switch
from jukai.core.picks.picked import Picked

__all__ = ["Values", "copy_of"]


class Values(OperatorValues):
    """A live copy of another part: it follows what is done there."""

    part: Body = part(
        "The part that is copied.", upto="up_to_which_step", placed='mirrored == True and plane in ("x", "y", "z")'
    )
    up_to_which_step: str | None = step("The last step of it that counts.", otherwise="its last step")
    pick: Picked = pick(
        "Which faces of it are copied: all, or a piece that a step there has left.",
        of=("faces",), default={"rule": "everything"}, on="part",
    )  # fmt: skip
    mirrored: bool = switch(
        "Whether it is its mirror image.",
        default=False,
        on="Mirrored",
        off="As it is, not mirrored.",
    )
    plane: str = choice(
        "The plane it is mirrored at. At one of the bench's the copy follows where the part stands, too.",
        (
            ("own", "left and right swapped, in its own space"),
            ("x", "at the bench's plane X = 0"),
            ("y", "at the bench's plane Y = 0"),
            ("z", "at the bench's plane Z = 0"),
        ),
        relevant="mirrored == True",
    )
    joined: bool = switch(
        "Whether the part itself comes too, joined to its mirror image where it lies at the plane.",
        default=False,
        on="Joined to the part at the plane.",
        off="The mirror image alone.",
        relevant="mirrored == True",
    )


@operator(
    id="copy_of",
    kind=Kind.BLANK,
    values=Values,
    name="Live copy",
    sentence="Follow {part} up to {up_to_which_step}",
    quiet="Of it {pick} are taken. {mirrored}[, {plane}.][ {joined}]",
    synonyms=("copy of", "instance", "link", "mirror part", "duplicate"),
    example=Example(
        (("copy_of", {"part": "p0", "mirrored": True}),),
        beside=(("revolve", {"profile": "c1", "angle": 210, "sides": 14, "rows": 8}),),
        profile=({"at": [6, 0]}, {"at": [14, 0]}, {"at": [14, 12]}, {"at": [9, 22]}, {"at": [6, 22]}),
        closed=True,
    ),
)
def copy_of(values: Values, context: Context) -> Result:
    """The body of another part in its own space, or mirrored at a plane of the bench; its groups keep their names."""
    mesh = values.part.standing
    if mesh is None or mesh.n_faces == 0:
        raise ValueProblem("The part that is copied has no body.", field="part", hint="Switch on a shape in it.")
    picked = values.pick.mask
    if not picked.any():
        raise ValueProblem(
            f"Nothing of '{values.part.name}' is picked.", field="pick", hint="Pick everything, or a piece."
        )
    context.afford(int(picked.sum()) * (2 if values.mirrored and values.joined else 1), field="part")
    notes = []
    if not picked.all():
        open_before = int((mesh.connectivity.edge_sides == 1).sum())
        mesh = faces_of(mesh, picked)
        cut = int((mesh.connectivity.edge_sides == 1).sum()) - open_before
        if cut > 0:
            notes.append(
                Note(
                    "info",
                    f"What is picked is no whole piece: {cut} edges are open where it was taken off.",
                    field="pick",
                )
            )
    if values.mirrored:
        from jukai.core.geometry.mirroring import mirrored, with_mirror_image

        axis = {"y": 1, "z": 2}.get(values.plane, 0)
        if values.joined:
            mesh, shared = with_mirror_image(mesh, axis)
            if not shared:
                text = f"Nothing of the part lies at the plane {'XYZ'[axis]} = 0: the two halves are not joined."
                notes.append(Note("info", text, field="joined"))
        else:
            mesh = mirrored(mesh, axis)
    # its groups become groups of this step: the steps there are not of this recipe
    names = [group for _, group, _ in mesh.lineage.rows]
    known = list(dict.fromkeys(names))
    lineage, base = Lineage().extended((context.step, name, -1) for name in known)
    number = np.array([*(base + known.index(n) for n in names), -1], dtype=np.int32)
    rows = np.full(mesh.n_faces, -1, np.int32) if mesh.face_lineage is None else number[mesh.face_lineage]
    # a mirrored thread winds the other way: what is told of it holds for plain copies alone
    facts = {} if values.mirrored else dict(values.part.facts)
    return Result(mesh.with_changes(lineage=lineage, face_lineage=rows), tuple(notes), facts=facts)
