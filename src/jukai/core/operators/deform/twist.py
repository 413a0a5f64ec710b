"""Twisting a body about an axis."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.deform import twisting
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm, Context, Example, Kind, Result, operator, three
from jukai.core.operators.deforming import (
    PLACES_STILL,
    DeformingValues,
    Span,
    arc_on,
    coarse,
    deformed,
    share_still,
    span_of,
)
from jukai.core.operators.inputs import Along
from jukai.core.operators.kinds.along import along
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.graph import graph
from jukai.core.operators.kinds.length import length

if TYPE_CHECKING:
    from jukai.core.geometry.levels import Levels

__all__ = ["Values", "twist"]

_FAIR_ARM = 0.3
"""Share of the body's reach from the axis at which a turn can be taken hold of."""


class Values(DeformingValues):
    """A twist along an axis."""

    turn: float | None = angle(
        "How far the end is turned against the start.", otherwise="45°", instead_of="lead", ge=-360_000, le=360_000
    )
    lead: float | None = length(
        "The length along the axis that one whole turn takes.", instead_of="turn", ge=-1e6, le=1e6
    )
    still_at: str = choice("The place that does not turn.", PLACES_STILL)
    still_place: Along = along(
        "Where it does not turn.", default=Along(50.0, share=True), relevant='still_at == "place"'
    )
    turn_graph: Graph | None = graph(
        "What share of the turn has come at each place of the stretch.", otherwise="evenly more"
    )

    @model_validator(mode="after")
    def _one(self) -> Values:
        if self.turn is not None and self.lead is not None:
            raise ValueError("turn and lead say the same thing: give one of them")
        return self


@operator(
    id="twist",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Twist by {turn|lead} about {axis}, from {from} to {to}",
    quiet="{still_at}[ {still_place}] stays still, turning {turn_graph}; strength {strength}, {weights}.",
    synonyms=("wring", "spiral", "torsion"),
    version=2,
    example=Example(
        (("box", {"size": [12, 12, 40], "counts": [2, 2, 12]}), ("twist", {"turn": 120, "axis": "z"})),
    ),
)
def twist(mesh: Mesh, values: Values, context: Context) -> Result:
    """Turn each slice of a body about an axis, more and more from one place to another.

    References
    ----------
    A. H. Barr, Global and local deformations of solid primitives, SIGGRAPH 1984. The map keeps
    volume: its determinant is 1.
    """
    span = span_of(mesh, values, "twist")
    degrees = _degrees(values, span.stop - span.start)
    still = share_still(span, values.still_at, values.still_place)
    frame = span.frame
    carried = twisting(frame, span.start, span.stop, degrees, still, values.turn_graph)
    context.checkpoint(0.1)
    points = carried(mesh.points, span.amount)
    context.checkpoint(0.8)
    if degrees == 0:
        notes = [Note("info", "A twist of 0° changes nothing.", field="turn")]
    else:
        notes = coarse(span, values, carried, points, field="turn", what="twist", turn=_greatest(values, degrees))
    used = {"turn": degrees} if values.lead is None else {}

    def callouts(find: Levels) -> list[Callout]:
        tip, direction = span.on_axis(span.stop), three(frame.direction)
        if values.lead is None:
            share, centre, rim = _arm(span, find)
            start = centre + _turned(rim - centre, frame.direction, -degrees)  # so that the arc ends on the body
            return [arc_on("values/turn", centre, start, frame.direction, rim, 1 / share)]
        grip = find.farthest(span.stop, frame.axes[1])
        start = span.on_axis(span.start)
        return [Callout("values/lead", CalloutForm.LENGTH, three(start), three(tip), direction, grip=three(grip))]

    return deformed(
        span,
        values,
        points,
        notes=notes,
        callouts=callouts,
        used=used,
        graphs=values.turn_graph is not None,
        carried=carried,
    )


def _greatest(values: Values, degrees: float) -> float:
    """Return the whole turn that the rows follow; with a graph, all that it goes up and down."""
    if values.turn_graph is None:
        return degrees
    return degrees * float(np.abs(np.diff(values.turn_graph(np.linspace(0.0, 1.0, 201)))).sum())


def _arm(span: Span, find: Levels) -> tuple[float, Floats, Floats]:
    """Return where the turn is taken hold of: the share of it there, the centre, and a place on the body.

    At the end, but where the body runs to its axis there, as a ring does, nearer to the start.
    """
    for share in (1.0, 0.95, 0.9, 0.8, 0.7, 0.6):
        centre, rim = _slice(span, find, share)
        if np.linalg.norm(rim - centre) >= _FAIR_ARM * span.radius:
            return share, centre, rim
    return 0.5, *_slice(span, find, 0.5)


def _turned(arm: Floats, axis: Floats, degrees: float) -> Floats:
    """Return a vector across an axis, turned about it."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.asarray(arm * c + np.cross(axis, arm) * s)


def _slice(span: Span, find: Levels, share: float) -> tuple[Floats, Floats]:
    rim = find.farthest(span.start + share * (span.stop - span.start), span.frame.axes[0])
    return span.on_axis(float((rim - span.frame.origin) @ span.frame.direction)), rim


def _degrees(values: Values, length_: float) -> float:
    if values.lead is not None:
        if values.lead == 0:
            raise ValueProblem(
                "A lead of 0 mm would be an endless twist.", field="lead", hint="A longer lead twists less."
            )
        return 360.0 * length_ / values.lead
    return 45.0 if values.turn is None else values.turn
