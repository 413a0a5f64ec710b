"""Bevel: edges become strips, corners become patches."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.limits import standing_out
from jukai.core.geometry.bevel.points import round_points
from jukai.core.geometry.bevel.results import Rounded
from jukai.core.geometry.bevel.rings import Rings
from jukai.core.geometry.bevel.rounding import count_faces, offsets_for, round_edges
from jukai.core.geometry.measures import edge_turns, face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.json_data import JsonObject
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
    points_of,
    three,
)
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.factor import factor
from jukai.core.operators.kinds.further import further
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.operators.new_faces import own_finish, shading, surface, wears

_PLACES, _LINES = 200, 2000
_BYTES_OF_FACE = 700
"""What working takes at most for each face there will be: 514 measured; twice as much where points are cut off (1077)."""
_LEVEL = math.radians(0.01)
"""Faces that turn by less at an edge lie in one plane."""


class Values(OperatorValues):
    """What a bevel takes."""

    pick: AnyPick = pick(
        "The edges or points to bevel.", of=("edges", "points"), default={"rule": "sharper_than", "angle": 30}
    )
    width: float | None = length("How wide the strips are.", otherwise="a hundredth of the body's size", ge=0)
    measured_as: str = choice(
        "What the width is measured as.",
        (("leg", "along each face"), ("face", "straight across the strip"), ("radius", "the radius of the arc")),
    )
    segments: int = count("Strips side by side.", default=3, ge=1, le=64)
    roundness: float = factor("−1 is hollow, 0 flat, 1 round, 2 back to the sharp edge.", default=1.0, ge=-1, le=2)
    further_picks: Any = further(
        "Further picks with a width of their own; where an element is in several, the last one counts.",
        of=("edges", "points"),
    )
    corners: str = choice(
        "What closes a corner where three strips or more meet.",
        (("patch", "a patch"), ("mitre", "a mitre of the strips themselves")),
    )
    at_neighbours: str = choice(
        "What a strip does where its neighbours leave it no room.", (("stop", "stop"), ("run_on", "run on"))
    )
    shading: str = shading()
    surface: str = surface()
    finish: str | None = own_finish()


@operator(
    id="bevel",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Bevel {pick} by {width} in {segments} segments",
    quiet="Width measured {measured_as}, roundness {roundness}; further picks: {further_picks}. Corners are closed by {corners}; at neighbours strips "
    "{at_neighbours}. In the shading {shading}; their surface {surface}[: {finish}].",
    groups=("strips", "corners"),
    synonyms=("chamfer", "round edges", "fillet", "break edges"),
    example=Example((("box", {"size": [34, 26, 22]}), ("bevel", {"width": 5, "segments": 3}))),
)
def bevel(mesh: Mesh, values: Values, context: Context) -> Result:
    """Round or flatten picked edges.

    Notes
    -----
    The section of a strip is a chord, an arc that leaves both faces along themselves, or what lies
    between and beyond. Where three equal strips of full roundness meet, the corner is a part of the
    sphere that touches their faces.
    """
    width = mesh.size / 100 if values.width is None else values.width
    picked, widths = _asked(values, width)
    used: JsonObject = {"width": width, "pick": float(values.pick.count)}
    if not picked.any():
        return Result(mesh, tuple(_nothing(values, width)), used=used)
    level = np.zeros(len(picked), dtype=bool)
    if values.pick.kind == "edges" and values.measured_as == "radius":
        # the arc of any radius between two faces in one plane has no length
        level = picked & (edge_turns(mesh) < _LEVEL)
        picked &= ~level
        if not picked.any():
            return Result(mesh, (_left_out(level),), used=used)
    least = float(widths[picked].min())
    if not least > 1e-9 * mesh.size:
        raise ValueProblem(
            f"A width of {least:.3g} mm is lost in a body of {mesh.size:.4g} mm.",
            field="width",
            hint=f"{2e-9 * mesh.size:.2g} mm would work.",
        )
    own, texture = wears(values.surface, values.finish)
    options = Bevel(
        segments=values.segments,
        roundness=values.roundness,
        stop=values.at_neighbours == "stop",
        mitre=values.corners == "mitre",
        finish=own,
        sharp=values.shading == "strips_stand_apart",
        cut_texture=texture,
        keep_flats=values.shading != "runs_over_the_flats",
    )
    if values.pick.kind == "points":
        return _points(mesh, values, options, picked, widths, used, context)
    context.afford(count_faces(mesh, picked, values.segments), field="segments", bytes_each=_BYTES_OF_FACE)
    work = _Edges(mesh, values, picked, widths, offsets_for(edge_turns(mesh), widths, values.measured_as))
    out = round_edges(mesh, picked, work.offset, options, context.step, context.checkpoint)
    notes = [*_unseen(mesh, values), *work.notes(out, options)]
    if level.any():
        notes.append(_left_out(level))
    return Result(out.mesh, tuple(notes), work.callouts(out), used)


def _left_out(level: np.ndarray) -> Note:
    """Say which edges have no arc."""
    many = int(level.sum())
    text = f"{many} picked edges lie in flat faces" if many > 1 else "1 picked edge lies in a flat face"
    return Note(
        "info", f"{text}, where an arc has no length: left as {'they are' if many > 1 else 'it is'}.", field="pick"
    )


def _asked(values: Values, width: float) -> tuple[np.ndarray, np.ndarray]:
    """Return what is picked, and how wide: of several picks the last one counts, and a width of 0 leaves out."""
    picked = values.pick.mask.copy()
    widths = np.full(len(picked), width)
    for row in values.further_picks:
        picked |= row.pick.mask
        widths[row.pick.mask] = row.width
    return picked & (widths > 0), np.where(picked, widths, 0.0)


def _nothing(values: Values, width: float) -> list[Note]:
    """Say why nothing is bevelled."""
    if values.pick.mask.any() and width == 0:
        text = f"A width of 0 mm leaves the {values.pick.kind} as they are."
        return [Note("info", text, field="width")]
    return [Note("info", f"No {values.pick.kind[:-1]} is picked: nothing is bevelled.", field="pick")]


def _points(
    mesh: Mesh,
    values: Values,
    options: Bevel,
    picked: np.ndarray,
    widths: np.ndarray,
    used: JsonObject,
    context: Context,
) -> Result:
    """Cut off points instead of edges."""
    corners = np.diff(mesh.connectivity.point_offsets)[picked]
    context.afford(
        mesh.n_faces + int(corners.sum()) * max(1, values.segments**2 // 4 + values.segments),
        field="segments",
        bytes_each=2 * _BYTES_OF_FACE,
    )
    out = round_points(mesh, picked, widths, options, context.step, context.checkpoint)
    have, stopped = out.width, out.stopped
    notes = _unseen(mesh, values)
    notes += _limits(
        mesh,
        "points",
        picked,
        widths,
        have,
        out,
        options,
        lambda: None if values.further_picks else _fits(used["width"], out.fits),
    )
    if values.measured_as != "leg":
        notes.append(Note("info", "At points the width is measured along each edge.", field="measured_as"))
    if values.corners == "mitre":
        notes.append(Note("info", "A point that is cut off has no strips to mitre.", field="corners"))
    callouts = []
    for target, mask, _ in _targets(values, used["width"]):
        rows = np.flatnonzero(mask & picked)
        if len(rows) == 0:
            continue
        best = int(rows[np.lexsort((mesh.points[rows, 0], -mesh.points[rows, 1], mesh.points[rows, 2]))[-1]])
        side = int(np.flatnonzero(mesh.corners == best)[0])
        here, there = mesh.points[best], mesh.points[mesh.corners[mesh.connectivity.following[side]]]
        direction = (there - here) / max(float(np.linalg.norm(there - here)), 1e-300)
        limit = float(have[best]) if stopped[best] else None
        callouts.append(
            Callout(
                target,
                CalloutForm.LENGTH,
                three(here),
                three(here + direction * have[best]),
                three(direction),
                stopped=limit,
            )
        )
    return Result(out.mesh, tuple(notes), tuple(callouts), used)


def _limits(mesh: Mesh, of: str, picked: np.ndarray, widths: np.ndarray, have: np.ndarray, out: Rounded, options: Bevel,
            largest: Callable[[], tuple[str, float, str] | None]) -> list[Note]:  # fmt: skip
    """Say what was limited, what runs through itself, and what wasn't looked for."""
    notes = []
    rows = np.flatnonzero(out.stopped)
    ends = mesh.points[mesh.connectivity.edges[rows]] if of == "edges" else mesh.points[rows][:, None]
    if len(rows):
        width, limit = float(widths[rows].max()), float(have[rows].min())
        many = f"{len(rows)} of {int(picked.sum())} {of} are" if len(rows) > 1 else f"1 {of[:-1]} is"
        text = f"Width {width:.4g} mm runs into a neighbour; {many} stopped, the narrowest at {limit:.4g} mm."
        # to be drawn: seven digits of the body's size are more than a screen has
        digits = 7 - math.ceil(math.log10(max(mesh.size, 1e-300)))
        lines = tuple(map(tuple, np.round(ends[:_LINES].reshape(-1, 6), digits).tolist())) if of == "edges" else ()
        notes.append(
            Note("warning", text, points_of(ends[:_PLACES].mean(axis=1)), field="width", solve=largest(), lines=lines)
        )
    if out.never:
        x, y, z = out.crosses[0].tolist()
        text = f"Faces pass through each other at ({x:.4g}, {y:.4g}, {z:.4g}), however narrow the width is: leave what is there out of the pick."
        notes.append(Note("warning", text, points_of(out.crosses[:_PLACES]), field="pick"))
    elif len(out.crosses) or (out.fits < 1 and not options.stop):
        text = f"Width {float(widths[picked].max()):.4g} mm runs past neighbours: faces pass through each other."
        solve = largest() if out.fits < 1 and not len(rows) else None
        notes.append(Note("warning", text, points_of(out.crosses[:_PLACES]), field="width", solve=solve))
    elif not options.stop and len(over := standing_out(mesh, out.mesh)):
        text = "Faces stand out over those of the body here: strips that stop are narrowed until none does."
        notes.append(Note("warning", text, points_of(over[:_PLACES]), field="at_neighbours"))
    elif not options.stop and out.searched:
        what = "strip meets" if of == "edges" else "cut meets"
        notes.append(Note("info", f"No {what} a neighbour here: stopping would change nothing.", field="at_neighbours"))
    if not out.searched:
        where = "away from those that are stopped" if len(rows) else "here"
        text = (
            f"With {out.mesh.n_faces} faces, those that cross were not looked for {where}; the body's soundness looks."
        )
        notes.append(Note("info", text, field="width"))
    return notes


def _targets(values: Values, width: float) -> list[tuple[str, np.ndarray, float]]:
    """Return the address of each width, what it is for and how large it is; what a later pick takes over is left out."""
    rows = [("values/width", values.pick.mask, width)]
    rows += [
        (f"values/further_picks/{i}/width", row.pick.mask, row.width) for i, row in enumerate(values.further_picks)
    ]
    out = []
    later = np.zeros(len(values.pick.mask), dtype=bool)
    for target, mask, each in reversed(rows):
        out.append((target, mask & ~later, each))
        later |= mask
    return out[::-1]


def _unseen(mesh: Mesh, values: Values) -> list[Note]:
    """Say which options show nothing here."""
    notes = []
    if values.roundness != 0 and values.segments == 1:
        notes.append(Note("info", "Roundness shows from 2 segments on: one segment is flat.", field="roundness"))
    if values.roundness == 0 and values.segments > 1:
        notes.append(Note("info", "At roundness 0 the strips are flat: segments only divide them.", field="segments"))
    if values.roundness > 1 and values.segments % 2:
        text = "An odd number of segments can't reach the sharp edge: its middle one cuts it off."
        notes.append(Note("info", text, field="segments"))
    own, texture = wears(values.surface, values.finish)
    if texture and mesh.uv is None:
        notes.append(Note("info", "The body has no texture coordinates to cut.", field="surface"))
    if own is None and values.surface != "goes_on" and not (texture and values.surface == "a_texture_of_its_own"):
        notes.append(Note("info", "Choose the finish that the new faces have.", field="finish"))
    for i, row in enumerate(values.further_picks):
        if not row.pick.mask.any():
            notes.append(Note("info", f"Further pick {i + 1} picks nothing here.", field="further_picks"))
    return notes


@dataclass(slots=True)
class _Edges:
    """Edges being bevelled: what is asked for, and what is said and shown about it."""

    mesh: Mesh
    values: Values
    picked: np.ndarray
    widths: np.ndarray
    offset: np.ndarray

    def notes(self, out: Rounded, options: Bevel) -> list[Note]:
        """Say what was limited, and what had no effect."""
        mesh = self.mesh
        notes = []
        notes += _limits(
            mesh,
            "edges",
            self.picked,
            self.widths,
            self.have(out),
            out,
            options,
            lambda: self.largest(out, options),
        )
        if len(out.tapered):
            text = f"At {len(out.tapered)} hollow {'corners strips run' if len(out.tapered) > 1 else 'corner a strip runs'} to a point: pick the edge between them too."
            notes.append(Note("info", text, points_of(out.tapered[:_PLACES]), field="pick"))
        if options.mitre and out.mitred == 0 and out.patched == 0:
            notes.append(Note("info", "No three strips meet in a corner: there is nothing to mitre.", field="corners"))
        elif options.mitre and out.patched:
            many = (
                f"{out.patched} of {out.patched + out.mitred} corners" if out.patched + out.mitred > 1 else "The corner"
            )
            text = f"{many} can't be mitred, their strips meet in no line: {'they have patches' if out.patched > 1 else 'it has a patch'}."
            notes.append(Note("info", text, field="corners"))
        level = int((self.picked & (edge_turns(mesh) < _LEVEL)).sum())
        if level:
            text = f"{level} picked edges lie in flat faces" if level > 1 else "1 picked edge lies in a flat face"
            notes.append(Note("info", f"{text}: a bevel there only divides them.", field="pick"))
        return notes

    def have(self, out: Rounded) -> np.ndarray:
        """The widths there are, as they are measured."""
        share = np.divide(out.width, self.offset, out=np.ones_like(self.offset), where=self.offset > 0)
        return np.asarray(self.widths * share)

    def largest(self, out: Rounded, options: Bevel) -> tuple[str, float, str] | None:
        """Return the largest width of the first pick at which nothing is stopped, further ones as they are."""
        width = float(self.widths[self.first].max()) if self.first.any() else 0.0
        if not self.values.further_picks:
            return _fits(width, out.fits)
        rings = Rings(self.mesh, self.picked, options)

        def fit(share: float) -> bool:
            each = np.where(self.first, self.offset * share, self.offset)
            return rings.limits(rings.sectors(each), each)[1] >= 1

        if width == 0 or not fit(1e-6):
            return None  # it is a further pick that is too wide
        low, high = 0.0, 1.0
        for _ in range(30):
            middle = (low + high) / 2
            low, high = (middle, high) if fit(middle) else (low, middle)
        return _fits(width, low)

    @property
    def first(self) -> np.ndarray:
        """The edges whose width is that of the first pick."""
        return self.picked & _targets(self.values, 0.0)[0][1]

    def callouts(self, out: Rounded) -> tuple[Callout, ...]:
        """The width of each pick on its longest strip, the segments beside the first."""
        mesh, con = self.mesh, self.mesh.connectivity
        turn = edge_turns(mesh)
        form = CalloutForm.RADIUS if self.values.measured_as == "radius" else CalloutForm.LENGTH
        rows: list[Callout] = []
        for target, mask, width in _targets(self.values, float(self.widths[self.first].max(initial=0.0))):
            edges = np.flatnonzero(mask & self.picked)
            if len(edges) == 0:
                continue
            ends = mesh.points[con.edges[edges]]
            long, middle = np.sqrt(((ends[:, 1] - ends[:, 0]) ** 2).sum(axis=1)), ends.mean(axis=1)
            # the longest; of equal ones the highest, then the foremost: those are seen
            score = np.round(long / max(mesh.size, 1e-300), 6)
            best = np.flatnonzero(score == score.max())
            if rows:  # away from those that are there
                apart = np.min([np.abs(middle[best] - np.array(c.at)).sum(axis=1) for c in rows], axis=0)
                best = best[apart >= 0.5 * apart.max()]
            at = best[np.lexsort((middle[best, 0], -middle[best, 1], middle[best, 2]))[-1]]
            e, length = int(edges[at]), float(long[at])
            side = int(np.flatnonzero(con.corner_edge == e)[0])
            p, q = mesh.points[mesh.corners[side]], mesh.points[mesh.corners[con.following[side]]]
            along = (q - p) / max(float(np.linalg.norm(q - p)), 1e-300)
            inward = np.cross(face_normals(mesh)[mesh.corner_faces[side]], along)
            start = (p + q) / 2
            border = start + inward * out.width[e]
            # the border moves by the leg, whatever the width measures
            gain = width / self.offset[e] if self.offset[e] > 0 else 1.0
            limit = width * float(out.width[e] / self.offset[e]) if out.stopped[e] else None
            flat = self.values.measured_as == "leg" and (self.values.segments == 1 or self.values.roundness == 0)
            slope = math.degrees(float(turn[e])) / 2 if flat else None
            rows.append(
                Callout(target, form, three(start), three(border), three(inward), gain, stopped=limit, slope=slope)
            )
            if len(rows) == 1:
                beside = three(border + along * length / 4)
                rows.append(
                    Callout(
                        "values/segments", CalloutForm.COUNT, beside, beside, three(along), 12 / max(mesh.size, 1e-300)
                    )
                )
        return tuple(rows)


def _fits(width: float, share: float) -> tuple[str, float, str] | None:
    """Return the largest width that does not stop, rounded down to what is read."""
    most = width * share
    if not most > 0 or not math.isfinite(most):
        return None
    step = 10.0 ** (math.floor(math.log10(most)) - 5)
    return "width", round(math.floor(most / step * (1 + 1e-12)) * step, 12), "the largest width that does not stop"
