"""Extruding faces: they rise from their body, together or each by itself, and walls follow."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Array, Floats
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
    chord_sides,
    operator,
    three,
)
from jukai.core.operators.crossing import crossing_notes
from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.finish import finish
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.operators.pulling import (
    Foremost,
    as_one_or_each,
    each_alone,
    foremost_wall,
    left_behind,
    nothing_picked,
    room_for,
    single_room,
    singles,
)

if TYPE_CHECKING:
    from jukai.core.geometry.offsetting import Offsets
    from jukai.core.geometry.pulling import Foot
    from jukai.core.geometry.singles import Singles

__all__ = ["Values", "extrude"]

_PART_OF_SIZE = 0.1
"""Share of the body's size by which faces rise where nothing is said."""
_MOST_DRAFT = 89.0
_MANY = 20_000
"""Points beyond which it is not looked for what a turn would be about, where there is none."""


class Values(OperatorValues):
    """Picked faces that rise along their normals, or go along a path."""

    pick: AnyPick = pick(
        "The faces that rise.", of=("faces",), default={"rule": "facing", "direction": [0, 0, 1]}
    )  # without a body before it the rule as it is written
    along: str = choice("Which way they go.", (("normals", "along their normals"), ("path", "along a path")))
    distance: float | None = length(
        "How far they rise, true to their normals; below 0 they sink in.",
        otherwise="a tenth of the part's size",
        ge=-1e6,
        le=1e6,
        relevant='along == "normals"',
    )
    path: CurveInput | None = curve(
        "What they go along: a path in space, or a profile, upright in the plane Y = 0. It is moved to begin in their middle and "
        "turned to leave them squarely.",
        of="path",
        relevant='along == "path"',
    )
    each: str = as_one_or_each("rise")
    inset: float | None = length(
        "How far the border has moved in at the top; below 0 it moves out.",
        instead_of="draft",
        ge=-1e6,
        le=1e6,
    )
    draft: float | None = angle(
        "How far the walls lean inward; below 0 they lean outward.",
        otherwise="straight up",
        instead_of="inset",
        ge=-_MOST_DRAFT,
        le=_MOST_DRAFT,
        relevant='along == "normals"',
    )
    rows: int | None = count(
        "Rows of faces on the walls.", otherwise="one, or as many as a turn or a path asks for", ge=1, le=1_000_000
    )
    turn: float = angle(
        "How far they have turned about their own middle at the end, counter-clockwise looking down on them.",
        default=0.0,
        ge=-36_000,
        le=36_000,
    )
    behind: str = left_behind()
    finish: str | None = finish("Finish of the new walls.")

    @model_validator(mode="after")
    def _one(self) -> Values:
        if self.inset is not None and self.draft is not None:
            raise ValueError("draft and inset say the same thing: give one of them")
        return self


@operator(
    id="extrude",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Extrude {pick} {along}[ by {distance}][: {path}], {each}",
    quiet="Their walls lean in by {draft|inset}, in {rows} rows, turned by {turn}; {behind}; walls {finish}.",
    groups=("walls", "tops", "start_cap"),
    synonyms=("push", "pull", "pull out", "raise faces", "boss", "pocket", "draft"),
    example=Example(
        (
            ("cylinder", {"radius": 13, "height": 12, "sides": 32, "ends": "rings", "end_rings": 2}),
            (
                "extrude",
                {
                    "pick": {"rule": "every_nth", "among": {"rule": "group", "step": "s1", "name": "walls"}, "n": 4},
                    "distance": 6,
                    "draft": 8,
                },
            ),
        ),
    ),
)
def extrude(mesh: Mesh, values: Values, context: Context) -> Result:
    """Raise faces out of their body, or sink them into it; walls follow, and what was closed stays so.

    Notes
    -----
    Every point goes where the planes of its picked faces meet once these have moved: on bent patches the distance is true to
    each face and walls stay even. Of a flat face of area A and border L drafted by t the frustum encloses
    d (A - L t / 2 + c t² / 3), where c is the sum over its corners of 1 / tan(half of each).
    """
    from jukai.core.geometry.offsetting import offsets_of
    from jukai.core.geometry.pulling import pull_to

    if not values.pick.mask.any():
        return nothing_picked(mesh, values.pick, "extruded")
    asked = _asked(mesh, values)
    moves_in = (values.inset or 0.0) > 0 or (values.draft or 0.0) > 0
    if values.along == "normals" and not values.turn and values.rows in (None, 1) and moves_in:
        many = singles(mesh, values.pick.mask, values.each)
        if many is not None:
            return _of_many(many, values, asked, context)
    foot = each_alone(mesh, values.pick.mask, values.each, -1.0 if asked < 0 else 1.0)
    context.checkpoint(0.1)
    notes: list[Note] = []
    goes = _ways(
        values, foot, offsets_of(foot, sinks=asked < 0, moves_in=bool(values.inset or values.draft)), asked, mesh, notes
    )
    context.afford(mesh.n_faces + goes.rows * len(foot.walls), field="rows")
    context.checkpoint(0.3)
    share = np.arange(1, goes.rows + 1) / goes.rows
    stands = goes.places(slice(None), share[-1:])[0]
    out = pull_to(
        foot, goes.places(np.flatnonzero(foot.border), share), stands[~foot.border], context.step, finish=values.finish,
        behind=values.behind == "closed",
    )  # fmt: skip
    context.checkpoint(0.7)
    notes += (values.each == "each" and _touching(goes)) or crossing_notes(
        out, (context.step, "walls", "tops"), "The walls have no room", "distance"
    )
    used: dict[str, object] = {"rows": goes.rows, "pick": float(values.pick.count)}
    if values.along == "normals" and values.distance is None:
        used["distance"] = asked
    if values.draft is None and values.inset is None:
        used["draft"] = 0.0
    facts = {"inset": goes.inset}
    if values.along == "normals" and goes.distance:
        facts["draft"] = math.degrees(math.atan2(goes.inset, abs(goes.distance)))
    return Result(out, tuple(notes), _callouts(values, goes, foremost_wall(foot, stands)), used, facts)


def _of_many(many: Singles, values: Values, distance: float, context: Context) -> Result:
    """Extrude many plain faces, each by itself, in one pass."""
    from jukai.core.geometry.offsetting import offsets_of

    mesh = many.mesh
    context.afford(mesh.n_faces + int(mesh.sides[many.faces].sum()), field="pick")
    context.checkpoint(0.2)
    notes: list[Note] = []
    told, inset = "inset", values.inset or 0.0
    if values.draft is not None:
        told, inset = "draft", abs(distance) * math.tan(math.radians(values.draft))
    stopped = single_room(many, inset, notes, told)
    if told == "draft" and stopped < inset:
        distance *= stopped / inset
    inset = stopped
    out = many.pulled(
        distance, inset, context.step, groups=("walls", "tops"), of_themselves=False, goes_on=False, finish=values.finish
    )  # fmt: skip
    foot = each_alone(mesh, many.foremost(), "each", 1.0)
    goes = _Ways(foot, offsets_of(foot), distance, inset, 0.0, 1, None)
    notes += crossing_notes(out, (context.step, "walls", "tops"), "The walls have no room", "distance")
    stands = goes.places(slice(None), np.ones(1))[0]
    used: dict[str, object] = {"rows": 1, "pick": float(values.pick.count)}
    if values.distance is None:
        used["distance"] = distance
    if values.draft is None and values.inset is None:
        used["draft"] = 0.0
    facts = {"inset": inset} | ({"draft": math.degrees(math.atan2(inset, abs(distance)))} if distance else {})
    return Result(out, tuple(notes), _callouts(values, goes, foremost_wall(foot, stands)), used, facts)


@dataclass(slots=True)
class _Ways:
    """How the columns of a foot go.

    Attributes
    ----------
    distance, inset : how far they rise and move in, mm.
    turn : degrees that they turn.
    motions : (rows, 3, 4) along a path that leaves along Z, None where they go along their normals.
    """

    foot: Foot
    offsets: Offsets
    distance: float
    inset: float
    turn: float
    rows: int
    motions: Floats | None

    def places(self, columns: Array | slice, shares: Floats) -> Floats:
        """Return where columns are after shares of the way: (k, b, 3); of a path these are its last rows."""
        from jukai.core.geometry.offsetting import turned_about

        shift = self.distance * self.offsets.rise[columns]
        if self.inset:
            shift += self.inset * self.offsets.inward[columns]
        at = self.foot.places[columns] + shares[:, None, None] * shift
        if self.turn:
            at = turned_about(self.offsets, at, self.turn * shares, columns)
        if self.motions is not None:
            at = _carried(at, self.offsets, columns, self.motions[-len(shares) :])
        return np.asarray(at)


def _asked(mesh: Mesh, values: Values) -> float:
    """Return how far faces rise; along a path only whether that is outward counts."""
    if values.along == "path":
        return 1.0
    asked = values.distance if values.distance is not None else _PART_OF_SIZE * mesh.size
    if asked == 0 and not values.inset and not values.turn:
        raise ValueProblem(
            "Extruded by 0 mm the faces stay where they are.", field="distance", hint="Above 0 they rise, below 0 they sink in."
        )  # fmt: skip
    return asked


def _ways(values: Values, foot: Foot, offsets: Offsets, distance: float, mesh: Mesh, notes: list[Note]) -> _Ways:
    if values.along == "path":
        motions, rows = _path_motions(values, foot, notes)
        _, inset = room_for(foot, offsets, 0.0, values.inset or 0.0, notes, "inset")
        return _Ways(foot, offsets, 0.0, inset, values.turn, rows, motions)
    told, inset = "inset", values.inset or 0.0
    if values.draft is not None:
        told, inset = "draft", abs(distance) * math.tan(math.radians(values.draft))
    distance, inset = room_for(foot, offsets, distance, inset, notes, told)
    rows = values.rows or _rows_of_turn(values, foot, offsets, mesh)
    return _Ways(foot, offsets, distance, inset, values.turn, rows, None)


def _rows_of_turn(values: Values, foot: Foot, offsets: Offsets, mesh: Mesh) -> int:
    if not values.turn:
        return 1
    piece, centres, _ = offsets.pieces()
    reach = float(np.linalg.norm(foot.places - centres[piece], axis=1).max())
    return chord_sides(reach, max(mesh.size, 2 * reach), values.turn)


def _path_motions(values: Values, foot: Foot, notes: list[Note]) -> tuple[Floats, int]:
    """Return the motions (k, 3, 4) along the path from where it begins, drawn as it is, and how many rows there are."""
    from jukai.core.geometry.carrying import motions_along, run_along
    from jukai.core.operators.sections import lying, path_notes, refuse_turning_back, rows_along

    assert values.path is not None  # noqa: S101 - required where it counts
    path = values.path.path
    if not path.pieces or path.closed:
        why = "is closed" if path.pieces else "has no length"
        raise ValueProblem(
            f"'{values.path.name}' {why}: faces can't go along it.", field="path", hint="An open path would work."
        )
    reach = float(np.linalg.norm(foot.places - foot.centre, axis=1).max())
    stations = path.stations(rows_along(path, values.rows, reach, None, None, notes, twist=abs(values.turn)))
    refuse_turning_back(values.path, stations)
    notes += path_notes(values.path, path, stations, None)
    lies = lying(stations, upright=False, what="the faces")
    ones = np.ones(len(stations.points))
    run = run_along(stations, lies, ones, 0 * ones, reach)
    motions = motions_along(run.across, run.up, stations)
    # from the start of the path: the turn, then the way gone
    gone = np.concatenate([motions[:, :, :3], (stations.points - stations.points[0])[:, :, None]], axis=2)
    local = _to_z(stations.before[:1])[0]
    turned = np.einsum("ia,kab,jb->kij", local, gone[:, :, :3], local)
    way = gone[:, :, 3] @ local.T
    return np.concatenate([turned, way[:, :, None]], axis=2)[1:], len(stations.points) - 1


def _to_z(normals: Floats) -> Floats:
    """Return the rotations (p, 3, 3) that bring directions to Z by the least turn: half a turn is about X; 0 stays as it is."""
    n = np.where(np.asarray(normals.any(axis=1))[:, None], normals, [0.0, 0.0, 1.0])
    k = np.zeros((len(n), 3, 3))  # what the cross product with n × z does
    k[:, 0, 2], k[:, 1, 2] = -n[:, 0], -n[:, 1]
    k[:, 2, 0], k[:, 2, 1] = n[:, 0], n[:, 1]
    down = n[:, 2] < -1 + 1e-12
    out = np.eye(3) + k + k @ k / np.where(down, 1.0, 1 + n[:, 2])[:, None, None]
    out[down] = np.diag([1.0, -1.0, -1.0])
    return np.asarray(out)


def _carried(at: Floats, offsets: Offsets, columns: Array | slice, motions: Floats) -> Floats:
    """Return places (k, b, 3) carried along a path that leaves each piece squarely: motions (k, 3, 4) are those along Z."""
    piece, centres, normals = offsets.pieces()
    frames = _to_z(normals).transpose(0, 2, 1)
    of = piece[columns]
    local = np.einsum("bji,kbj->kbi", frames[of], at - centres[of])
    local = np.einsum("kij,kbj->kbi", motions[:, :, :3], local) + motions[:, None, :, 3]
    return np.asarray(np.einsum("bij,kbj->kbi", frames[of], local) + centres[of])


def _touching(goes: _Ways) -> list[Note]:
    """Say where walls of neighbours stand on each other: between faces that look the same way."""
    foot, offsets, mesh = goes.foot, goes.offsets, goes.foot.mesh
    if goes.inset > 0 or goes.turn or goes.motions is not None:
        return []
    corner = np.flatnonzero(foot.corner_column >= 0)
    twin = mesh.connectivity.twins[corner]
    both = (twin >= 0) & foot.faces[mesh.corner_faces[np.maximum(twin, 0)]]
    a = offsets.rise[foot.corner_column[corner[both]]]
    b = offsets.rise[foot.corner_column[mesh.connectivity.following[twin[both]]]]
    same = np.linalg.norm(a - b, axis=1) < 1e-9
    if not same.any():
        return []
    spots = mesh.points[mesh.corners[corner[both][same]]][:50]
    text = f"{int(same.sum()) // 2} pairs of neighbours rise wall to wall: an inset or a draft keeps them apart."
    return [Note("warning", text, field="inset", places=tuple(three(p) for p in spots))]


def _callouts(values: Values, goes: _Ways, wall: Foremost) -> tuple[Callout, ...]:
    offsets, distance, inset = goes.offsets, goes.distance, goes.inset
    out = []
    rise = offsets.rise[wall.column]
    up = rise / max(float(np.linalg.norm(rise)), 1e-300)
    low, high = three(wall.foot), three(wall.head)
    if values.along == "normals":
        stopped = distance if values.distance is not None and distance != values.distance else None
        out.append(Callout("values/distance", CalloutForm.LENGTH, low, high, three(up), stopped=stopped))
    inward = offsets.inward[wall.column]
    size = float(np.linalg.norm(inward))
    if values.draft is not None and values.along == "normals" and distance:
        end = three(wall.foot + distance * rise)
        out.append(
            Callout(
                "values/draft",
                CalloutForm.ANGLE,
                low,
                end,
                three(np.cross(up, inward) * np.sign(distance)),
                grip=three(wall.end),
            )
        )
    elif size > 0:
        start = wall.second_head - inset * inward
        out.append(
            Callout("values/inset", CalloutForm.LENGTH, three(start), three(wall.second_head), three(inward / size), 1 / size,
                    stopped=inset if values.inset is not None and inset != values.inset else None)
        )  # fmt: skip
    middle = three((wall.foot + wall.head) / 2) if values.along == "normals" and not values.turn else high
    out.append(Callout("values/rows", CalloutForm.COUNT, middle, middle, three(up), 0.5))
    if not values.turn and len(offsets.rise) > _MANY:
        return tuple(out)
    piece, centres, normals = offsets.pieces()
    axis, centre = normals[piece[wall.column]], centres[piece[wall.column]]
    if axis.any():
        middle_up = centre + axis * ((wall.end - centre) @ axis)
        out.append(Callout("values/turn", CalloutForm.ANGLE, three(middle_up), three(wall.end), three(axis)))
    return tuple(out)
