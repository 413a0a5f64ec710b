"""Mirroring a body at a plane."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator, three
from jukai.core.operators.inputs import AxisSpec
from jukai.core.operators.kinds.axis import axis
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.switch import switch

__all__ = ["Values", "mirror"]


class Values(OperatorValues):
    """A plane that a body is mirrored at."""

    plane: AxisSpec = axis(
        "What the plane is square to: X, Y or Z through the part's zero point, or an axis of your own.",
        default=AxisSpec("x"),
    )
    keep_both: bool = switch(
        "Whether the body itself stays.",
        default=True,
        on="The body and its mirror image.",
        off="The mirror image alone.",
    )
    crossing: str = choice(
        "What becomes of a body that reaches over the plane.",
        (
            ("ahead_stays", "what lies behind it is cut off"),
            ("behind_stays", "what lies ahead of it is cut off"),
            ("left", "nothing is cut off"),
        ),
        relevant="keep_both == True",
    )
    join: bool = switch(
        "Whether the two share the points on the plane.",
        default=True,
        on="They are joined at the plane.",
        off="They stay apart at the plane, each closed there.",
        relevant="keep_both == True",
    )


@operator(
    id="mirror",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Mirror at the plane square to {plane}[; {crossing}]",
    quiet="{keep_both}[ {join}]",
    groups=("image", "cut"),
    synonyms=("reflect", "symmetry", "flip side", "other half", "symmetrize"),
    example=Example(
        (
            ("box", {"size": [12, 22, 22]}),
            ("extrude", {"pick": {"rule": "group", "step": "s1", "name": "right"}, "distance": 7, "draft": 25}),
            ("mirror", {}),
        ),
        seen_from=(-35, 50),
    ),
)
def mirror(mesh: Mesh, values: Values, context: Context) -> Result:
    """Add the mirror image of a body at a plane, or take it for the body; points on the plane become shared."""
    from jukai.core.geometry.capping import capped
    from jukai.core.geometry.halving import ahead_of, heights
    from jukai.core.geometry.mirroring import in_plane, mirror_image, with_image

    if mesh.n_faces == 0:
        return Result(mesh)
    frame = values.plane.frame(mesh if values.plane.name == "longest" else None)
    point, normal = frame.origin, frame.direction
    context.afford(mesh.n_faces * (2 if values.keep_both else 1), field="plane")
    context.checkpoint(0.1)
    d = np.where(mesh.used_points, heights(mesh, point, normal), 0.0)
    if not values.keep_both:
        return Result(mirror_image(mesh, point, normal), axis=(point, normal))
    if not d.any():
        raise ValueProblem(
            "The whole part lies in the plane: its mirror image is the part.", field="plane", hint="Choose another one."
        )
    crosses = bool((d < 0).any() and (d > 0).any())
    notes = []
    if crosses and values.crossing != "left":
        side = 1.0 if values.crossing == "ahead_stays" else -1.0
        closed = mesh.closed
        mesh = in_plane(ahead_of(mesh, point, side * normal), point, normal)
        if closed and not values.join:
            mesh = capped(mesh, heights(mesh, point, normal) == 0, -side * normal, context.step, "cut")
        context.checkpoint(0.5)
    out, shared = with_image(mesh, point, normal, joined=values.join, step=context.step)
    if values.join and not shared:
        at = int(np.argmin(np.where(mesh.used_points, np.abs(heights(mesh, point, normal)), np.inf)))
        text = "Nothing of the part lies on the plane: the two halves are not joined."
        notes.append(Note("info", text, field="join", places=(three(mesh.points[at]),)))
    if crosses and values.crossing == "left":
        text = "The part reaches over the plane: it and its mirror image run through each other."
        worst = int(np.argmin(d) if -d.min() < d.max() else np.argmax(d))
        notes.append(Note("warning", text, field="crossing", places=(three(mesh.points[worst]),)))
    return Result(out, tuple(notes), axis=(point, normal))
