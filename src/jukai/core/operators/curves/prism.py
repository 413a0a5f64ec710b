"""A closed profile raised straight up: plates, ribs, blocks with draft."""

from __future__ import annotations

import math

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.crossings import polyline_crossing
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
    three,
)
from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.length import length
from jukai.core.operators.sections import closed_section, corner_notes

__all__ = ["Values", "prism"]

_ROOM = 1e-9
"""Share of a side that must be left of it under draft."""


class Values(OperatorValues):
    """A straight body over a profile."""

    profile: CurveInput = curve(
        "What is raised: it lies on the floor, its across along X and its up along Y.", closed=True
    )
    height: float | None = length("How high it is.", otherwise="the bench's size for a shape", gt=0, le=1e6)
    draft: float = angle(
        "How far the walls lean inward, so that it comes out of a mould; negative ones lean outward.",
        default=0.0, gt=-90, lt=90,
    )  # fmt: skip
    rows: int = count("Rows of faces up the walls.", default=1, ge=1, le=100_000)
    ends: str = choice("How its bottom and top are made.", (("flat", "flat faces"), ("open", "open")))


@operator(
    id="prism",
    kind=Kind.BLANK,
    values=Values,
    sentence="Raise {profile} by {height}",
    quiet="Walls drafted by {draft}, in {rows} rows; ends are {ends}.",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("extrude profile", "plate", "slab", "draft", "linear extrusion", "punch"),
    example=Example(
        (("prism", {"profile": "c1", "height": 14, "draft": 8}),),
        profile=(
            {"at": [-18, -12]},
            {"at": [18, -12], "fillet": 6},
            {"at": [18, 2], "fillet": 3},
            {"at": [2, 2], "fillet": 4},
            {"at": [2, 14]},
            {"at": [-18, 14], "chamfer": 7},
        ),
        closed=True,
    ),
)
def prism(values: Values, context: Context) -> Result:
    """A body over a closed profile, with flat walls that may lean by a draft angle.

    Notes
    -----
    Each side moves parallel to itself, so walls are flat, and the area is of the second order in the height: Simpson's rule,
    h (A + 4 M + B) / 6, gives the volume exactly.
    """
    from jukai.core.geometry.tubes import Rings, count_tube, skin

    section, _ = closed_section(values.profile, "profile")
    height = context.blank_size if values.height is None else values.height
    context.afford(count_tube(values.rows, len(section)), field="rows")
    inward = _inward(section)
    shift = height * math.tan(math.radians(values.draft))
    _refuse_without_room(section, inward, shift, values, height)
    share = np.arange(values.rows + 1) / values.rows
    flat = section + share[:, None, None] * (shift * inward)
    places = np.empty((*flat.shape[:2], 3))
    places[..., :2] = flat
    places[..., 2] = (share * height)[:, None]
    places[-1, :, 2] = height
    sides = np.linalg.norm(np.roll(section, -1, axis=0) - section, axis=1)
    u = np.concatenate([[0.0], np.cumsum(sides)]) / float(sides.sum())
    u[-1] = 1.0
    caps = tuple(_cap(ring) for ring in (section, flat[-1])) if values.ends == "flat" else (None, None)
    context.checkpoint(0.3)
    mesh = skin(Rings(places, u, share), (caps[0], caps[1]), context.step)
    notes: list[Note] = corner_notes(values.profile, lambda at: (float(at[0]), float(at[1]), 0.0))
    used = {"height": height}
    return Result(mesh, tuple(notes), _callouts(values, section, places, height), used)


def _inward(ring: Floats) -> Floats:
    """Return how far each corner moves as its two sides move inward by 1, (n, 2)."""
    along = np.roll(ring, -1, axis=0) - ring
    along /= np.maximum(np.linalg.norm(along, axis=1), 1e-300)[:, None]
    normal = np.column_stack([-along[:, 1], along[:, 0]])
    before = np.roll(normal, 1, axis=0)
    return np.asarray((normal + before) / np.maximum(1 + (normal * before).sum(axis=1), 1e-12)[:, None])


def _refuse_without_room(ring: Floats, inward: Floats, shift: float, values: Values, height: float) -> None:
    """Refuse a draft under which a side has no length left, or sides run through each other, before the top."""
    if shift == 0:
        return
    along = np.roll(ring, -1, axis=0) - ring
    long = np.linalg.norm(along, axis=1)
    shrink = -((np.roll(inward, -1, axis=0) - inward) * along).sum(axis=1) / long * math.copysign(1.0, shift)
    room = np.where(shrink > 0, long * (1 - _ROOM) / np.maximum(shrink, 1e-300), np.inf)
    most = float(room.min())
    if abs(shift) <= most and polyline_crossing(ring + shift * inward, closed=True) is None:
        return
    # what is left of it, found by halving: sides can meet others long before they have no length
    low, high = 0.0, min(most, abs(shift))
    for _ in range(50):
        middle = (low + high) / 2
        crossed = polyline_crossing(ring + math.copysign(middle, shift) * inward, closed=True) is not None
        low, high = (low, middle) if crossed else (middle, high)
    degrees = math.degrees(math.atan(low / height))
    at = ring[int(np.argmin(room))]
    raise ValueProblem(
        f"With a draft of {values.draft:g}° the walls meet at a height of {height * low / abs(shift):.4g} mm.", field="draft",
        hint=f"Up to {math.floor(degrees * 1e4) / 1e4:g}° have room, or a lower body.", places=[(float(at[0]), float(at[1]), 0.0)],
    )  # fmt: skip


def _cap(ring: Floats) -> Floats:
    low, size = ring.min(axis=0), max(float(np.ptp(ring, axis=0).max()), 1e-300)
    return np.asarray((ring - low) / size)


def _callouts(values: Values, section: Floats, places: Floats, height: float) -> tuple[Callout, ...]:
    """Return the height at the foremost corner, the draft on the longest wall, rows, and the points of the profile."""
    foremost = int(np.argmin(section @ [0.3, 1.0]))
    base, top = places[0, foremost], places[-1, foremost]
    out = [
        Callout("values/height", CalloutForm.LENGTH, (float(base[0]), float(base[1]), 0.0), (float(base[0]), float(base[1]), height), (0, 0, 1),
                grip=three(top))
    ]  # fmt: skip
    sides = np.roll(section, -1, axis=0) - section
    wall = int(np.argmax(np.round(np.linalg.norm(sides, axis=1), 9)))
    after = (wall + 1) % len(section)
    foot, head = ((places[k, wall] + places[k, after]) / 2 for k in (0, -1))
    along = sides[wall] / np.linalg.norm(sides[wall])
    out.append(
        Callout("values/draft", CalloutForm.ANGLE, three(foot), (float(foot[0]), float(foot[1]), height), (-float(along[0]), -float(along[1]), 0.0), grip=three(head))
    )  # fmt: skip
    middle = places[len(places) // 2, foremost]
    out.append(Callout("values/rows", CalloutForm.COUNT, three(middle), three(middle), (0, 0, 1), 0.5))
    for point, at in zip(values.profile.point_ids, values.profile.shape.at, strict=True):
        if not point:
            continue  # points of a deformed curve are not those that are drawn
        spot = (float(at[0]), float(at[1]), 0.0)
        grip = places[0, int(((section - at) ** 2).sum(axis=1).argmin())]
        out.append(
            Callout(f"curves/{values.profile.id}/{point}/at", CalloutForm.POINT, spot, spot, (1, 0, 0), 1.0, (0, 1, 0), grip=three(grip))
        )  # fmt: skip
    return tuple(out)
