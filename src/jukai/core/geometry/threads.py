"""Threads as one grid: the section of a tooth carried round a helix, ended by surfaces of turning and by two levels.

Angle and place in the section are the two directions of the grid. It closes on itself after a turn, one lead higher, so
there is no seam. Where it ends at a cone or a cylinder (the chamfer of a point, the run-out into a shank, the mouth of a
nut) its points move along the flanks to where these are met; at the two levels rows run out one after another, each in a
triangle, and leave a ring of as many points as there are sides.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry._threads import end_at
from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.building import MeshBuilder
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.stacks import Ring

__all__ = ["Checkpoint", "Ending", "Form", "H", "basic_form", "count_thread", "nowhere", "rounded_form", "threaded"]

H = math.sqrt(3) / 2
"""Height of the fundamental triangle of the metric thread for a pitch of 1 (ISO 68-1)."""
Checkpoint = Callable[[float], None]
_NEAR = 1e-4
"""Share of the pitch within which a row that comes to a level ends there."""


def nowhere(fraction: float) -> None:
    """Go on without telling anybody."""


@dataclass(frozen=True, slots=True, eq=False)
class Form:
    """The section of one tooth and the groove above it, as it leaves a plane through the axis.

    Attributes
    ----------
    z : (s,) float64, mm from the middle of the crest, rising; the first is the crest's lower corner.
    r : (s,) float64, mm from the axis.
    middle : (s,) bool, points in the middle of a straight line.
    groups : of the line from each point to the next.
    pitch : mm from one tooth to the next.
    """

    z: Floats
    r: Floats
    middle: Array
    groups: tuple[str, ...]
    pitch: float


def basic_form(pitch: float, diameter: float, outer: str = "crest", inner: str = "root") -> Form:
    """Return the basic profile of ISO 68-1: flats of P/8 outside and P/4 inside, flanks of 60 degrees between.

    ``outer`` and ``inner`` are the groups of its flats: of a nut the outer one is the root.
    """
    a, b = pitch / 16, pitch * 3 / 8
    out, low = diameter / 2, diameter / 2 - 5 / 8 * H * pitch
    return Form(
        np.array([-a, 0.0, a, b, pitch / 2, pitch - b]),
        np.array([out, out, out, low, low, low]),
        np.array([False, True, False, False, True, False]),
        (outer, outer, "flanks", inner, inner, "flanks"),
        pitch,
    )


def rounded_form(pitch: float, diameter: float, chords: int = 4) -> Form:
    """Return the profile of ISO 68-1 with a root of radius H/6 that both flanks touch (ISO 965-1, design profile)."""
    a, out = pitch / 16, diameter / 2
    round_ = H * pitch / 6
    sine, cosine = sincos(-60.0 + 120.0 * np.arange(chords + 1) / chords)
    middle = out - 17 / 24 * H * pitch + round_
    z = np.concatenate([[-a, 0.0, a], pitch / 2 + round_ * sine])
    r = np.concatenate([[out, out, out], middle - round_ * cosine])
    straight = np.zeros(len(z), dtype=bool)
    straight[1] = True
    return Form(z, r, straight, ("crest", "crest", "flanks", *["root"] * chords, "flanks"), pitch)


@dataclass(frozen=True, slots=True)
class Ending:
    """A surface of turning that a thread ends at.

    Attributes
    ----------
    line : (level, radius) of its profile, two places or more, rising; beyond them it goes straight on.
    keeps : ``inside`` or ``outside``, what is left of the thread's own surface.
    group : of faces that lie on it.
    """

    line: tuple[tuple[float, float], ...]
    keeps: str
    group: str


def count_thread(form: Form, low: float, high: float, starts: int, sides: int) -> int:
    """Return how many faces :func:`threaded` will make at most, without making them."""
    teeth = math.ceil((high - low) / form.pitch) + starts + 5
    return teeth * len(form.z) * sides


def threaded(
    build: MeshBuilder,
    form: Form,
    *,
    low: float,
    high: float,
    starts: int = 1,
    sides: int = 48,
    phase: float = 0.0,
    endings: Sequence[Ending] = (),
    inward: bool = False,
    checkpoint: Checkpoint = nowhere,
) -> tuple[Ring, Ring]:
    """Add a right-handed thread round Z between two levels; return the rings of points that it ends in, the lower first.

    Parameters
    ----------
    low, high : levels, mm, ``high`` at least half a pitch over ``low``.
    phase : level of the middle of a crest at +X.
    endings : surfaces of turning that it ends at, in the order in which they cut.
    inward : whether its faces look to the axis (a nut).
    checkpoint : told how far it is, 0 to 1; may raise to stop it.
    """
    pitch, size = form.pitch, len(form.z)
    lead = pitch * starts
    first = math.floor((low - phase - lead) / pitch) - 2
    last = math.ceil((high - phase) / pitch) + 2
    teeth = np.arange(first, last + 1)
    chain = ((phase + teeth * pitch)[:, None] + form.z).ravel()
    n, g = sides, len(chain)
    z = chain + (lead * np.arange(n) / n)[:, None]
    r = np.tile(form.r, (n, len(teeth)))
    tags = np.zeros((n, g), dtype=np.int8)
    middle = np.tile(form.middle, len(teeth))
    near = _NEAR * pitch
    for k, ending in enumerate(endings):
        at, radius = (np.array(v, dtype=np.float64) for v in zip(*ending.line, strict=True))
        end_at(z, r, middle, at, radius, 1.0 if ending.keeps == "inside" else -1.0, near, k + 1, tags)
        checkpoint(0.1 + 0.3 * (k + 1) / len(endings))
    within = (z > low + near) & (z < high - near)
    sine, cosine = sincos(360.0 * np.arange(n) / n)
    rings = [_level(z, r, (z <= low + near).sum(axis=1), low), _level(z, r, (z < high - near).sum(axis=1), high)]
    own = np.nonzero(within)
    radii = r[own]
    base = build.add_points(np.column_stack([radii * cosine[own[0]], radii * sine[own[0]], z[own]]))
    ends = [
        np.column_stack([q * cosine, q * sine, np.full(n, level)]) for q, level in zip(rings, (low, high), strict=True)
    ]
    low_ids, high_ids = (build.add_points(e) + np.arange(n, dtype=np.int32) for e in ends)
    ids = np.where(z <= low + near, low_ids[:, None], high_ids[:, None]).astype(np.int32)
    ids[own] = base + np.arange(len(radii), dtype=np.int32)
    tags[~within] = -1
    checkpoint(0.5)
    _faces(build, form, ids, tags, size * starts, endings, inward, checkpoint)
    return Ring(low_ids, ends[0]), Ring(high_ids, ends[1])


def _level(z: Floats, r: Floats, first: Ints, level: float) -> Floats:
    """Return the radius at which each chain comes to a level; ``first`` is its first point beyond."""
    row = np.arange(len(z))
    z0, z1, r0, r1 = z[row, first - 1], z[row, first], r[row, first - 1], r[row, first]
    share = np.clip((level - z0) / np.maximum(z1 - z0, 1e-300), 0.0, 1.0)
    return np.asarray(r0 + share * (r1 - r0))


def _faces(
    build: MeshBuilder,
    form: Form,
    ids: Ints,
    tags: Array,
    turn: int,
    endings: Sequence[Ending],
    inward: bool,
    checkpoint: Checkpoint,
) -> None:
    """Put faces between neighbouring meridians; what has come together at a level is left out."""
    n, g = ids.shape
    # the last meridian is the first once more, a turn further along the section
    ids = np.vstack([ids, np.concatenate([ids[0, turn:], np.full(turn, ids[0, -1], np.int32)])])
    tags = np.vstack([tags, np.concatenate([tags[0, turn:], np.full(turn, -1, np.int8)])])
    a, b, c, d = ids[:-1, :-1], ids[1:, :-1], ids[1:, 1:], ids[:-1, 1:]
    left, right = a == d, b == c
    corners = tags[:-1, :-1], tags[1:, :-1], tags[1:, 1:], tags[:-1, 1:]
    highest = np.maximum.reduce(corners)
    # on an ending where all its points are that are not in a ring
    lies = np.logical_and.reduce([(t == highest) | (t < 0) for t in corners]) & (highest > 0)
    names = list(dict.fromkeys((*form.groups, *(e.group for e in endings))))
    of_line = np.array([names.index(x) for x in form.groups], np.int8)
    of_ending = np.array([0, *(names.index(e.group) for e in endings)], np.int8)
    group = np.where(lies, of_ending[np.maximum(highest, 0)], of_line[np.arange(g - 1) % len(of_line)])
    u = np.arange(n + 1) / n
    v = np.arange(g) / (g - 1)
    for k, name in enumerate(names):
        checkpoint(0.6 + 0.3 * k / len(names))
        for keep, choice in (
            ((~left & ~right), (0, 1, 2, 3)),
            ((left & ~right), (0, 1, 2)),
            ((right & ~left), (0, 1, 3)),
        ):
            j, i = np.nonzero(keep & (group == k))
            if not len(j):
                continue
            order = choice[::-1] if inward else choice
            out, uv = build.room(len(j), len(order), name)
            for m, corner in enumerate(order):
                out[:, m] = (a, b, c, d)[corner][j, i]
                uv[:, m, 0] = u[j + (corner in (1, 2))]
                uv[:, m, 1] = v[i + (corner in (2, 3))]
