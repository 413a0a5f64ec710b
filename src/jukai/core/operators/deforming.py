"""What all deformers share: where along an axis they act and how much, checks, advice on rows, levels to be dragged.

An operator's own file says what it does to points: :class:`Span` tells it where they are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.deform import Deformation
from jukai.core.geometry.frames import Frame
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import with_short_diagonals
from jukai.core.operators.base import Callout, CalloutForm, Note, OperatorValues, Point, Result, three
from jukai.core.operators.inputs import Along, AxisSpec
from jukai.core.operators.kinds.along import along
from jukai.core.operators.kinds.axis import axis
from jukai.core.operators.kinds.share import share
from jukai.core.operators.kinds.weights import weights

if TYPE_CHECKING:
    from jukai.core.geometry.levels import Levels

__all__ = [
    "PLACES_STILL",
    "DeformingValues",
    "Span",
    "arc_on",
    "coarse",
    "deformed",
    "rows_at_ends",
    "share_still",
    "span_of",
]

SMOOTH_TURN = 10.0
"""Degrees that neighbouring rows may be turned against each other and still look smooth."""
ROUGH_TURN = 30.0
"""Degrees from which on a turn between neighbouring rows is told."""
SMOOTH_CHORD, ROUGH_CHORD = 1 / 500, 1 / 100
"""Shares of the body's size by which straight edges may miss the curve that they stand for: what rows are offered for,
and from where on it is told. The first is the chord tolerance of all round shapes."""
_SAMPLES = 20_000
_MOST_ROWS = 500
_MOST_DRAWN = 200_000
"""Faces of a body up to which the lines of its levels are looked for."""
PLACES_STILL = (("from", "the start"), ("middle", "the middle"), ("to", "the end"), ("place", "the place at"))
"""Which place of a stretch stays where it is."""


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
    outward : places are measured from the axis outward, not along it.
    """

    mesh: Mesh
    frame: Frame
    along: Floats
    low: float
    length: float
    start: float
    stop: float
    amount: float | Floats
    outward: bool = False

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
        from jukai.core.geometry.levels import rows_between

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

    @property
    def run(self) -> Floats:
        """The way that places are measured along, (3,)."""
        return np.asarray(self.frame.axes[0] if self.outward else self.frame.direction)

    def on_axis(self, place: float) -> Floats:
        """Return the point at a place, on the axis or, where they are measured outward, beside its middle."""
        return np.asarray(self.frame.origin + self.run * place)


def span_of(mesh: Mesh, values: DeformingValues, what: str, *, outward: bool = False) -> Span:
    """Return where a deformer acts; ``what`` names it in errors.

    With ``outward`` places are measured from the axis, where the body's length is how far it reaches.

    Raises
    ------
    ValueProblem
        When the body has no length along the axis, or the stretch ends where it begins.
    """
    frame = values.axis.frame(mesh)
    rel = mesh.points - frame.origin
    places: Floats = np.hypot(*(rel @ frame.axes[:2].T).T) if outward else rel @ frame.direction
    used = places if mesh.used_points.all() else places[mesh.used_points]
    low, high = (float(used.min()), float(used.max())) if len(used) else (0.0, 0.0)
    low = 0.0 if outward else low
    length = high - low
    if not length > 1e-12 * max(mesh.size, 1e-300):
        words = "has no width across" if outward else "has no length along"
        raise ValueProblem(f"The body {words} the axis.", field="axis", hint="Choose another axis.")
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
    return Span(mesh, frame, places, low, length, start, stop, amount, outward)


def deformed(
    span: Span,
    values: DeformingValues,
    points: Floats,
    *,
    notes: Sequence[Note] = (),
    callouts: Callable[[Levels], Sequence[Callout]] | None = None,
    used: Mapping[str, object] | None = None,
    graphs: bool = False,
    carried: Deformation | None = None,
    more: Mapping[str, float] | None = None,
) -> Result:
    """Return the body with its points moved, the levels to be dragged before the operator's own callouts: these are drawn over them.

    ``callouts`` is given what finds places on the deformed body by their levels before; with ``graphs`` the run that graphs
    go by is told. ``carried`` is the map, where it takes the axis along; ``more`` are facts of the operator's own.
    """
    from jukai.core.geometry.levels import Levels, lines_at

    mesh = with_short_diagonals(span.mesh.with_points(points))
    # the edges of the body before: while a value is dragged they are known
    edges = span.mesh.connectivity.edges
    outward = span.along if span.outward else None
    find = Levels(span.mesh, edges, span.frame.origin, span.frame.direction, points, outward)
    own = () if callouts is None else callouts(find)
    levels = []
    for key, place in (("from", span.start), ("to", span.stop)):
        # away from the operator's own grips, which stand at the other two axes
        grip = find.farthest(place, span.frame.direction if span.outward else -span.frame.axes[1])
        at, way = _carried_axis(span, carried, place)
        levels.append(Callout(f"values/{key}", CalloutForm.LEVEL, at, three(grip), way))
    facts: dict[str, float | str] = {"length": span.length, "from": span.start - span.low, "to": span.stop - span.low}
    facts |= more or {}
    if values.axis.name is not None:
        facts["axis"] = values.axis.lies_along(span.mesh)
    told = [*notes, *_nothing(span, values)]
    run = None
    if graphs:
        shares = np.linspace(0.0, 1.0, 33)
        along_ = np.array([span.on_axis(span.start + s * (span.stop - span.start)) for s in shares])
        run = np.column_stack([shares, along_ if carried is None else carried(along_, span.most)])
    axis = (span.frame.origin, span.frame.direction)
    lines = None
    if span.mesh.n_faces <= _MOST_DRAWN:
        lines = np.concatenate([lines_at(span.mesh, span.along, at, points) for at in (span.start, span.stop)])
    return Result(mesh, tuple(told), (*levels, *own), dict(used or {}), facts, axis, run=run, lines=lines)


def _carried_axis(span: Span, carried: Deformation | None, place: float) -> tuple[Point, Point]:
    """Return where a place of the axis has come to, and which way the axis goes on there."""
    here = span.on_axis(place)
    if carried is None or span.outward:
        return three(here), three(span.run)
    step = 1e-4 * (span.stop - span.start)
    a, b = carried(np.array([here, here + span.run * step]), span.most)
    return three(a), three((b - a) / max(float(np.linalg.norm(b - a)), 1e-300))


def share_still(span: Span, still_at: str, place: Along) -> float:
    """Return which share of the stretch stays; a place beyond it stands for its nearest end."""
    if still_at == "place":
        at = (span.low + place.at(span.length) - span.start) / (span.stop - span.start)
        return min(max(at, 0.0), 1.0)
    return {"from": 0.0, "middle": 0.5, "to": 1.0}[still_at]


def arc_on(target: str, centre: Floats, start: Floats, about: Floats, grip: Floats, gain: float = 1.0) -> Callout:
    """Return an angle drawn about a centre, taken hold of on the body."""
    return Callout(target, CalloutForm.ANGLE, three(centre), three(start), three(about), gain, grip=three(grip))


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


def coarse(span: Span, values: DeformingValues, carried: Deformation, points: Floats, *, field: str, what: str,
           turn: float = 0.0) -> list[Note]:  # fmt: skip
    """Say when the body has too few rows to follow, how many would do, and offer them.

    Parameters
    ----------
    points : where the map brought the body's points.
    turn : degrees by which the whole stretch turns, where it does.

    Notes
    -----
    How far a straight edge misses the curve that it stands for is told by its middle; it falls with the square of the rows.
    """
    from jukai.core.geometry.levels import misses

    mesh = span.mesh
    edges = mesh.connectivity.edges
    if not mesh.n_faces or not len(edges):
        return []
    edges = np.ascontiguousarray(edges[:: max(1, len(edges) // _SAMPLES)])
    amount = span.amount[edges].mean(axis=1) if isinstance(span.amount, np.ndarray) else span.amount
    miss = misses(mesh.points, points, edges, lambda middles: carried(middles, amount))
    size = max(mesh.size, 1e-300)
    turn = abs(turn) * span.most
    if miss <= ROUGH_CHORD * size and turn <= ROUGH_TURN:
        return []
    steps = max(span.rows, 1)
    each = turn / steps
    if miss <= ROUGH_CHORD * size and each <= ROUGH_TURN:
        return []
    needed = _rows_for(span, carried, max(steps + 1, int(np.ceil(turn / SMOOTH_TURN))))
    rows = f"{steps} {'row' if steps == 1 else 'rows'}"
    off_by = f"miss the curve by up to {miss:.3g} mm"
    told = f"turn by {each:.3g}° each and {off_by}" if each > 1 else off_by
    through = f" through {turn:.4g}°" if turn else ""
    more = float(np.sqrt(miss / (SMOOTH_CHORD * size))) if span.outward else needed / steps
    levels = min(max(int(np.ceil(np.log2(max(more, 2)))), 1), 4)
    finer = ("subdivide", {"levels": levels, "sharp": {"rule": "sharper_than", "of": "edges", "angle": 30}},
             f"subdivide it {levels} {'time' if levels == 1 else 'times'} before")  # fmt: skip
    if span.outward:
        text = f"The body's faces are too large for the {what}: their edges {told}."
        return [Note("warning", text, field=field, before=(finer,))]
    text = f"The body has {rows} to {what}{through}: they {told}; {needed} rows would do."
    cut = ("rows", {"count": needed, "axis": _plain_axis(span, values), "from": span.start - span.low, "to": span.stop - span.low},
           f"cut it in {needed} rows before")  # fmt: skip
    return [Note("warning", text, field=field, before=(cut, finer))]


def _rows_for(span: Span, carried: Deformation, least: int) -> int:
    """Return how many rows follow the map within the chord tolerance, along lines at the body's farthest places."""
    frame, mesh = span.frame, span.mesh
    across = (mesh.points - frame.origin) @ frame.axes[:2].T
    around = np.arange(8) * np.pi / 4
    far = across[np.argmax(across @ np.array([np.cos(around), np.sin(around)]), axis=0)] @ frame.axes[:2]
    rows = max(least, 1)
    while rows < _MOST_ROWS and not span.outward:
        places = np.linspace(span.start, span.stop, 2 * rows + 1)
        lines = frame.origin + far[:, None] + places[:, None] * frame.direction
        moved = carried(lines.reshape(-1, 3), span.most).reshape(lines.shape)
        off = moved[:, 1::2] - (moved[:, :-1:2] + moved[:, 2::2]) / 2
        if float(np.sqrt(np.einsum("ijk,ijk->ij", off, off).max())) <= SMOOTH_CHORD * mesh.size:
            break
        rows = int(np.ceil(rows * 1.25))
    return min(rows, _MOST_ROWS)


def _plain_axis(span: Span, values: DeformingValues) -> object:
    if values.axis.name is not None:
        return values.axis.lies_along(span.mesh)
    return {"point": span.frame.origin.tolist(), "direction": span.frame.direction.tolist()}


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
