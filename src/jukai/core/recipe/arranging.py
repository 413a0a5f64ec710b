"""Edits that need the bodies: reaching to a place, lining up, spreading, bringing one part to another.

Each becomes plain placements, and it is those that are kept: what was done stays done when a body changes later,
except for extents, which go on holding.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.placing import placed_bounds
from jukai.core.recipe.bench import SIDES, Bench, Number, Part, Placement, Point3, Side
from jukai.core.recipe.edit_kinds import BringPart, LineUp, PlaceParts, SetExtent, SetZero, SpreadParts
from jukai.core.recipe.evaluate import Evaluation, standing
from jukai.core.recipe.resolve import Resolver

__all__ = ["ARRANGING", "arranged", "moved"]

ARRANGING = (SetExtent, SetZero, LineUp, SpreadParts, BringPart)
_OPPOSITE: dict[Side, Side] = {
    "left": "right",
    "right": "left",
    "front": "back",
    "back": "front",
    "bottom": "top",
    "top": "bottom",
}


@dataclass(frozen=True, slots=True, eq=False)
class _Body:
    """A part with its body where it stands."""

    part: Part
    evaluation: Evaluation
    bounds: Floats
    resolver: Resolver


def arranged(
    bench: Bench, edit: SetExtent | SetZero | LineUp | SpreadParts | BringPart, look: Callable[[str], Evaluation]
) -> PlaceParts:
    """Return an arranging edit as the placements it comes to.

    Parameters
    ----------
    look : works a part out by its id.

    Raises
    ------
    ValueProblem
        When a part is not there, has no body, or cannot be placed so.
    """
    resolver = Resolver(bench)

    def body(part_id: str) -> _Body:
        part = next((p for p in bench.parts if p.id == part_id), None)
        if part is None:
            raise ValueProblem(f"Part '{part_id}' is not there any more.", field="part")
        evaluation = look(part_id)
        if evaluation.mesh is None or evaluation.mesh.n_faces == 0:
            raise ValueProblem(f"'{part.name}' has no body.", field="part", hint="Switch on a shape in it.")
        return _Body(part, evaluation, placed_bounds(evaluation.mesh, evaluation.matrix), resolver)

    match edit:
        case SetExtent():
            return PlaceParts(placements={edit.part: _extent(body(edit.part), edit)}, what=edit.side)
        case SetZero():
            return PlaceParts(placements={edit.part: _zero(body(edit.part), edit.at)}, what="zero point")
        case LineUp():
            return _line_up([body(p) for p in edit.parts], body(edit.to), edit.by)
        case SpreadParts():
            return _spread([body(p) for p in edit.parts], "xyz".index(edit.along))
        case BringPart():
            a, b = body(edit.part), body(edit.to)
            by = _zero_at(b) - _zero_at(a) if edit.by == "zero" else b.bounds.mean(axis=0) - a.bounds.mean(axis=0)
            return PlaceParts(placements={edit.part: moved(a.part.placement, by)}, what="place")


def moved(placement: Placement, by: Floats | Sequence[float]) -> Placement:
    """Return a placement moved by (3,) mm on the bench; formulas stay formulas, and set extents move with it."""
    move = [_plus(v, float(d)) for v, d in zip(placement.move, by, strict=True)]
    extents = {s: _plus(v, float(by[SIDES.index(s) // 2])) for s, v in placement.extents.items()}
    return placement.model_copy(update={"move": move, "extents": extents})


def _plus(number: Number, by: float) -> Number:
    if by == 0:
        return number
    if isinstance(number, str):
        return f"{number} {'+' if by > 0 else '-'} {abs(by):.12g}"
    return _tidy(float(number) + by)


def _tidy(x: float) -> float:
    """Return a number without the rounding error of adding: 0.1 + 0.2 is 0.3."""
    near = float(f"{x:.13g}")
    return near if abs(near - x) <= 4e-16 * max(abs(x), 1e-6) else x


def _zero_at(body: _Body) -> Floats:
    """Return where the zero point of a part stands on the bench."""
    zero = np.array([body.resolver.number(v, measures="length", where="zero") for v in body.part.placement.zero])
    return np.asarray(body.evaluation.matrix[:3, :3] @ zero + body.evaluation.matrix[:3, 3])


def _extent(body: _Body, e: SetExtent) -> Placement:
    placement = body.part.placement
    extents: dict[Side, Number] = dict(placement.extents)
    axis, upper = divmod(SIDES.index(e.side), 2)
    other = _OPPOSITE[e.side]
    if e.at is None:
        if e.side not in extents:
            return placement
        del extents[e.side]
        left = placement.model_copy(update={"extents": extents})
        if other in extents:
            return left  # it is held by the other side, and has its own size again
        by = np.zeros(3)
        by[axis] = body.bounds[upper, axis] - _free(body, left)[upper, axis]
        return moved(left, by)
    extents[e.side] = e.at
    if e.how == "moved":
        extents.pop(other, None)
    elif other not in extents:
        extents[other] = _tidy(float(body.bounds[1 - upper, axis]))
    return placement.model_copy(update={"extents": extents})


def _free(body: _Body, placement: Placement) -> Floats:
    """Return the bounds that a body would have with another placement."""
    part = body.part.model_copy(update={"placement": placement})
    mesh = body.evaluation.mesh
    assert mesh is not None  # noqa: S101 - bodies have one
    matrix, _ = standing(part, body.resolver, mesh)
    return placed_bounds(mesh, matrix)


def _zero(body: _Body, at: Literal["base", "middle", "own"] | Point3) -> Placement:
    placement, mesh = body.part.placement, body.evaluation.mesh
    assert mesh is not None  # noqa: S101 - bodies have one
    low, high = mesh.bounds
    middle = (low + high) / 2
    if at == "own":
        zero = np.zeros(3)
    elif at == "middle":
        zero = middle
    elif at == "base":
        zero = np.array([middle[0], middle[1], low[2]])
    else:
        if any(isinstance(v, str) for v in at):
            raise ValueProblem(
                "The zero point is given in plain numbers here.", field="zero", hint="For example [0, 0, 10]."
            )
        zero = np.array([float(v) for v in at])
    stands = body.evaluation.matrix[:3, :3] @ zero + body.evaluation.matrix[:3, 3]
    return placement.model_copy(
        update={"zero": [_tidy(float(v)) for v in zero], "move": [_tidy(float(v)) for v in stands]}
    )


def _line_up(bodies: Sequence[_Body], to: _Body, by: str) -> PlaceParts:
    if by.startswith("middle"):
        axis = "xyz".index(by[-1])
        where = [float(b.bounds[:, axis].mean()) for b in (*bodies, to)]
    else:
        axis, upper = divmod(SIDES.index(by), 2)
        where = [float(b.bounds[upper, axis]) for b in (*bodies, to)]
    return _along(
        axis, [(b, where[-1] - w) for b, w in zip(bodies, where, strict=False) if b.part.id != to.part.id], "line up"
    )


def _spread(bodies: Sequence[_Body], axis: int) -> PlaceParts:
    rows = sorted(bodies, key=lambda b: float(b.bounds[:, axis].mean()))
    sizes = np.array([b.bounds[1, axis] - b.bounds[0, axis] for b in rows])
    room = float(rows[-1].bounds[1, axis] - rows[0].bounds[0, axis]) - float(sizes.sum())
    gap = room / (len(rows) - 1)
    starts = rows[0].bounds[0, axis] + np.concatenate([[0.0], np.cumsum(sizes[:-1] + gap)])
    shifts = [(b, float(s - b.bounds[0, axis])) for b, s in zip(rows[1:-1], starts[1:-1], strict=True)]
    return _along(axis, shifts, "spread")


def _along(axis: int, shifts: Sequence[tuple[_Body, float]], what: str) -> PlaceParts:
    out = {}
    for body, shift in shifts:
        by = np.zeros(3)
        by[axis] = shift
        out[body.part.id] = moved(body.part.placement, by)
    if not out:
        raise ValueProblem("There is nothing to move: choose other parts too.", field="parts")
    return PlaceParts(placements=out, what=what)
