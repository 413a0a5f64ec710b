"""Waves over a body."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.deform import Deformation, rings, turned, waves
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm, Context, Example, Kind, Result, operator, three
from jukai.core.operators.deforming import DeformingValues, Span, coarse, deformed, span_of
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.factor import factor
from jukai.core.operators.kinds.graph import graph
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.share import share

if TYPE_CHECKING:
    from jukai.core.geometry.levels import Levels

__all__ = ["Values", "undulate"]


class Values(DeformingValues):
    """Waves as corrugated sheet has them, straight or in rings."""

    crests: str = choice("How the crests lie.", (("straight", "straight across"), ("rings", "in rings about")))
    depth: float | None = length("From crest to trough.", otherwise="a tenth of the part's size", ge=-1e6, le=1e6)
    pitch: float | None = length(
        "From one crest to the next.", otherwise="a third of the stretch", instead_of="count", gt=0, le=1e9
    )
    count: float | None = factor("How many pitches the stretch holds.", instead_of="pitch", gt=0, le=10_000)
    starts_at: float = share(
        "Where the wave starts, as a share of a pitch.", default=0.0, ge=-10_000, le=10_000, plays=True
    )
    direction: float = angle(
        "Towards which side the crests stand, turned about the axis.", default=0.0, ge=-3600, le=3600, relevant='crests == "straight"',
    )  # fmt: skip
    depth_graph: Graph | None = graph(
        "What the depth is multiplied by along the stretch.", otherwise="the same all along"
    )

    @model_validator(mode="after")
    def _one(self) -> Values:
        if self.pitch is not None and self.count is not None:
            raise ValueError("a pitch and a count say the same thing: give one of them")
        return self


@operator(
    id="undulate",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Undulate {depth} deep, {pitch|count}, {crests} {axis}, from {from} to {to}",
    quiet="It starts at {starts_at}[, its crests towards {direction}]; depth {depth_graph}; strength {strength}, {weights}.",
    synonyms=("wave", "ripple", "corrugate", "wiggle", "sway", "swim", "ruffle"),
    example=Example(
        (("box", {"size": [5, 22, 36], "counts": [1, 1, 40]}), ("undulate", {"depth": 8, "count": 2.5, "axis": "z"})),
    ),
)  # fmt: skip
def undulate(mesh: Mesh, values: Values, context: Context) -> Result:
    """Move a body in waves: slices across the axis aside, or rings about it up and down.

    Notes
    -----
    The depth is that from crest to trough, d: slices move by d/2 sin 2π(z / pitch + start), which keeps volume, as does
    moving along the axis by the distance from it (A. H. Barr, SIGGRAPH 1984).
    """
    outward = values.crests == "rings"
    span = span_of(mesh, values, "wave", outward=outward)
    stretch = span.stop - span.start
    depth = mesh.size / 10 if values.depth is None else values.depth
    pitch = _pitch(values, stretch)
    if stretch / pitch > 1e6:
        raise ValueProblem(
            f"A pitch of {pitch:.4g} mm makes over a million waves.",
            field="pitch",
            hint=f"{stretch / 1e6:.4g} mm is the least.",
        )
    frame = span.frame if outward else turned(span.frame, values.direction)
    build = rings if outward else waves
    carried = build(frame, span.start, span.stop, depth, pitch, values.starts_at, values.depth_graph)
    context.checkpoint(0.1)
    points = carried(mesh.points, span.amount)
    context.checkpoint(0.8)
    if depth == 0:
        notes = [Note("info", "Waves 0 mm deep change nothing.", field="depth")]
    else:
        field = "count" if values.count is not None else "pitch"
        notes = _too_close(span, pitch, field) or coarse(span, values, carried, points, field=field, what="wave")
    used: dict[str, object] = {} if values.depth is not None else {"depth": depth}
    if values.pitch is None and values.count is None:
        used["pitch"] = pitch

    def callouts(find: Levels) -> list[Callout]:
        return _drawn(span, values, carried, depth, pitch, find)

    return deformed(
        span,
        values,
        points,
        notes=notes,
        callouts=callouts,
        used=used,
        graphs=values.depth_graph is not None,
        carried=carried,
        more={"pitch": pitch, "count": stretch / pitch},
    )


def _pitch(values: Values, stretch: float) -> float:
    if values.count is not None:
        return stretch / values.count
    return stretch / 3 if values.pitch is None else values.pitch


def _too_close(span: Span, pitch: float, field: str) -> list[Note]:
    """Say when there are fewer than four rows to a wave: what is drawn then is not the wave."""
    if span.outward or not span.mesh.n_faces:
        return []
    stretch = span.stop - span.start
    each = span.rows * pitch / stretch
    if each >= 4 - 1e-9:
        return []
    needed = int(np.ceil(12 * stretch / pitch))
    text = f"The body has {span.rows} {'row' if span.rows == 1 else 'rows'} for {stretch / pitch:.3g} waves: fewer than four to each show none."
    if needed > 5000:
        return [Note("warning", f"{text} A longer pitch would.", field=field)]
    values = {"count": needed, "axis": {"point": span.frame.origin.tolist(), "direction": span.frame.direction.tolist()},
              "from": span.start - span.low, "to": span.stop - span.low}  # fmt: skip
    return [Note("warning", text, field=field, before=(("rows", values, f"cut it in {needed} rows before"),))]


def _drawn(span: Span, values: Values, carried: Deformation, depth: float, pitch: float, find: Levels) -> list[Callout]:
    frame = carried.frame
    moves = frame.direction if span.outward else frame.axes[0]
    first = span.start + ((0.25 - values.starts_at) % 1.0) * pitch
    # of all crests the one nearest to the middle, where there is room for its numbers
    first += max(round(((span.start + span.stop) / 2 - first) / pitch), 0) * pitch
    first = min(first, span.stop)
    crest = find.farthest(first, moves)
    trough = crest - moves * depth
    share_ = np.array([(first - span.start) / (span.stop - span.start)])
    acts = span.most * (1.0 if values.depth_graph is None else float(values.depth_graph(share_)[0]))
    gain = 2.0 / acts if abs(acts) > 1e-3 else 2.0
    out = [
        Callout("values/depth", CalloutForm.LENGTH, three(trough), three(crest), three(moves), gain, grip=three(crest))
    ]
    ahead = 1.0 if first + pitch <= span.stop or first - pitch < span.start else -1.0
    second = find.farthest(min(first + ahead * pitch, span.stop), moves)
    if values.count is None:
        way = span.run * ahead
        out.append(
            Callout(
                "values/pitch",
                CalloutForm.LENGTH,
                three(crest),
                three(crest + way * pitch),
                three(way),
                grip=three(second),
            )
        )
    else:
        stretch = span.stop - span.start
        gain = -values.count / max(pitch, 1e-300) if stretch > 0 else 1.0
        out.append(Callout("values/count", CalloutForm.COUNT, three(second), three(second), three(span.run), gain))
    start = find.farthest(span.start, frame.axes[1])
    out.append(Callout("values/starts_at", CalloutForm.SHARE, three(start), three(start), three(-span.run), 1 / pitch))
    return out
