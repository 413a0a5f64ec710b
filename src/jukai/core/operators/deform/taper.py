"""Tapering a body along an axis."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.deform import tapering
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm, Context, Example, Kind, Result, operator, three
from jukai.core.operators.deforming import DeformingValues, Span, coarse, deformed, rows_at_ends, span_of
from jukai.core.operators.kinds.angle import angle as angle_
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.factor import factor
from jukai.core.operators.kinds.graph import graph

if TYPE_CHECKING:
    from jukai.core.geometry.levels import Levels

__all__ = ["Values", "taper"]

_LEAST_WIDTH = 1e-6
"""Share of its width that the end keeps at least: less could not be told from a point."""


class Values(DeformingValues):
    """A taper along an axis: even, or as graphs say."""

    by: str = choice(
        "What it is told by; graphs along multiply it.",
        (("ratio", "by 1 :"), ("angle", "by an angle of"), ("graphs", "by its graphs alone")),
    )
    ratio: float | None = factor(
        "Over how many mm of length the body becomes 1 mm narrower; below 0 it becomes wider.",
        otherwise="so that the end is half as wide", ge=-1e6, le=1e6, relevant='by == "ratio"',
    )  # fmt: skip
    angle: float = angle_(
        "The angle between both sides; below 0 the body becomes wider.",
        default=10.0, gt=-180, lt=180, relevant='by == "angle"',
    )  # fmt: skip
    across: str = choice(
        "Across what it tapers.", (("both", "both ways"), ("width", "its width alone"), ("depth", "its depth alone"))
    )
    width_graph: Graph | None = graph("What the width is multiplied by along the stretch.", otherwise="straight")
    depth_graph: Graph | None = graph("What the depth is multiplied by along the stretch.", otherwise="straight")


@operator(
    id="taper",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Taper {by}[ {ratio}][ {angle}] along {axis}, from {from} to {to}",
    quiet="Across {across}; width {width_graph}, depth {depth_graph}; strength {strength}, {weights}.",
    synonyms=("cone", "narrow", "draft", "conical", "bulge", "swell"),
    version=2,
    example=Example((("box", {"size": [26, 26, 40], "counts": [3, 3, 4]}), ("taper", {"ratio": 2.5, "axis": "z"}))),
)
def taper(mesh: Mesh, values: Values, context: Context) -> Result:
    """Make a body narrower from one place along an axis to another, evenly or as graphs along say.

    Notes
    -----
    The ratio 1 : n is that of ISO 3040, (D − d) / L = 1 / n, where D is the width of the body across
    the axis (twice its reach) and L the length of the stretch; the angle α between both sides has tan(α/2) = 1 / 2n.

    References
    ----------
    A. H. Barr, Global and local deformations of solid primitives, SIGGRAPH 1984: (r x, s y, z), whose
    determinant is r s.
    """
    span = span_of(mesh, values, "taper")
    width, length = 2 * span.radius, span.stop - span.start
    if not width > 0:
        raise ValueProblem("The body has no width across the axis.", field="axis", hint="Choose another axis.")
    ratio = _ratio(values, width, length)
    narrower = 0.0 if ratio is None else _narrower(values, ratio, width, length)
    graphs = values.width_graph, values.depth_graph
    for key, g in zip(("width_graph", "depth_graph"), graphs, strict=True):
        _refuse_below(g, key)
    both = (narrower if values.across != "depth" else 0.0, narrower if values.across != "width" else 0.0)
    carried = tapering(span.frame, span.start, span.stop, both, *graphs)
    context.checkpoint(0.1)
    points = carried(mesh.points, span.amount)
    field = "width_graph" if graphs[0] is not None else "depth_graph"
    notes = coarse(span, values, carried, points, field=field, what="swell") if any(graphs) else []
    notes = notes or rows_at_ends(span, "taper")
    if values.strength > 0 and span.most == 0:
        notes = []
    frame = span.frame

    def callouts(find: Levels) -> list[Callout]:
        if ratio is None:
            return []
        grip = find.farthest(span.stop, frame.axes[1])
        outward = grip - span.on_axis(span.stop)
        outward = outward / max(float(np.linalg.norm(outward)), 1e-300)
        at = three(grip)
        if values.by == "angle":
            gain = -2 * float(np.degrees(np.cos(np.radians(values.angle) / 2) ** 2)) / length
            return [Callout("values/angle", CalloutForm.FACTOR, at, at, three(outward), gain)]
        return [Callout("values/ratio", CalloutForm.FACTOR, at, at, three(outward), _gain(ratio, length))]

    if ratio is None and not any(graphs):
        notes = [Note("info", "Nothing makes it narrower yet: nothing changes.", field="by")]
    notes = [*notes, *_flat(span, values)]
    used = {"ratio": ratio} if values.by == "ratio" and values.ratio is None else {}
    return deformed(span, values, points, notes=notes, callouts=callouts, used=used, graphs=any(graphs))


def _ratio(values: Values, width: float, length: float) -> float | None:
    """Return the n of 1 : n; None where nothing but graphs tells it, or the angle is 0."""
    if values.by == "graphs":
        return None
    if values.by == "angle":
        slope = 2 * float(np.tan(np.radians(values.angle) / 2))
        return None if slope == 0 else 1 / slope
    return 2 * length / width if values.ratio is None else values.ratio


def _refuse_below(g: Graph | None, key: str) -> None:
    if g is None:
        return
    places = np.union1d(np.linspace(0.0, 1.0, 201), g.at)
    low = np.flatnonzero(g(places) < _LEAST_WIDTH)
    if len(low):
        what = key.removesuffix("_graph")
        raise ValueProblem(
            f"The {what} falls to 0 at {100 * places[low[0]]:.3g} % of the stretch.",
            field=key, hint="Raise the graph there: 1 % can be had.",
        )  # fmt: skip


def _narrower(values: Values, ratio: float, width: float, length: float) -> float:
    """Return by what share of its width the end is narrower."""
    if ratio == 0:
        raise ValueProblem(
            "A taper of 1 : 0 would be a flat disc.", field="ratio", hint="For example 10; below 0 it widens."
        )
    narrower = length / (ratio * width)
    if narrower > 1 - _LEAST_WIDTH:
        least = 1.01 * length / width
        by_angle = values.by == "angle"
        said = f"{values.angle:g}°" if by_angle else f"1 : {ratio:g}"
        works = f"{float(2 * np.degrees(np.arctan(0.5 / least))):.3g}°" if by_angle else f"1 : {least:.3g}"
        raise ValueProblem(
            f"At {said} a body {width:.4g} mm wide runs to a point before {length:.4g} mm.",
            field="angle" if by_angle else "ratio",
            hint=f"{works} or flatter would work.",
        )
    return narrower


def _gain(ratio: float, length: float) -> float:
    """Return how the ratio grows per mm that the grip is pulled outward: the end's half width is D/2 − L / 2n."""
    return 2 * ratio * ratio / length


def _flat(span: Span, values: Values) -> list[Note]:
    """Say when a direction that alone is tapered has no extent."""
    axis = {"width": 0, "depth": 1}.get(values.across)
    if axis is None:
        return []
    reach = np.abs((span.mesh.points - span.frame.origin) @ span.frame.axes[axis]).max(initial=0.0)
    if reach > 1e-9 * span.mesh.size:
        return []
    return [Note("info", f"The body has no {values.across} across the axis: nothing changes.", field="across")]
