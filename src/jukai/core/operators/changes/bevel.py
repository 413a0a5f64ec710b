"""Bevel: edges become strips, corners become patches."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.points import round_points
from jukai.core.geometry.bevel.rounding import Rounded, count_faces, offsets_for, round_edges
from jukai.core.geometry.measures import edge_turns, face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Callout, Context, Kind, Note, OperatorValues, Result, operator
from jukai.core.operators.values import choice, count, finish, length, pick, share, switch

_PLACES = 200


class Values(OperatorValues):
    """What a bevel takes."""

    pick: Any = pick(
        "The edges or points to bevel.", of=("edges", "points"), default={"rule": "sharper_than", "angle": 30}
    )
    width: float | None = length("How wide the strips are.", otherwise="a hundredth of the body's size", ge=0)
    measured_as: str = choice(
        "What the width is measured as.",
        (("leg", "along each face"), ("face", "straight across the strip"), ("radius", "the radius of the arc")),
    )
    segments: int = count("Strips side by side.", default=3, ge=1, le=64)
    roundness: float = share("−1 is hollow, 0 flat, 1 round, 2 back to the sharp edge.", default=1.0, ge=-1, le=2)
    at_neighbours: str = choice(
        "What a strip does where its neighbours leave it no room.", (("stop", "stop"), ("run_on", "run on"))
    )
    finish: str | None = finish("Finish of the new faces.")
    sharp_edges: bool = switch(
        "Whether the borders of the strips are sharp edges.", default=False, on="Their borders are sharp edges.",
        off="Their borders are smooth.",
    )  # fmt: skip
    flats_flat: bool = switch(
        "Whether flats stay flat in the shading.",
        default=True,
        on="Flats stay flat in the shading.",
        off="The shading rounds off the flats too.",
    )
    cut_texture: bool = switch(
        "Whether the strips cut the texture.", default=False, on="They have texture coordinates of their own.",
        off="The texture runs on over them.",
    )  # fmt: skip


@operator(
    id="bevel",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Bevel {pick} by {width} in {segments} segments",
    quiet="Width measured {measured_as}, roundness {roundness}; at neighbours they {at_neighbours}. New faces have the finish {finish}. {sharp_edges} "
    "{flats_flat} {cut_texture}",
    groups=("strips", "corners"),
    synonyms=("chamfer", "round edges", "fillet", "break edges"),
)
def bevel(mesh: Mesh, values: Values, context: Context) -> Result:
    """Round or flatten picked edges.

    Notes
    -----
    The section of a strip is a chord, an arc that leaves both faces along themselves, or what lies
    between and beyond. Where three equal strips of full roundness meet, the corner is a part of the
    sphere that touches their faces.
    """
    picked = values.pick.mask
    turn = edge_turns(mesh)
    size = mesh.size
    width = size / 100 if values.width is None else values.width
    used: dict[str, Any] = {"width": width, "pick": float(picked.sum())}
    if not picked.any():
        text = f"No {values.pick.kind[:-1]} is picked: nothing is bevelled."
        return Result(mesh, (Note("info", text, field="pick"),), used=used)
    if width == 0:
        text = f"A width of 0 mm leaves the {values.pick.kind} as they are."
        return Result(mesh, (Note("info", text, field="width"),), used=used)
    if not width > 1e-9 * size:
        raise ValueProblem(
            f"A width of {width:.3g} mm is lost in a body of {size:.4g} mm.",
            field="width",
            hint=f"{2e-9 * size:.2g} mm would work.",
        )
    how = Bevel(
        values.segments,
        values.roundness,
        values.at_neighbours == "stop",
        values.finish,
        values.sharp_edges,
        values.cut_texture,
        values.flats_flat,
    )
    if values.pick.kind == "points":
        return _points(mesh, values, how, width, used, context)
    context.afford(count_faces(mesh, picked, values.segments), field="segments")
    context.checkpoint(0.1)
    offset = offsets_for(turn, np.full(len(turn), width), values.measured_as)
    out = round_edges(mesh, picked, offset, how, context.step)
    notes = _notes(mesh, values, out, offset, width, turn)
    return Result(out.mesh, tuple(notes), _callouts(mesh, picked, out, values, offset, width), used)


def _points(mesh: Mesh, values: Values, how: Bevel, width: float, used: dict[str, Any], context: Context) -> Result:
    """Cut off points instead of edges."""
    picked = values.pick.mask
    corners = np.diff(mesh.connectivity.point_offsets)[picked]
    context.afford(
        mesh.n_faces + int(corners.sum()) * max(1, values.segments**2 // 4 + values.segments), field="segments"
    )
    context.checkpoint(0.1)
    body, stopped, widths = round_points(mesh, picked, np.full(mesh.n_points, width), how, context.step)
    notes = _options(mesh, values)
    if stopped.any():
        places = tuple(_three(p) for p in mesh.points[stopped][:_PLACES])
        many = f"{int(stopped.sum())} of {values.pick.count} points are" if stopped.sum() > 1 else "1 point is"
        least = float(widths[stopped].min())
        text = f"Width {width:.4g} mm runs into a neighbour; {many} stopped, the narrowest at {least:.4g} mm."
        notes.append(Note("warning", text, places, field="width", solve=_fits(width, least / width)))
    if values.measured_as != "leg":
        notes.append(Note("info", "At points the width is measured along each edge.", field="measured_as"))
    rows = np.flatnonzero(picked)
    best = int(rows[np.lexsort((mesh.points[rows, 0], -mesh.points[rows, 1], mesh.points[rows, 2]))[-1]])
    side = int(np.flatnonzero(mesh.corners == best)[0])
    here, there = mesh.points[best], mesh.points[mesh.corners[mesh.connectivity.following[side]]]
    way = (there - here) / max(float(np.linalg.norm(there - here)), 1e-300)
    callout = Callout("values/width", "length", _three(here), _three(here + way * widths[best]), _three(way))
    return Result(body, tuple(notes), (callout,), used)


def _options(mesh: Mesh, values: Values) -> list[Note]:
    """Say which options show nothing here."""
    notes = []
    if values.roundness != 0 and values.segments == 1:
        notes.append(Note("info", "Roundness shows from 2 segments on: one segment is flat.", field="roundness"))
    if values.roundness > 1 and values.segments % 2:
        text = "An odd number of segments can't reach the sharp edge: its middle one cuts it off."
        notes.append(Note("info", text, field="segments"))
    if values.cut_texture and mesh.uv is None:
        notes.append(Note("info", "The body has no texture coordinates to cut.", field="cut_texture"))
    return notes


def _notes(mesh: Mesh, values: Values, out: Rounded, offset: np.ndarray, width: float, turn: np.ndarray) -> list[Note]:
    notes = _options(mesh, values)
    edges = mesh.points[mesh.connectivity.edges]
    if out.stopped.any():
        rows = np.flatnonzero(out.stopped)
        least = rows[np.argmin(out.width[rows] / offset[rows])]
        limit = width * float(out.width[least] / offset[least])
        places = tuple(_three(p) for p in edges[rows[:_PLACES]].mean(axis=1))
        many = f"{len(rows)} of {values.pick.count} edges are" if len(rows) > 1 else "1 edge is"
        text = f"Width {width:.4g} mm runs into a neighbour; {many} stopped, the narrowest at {limit:.4g} mm."
        notes.append(Note("warning", text, places, field="width", solve=_fits(width, out.fits)))
    elif out.fits < 1:
        text = f"Width {width:.4g} mm runs past neighbours: faces pass through each other."
        notes.append(Note("warning", text, field="width", solve=_fits(width, out.fits)))
    if len(out.tapered):
        text = f"At {len(out.tapered)} hollow {'corners strips run' if len(out.tapered) > 1 else 'corner a strip runs'} to a point: pick the edge between them too."
        notes.append(Note("info", text, tuple(_three(p) for p in out.tapered[:_PLACES]), field="pick"))
    level = values.pick.mask & (turn < math.radians(0.01))
    if level.any():
        notes.append(
            Note(
                "info",
                f"{int(level.sum())} picked edges lie in flat faces: a bevel there only divides them.",
                field="pick",
            )
        )
    return notes


def _fits(width: float, share: float) -> tuple[str, float, str] | None:
    """Return the largest width that does not stop, rounded down to what is read."""
    most = width * share
    if not most > 0:
        return None
    step = 10.0 ** (math.floor(math.log10(most)) - 5)
    return "width", round(math.floor(most / step * (1 + 1e-12)) * step, 12), "the largest width that does not stop"


def _callouts(
    mesh: Mesh, picked: np.ndarray, out: Rounded, values: Values, offset: np.ndarray, width: float
) -> tuple[Callout, ...]:
    """The width on the longest strip, the segments beside it."""
    con = mesh.connectivity
    ends = mesh.points[con.edges]
    length_ = np.sqrt(((ends[:, 1] - ends[:, 0]) ** 2).sum(axis=1))
    middle = ends.mean(axis=1)
    # the longest; of equal ones the highest, then the foremost: those are seen
    score = np.where(picked, np.round(length_ / max(mesh.size, 1e-300), 6), -1)
    best = np.flatnonzero(score == score.max())
    e = int(best[np.lexsort((middle[best, 0], -middle[best, 1], middle[best, 2]))[-1]])
    side = int(np.flatnonzero(con.corner_edge == e)[0])
    p, q = mesh.points[mesh.corners[side]], mesh.points[mesh.corners[con.following[side]]]
    along = (q - p) / max(float(np.linalg.norm(q - p)), 1e-300)
    inward = np.cross(face_normals(mesh)[mesh.corner_faces[side]], along)
    start = (p + q) / 2
    border = start + inward * out.width[e]
    gain = width / offset[e] if offset[e] > 0 else 1.0  # the border moves by the leg, whatever the width measures
    form = "radius" if values.measured_as == "radius" else "length"
    return (
        Callout("values/width", form, _three(start), _three(border), _three(inward), gain),
        Callout("values/segments", "count", _three(start + along * length_[e] / 4), _three(start + along * length_[e] / 4), _three(along),
                12 / max(mesh.size, 1e-300)),
    )  # fmt: skip


def _three(v: np.ndarray) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])
