"""Insetting faces: their border moves in by an even width, and a border of new faces is left round them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from jukai.core.geometry.arrays import Floats
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
from jukai.core.operators.crossing import crossing_notes
from jukai.core.operators.kinds.finish import finish
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.operators.pulling import (
    as_one_or_each,
    each_alone,
    foremost_wall,
    nothing_picked,
    room_for,
    single_room,
    singles,
)

if TYPE_CHECKING:
    from jukai.core.geometry.offsetting import Offsets
    from jukai.core.geometry.pulling import Foot
    from jukai.core.geometry.singles import Singles

__all__ = ["Values", "inset"]

_PART_OF_SIZE = 0.05
"""Share of the body's size by which borders move in where nothing is said."""


class Values(OperatorValues):
    """Picked faces whose border moves in."""

    pick: AnyPick = pick(
        "The faces whose border moves in.", of=("faces",), default={"rule": "facing", "direction": [0, 0, 1]}
    )  # without a body before it the rule as it is written
    distance: float | None = length(
        "How wide the new border is, everywhere.", otherwise="a twentieth of the part's size", ge=0, le=1e6
    )
    each: str = as_one_or_each("go")
    height: float = length(
        "How far the inner faces rise along their normals; below 0 they sink in.", default=0.0, ge=-1e6, le=1e6
    )
    finish: str | None = finish("Finish of the new border.")


@operator(
    id="inset",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Inset {pick} by {distance}, {each}",
    quiet="The inner faces rise {height}; the border's finish is {finish}.",
    groups=("border", "inner"),
    synonyms=("offset faces", "frame", "margin", "rebate", "panel"),
    example=Example(
        (
            ("box", {"size": [30, 24, 14], "counts": [2, 2, 1]}),
            (
                "inset",
                {"pick": {"rule": "group", "step": "s1", "name": "top"}, "distance": 2, "each": "each", "height": -2},
            ),
        ),
        seen_from=(-35, 50),
    ),
)
def inset(mesh: Mesh, values: Values, context: Context) -> Result:
    """Move the border of faces in by an even width, round hollow corners too; a border of four-sided faces is left round them.

    Notes
    -----
    A corner moves along the line that halves it, by the distance divided by the sine of the half angle.
    """
    from jukai.core.geometry.offsetting import offsets_of
    from jukai.core.geometry.pulling import pull_to

    if not values.pick.mask.any():
        return nothing_picked(mesh, values.pick, "inset")
    asked = values.distance if values.distance is not None else _PART_OF_SIZE * mesh.size
    used: dict[str, object] = {"pick": float(values.pick.count)}
    if values.distance is None:
        used["distance"] = asked
    many = singles(mesh, values.pick.mask, values.each)
    if many is not None:
        return _of_many(many, values, asked, context, used)
    foot = each_alone(mesh, values.pick.mask, values.each, 0.0)
    context.afford(mesh.n_faces + len(foot.walls), field="pick")
    context.checkpoint(0.1)
    offsets = offsets_of(foot)
    notes: list[Note] = []
    height, distance = room_for(foot, offsets, values.height, asked, notes, "distance")
    shift = distance * offsets.inward + height * offsets.rise
    stands = foot.places + shift
    context.checkpoint(0.4)
    border = foot.border
    texture = _texture(foot, shift) if foot.mesh.uv is not None else None
    out = pull_to(
        foot, stands[border][None], stands[~border], context.step, finish=values.finish, behind=False,
        groups=("border", "inner"), parents=foot.under, texture=texture,
    )  # fmt: skip
    if height:
        notes += crossing_notes(out, (context.step, "border", "inner"), "The border has no room", "height")
    return Result(out, tuple(notes), _callouts(values, foot, offsets, stands, distance, height), used)


def _of_many(many: Singles, values: Values, asked: float, context: Context, used: dict[str, object]) -> Result:
    """Inset many plain faces, each by itself, in one pass."""
    from jukai.core.geometry.offsetting import offsets_of

    context.afford(many.mesh.n_faces + int(many.mesh.sides[many.faces].sum()), field="pick")
    context.checkpoint(0.2)
    notes: list[Note] = []
    distance = single_room(many, asked, notes, "distance")
    out = many.pulled(
        values.height, distance, context.step, groups=("border", "inner"), of_themselves=True, goes_on=True, finish=values.finish
    )  # fmt: skip
    if values.height:
        notes += crossing_notes(out, (context.step, "border", "inner"), "The border has no room", "height")
    foot = each_alone(many.mesh, many.foremost(), "each", 0.0)
    offsets = offsets_of(foot)
    stands = foot.places + distance * offsets.inward + values.height * offsets.rise
    return Result(out, tuple(notes), _callouts(values, foot, offsets, stands, distance, values.height), used)


def _texture(foot: Foot, shift: Floats) -> tuple[Floats, Floats]:
    """Return texture coordinates of all corners and of the border: those that the faces had there."""
    from jukai.core.geometry.rebuilding import corners_of, uv_gradients

    mesh = foot.mesh
    assert mesh.uv is not None  # noqa: S101 - asked for by the caller
    faces = np.flatnonzero(foot.faces)
    corner = corners_of(mesh, faces)
    gradient = np.repeat(uv_gradients(mesh, faces), mesh.sides[faces], axis=0)
    uv = mesh.uv.copy()
    uv[corner] += np.einsum("nij,nj->ni", gradient, shift[foot.corner_column[corner]])
    first = foot.starts
    second = mesh.connectivity.following[first]
    walls = np.empty((len(first), 4, 2))
    walls[:, 0], walls[:, 1], walls[:, 2], walls[:, 3] = mesh.uv[first], mesh.uv[second], uv[second], uv[first]
    return uv, walls[None]


def _callouts(
    values: Values, foot: Foot, offsets: Offsets, stands: Floats, distance: float, height: float
) -> tuple[Callout, ...]:
    if not len(foot.walls):
        return ()
    wall = foremost_wall(foot, stands)
    rise = offsets.rise[wall.column]
    out = []
    if wall.across.any():
        start = wall.head - distance * wall.across
        stopped = distance if values.distance is not None and distance != values.distance else None
        out.append(
            Callout(
                "values/distance",
                CalloutForm.LENGTH,
                three(start),
                three(wall.head),
                three(wall.across),
                stopped=stopped,
            )
        )
    foot_of_height = wall.end - height * rise
    up = rise / max(float(np.linalg.norm(rise)), 1e-300)
    out.append(Callout("values/height", CalloutForm.LENGTH, three(foot_of_height), three(wall.end), three(up)))
    return tuple(out)
