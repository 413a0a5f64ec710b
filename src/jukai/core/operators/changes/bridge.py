"""Bridging two borders."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Bools
from jukai.core.geometry.graphs import Graph
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
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.factor import factor
from jukai.core.operators.kinds.finish import finish
from jukai.core.operators.kinds.graph import graph
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.picks.picked import Picked

if TYPE_CHECKING:
    from jukai.core.geometry.rims import Rim

__all__ = ["Values", "bridge"]

_ROWS = 8
_REACH = 1.0


class Values(OperatorValues):
    """Two borders, and how they are joined."""

    pick: AnyPick = pick(
        "The two borders: edges of open rims, or faces, which go.", of=("edges", "faces"), default={"rule": "rim"}
    )  # without a body before it the rule as it is written
    rows: int | None = count(
        "Rows of faces between them.", otherwise="one where it is straight, else 8", ge=1, le=100_000
    )
    runs: str = choice(
        "How the bridge leaves its borders.",
        (("smooth", "going on smoothly from the faces beside"), ("straight", "straight across")),
    )
    pull: float = factor(
        "How far the faces beside run on into it: 1 bends as an arc does.",
        default=_REACH,
        ge=0,
        le=100,
        relevant='runs == "smooth"',
    )
    turn: int = count("By how many points one is turned against the other.", default=0, ge=-100_000, le=100_000)
    size_along: Graph | None = graph(
        "What its size is multiplied by from the one border to the other; the borders stay.",
        otherwise="the same all along",
    )
    finish: str | None = finish("Finish of the new faces.")


@operator(
    id="bridge",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Bridge {pick}, {runs}",
    quiet="In {rows} rows, turned by {turn} points[, pulled by {pull}]; finish {finish}. Size {size_along}.",
    groups=("walls",),
    synonyms=("connect", "join rims", "tunnel", "handle", "loft between", "span"),
    example=Example(
        (
            ("box", {"size": [10, 10, 10], "counts": [2, 2, 2]}),
            ("repeat", {"how": "line", "count": 2, "direction": "x", "gap": 8}),
            (
                "bridge",
                {
                    "pick": {
                        "join": [
                            {"rule": "inside", "of": "faces", "shape": "box", "centre": [5, 0, 5], "size": [1, 20, 20]},
                            {
                                "and_also": {
                                    "rule": "inside",
                                    "of": "faces",
                                    "shape": "box",
                                    "centre": [13, 0, 5],
                                    "size": [1, 20, 20],
                                }
                            },
                        ],
                        "of": "faces",
                    },
                    "size_along": [
                        {"at": 0, "value": 1},
                        {"at": 0.5, "value": 0.55, "smooth": True},
                        {"at": 1, "value": 1},
                    ],
                },
            ),
        ),
        seen_from=(-35, 50),
    ),
)
def bridge(mesh: Mesh, values: Values, context: Context) -> Result:
    """Join two borders by rows of four-sided faces; where they have different numbers of points, by as many of three sides as these differ.

    Notes
    -----
    Rows lie on cubics that leave both borders in the planes of the faces beside (Hermite), or straight between them.
    """
    from jukai.core.geometry.bridging import bridge as between
    from jukai.core.geometry.rebuilding import Block, rebuilt
    from jukai.core.geometry.rims import rims_of

    picked: Picked = values.pick
    used: dict[str, object] = {"pick": float(picked.count)}
    if not picked.mask.any():
        word = "face" if picked.kind == "faces" else "edge"
        return Result(mesh, (Note("info", f"No {word} is picked: nothing is bridged.", field="pick"),), used=used)
    body, edges = _opened(mesh, picked)
    rims = rims_of(body, edges)
    _refuse(body, rims, picked)
    rows = values.rows or (1 if values.runs == "straight" and values.size_along is None else _ROWS)
    one, two = rims
    context.afford(body.n_faces + rows * max(len(one.points), len(two.points)), field="rows")
    context.checkpoint(0.2)
    made = between(
        body, one, two, rows, turn=values.turn, smooth=values.pull if values.runs == "smooth" else None, size=values.size_along
    )  # fmt: skip
    source = np.full(len(made.points), one.points[0])
    blocks = [
        Block.of(made.fours, "walls", made.beside, made.uv, values.finish),
        Block.of(made.threes, "walls", made.beside_threes, made.uv_threes, values.finish),
    ]
    out = rebuilt(body, context.step, added=made.points, source=source, blocks=[b for b in blocks if len(b.sides)])
    context.checkpoint(0.8)
    notes = []
    if len(made.threes):
        text = f"The borders have {len(one.points)} and {len(two.points)} points: {len(made.threes)} faces have three sides."
        notes.append(Note("info", text, field="pick"))
    notes += crossing_notes(out, (context.step, "walls"), "The bridge has no room", "pick")
    used["rows"] = rows
    middle = made.columns[len(made.columns) // 2]
    spot = three(middle[int(np.argmax(np.round(middle @ [0.35, -0.8, 0.5], 9)))])
    callouts = (Callout("values/rows", CalloutForm.COUNT, spot, spot, (0, 0, 1), 0.5),)
    return Result(out, tuple(notes), callouts, used, run=_run(made.columns))


def _run(columns: np.ndarray) -> np.ndarray:
    middles = columns.mean(axis=1)
    return np.column_stack([np.linspace(0, 1, len(middles)), middles])


def _opened(mesh: Mesh, picked: Picked) -> tuple[Mesh, Bools]:
    """Return the body without picked faces, and the edges that are its borders then; or the body, and the picked edges."""
    from jukai.core.geometry.selecting import faces_of

    if picked.kind == "edges":
        return mesh, picked.mask
    if picked.mask.all():
        raise ValueProblem(
            "All faces are picked: nothing is left to be bridged.", field="pick", hint="Pick two faces, or two patches."
        )
    con = mesh.connectivity
    mine = picked.mask[mesh.corner_faces]
    border = np.flatnonzero(mine & (con.twins >= 0))
    border = border[~picked.mask[mesh.corner_faces[con.twins[border]]]]
    used = np.zeros(mesh.n_points, dtype=bool)
    used[mesh.corners[~mine]] = True
    number = np.cumsum(used) - 1
    body = faces_of(mesh, ~picked.mask)
    pairs = number[np.stack([mesh.corners[border], mesh.corners[con.following[border]]], axis=1)].astype(np.int32)
    edges = np.zeros(body.connectivity.n_edges, dtype=bool)
    found = body.connectivity.between(pairs)
    edges[found[found >= 0]] = True
    return body, edges


def _refuse(mesh: Mesh, rims: Sequence[Rim], picked: Picked) -> None:
    """Refuse what is not two borders of a kind."""
    word = "patches of faces" if picked.kind == "faces" else "open borders"
    if len(rims) != 2:
        places = [three(mesh.points[r.points[0]]) for r in rims]
        raise ValueProblem(
            f"{len(rims) or 'No'} {word if len(rims) != 1 else word.replace('patches', 'patch').replace('borders', 'border')} {'are' if len(rims) != 1 else 'is'} picked; a bridge joins two.",
            field="pick", hint="Pick two rims, or two patches of faces that do not touch.", places=places,
        )  # fmt: skip
    one, two = rims
    if one.closed != two.closed:
        raise ValueProblem(
            "One of the borders comes back to where it begins, the other does not.", field="pick", hint="Pick two loops, or two open runs."
        )  # fmt: skip
    shared = np.intersect1d(one.points, two.points)
    if len(shared) and one.closed:
        raise ValueProblem(
            "The two borders touch.", field="pick", hint="Pick borders that have no point in common.", places=[three(mesh.points[shared[0]])]
        )  # fmt: skip
    if min(len(one.points), len(two.points)) < (3 if one.closed else 2):
        raise ValueProblem("A border has too few points.", field="pick")
