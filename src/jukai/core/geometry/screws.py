"""Screws and nuts as one closed body: thread, shank, point, head and drive stacked on each other.

A screw stands with the seat of its head on Z = 0, the head above, the thread below; a nut stands on Z = 0.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from jukai.core.geometry.building import MeshBuilder
from jukai.core.geometry.heads import Head, Layout, Pocket, Slot, put_head, put_outside
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.mirroring import mirrored
from jukai.core.geometry.stacks import Ring, Stack
from jukai.core.geometry.threads import Checkpoint, Ending, Form, count_thread, nowhere, threaded

__all__ = ["Nut", "Point", "Screw", "count_nut", "count_screw", "nut_body", "screw_body"]


@dataclass(frozen=True, slots=True)
class Point:
    """The end of a screw.

    Attributes
    ----------
    kind : ``as_cut``; ``chamfered``, to a flat of ``radius``; ``cone``, to a point; ``dog``, a pin of ``radius`` and ``length``.
    """

    kind: str
    radius: float = 0.0
    length: float = 0.0


@dataclass(frozen=True, slots=True)
class Screw:
    """A screw, all in mm.

    Attributes
    ----------
    form : section of its thread.
    full : whether the thread is there, or a plain cylinder of its outer diameter.
    length : from Z = 0 down to its end.
    runs_to : level at which the thread begins to run out; ``begins`` where it does without.
    run_out : length of the run-out; 0 where the thread goes up to where the head begins.
    shank : radius above the thread.
    begins : level where the head begins; below 0 for one that is sunk in.
    phase : level of the middle of a crest at +X.
    sinks : (level, radius) of a cone above which a sunk head covers the thread.
    """

    form: Form
    full: bool
    length: float
    runs_to: float
    run_out: float
    shank: float
    point: Point
    head: Head
    drive: Pocket | Slot | None = None
    starts: int = 1
    sides: int = 48
    phase: float = 0.0
    begins: float = 0.0
    sinks: tuple[float, float] | None = None
    left: bool = False

    @property
    def outer(self) -> float:
        """Radius of the crests."""
        return float(self.form.r.max())

    @property
    def inner(self) -> float:
        """Radius of the roots."""
        return float(self.form.r.min())


@dataclass(frozen=True, slots=True)
class Nut:
    """A nut, all in mm.

    Attributes
    ----------
    form : section of its thread: its outer flats are the roots.
    mouth : radius of its countersinks.
    outside : its outside from the bearing face up; the last row is the border of its upper face.
    through : level of its upper face; of a domed one that where the thread ends.
    domed : level of the end of the bore, or None where the thread goes through.
    """

    form: Form
    full: bool
    mouth: float
    outside: Head
    through: float
    domed: float | None = None
    starts: int = 1
    sides: int = 48
    phase: float = 0.0
    left: bool = False

    @property
    def major(self) -> float:
        """Radius of the roots."""
        return float(self.form.r.max())


_SINK = 1.0
"""Height of a countersink for each mm of its radius: 90 degrees. One of 120 would run along the flanks of the thread."""


def count_screw(screw: Screw) -> int:
    """Return how many faces :func:`screw_body` will make at most."""
    thread = count_thread(screw.form, -screw.length, screw.runs_to + screw.run_out, screw.starts, screw.sides)
    return (thread if screw.full else 0) + 60 * screw.sides


def count_nut(nut: Nut) -> int:
    """Return how many faces :func:`nut_body` will make at most."""
    thread = count_thread(nut.form, 0.0, nut.through, nut.starts, nut.sides)
    return (thread if nut.full else 0) + 60 * nut.sides


def screw_body(screw: Screw, step: str, checkpoint: Checkpoint = nowhere) -> Mesh:
    """Return a screw; ``checkpoint`` is told how far it is and may raise to stop it.

    Raises
    ------
    TooFew
        When head or drive have more corners than ``sides`` has room for.
    """
    build = MeshBuilder(5 * count_screw(screw))
    stack = Stack(build, screw.length + 4 * screw.outer)
    end = -screw.length
    low, endings = _point(screw, end)
    if screw.full:
        high = screw.runs_to + screw.run_out
        lower, upper = threaded(
            build, screw.form, low=low, high=high, starts=screw.starts, sides=screw.sides, phase=screw.phase,
            endings=[*endings, *_upper(screw)], checkpoint=checkpoint,
        )  # fmt: skip
        _tip(stack, screw, lower, end)
        stack.begin(upper)
    else:
        around = round_layout(screw.sides)
        profile = _outline(screw, low, endings)
        _tip(stack, screw, stack.add(around.circle(*profile[0][:2])), end)
        for radius, level, group in profile[1:]:
            stack.ring(around.circle(radius, level), group)
    if screw.run_out > 0 and screw.begins > screw.runs_to + screw.run_out + 1e-9 * screw.length:
        stack.ring(round_layout(screw.sides).circle(screw.shank, screw.begins), "shank")
    put_head(stack, screw.head, screw.drive)
    mesh = stack.build_mesh(step)
    return mirrored(mesh, 1) if screw.left else mesh


@lru_cache(maxsize=8)
def round_layout(n: int) -> Layout:
    """Return ``n`` points evenly around."""
    return Layout(n)


def _point(screw: Screw, end: float) -> tuple[float, list[Ending]]:
    """Return the level at which the thread's grid ends at the point, and what it ends at before."""
    point, out = screw.point, screw.outer
    if point.kind == "as_cut":
        return end, []
    if point.kind == "cone":
        low = end + 0.9 * screw.inner
        return low, [Ending(((end, 0.0), (end + 2 * out, 2 * out)), "inside", "point")]
    low = end + (point.length if point.kind == "dog" else 0.0)
    return low, [Ending(((low, point.radius), (low + out, point.radius + out)), "inside", "point")]


def _upper(screw: Screw) -> list[Ending]:
    """Return what the thread ends at above."""
    z, x, r = screw.runs_to, screw.run_out, screw.shank
    if screw.sinks:
        at, radius = screw.sinks
        return [Ending(((at, radius), (at + radius, 2 * radius)), "outside", "head")]
    if x <= 0:
        if screw.head.rows[0].reach >= screw.outer:
            return []
        # the upper end of a stud
        radius, level = screw.head.rows[0].reach, screw.head.rows[0].level
        return [Ending(((level - screw.outer, radius + screw.outer), (level, radius)), "inside", "point")]
    out = [Ending(((z - x, 2 * screw.inner - r), (z, screw.inner), (z + x, r)), "outside", "root")]
    if r < screw.outer:
        top = z + x
        out.insert(0, Ending(((top - 2 * screw.outer, r + 2 * screw.outer), (top, r)), "inside", "shank"))
    return out


def _outline(screw: Screw, low: float, endings: list[Ending]) -> list[tuple[float, float, str]]:
    """Return the profile of a light screw from the end of its point up to where its head begins."""
    out = screw.outer
    rows: list[tuple[float, float, str]] = []
    if endings:
        (z0, r0), (z1, r1) = endings[0].line
        slope = (r1 - r0) / (z1 - z0)
        rows += [(r0 + (low - z0) * slope, low, "point"), (out, z0 + (out - r0) / slope, "point")]
    else:
        rows.append((out, low, "crest"))
    if screw.sinks:
        at, radius = screw.sinks
        rows.append((out, at + out - radius, "crest"))
        return rows
    top = screw.runs_to + (screw.run_out if screw.shank < out else 0.0)
    if screw.run_out <= 0:
        first = screw.head.rows[0]
        stud = first.reach < out
        rows.append((out, first.level - (out - first.reach) if stud else screw.runs_to, "crest"))
        return rows
    rows.append((out, top, "crest"))
    if abs(screw.shank - out) > 1e-12 * out:
        rows.append((screw.shank, top, "shank"))
    return rows


def _tip(stack: Stack, screw: Screw, low: Ring, end: float) -> None:
    """Go from the axis to the ring at which the thread begins."""
    point = screw.point
    if point.kind == "cone":
        stack.open_point(low, end, "point")
    elif point.kind == "dog":
        edge = min(0.15 * point.radius, 0.4 * point.length)
        around = round_layout(screw.sides)
        stack.open(around.circle(point.radius - edge, end), end, "point")
        stack.ring(around.circle(point.radius, end + edge), "point")
        stack.to(low, "point")
    else:
        stack.open_at(low, end, "point")


def nut_body(nut: Nut, step: str, checkpoint: Checkpoint = nowhere) -> Mesh:
    """Return a nut; ``checkpoint`` is told how far it is and may raise to stop it.

    Raises
    ------
    TooFew
        When its outside has more corners than ``sides`` has room for.
    """
    build = MeshBuilder(5 * count_nut(nut))
    stack = Stack(build, nut.through + 4 * nut.major)
    n, major, mouth = nut.sides, nut.major, nut.mouth
    around = round_layout(n)
    sink = (mouth - major) * _SINK
    high = nut.through
    blind = nut.domed is not None
    if nut.full:
        endings = [Ending(((0.0, mouth), (mouth * _SINK, 0.0)), "outside", "mouth")]
        if blind:  # the thread runs out into a bore as wide as its roots
            wide = 1.02 * major
            endings.append(Ending(((high - wide, 0.0), (high, wide)), "outside", "bore"))
        else:
            endings.append(Ending(((high - mouth * _SINK, 0.0), (high, mouth)), "outside", "mouth"))
        low_ring, high_ring = threaded(
            build,
            nut.form,
            low=0.0,
            high=high,
            starts=nut.starts,
            sides=n,
            phase=nut.phase,
            endings=endings,
            inward=True,
            checkpoint=checkpoint,
        )
    else:
        low_ring = stack.add(around.circle(mouth, 0.0))
        high_ring = stack.add(around.circle(major if blind else mouth, high))
    if nut.domed is not None:
        radius = float(np.hypot(*high_ring.points[0, :2]))
        stack.open(around.circle(radius, nut.domed), nut.domed, "bore")
        stack.to(high_ring, "bore")
    else:
        stack.begin(high_ring)
    if not nut.full:
        if not blind:
            stack.ring(around.circle(major, high - sink), "mouth")
        stack.ring(around.circle(major, sink), "crest")
        stack.to(low_ring, "mouth")
    stack.begin(low_ring)
    if blind:
        put_head(stack, nut.outside, None)
    else:
        put_outside(stack, nut.outside, high_ring)
    mesh = stack.build_mesh(step)
    return mirrored(mesh, 1) if nut.left else mesh
