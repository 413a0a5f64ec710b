"""Smoothing: points go toward the middle of those beside them."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.elements import belonging
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.operators.kinds.share import share
from jukai.core.operators.kinds.switch import switch

__all__ = ["Values", "smooth"]


class Values(OperatorValues):
    """Points that are smoothed."""

    pick: AnyPick = pick("What is smoothed.", of=("points", "edges", "faces"), default={"rule": "everything"})
    rounds: int = count("How often.", default=5, ge=1, le=1000)
    strength: float = share("How far points go in each round toward the middle of those beside them.", default=0.5)
    keep_volume: bool = switch(
        "Whether the body keeps its volume.",
        default=True,
        on="What was smoothed away is given back: the volume stays.",
        off="The body shrinks a little.",
    )
    rims: str = choice(
        "What open borders do.", (("stay", "stay as they are"), ("run", "are smoothed along themselves"))
    )


@operator(
    id="smooth",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Smooth {pick} {rounds} times by {strength}",
    quiet="{keep_volume} Rims {rims}.",
    synonyms=("relax", "even out", "laplace", "soften", "fair"),
    example=Example(
        (
            ("box", {"size": [26, 26, 26], "counts": [6, 6, 6]}),
            ("smooth", {"rounds": 12, "keep_volume": False}),
        ),
    ),
)
def smooth(mesh: Mesh, values: Values, context: Context) -> Result:
    """Draw points toward the middle of their neighbours, round by round; the faces stay as they are.

    Notes
    -----
    With the volume kept each round goes out again by a little more than it went in (Taubin 1995): ripples go, the shape stays.
    """
    from jukai.core.geometry.smoothing import smoothed

    picked = values.pick
    mask = picked.mask if picked.kind == "points" else belonging(mesh, picked.mask, picked.kind, "points")
    notes = []
    if not mask.any():
        notes.append(Note("info", "Nothing is picked: nothing is smoothed.", field="pick"))
        return Result(mesh, tuple(notes), used={"pick": 0.0})
    points = smoothed(
        mesh, mask, values.strength, values.rounds, keep_volume=values.keep_volume, rims_run=values.rims == "run",
        told=context.checkpoint,
    )  # fmt: skip
    moved = float(np.linalg.norm(points - mesh.points, axis=1).max(initial=0.0))
    facts = {"moved_at_most": moved}
    return Result(mesh.with_points(points), tuple(notes), used={"pick": float(picked.count)}, facts=facts)
