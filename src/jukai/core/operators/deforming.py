"""What all deformers share: where along an axis they act and how much, checks, advice on rows, levels to be dragged.

An operator's own file says what it does to points: :class:`Span` tells it where they are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.frames import Frame
from jukai.core.geometry.levels import Levels, rows_between
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import with_short_diagonals
from jukai.core.operators.base import Callout, CalloutForm, Note, OperatorValues, Result, three
from jukai.core.operators.inputs import Along, AxisSpec
from jukai.core.operators.kinds.along import along
from jukai.core.operators.kinds.axis import axis
from jukai.core.operators.kinds.share import share
from jukai.core.operators.kinds.weights import weights

__all__ = ["DeformingValues", "Span", "deformed", "rows_at_ends", "rows_for_turn", "span_of"]

SMOOTH_TURN = 10.0
"""Degrees that neighbouring rows may be turned against each other and still look smooth."""
ROUGH_TURN = 30.0
"""Degrees from which on a turn between neighbouring rows is told."""


class DeformingValues(OperatorValues):
    """What every deformer takes: an axis, a stretch of it, and how much of it acts."""

    axis: AxisSpec = axis("The axis it acts along.", default=AxisSpec("longest"))
    from_: Along = along("Where it begins.", default=Along(0.0, share=True))
    to: Along = along("Where it ends.", default=Along(100.0, share=True))
    strength: float = share("How much of it acts.", default=1.0)
    weights: Any = weights("How much of it acts at each point.")


@dataclass(frozen=True, slots=True, eq=False)
class Span:
    """The stretch of a body that is deformed.

    Attributes
    ----------
    frame : the axis is its third direction.
    along : (n,) mm of each point along the axis, from the frame's origin.
    low, length : where the body begins along the axis, and how long it is.
    start, stop : where the deformation begins and ends, mm from the frame's origin.
    amount : how much of it acts: one number, or (n,) where it is weighed point by point.
    """

    mesh: Mesh
    frame: Frame
    along: Floats
    low: float
    length: float
    start: float
    stop: float
    amount: float | Floats

    @property
    def shares(self) -> Floats:
        """How far along each point is, (n,) from 0 at the start to 1 at the stop and level beyond both."""
        return np.clip((self.along - self.start) / (self.stop - self.start), 0.0, 1.0)

    @property
    def most(self) -> float:
        """How much of the deformation acts where the most of it does."""
        return float(np.max(self.amount, initial=0.0)) if isinstance(self.amount, np.ndarray) else self.amount

    @property
    def rows(self) -> int:
        """Rows of faces that lie along the stretch."""
        key = f"rows {self.frame.origin.tolist()} {self.frame.direction.tolist()} {self.start} {self.stop}"
        found: int = self.mesh.cached(key, lambda: max(rows_between(self.along, self.start, self.stop) - 1, 0))
        return found

    @property
    def radius(self) -> float:
        """How far from the axis the body reaches."""
        key = f"radius {self.frame.origin.tolist()} {self.frame.direction.tolist()}"
        found: float = self.mesh.cached(key, self._radius)
        return found

    def _radius(self) -> float:
        rel = self.mesh.points - self.frame.origin
        flat = rel - np.outer(rel @ self.frame.direction, self.frame.direction)
        return float(np.sqrt(np.einsum("ij,ij->i", flat, flat).max())) if len(flat) else 0.0

    def on_axis(self, place: float) -> Floats:
        """Return the point of the axis at a place."""
        return np.asarray(self.frame.origin + self.frame.direction * place)


def span_of(mesh: Mesh, values: DeformingValues, what: str) -> Span:
    """Return where a deformer acts; ``what`` names it in errors.

    Raises
    ------
    ValueProblem
        When the body has no length along the axis, or the stretch ends where it begins.
    """
    frame = values.axis.frame(mesh)
    places: Floats = (mesh.points - frame.origin) @ frame.direction
    used = places if mesh.used_points.all() else places[mesh.used_points]
    low, high = (float(used.min()), float(used.max())) if len(used) else (0.0, 0.0)
    length = high - low
    if not length > 1e-12 * max(mesh.size, 1e-300):
        raise ValueProblem("The body has no length along the axis.", field="axis", hint="Choose another axis.")
    start, stop = low + values.from_.at(length), low + values.to.at(length)
    if not stop > start:
        raise ValueProblem(
            f"The {what} ends at {stop - low:.4g} mm, not after it begins at {start - low:.4g} mm.",
            field="to",
            hint="Let 'to' lie beyond 'from'.",
        )
    amount: float | Floats = values.strength
    if values.weights is not None:
        amount = values.strength * np.asarray(values.weights, dtype=np.float64)
    return Span(mesh, frame, places, low, length, start, stop, amount)


def deformed(
    span: Span,
    values: DeformingValues,
    points: Floats,
    *,
    notes: Sequence[Note] = (),
    callouts: Callable[[Levels], Sequence[Callout]] | None = None,
    used: Mapping[str, object] | None = None,
) -> Result:
    """Return the body with its points moved, the levels to be dragged before the operator's own callouts: these are drawn over them.

    ``callouts`` is given what finds places on the deformed body.
    """
    mesh = with_short_diagonals(span.mesh.with_points(points))
    # the edges of the body before: they join the same points, and while a value is dragged they are known
    find = Levels(mesh, span.mesh.connectivity.edges, span.frame.origin, span.frame.direction)
    own = () if callouts is None else callouts(find)
    direction = three(span.frame.direction)
    levels = []
    for key, place in (("from", span.start), ("to", span.stop)):
        # away from the operator's own grips, which stand at the other two axes
        grip = find.farthest(place, -span.frame.axes[1])
        form = CalloutForm.LEVEL
        levels.append(Callout(f"values/{key}", form, three(span.on_axis(place)), three(grip), direction))
    facts: dict[str, float | str] = {"length": span.length, "from": span.start - span.low, "to": span.stop - span.low}
    if values.axis.name is not None:
        facts["axis"] = values.axis.lies_along(span.mesh)
    told = [*notes, *_nothing(span, values)]
    return Result(
        mesh, tuple(told), (*levels, *own), dict(used or {}), facts, (span.frame.origin, span.frame.direction)
    )


def _nothing(span: Span, values: DeformingValues) -> list[Note]:
    """Say why nothing is to be seen, where that is so."""
    if values.strength == 0:
        return [Note("info", "At a strength of 0 % nothing changes.", field="strength")]
    if isinstance(span.amount, np.ndarray) and not span.amount.any():
        return [Note("info", "The mask leaves out every point: nothing changes.", field="weights")]
    eps = 1e-9 * (span.stop - span.start)
    if not ((span.along >= span.start - eps) & (span.along <= span.stop + eps)).any():
        return [Note("info", "No point of the body lies between the start and the end.", field="from")]
    return []


def rows_for_turn(span: Span, degrees: float, *, field: str, what: str) -> list[Note]:
    """Say when the body has too few rows to follow a turn, and how many would do."""
    steps = max(span.rows, 1)
    turn = abs(degrees) * span.most
    if not span.mesh.n_faces or turn / steps <= ROUGH_TURN:
        return []
    needed = int(np.ceil(turn / SMOOTH_TURN))
    text = f"The body has {steps} {'row' if steps == 1 else 'rows'} to {what} through {turn:.4g}°; give the step before it {needed} rows for a smooth {what}."
    return [Note("warning", text, field=field)]


def rows_at_ends(span: Span, what: str) -> list[Note]:
    """Say when a stretch begins or ends inside the body where it has no row: faces that reach over it follow from their ends."""
    notes = []
    eps = 1e-6 * span.length
    for key, place in (("from", span.start), ("to", span.stop)):
        inside = span.low + eps < place < span.low + span.length - eps
        if inside and not (np.abs(span.along - place) <= eps).any():
            text = f"The body has no row at {place - span.low:.4g} mm: the {what} shows no corner there."
            notes.append(Note("info", text, field=key))
    return notes
