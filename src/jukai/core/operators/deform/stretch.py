"""Stretching a body along an axis."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.deform import Deformation, stretching
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm, Context, Example, Kind, Result, operator, three
from jukai.core.operators.deforming import (
    PLACES_STILL,
    DeformingValues,
    Span,
    coarse,
    deformed,
    rows_at_ends,
    share_still,
    span_of,
)
from jukai.core.operators.inputs import Along
from jukai.core.operators.kinds.along import along
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.graph import graph
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.switch import switch

if TYPE_CHECKING:
    from jukai.core.geometry.levels import Levels

__all__ = ["Values", "stretch"]


class Values(DeformingValues):
    """A stretch, or a squeeze, along an axis."""

    new_length: float | None = length(
        "How long the stretch from 'from' to 'to' becomes.", otherwise="half as long again", gt=0, le=1e9
    )
    keep_volume: bool = switch(
        "Whether it becomes thinner as it becomes longer.",
        default=True,
        on="Its volume is kept.",
        off="Its thickness is kept.",
    )
    thickness: Graph | None = graph(
        "Where it swells or thins, and how much in proportion; at 0 % it stays as thick and as long as it was.",
        otherwise="everywhere alike",
        relevant="keep_volume == True",
    )
    still_at: str = choice("The place that stays where it is.", PLACES_STILL)
    still_place: Along = along("Where it stays.", default=Along(50.0, share=True), relevant='still_at == "place"')


@operator(
    id="stretch",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Stretch to {new_length} along {axis}, from {from} to {to}",
    quiet="{keep_volume}[ It gives way {thickness}.] {still_at}[ {still_place}] stays still; strength {strength}, {weights}.",
    synonyms=("squeeze", "squash", "lengthen", "elongate", "shorten", "swell", "bulge", "barrel"),
    example=Example(
        (
            ("cylinder", {"radius": 10, "height": 40, "sides": 20, "rows": 16}),
            ("stretch", {"new_length": 24, "axis": "z", "thickness": [
                {"at": 0, "value": 0, "smooth": True}, {"at": 0.5, "value": 1, "smooth": True}, {"at": 1, "value": 0, "smooth": True}]}),
        ),
    ),
)  # fmt: skip
def stretch(mesh: Mesh, values: Values, context: Context) -> Result:
    """Make a stretch of a body longer or shorter, thinner or thicker by what its volume asks for.

    Notes
    -----
    Where it becomes s times as long, it becomes 1 / √s times as thick: the determinant is 1 (Barr 1984 for maps and their
    determinants; the map itself follows from that). What lies beyond is as thick as the end that it leaves from.
    """
    span = span_of(mesh, values, "stretch")
    old = span.stop - span.start
    new = 1.5 * old if values.new_length is None else values.new_length
    still = share_still(span, values.still_at, values.still_place)
    carried = _carried(span, values, new, still)
    context.checkpoint(0.1)
    points = carried(mesh.points, span.amount)
    notes: list[Note] = []
    if new == old:
        notes.append(Note("info", f"It is {old:.4g} mm long already: nothing changes.", field="new_length"))
    elif values.thickness is not None and values.keep_volume:
        notes = coarse(span, values, carried, points, field="thickness", what="swell")
    notes = notes or [*rows_at_ends(span, "stretch"), *_beyond(span, values, carried)]
    frame = span.frame

    def callouts(find: Levels) -> list[Callout]:
        axis = np.array([span.on_axis(span.start), span.on_axis(span.stop)])
        low, high = carried(axis, span.most)
        # pulled at the end that moves more
        ahead = still <= 0.5
        grip = find.farthest(span.stop if ahead else span.start, frame.axes[1])
        at, to = (low, high) if ahead else (high, low)
        gain = (1.0 if ahead else -1.0) / max(1 - still if ahead else still, 1e-9)
        return [
            Callout("values/new_length", CalloutForm.LENGTH, three(at), three(to), three(frame.direction), gain, grip=three(grip))
        ]  # fmt: skip

    used = {"new_length": new} if values.new_length is None else {}
    return deformed(
        span,
        values,
        points,
        notes=notes,
        callouts=callouts,
        used=used,
        graphs=values.thickness is not None,
        carried=carried,
    )


def _carried(span: Span, values: Values, new: float, still: float) -> Deformation:
    along_ = values.thickness if values.keep_volume else None
    if along_ is not None:
        places = np.union1d(np.linspace(0.0, 1.0, 201), along_.at)
        if float(along_(places).min()) < 0 or not float(along_(places).max()) > 0:
            raise ValueProblem(
                "Where it gives way is told by shares from 0 % on.", field="thickness", hint="Raise the graph above 0 % somewhere, below it nowhere."
            )  # fmt: skip
    try:
        return stretching(
            span.frame, span.start, span.stop, new, keep_volume=values.keep_volume, still=still, along=along_
        )
    except ValueError as e:
        least = float(e.args[0])
        also = "" if along_ is None else ", or a flatter graph"
        raise ValueProblem(
            f"It would be pressed to nothing before it is {new:.4g} mm long.",
            field="new_length", hint=f"Over {least:.4g} mm can be had{also}.",
        ) from None  # fmt: skip


def _beyond(span: Span, values: Values, carried: Deformation) -> list[Note]:
    """Say when what lies beyond the stretch becomes thinner or thicker with it."""
    if not values.keep_volume:
        return []
    eps = 1e-6 * span.length
    for place, share, key in ((span.start, 0.0, "from"), (span.stop, 1.0, "to")):
        inside = span.low + eps < place < span.low + span.length - eps
        gives = 1.0 if carried.first is None else float(carried.first(np.array([share]))[0])
        if inside and gives != 0:
            text = "What lies beyond is as thick as the end that it leaves from: with a graph that is 0 % there it stays as it was."
            return [Note("info", text, field=key)]
    return []
