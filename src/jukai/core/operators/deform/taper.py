"""Tapering a body along an axis."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.levels import Levels
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm, Context, Example, Kind, Result, operator, three
from jukai.core.operators.deforming import DeformingValues, Span, deformed, rows_at_ends, span_of
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.factor import factor

__all__ = ["Values", "taper"]

_LEAST_WIDTH = 1e-6
"""Share of its width that the end keeps at least: less could not be told from a point."""


class Values(DeformingValues):
    """A taper that grows evenly along an axis."""

    ratio: float | None = factor(
        "Over how many mm of length the body becomes 1 mm narrower; below 0 it becomes wider.",
        otherwise="so that the end is half as wide", ge=-1e6, le=1e6,
    )  # fmt: skip
    across: str = choice(
        "Across what it tapers.", (("both", "both ways"), ("width", "its width alone"), ("depth", "its depth alone"))
    )


@operator(
    id="taper",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Taper 1 : {ratio} along {axis}, from {from} to {to}",
    quiet="Across {across}, strength {strength}, {weights}.",
    synonyms=("cone", "narrow", "draft", "conical"),
    example=Example((("box", {"size": [26, 26, 40], "counts": [3, 3, 4]}), ("taper", {"ratio": 2.5, "axis": "z"}))),
)
def taper(mesh: Mesh, values: Values, context: Context) -> Result:
    """Make a body evenly narrower from one place along an axis to another.

    Notes
    -----
    The ratio 1 : n is that of ISO 3040, (D − d) / L = 1 / n, where D is the width of the body across
    the axis (twice its reach) and L the length of the stretch.

    References
    ----------
    A. H. Barr, Global and local deformations of solid primitives, SIGGRAPH 1984: (r x, r y, z), whose
    determinant is r² (r, where one direction alone is tapered).
    """
    span = span_of(mesh, values, "taper")
    width, length = 2 * span.radius, span.stop - span.start
    if not width > 0:
        raise ValueProblem("The body has no width across the axis.", field="axis", hint="Choose another axis.")
    ratio = 2 * length / width if values.ratio is None else values.ratio
    narrower = _narrower(ratio, width, length)
    context.checkpoint(0.1)
    shrink = 1 - np.asarray(span.amount) * narrower * span.shares
    frame = span.frame
    rel = (mesh.points - frame.origin) @ frame.axes.T
    scale = np.ones_like(rel)
    for axis, skipped in ((0, "depth"), (1, "width")):
        if values.across != skipped:
            scale[:, axis] = shrink
    points = (rel * scale) @ frame.axes + frame.origin
    notes = rows_at_ends(span, "taper")
    if values.strength > 0 and span.most == 0:
        notes = []

    def callouts(find: Levels) -> list[Callout]:
        grip = find.farthest(span.stop, frame.axes[1])
        outward = grip - span.on_axis(span.stop)
        outward = outward / max(float(np.linalg.norm(outward)), 1e-300)
        at = three(grip)
        return [Callout("values/ratio", CalloutForm.FACTOR, at, at, three(outward), _gain(ratio, length))]

    notes = [*notes, *_flat(span, values)]
    return deformed(span, values, points, notes=notes, callouts=callouts, used={"ratio": ratio})


def _narrower(ratio: float, width: float, length: float) -> float:
    """Return by what share of its width the end is narrower."""
    if ratio == 0:
        raise ValueProblem(
            "A taper of 1 : 0 would be a flat disc.", field="ratio", hint="For example 10; below 0 it widens."
        )
    narrower = length / (ratio * width)
    if narrower > 1 - _LEAST_WIDTH:
        least = length / width
        raise ValueProblem(
            f"At 1 : {ratio:g} a body {width:.4g} mm wide runs to a point before {length:.4g} mm.",
            field="ratio",
            hint=f"1 : {least * 1.01:.3g} or flatter would work.",
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
