"""Picked faces, or an open rim, that leave their body and stay joined to it: what operators that pull them share."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Result, three
from jukai.core.operators.kinds.base import Value
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.pick import pick
from jukai.core.picks.picked import Picked

if TYPE_CHECKING:
    from jukai.core.geometry.arrays import Bools
    from jukai.core.geometry.offsetting import Offsets
    from jukai.core.geometry.pulling import Foot
    from jukai.core.geometry.singles import Singles

__all__ = [
    "Foremost",
    "as_one_or_each",
    "each_alone",
    "faces_or_rim",
    "foot_of",
    "foremost_wall",
    "left_behind",
    "nothing_picked",
    "room_for",
    "single_room",
    "singles",
]

_SINGLES = 5_000
"""Faces from which on those that each go by themselves are worked out in one pass."""
_ROOM = 1e-3
"""Share of the way that is left before faces would meet."""


def faces_or_rim(done: str) -> Value:
    """Declare what is pulled; ``done`` says what is done with it: ``turned``."""
    return pick(
        f"The faces that are {done}, or the edges of an open rim.",
        of=("faces", "edges"),
        default={"rule": "facing", "direction": [0, 0, 1]},
    )


def left_behind() -> str:
    """Declare what faces that had no neighbour leave where they stood."""
    words = (
        ("closed", "where no face was beside them it is closed behind"),
        ("open", "where no face was beside them it stays open"),
    )
    out: str = choice("What stays where picked faces stood that no other face was joined to.", words)
    return out


def foot_of(mesh: Mesh, picked: Picked, way: Floats | None = None) -> Foot | None:
    """Return the foot of what is picked, None where there is nothing.

    ``way`` (f, 3) is where each face of the body sets out to, for those without a neighbour.

    Raises
    ------
    ValueProblem
        When what is picked has no border, or is a rim that touches itself.
    """
    from jukai.core.geometry.pulling import foot_of_faces, foot_of_rim

    if not picked.mask.any():
        return None
    if picked.kind == "faces":
        foot = foot_of_faces(mesh, picked.mask, way)
        if not len(foot.walls):
            raise ValueProblem("All faces of a closed body are picked: there is no border that walls could rise from.",
                               field="pick", hint="Pick one side of it.")  # fmt: skip
        return foot
    try:
        found = foot_of_rim(mesh, picked.mask)
    except ValueError as e:
        raise ValueProblem(
            "The rim touches itself.", field="pick", hint="Pick the one or the other part of it.", places=[three(np.asarray(e.args[0]))],
        ) from None  # fmt: skip
    if not len(found.walls):
        raise ValueProblem(
            "None of the picked edges is an open rim.", field="pick", hint="Pick faces, or delete a face first."
        )
    return found


def nothing_picked(mesh: Mesh, picked: Picked, done: str) -> Result:
    """Return the body as it is, and say why."""
    note = Note(
        "info", f"No {'face' if picked.kind == 'faces' else 'edge'} is picked: nothing is {done}.", field="pick"
    )
    return Result(mesh, (note,), used={"pick": 0.0})


def as_one_or_each(done: str) -> str:
    """Declare whether picked faces go together or each by itself."""
    words = (("together", f"those side by side {done} together"), ("each", f"each of them {done}s by itself"))
    out: str = choice("Whether faces side by side go together.", words)
    return out


def each_alone(mesh: Mesh, faces: Bools, how: str, sign: float) -> Foot:
    """Return the foot of faces that rise (``sign`` 1), sink (-1) or stay level (0), together or each by itself.

    Raises
    ------
    ValueProblem
        When all faces of a closed body go together.
    """
    from jukai.core.geometry.measures import face_normals
    from jukai.core.geometry.pulling import foot_of_each, foot_of_faces

    if how == "each":
        return foot_of_each(mesh, faces, sign)
    # those that rise set out the way they look
    foot = foot_of_faces(mesh, faces, -face_normals(mesh) if sign < 0 else None)
    if not len(foot.walls):
        raise ValueProblem("All faces of a closed body are picked: there is no border that walls could rise from.",
                           field="pick", hint="Pick one side of it, or let each face go by itself.")  # fmt: skip
    return foot


def room_for(
    foot: Foot, offsets: Offsets, distance: float, inset: float, notes: list[Note], told: str
) -> tuple[float, float]:
    """Return how far faces can rise and their border move in before they would run through themselves, and say so where it is less.

    ``told`` is the value that the moving in comes from: with a draft both stop together.
    """
    from jukai.core.geometry.offsetting import first_meeting

    both = told == "draft"
    found = first_meeting(foot, distance * offsets.rise + (inset * offsets.inward if both else 0.0))
    if found is not None:
        share = found.share * (1 - _ROOM)
        text = (
            f"Beyond {_mm(distance * found.share)} the faces would run through themselves; stopped there."
            if distance
            else f"Beyond {_mm(inset * found.share)} the border would run through itself; stopped there."
        )
        notes.append(Note("warning", text, field="distance", places=(three(found.place),)))
        distance = distance * share
        inset = inset * share if both else inset
    if not both and inset:
        found = first_meeting(foot, inset * offsets.inward, foot.places + distance * offsets.rise)
        if found is not None:
            text = f"An inset of {_mm(inset)} runs through itself at {_mm(inset * found.share)}; stopped there."
            notes.append(Note("warning", text, field=told, places=(three(found.place),)))
            inset = inset * found.share * (1 - _ROOM)
    return distance, inset


def singles(mesh: Mesh, faces: Bools, how: str) -> Singles | None:
    """Return faces that each go by themselves where there are many plain ones; else they go the general way."""
    if how != "each" or int(faces.sum()) < _SINGLES:
        return None
    from jukai.core.geometry.singles import singles_of

    return singles_of(mesh, faces)


def single_room(many: Singles, inset: float, notes: list[Note], told: str) -> float:
    """Return how far the borders of many faces can move in, up to ``inset``, and say so where it is less."""
    if inset < many.room:
        return inset
    mesh = many.mesh
    place = mesh.points[mesh.corners[mesh.offsets[many.tightest]]]
    text = f"An inset of {_mm(inset)} runs through itself at {_mm(many.room)}; stopped there."
    notes.append(Note("warning", text, field=told, places=(three(place),)))
    return many.room * (1 - _ROOM)


def _mm(value: float) -> str:
    return f"{value:.4g} mm".replace("-", "\u2212")


@dataclass(frozen=True, slots=True)
class Foremost:
    """A wall that callouts are drawn at.

    Attributes
    ----------
    number : which wall it is.
    column : where it begins.
    foot, head : the middle of its lower and of its upper edge, (3,).
    end : the upper end of that column.
    second_head : the middle of the upper edge of another wall, where there is one.
    across : (3,) the way into its face, of length 1.
    """

    number: int
    column: int
    foot: Floats
    head: Floats
    end: Floats
    second_head: Floats
    across: Floats


def foremost_wall(foot: Foot, stands: Floats) -> Foremost:
    """Return the wall that looks at who looks at a part as it is shown first; ``stands`` (m, 3) is where columns end."""
    middles = (stands[foot.walls[:, 0]] + stands[foot.walls[:, 1]]) / 2
    sought = np.round((middles - foot.centre) @ [0.35, -0.8, 0.5], 9)
    wall = int(np.argmax(sought))
    p, q = foot.walls[wall]
    beside = np.flatnonzero(foot.walls[:, 0] == q)
    other = int(beside[0]) if len(beside) else wall
    face = foot.under[wall]
    across = np.zeros(3)
    if face >= 0:
        across = np.cross(foot.normals[face], foot.places[q] - foot.places[p])
    across = across / max(float(np.linalg.norm(across)), 1e-300)
    return Foremost(wall, int(p), foot.places[[p, q]].mean(axis=0), middles[wall], stands[p], middles[other], across)
