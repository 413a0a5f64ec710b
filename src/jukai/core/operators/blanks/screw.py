"""Screws."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from jukai.core.errors import ValueProblem
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Placing,
    Result,
    operator,
    three,
)
from jukai.core.operators.fasteners import (
    DRIVES,
    HEADS,
    OWN,
    STARTS,
    CutThread,
    Thread,
    by_size,
    even_sides,
    for_hole,
    nearest_point,
    size_choices,
    thread_of,
    thread_sides,
)
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.length import length as length_
from jukai.core.operators.shapes import Z_AXIS

if TYPE_CHECKING:
    from jukai.core.geometry.heads import Head
    from jukai.core.geometry.screws import Point, Screw
    from jukai.core.operators.heads import DriveSize, HeadSize

__all__ = ["Values", "screw"]

_HEADED = 'head != "none"'
_DRIVEN = 'drive != "none" and (head, drive) not in (("hexagon", "usual"), ("knurled", "usual"))'
_FULL = 'detail == "full"'
LEAST_SIDES = 12


class Values(OperatorValues):
    """A screw: the seat of its head on Z = 0, its thread below; a countersunk one has its top there."""

    size: str = choice("Its thread's size.", size_choices(), default="M10")
    length: float | None = length_(
        "From the seat of its head to its end; of a countersunk one over all.", otherwise="four diameters", gt=0, le=1e6
    )
    head: str = choice("Its head.", [(k, words) for k, (words, _, _) in HEADS.items()])
    drive: str = choice("What it is turned by.", list(DRIVES.items()))
    detail: str = choice(
        "Light, with a plain cylinder of the thread's outer diameter; or full, with the thread itself.",
        (("light", "light"), ("full", "full")),
    )
    diameter: float | None = length_(
        "Outer diameter of the thread.", otherwise="the size's own", follows="size", gt=0, le=1e6
    )
    pitch: float | None = length_(
        "From one ridge to the next.", otherwise="the size's own", follows="size", gt=0, le=1e6
    )
    starts: int = count("Ridges that wind side by side.", default=1, ge=1, le=STARTS)
    hand: str = choice("Which way it winds.", (("right", "right-hand"), ("left", "left-hand")))
    thread_length: float | None = length_(
        "How much of it is threaded, from its end.", otherwise="as the standard has it", gt=0, le=1e6
    )
    run_out: float | None = length_(
        "Over which the thread fades into the shank.", otherwise="two pitches", ge=0, le=1e6
    )
    shank: float | None = length_(
        "Diameter above the thread.", otherwise="that of the thread", follows="size", gt=0, le=1e6
    )
    tolerance: str = choice(
        "How much smaller than its basic size it is cut, after ISO 965-1.",
        (("6g", "6g"), ("6f", "6f"), ("6e", "6e"), ("none", "none")),
    )
    allowance: float | None = length_(
        "By how much its diameters are smaller.", otherwise="that of the tolerance", follows="tolerance", ge=0, le=1e5
    )
    root: str = choice("The bottom of its grooves.", (("rounded", "rounded"), ("flat", "flat")), relevant=_FULL)
    head_width: float | None = length_(
        "Its head's diameter, or what it measures across flats.", otherwise="the standard's", follows="head", gt=0, le=1e6,
        relevant=_HEADED,
    )  # fmt: skip
    head_height: float | None = length_(
        "How high its head is.", otherwise="the standard's", follows="head", gt=0, le=1e6,
        relevant='head not in ("none", "countersunk")',
    )  # fmt: skip
    drive_size_: float | None = length_(
        "Its drive across flats, lobes or wings; the width of a slot.", otherwise="the standard's", follows="drive", gt=0, le=1e6,
        relevant=_DRIVEN,
    )  # fmt: skip
    drive_depth: float | None = length_(
        "How deep its drive is.", otherwise="the standard's", follows="drive", gt=0, le=1e6, relevant=_DRIVEN
    )
    point: str = choice(
        "Its end.",
        (
            ("chamfered", "chamfered"),
            ("as_cut", "as it is cut off"),
            ("flat", "a flat point"),
            ("cone", "a cone point"),
            ("dog", "a dog point"),
        ),
    )
    sides: int | None = count(
        "Faces around, an even number.", otherwise="as many as the chord tolerance asks for", ge=LEAST_SIDES, le=10_000
    )


@dataclass(frozen=True, slots=True)
class _Made:
    """All that was chosen for a screw."""

    screw: Screw
    thread: Thread
    head: HeadSize
    drive: DriveSize | None
    notes: tuple[Note, ...]


@operator(
    id="screw",
    kind=Kind.BLANK,
    values=Values,
    sentence="Cut a screw {size}, {length} long, with {head} and {drive}, {detail}",
    quiet="Thread {diameter} by {pitch}, {starts} starts, {hand}; {thread_length} of it, fading over {run_out} into a shank of {shank}. "
    "Tolerance {tolerance}, {allowance} smaller[; root {root}][. Head {head_width} wide][, {head_height} high][; drive {drive_size}, {drive_depth} deep]; "
    "its end {point}; {sides} sides.",
    groups=("head", "drive", "shank", "flanks", "crest", "root", "point"),
    synonyms=(
        "bolt",
        "stud",
        "cap screw",
        "machine screw",
        "set screw",
        "thumb screw",
        "thread",
        "fastener",
        "metric",
        "M10",
    ),
    placing=Placing(hole=("size", for_hole)),
    example=Example(
        (("screw", {"size": "M10", "length": 22, "detail": "full", "sides": 24, "root": "flat"}),), seen_from=(-35, 20)
    ),
)
def screw(values: Values, context: Context) -> Result:
    """A screw after the standards, light or with its thread: one closed body either way.

    Notes
    -----
    Thread form of ISO 68-1; sizes of ISO 261, allowances of ISO 965-1; heads of ISO 4014, 1207, 4762, 10642, 7045, DIN 464.
    """
    from jukai.core.geometry.heads import TooFew, numbers_needed
    from jukai.core.geometry.screws import count_screw, screw_body

    made = _made(values, context)
    context.afford(count_screw(made.screw), field="length")
    try:
        mesh = screw_body(made.screw, context.step, context.checkpoint)
    except TooFew:
        least = numbers_needed(made.screw.head, made.screw.drive)
        raise ValueProblem(
            f"{made.screw.sides} sides are too few for the corners of this head and drive.",
            field="sides", hint=f"{least} would do.",
        ) from None  # fmt: skip
    s, thread = made.screw, made.thread
    used: dict[str, object] = {
        "length": s.length, "diameter": thread.diameter, "pitch": thread.pitch, "thread_length": s.length + s.runs_to,
        "run_out": s.run_out, "shank": 2 * s.shank, "allowance": thread.allowance, "sides": s.sides,
        "head_width": made.head.width, "head_height": made.head.height,
    }  # fmt: skip
    if made.drive is not None:
        used |= {"drive_size": made.drive.width, "drive_depth": made.drive.depth}
    cut = CutThread(thread, s.phase, s.sides, -s.length, s.runs_to, s.full)
    return Result(mesh, made.notes, _callouts(values, made, mesh), used, cut.facts(), Z_AXIS, turned=True)


def _made(values: Values, context: Context) -> _Made:
    from jukai.core.geometry.heads import Row
    from jukai.core.geometry.screws import Screw
    from jukai.core.geometry.threads import basic_form, rounded_form
    from jukai.core.operators.heads import as_deep_as_fits, drive_into, drive_size, head_of, head_size

    thread = thread_of(
        values.size, values.diameter, values.pitch, values.starts, values.hand, values.tolerance, values.allowance, context.blank_size / 2
    )  # fmt: skip
    d, p = thread.diameter, thread.pitch
    n = values.sides or thread_sides(thread)
    n, notes = even_sides(n)
    cut = d - thread.allowance
    form = rounded_form(p, cut) if values.root == "rounded" else basic_form(p, cut)
    inner = float(form.r.min())
    shank = d / 2 if values.shank is None else values.shank / 2
    if shank < inner or shank > d * 5:
        raise ValueProblem(
            f"A shank of {2 * shank:g} mm does not go with a thread whose root is {2 * inner:.4g} mm wide.", field="shank",
            hint=f"{math.ceil(2000 * inner) / 1000:g} mm to {10 * d:g} mm would work.",
        )  # fmt: skip
    size = head_size(values.head, values.size, d, values.head_width, values.head_height)
    if size.words:
        notes.append(Note("info", size.words, field="head"))
    long = 4 * d if values.length is None else values.length
    sunk = values.head == "countersunk"
    begins = shank - size.width / 2 if sunk else 0.0
    point, tip = _point(values, d, inner, p)
    threaded = _thread_length(values, d, p, long)
    _check_lengths(values, long, long + begins - tip, threaded, tip, p)
    bare, chamfer = values.head == "none", cut / 2 - inner + 0.05 * p
    top = -1.2 * chamfer if bare else begins
    runs_to = min(-long + threaded, top)
    out = min(2 * p if values.run_out is None else values.run_out, top - runs_to)
    through = top - runs_to < 0.05 * p
    if through:
        # the thread goes up to where the head begins; under a cone, and at an end, to where that has covered it
        out = 0.0
        runs_to = -0.2 * chamfer if bare else top + (cut / 2 - shank + 0.05 * p if sunk else 0.0)
    else:
        out = max(out, 0.05 * p)
    head = head_of(values.head, size, cut / 2 if bare and through else shank, n, chamfer)
    if through and (bare or sunk):
        first = Row("circle", shank + runs_to - begins, runs_to, "head")
        head = replace(head, rows=head.rows[1:] if bare else (first, *head.rows[1:]))
    below = [(inner, -long), (inner, runs_to), *([] if through else [(shank, runs_to + out), (shank, top)])]
    drive = drive_size(values.drive, values.head, values.size, d, head, values.drive_size_, values.drive_depth)
    if drive is not None and drive.kind == "slot" and bare:
        head = _slotted_end(head, drive, shank, runs_to + out, through)
    if drive is not None and values.drive_depth is None:
        drive = as_deep_as_fits(drive, head, below, d)
    fits = drive_into(drive, head, below, d)
    made = Screw(
        form, values.detail == "full", long, runs_to, out, shank, point, head, fits, thread.starts, n, 0.0, runs_to + out if bare else begins,
        (begins, shank) if sunk and through else None, thread.left,
    )  # fmt: skip
    return _Made(made, thread, size, drive, (_about(values, thread, size, drive), *notes))


def _check_lengths(values: Values, long: float, room: float, threaded: float, tip: float, p: float) -> None:
    """Refuse lengths that leave no room for a thread; ``tip`` is that of the point, ``p`` the pitch."""
    if room < 1.5 * p:
        least = long + 1.5 * p - room
        raise ValueProblem(
            f"A length of {long:g} mm leaves {max(room, 0):.3g} mm for a thread of pitch {p:g} mm.", field="length",
            hint=f"{math.ceil(1000 * least) / 1000:g} mm is the least.",
        )  # fmt: skip
    if threaded < tip + p:
        raise ValueProblem(
            f"A thread length of {threaded:g} mm ends within its point, {tip:.3g} mm long.", field="thread_length",
            hint=f"{math.ceil(1000 * (tip + p)) / 1000:g} mm is the least.",
        )  # fmt: skip
    if threaded > long * (1 + 1e-9) and values.thread_length is not None:
        raise ValueProblem(
            f"A thread of {threaded:g} mm is longer than the screw, {long:g} mm.", field="thread_length",
            hint=f"{long:g} mm is the most.",
        )  # fmt: skip


def _about(values: Values, thread: Thread, size: HeadSize, drive: DriveSize | None) -> Note:
    """Say in a line which thread, head and drive it has."""
    words = f"{thread.name}"
    if thread.allowance:
        words += f", {1000 * thread.allowance:.3g} µm smaller"
    if values.head != "none":
        _, _, standard = HEADS[values.head]
        wide = "across flats" if values.head == "hexagon" else "wide"
        words += f"; head {size.width:.4g} mm {wide}" + (
            f", {size.height:.4g} mm high" if values.head != "countersunk" else ""
        )
        if not size.words and values.head_width is None and values.head_height is None and values.size != OWN:
            words += f" ({standard})"
    if drive is not None:
        words += f"; {DRIVES[drive.kind].split(' ', 1)[1]} of {drive.width:.4g} mm"
    return Note("info", words + ".", field="size")


def _point(values: Values, d: float, inner: float, p: float) -> tuple[Point, float]:
    """Return the end of a screw, and how long it is up to where the thread is whole."""
    from jukai.core.geometry.screws import Point

    row, _ = by_size("screw_points", values.size, d)
    outer = d / 2
    flat = min(row[0] / 2, 0.95 * inner)
    if values.point == "as_cut":
        return Point("as_cut"), 0.0
    if values.point == "chamfered":
        radius = max(inner - 0.05 * p, 0.5 * inner)
        return Point("chamfered", radius), outer - radius
    if values.point == "flat":
        return Point("chamfered", flat), outer - flat
    if values.point == "cone":
        return Point("cone"), outer
    return Point("dog", flat, row[1]), row[1] + outer - flat


def _thread_length(values: Values, d: float, p: float, long: float) -> float:
    """Return the length of the thread: ISO 4014 and ISO 4762 for their heads, those of ISO 1207 and 7045 from memory."""
    if values.thread_length is not None:
        return values.thread_length
    if values.head == "hexagon":
        own = 2 * d + (6 if long <= 125 else 12 if long <= 200 else 25)
    elif values.head in ("socket", "countersunk"):
        own = 2 * d + 12
    elif values.head in ("cheese", "pan"):
        own = 25 if d <= 3 else 38
    else:
        own = long
    return long if own > long - 3 * p else own


def _slotted_end(head: Head, drive: DriveSize, shank: float, thread_end: float, through: bool) -> Head:  # noqa: FBT001
    """Return the upper end of a stud with room for a slot."""
    from jukai.core.geometry.heads import Head, Row, flat_top

    if through or -drive.depth <= thread_end:
        raise ValueProblem(
            "A slot does not go into a threaded end.",
            field="drive",
            hint=f"A socket would, or a thread that ends {drive.depth:g} mm below the end: a shorter thread length.",
        )
    floor, chamfer = -drive.depth, head.rows[0]
    rows = [Row("circle", shank, floor, "shank"), *head.rows] if floor < chamfer.level else list(head.rows)
    return Head(tuple(rows), flat_top(0.0))


def _callouts(values: Values, made: _Made, mesh: Mesh) -> tuple[Callout, ...]:
    s, points = made.screw, mesh.points
    outer, crown = s.outer, s.head.crown
    border = s.head.border

    def near(x: float, y: float, z: float) -> tuple[float, float, float]:
        return three(nearest_point(points, x, y, z))

    half = -(s.length - s.runs_to) / 2
    at = near(0, -outer, half)
    out = [
        Callout(
            "values/diameter",
            CalloutForm.DIAMETER,
            (0, outer, at[2]),
            (0, -outer, at[2]),
            (0, -1, 0),
            2.0,
            grip=at,
            label=made.thread.name,
        ),
        Callout(
            "values/length", CalloutForm.LENGTH, (0, 0, 0), (0, 0, -s.length), (0, 0, -1), grip=near(0, 0, -s.length)
        ),
    ]
    if s.run_out > 0:
        end = near(outer, 0, s.runs_to)
        out.append(
            Callout(
                "values/thread_length",
                CalloutForm.LENGTH,
                (outer, 0, -s.length),
                (outer, 0, s.runs_to),
                (0, 0, 1),
                grip=end,
            )
        )
    if values.head != "none":
        wide = made.head.width / 2
        level = crown / 2 if crown > 0 else 0.0
        out.append(
            Callout(
                "values/head_width",
                CalloutForm.DIAMETER if values.head != "hexagon" else CalloutForm.LENGTH,
                (-wide, 0, level),
                (wide, 0, level),
                (1, 0, 0),
                2.0,
                grip=near(wide, 0, level),
            )
        )
    if values.head not in ("none", "countersunk"):
        edge = near(0, border, crown)
        out.append(
            Callout(
                "values/head_height", CalloutForm.LENGTH, (0, edge[1], 0), (0, edge[1], edge[2]), (0, 0, 1), grip=edge
            )
        )
    if made.drive is not None:
        half = made.drive.width / 2
        if made.drive.kind == "slot":
            mouth, along = near(0.4 * border, half, crown), (0.0, 1.0, 0.0)
            ends = ((mouth[0], -half, mouth[2]), (mouth[0], half, mouth[2]))
        else:
            mouth, along = near(half, 0, crown), (1.0, 0.0, 0.0)
            ends = ((-half, 0, mouth[2]), (half, 0, mouth[2]))
        out.append(Callout("values/drive_size", CalloutForm.LENGTH, *ends, along, 2.0, grip=mouth))
    return tuple(out)
