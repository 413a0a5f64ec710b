"""Picked faces, or an open rim, that leave their body and stay joined to it: what operators that pull them share."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Result, three
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.pick import pick
from jukai.core.picks.picked import Picked

if TYPE_CHECKING:
    from jukai.core.geometry.pulling import Foot

__all__ = ["faces_or_rim", "foot_of", "left_behind", "nothing_picked"]


def faces_or_rim(done: str) -> Any:
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
