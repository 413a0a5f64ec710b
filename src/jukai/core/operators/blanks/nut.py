"""Nuts."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import placed
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Placing,
    Point,
    Result,
    operator,
    three,
)
from jukai.core.operators.fasteners import (
    OWN,
    STARTS,
    CutThread,
    H,
    Thread,
    by_size,
    even_sides,
    for_hole,
    nearest_point,
    size_choices,
    thread_of,
    thread_sides,
)
from jukai.core.operators.inputs import Body
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.part import part
from jukai.core.operators.shapes import Z_AXIS

if TYPE_CHECKING:
    from jukai.core.geometry.heads import Head
    from jukai.core.geometry.screws import Nut

__all__ = ["Values", "nut"]

_ALONE = "screw == None"
_ON_SCREW = "screw != None"
_MOUTH = 0.54
"""Radius of a countersink, of the diameter: da of ISO 4032 lies between d and about 1.08 d (from memory)."""
_COARSE = 0.25
"""How far a nut's facets may stand in at its countersinks, of the lead between two of its sides; measured at 36 to 72 sides."""
_HEXAGON, _BASE = 0.45, 0.855
"""Of a domed nut: its hexagon's height, of the whole; radius of its dome, of half its width. In proportion to DIN 1587."""
STYLES = {
    "hexagon": ("a hexagon nut", "ISO 4032"),
    "thin": ("a thin hexagon nut", "ISO 4035"),
    "square": ("a square nut", "DIN 557"),
    "knurled": ("a knurled nut", "DIN 467"),
    "domed": ("a domed nut", "DIN 1587"),
}


class Values(OperatorValues):
    """A nut, standing on Z = 0; or on the axis of a screw."""

    style: str = choice("What it looks like.", [(k, words) for k, (words, _) in STYLES.items()])
    screw: Body | None = part(
        "The screw that it is on: it takes its thread from there.",
        placed="seen",
        otherwise="no screw",
        made_by=("screw", "copy_of"),
    )
    size: str = choice("Its thread's size.", size_choices(), default="M10", relevant=_ALONE)
    distance: float | None = length(
        "From the seat of the screw's head to the nut's face.", otherwise="two pitches from the screw's end", ge=0, le=1e6,
        relevant=_ON_SCREW,
    )  # fmt: skip
    detail: str = choice(
        "Light, with a plain bore of the thread's outer diameter; or full, with the thread itself.",
        (("light", "light"), ("full", "full")),
    )
    width: float | None = length(
        "Across its flats; of a knurled one its diameter.", otherwise="the standard's", follows="style", gt=0, le=1e6
    )
    height: float | None = length("How high it is.", otherwise="the standard's", follows="style", gt=0, le=1e6)
    diameter: float | None = length(
        "Outer diameter of the thread.", otherwise="the size's own", follows="size", gt=0, le=1e6, relevant=_ALONE
    )
    pitch: float | None = length(
        "From one ridge to the next.", otherwise="the size's own", follows="size", gt=0, le=1e6, relevant=_ALONE
    )
    starts: int = count("Ridges that wind side by side.", default=1, ge=1, le=STARTS, relevant=_ALONE)
    hand: str = choice("Which way it winds.", (("right", "right-hand"), ("left", "left-hand")), relevant=_ALONE)
    tolerance: str = choice(
        "How much larger than its basic size it is cut, after ISO 965-1.",
        (("6H", "6H"), ("6G", "6G"), ("none", "none")),
    )
    allowance: float | None = length(
        "By how much its thread's diameters are larger.",
        otherwise="that of the tolerance",
        follows="tolerance",
        ge=0,
        le=1e5,
    )
    sides: int | None = count(
        "Faces around, an even number.",
        otherwise="as many as the chord tolerance asks for",
        ge=12,
        le=10_000,
        relevant=_ALONE,
    )


@dataclass(frozen=True, slots=True)
class _Seat:
    """The screw that a nut is on: its name and thread, and the (4, 4) matrix from its space to the nut's part."""

    name: str
    cut: CutThread
    matrix: Floats


@operator(
    id="nut",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set {style}[ {size}] on {screw}[, {distance} from the seat of its head], {detail}",
    quiet="{width} wide, {height} high[; thread {diameter} by {pitch}][, {starts} starts][, {hand}]; tolerance {tolerance}, {allowance} larger[; {sides} sides].",
    groups=("walls", "ends", "mouth", "flanks", "crest", "root", "bore", "dome"),
    synonyms=("hex nut", "wing", "cap nut", "jam nut", "thumb nut", "threaded hole", "fastener", "metric", "M10"),
    placing=Placing(hole=("size", for_hole)),
    example=Example((("nut", {"size": "M10", "detail": "full", "sides": 36}),), seen_from=(-30, 38)),
)
def nut(values: Values, context: Context) -> Result:
    """A nut after the standards, light or with its thread; on a screw its thread meshes with that of the screw.

    Notes
    -----
    Thread form of ISO 68-1, basic sizes of ISO 724; ISO 4032, 4035, DIN 557, 467 and 1587 for the rest.
    """
    from jukai.core.geometry.heads import TooFew, numbers_needed
    from jukai.core.geometry.screws import count_nut, nut_body

    seat = _seat(values)
    thread, size, n = _thread(values, seat, context)
    n, notes = even_sides(n)
    made, width, height, words = _made(values, thread, size, n)
    if words:
        notes.append(Note("info", words, field="style"))
    distance = 0.0
    if seat is not None:
        distance = _distance(values, seat, height, made.domed)
        # it comes from the screw's end, its lower face first, so that it stands on its head there
        made = _turned(made, -(distance + seat.cut.phase))
        notes += _on_screw(values, seat, thread, distance, height, made.domed)
    context.afford(count_nut(made), field="height")
    try:
        mesh = nut_body(made, context.step, context.checkpoint)
    except TooFew:
        raise ValueProblem(
            f"{n} sides are too few for its corners.",
            field="sides",
            hint=f"{numbers_needed(made.outside, None)} would do.",
        ) from None
    used: dict[str, object] = {
        "width": width, "height": height, "diameter": thread.diameter, "pitch": thread.pitch, "allowance": thread.allowance, "sides": n,
    }  # fmt: skip
    facts: dict[str, float | str] = {"thread": thread.name, "detail": values.detail}
    first = Note("info", f"{thread.name}" + (f", {1000 * thread.allowance:.3g} µm larger" if thread.allowance else "")
                 + f"; {width:.4g} mm wide, {height:.4g} mm high.", field="style")  # fmt: skip
    if seat is None:
        return Result(mesh, (first, *notes), _callouts(values, mesh, width, height), used, facts, Z_AXIS, turned=True)
    over = seat.matrix @ np.array([[1.0, 0, 0, 0], [0, -1, 0, 0], [0, 0, -1, -distance], [0, 0, 0, 1]])
    out, direction = placed(mesh, over), over[:3, 2]
    stretch = float(np.linalg.norm(direction))
    along = Callout(
        "values/distance",
        CalloutForm.LENGTH,
        three(seat.matrix[:3, 3]),
        three(over[:3, 3]),
        three(direction / stretch),
        1 / stretch,
        grip=three(nearest_point(out.points, *three((over @ [made.mouth, 0, 0, 1])[:3]))),
    )
    callouts = (along, *(_moved(c, over) for c in _callouts(values, mesh, width, height)))
    axis = over[:3, 3].copy(), direction / stretch
    return Result(out, (first, *notes), callouts, used | {"distance": distance}, facts, axis, turned=True)


def _thread(values: Values, seat: _Seat | None, context: Context) -> tuple[Thread, str, int]:
    """Return a nut's thread, the size by which its standard is looked up, and its sides: its own, or those of a screw."""
    if seat is None:
        thread = thread_of(
            values.size, values.diameter, values.pitch, values.starts, values.hand, values.tolerance, values.allowance,
            context.blank_size / 2,
        )  # fmt: skip
        return thread, values.size, values.sides or thread_sides(thread)
    of = seat.cut.thread
    hand = "left" if of.left else "right"
    thread = thread_of(OWN, of.diameter, of.pitch, of.starts, hand, values.tolerance, values.allowance, 0.0)
    return thread, f"M{thread.diameter:g}", seat.cut.sides


def _seat(values: Values) -> _Seat | None:
    body = values.screw
    if body is None:
        return None
    cut = CutThread.told(body.facts)
    if cut is None or body.frame is None:
        raise ValueProblem(f"'{body.name}' is no screw.", field="screw", hint="Choose a part that begins with a screw.")
    return _Seat(body.name, cut, body.frame)


def _distance(values: Values, seat: _Seat, height: float, bore: float | None) -> float:
    """Return where the nut is: as it says, or two pitches from the screw's end, but no nearer than its thread goes."""
    if values.distance is not None:
        return values.distance
    end = -seat.cut.low
    own = end - height - 2 * seat.cut.thread.pitch if bore is None else end - bore + 0.5 * seat.cut.thread.pitch
    fine = 10.0 ** (math.floor(math.log10(seat.cut.thread.diameter)) - 2)
    own = float(f"{math.ceil(own / fine - 1e-6) * fine:.12g}")
    return max(-seat.cut.high, own, 0.0)


def _on_screw(
    values: Values, seat: _Seat, thread: Thread, distance: float, height: float, bore: float | None
) -> list[Note]:
    """Say how much room there is between the threads, and where they do not meet."""
    name, off = seat.name, (thread.allowance + seat.cut.thread.allowance) / 2
    notes = []
    if seat.cut.full != (values.detail == "full"):
        light, own = (f"'{name}'", "this nut") if not seat.cut.full else ("This nut", f"'{name}'")
        words = f"{light} is light, {own} is full: make both the same to see them mesh."
        notes.append(Note("warning" if not seat.cut.full else "info", words, field="detail"))
    elif not seat.cut.full:
        notes.append(
            Note("info", f"Clearance {1000 * off:.3g} µm around the screw, each being light.", field="allowance")
        )
    else:
        notes.append(_clearance(thread, off))
    if seat.cut.full and values.detail == "full" and off > 0:
        need = 2 * math.ceil(_COARSE * thread.pitch * thread.starts / off / 2)
        if need > seat.cut.sides:
            words = (
                f"The screw's sides are too few to keep them apart at the countersinks: {need} of '{name}' would do."
            )
            notes.append(Note("warning", words, field="screw"))
    if off <= 0 and values.allowance is None:
        more = round(0.02 * thread.pitch, 4)
        notes.append(Note("warning", f"It touches the thread of '{name}' everywhere: neither has an allowance.", field="allowance",
                          solve=("allowance", more, "a fiftieth of the pitch")))  # fmt: skip
    least, most = -seat.cut.high, -seat.cut.low
    if distance < least - 1e-9 * most:
        notes.append(Note("warning", f"The thread ends {least:.4g} mm from the head's seat: nearer than that the nut does not go.", field="distance",
                          solve=("distance", math.ceil(least * 1e4) / 1e4, "where the thread ends")))  # fmt: skip
    if bore is not None and distance + bore < most:
        notes.append(Note("warning", f"The end of '{name}' runs {most - distance - bore:.3g} mm into the closed end.", field="distance",
                          solve=("distance", math.ceil((most - bore) * 1e4) / 1e4, "where it clears")))  # fmt: skip
    elif bore is None and distance + height > most * (1 + 1e-9):
        beyond = min(distance + height - most, height)
        words = (
            "It is off the screw's end." if beyond >= height else f"{beyond:.3g} mm of it reach beyond the screw's end."
        )
        notes.append(Note("warning" if beyond > height / 2 else "info", words, field="distance"))
    return notes


def _clearance(thread: Thread, off: float) -> Note:
    """Return what the least gap between two threads is whose radii differ by ``off``: at the flanks, along their normal."""
    slope = 1 / math.sqrt(3)
    radius = thread.diameter / 2 - 5 / 8 * H * thread.pitch
    lead = thread.pitch * thread.starts / (2 * math.pi * radius)
    flank = off * slope / math.sqrt(1 + slope**2 + lead**2)
    return Note(
        "info", f"Clearance {1000 * flank:.3g} µm at the flanks, {1000 * off:.3g} µm at the crests.", field="allowance"
    )


def _made(values: Values, thread: Thread, size: str, n: int) -> tuple[Nut, float, float, str]:
    """Return a nut by its values, with its width and height, and words where its standard has no such size."""
    from jukai.core.geometry.screws import Nut
    from jukai.core.geometry.threads import basic_form
    from jukai.core.operators.heads import ridges

    d, p = thread.diameter, thread.pitch
    style = values.style
    hexagon, beyond = by_size("hexagon_nuts", size, d)
    width, height = hexagon[0], hexagon[1]
    if style == "thin":
        height = hexagon[2]
    elif style in ("square", "domed"):
        (height,), beyond = by_size(f"{style}_nuts", size, d)
    elif style == "knurled":
        row, beyond = by_size("knurled_heads", size, d)
        width, height = row[0], row[3]
    width = width if values.width is None else values.width
    height = height if values.height is None else values.height
    words = (
        f"{STYLES[style][1]} goes from {beyond}: this nut is in proportion." if beyond and values.height is None else ""
    )
    form = basic_form(p, d + thread.allowance, "root", "crest")
    major = float(form.r.max())
    mouth = max(_MOUTH * d, 1.02 * major)
    out = width / 2
    room = {"knurled": out - 4 * ridges(width, n), "domed": _BASE * out / 1.08}.get(style, 0.95 * out)
    if room < 1.02 * mouth:
        least = width * 1.03 * mouth / room if room > 0 else 3 * d
        raise ValueProblem(
            f"{width:g} mm leave no wall round a thread of {d:g} mm.", field="width",
            hint=f"{math.ceil(100 * least) / 100:g} mm would work.",
        )  # fmt: skip
    least, through, bore = 1.5 * p + 2 * (mouth - major), height, None
    if style == "domed":  # the bore ends where the dome leaves a wall around it, and over it
        hexagonal, base = _HEXAGON * height, _BASE * out
        bore = min(height - 0.4 * d, hexagonal + (height - hexagonal) * math.sqrt(1 - (1.12 * major / base) ** 2))
        through = bore - 0.1 * d
    if through < least:
        need = height + (least - through) * (2.5 if bore else 1.0)
        raise ValueProblem(
            f"{height:g} mm are too low for a thread of pitch {p:g} mm.",
            field="height",
            hint=f"{math.ceil(100 * need) / 100:g} mm would work.",
        )
    outside = _outside(style, out, height, n)
    return (
        Nut(form, values.detail == "full", mouth, outside, through, bore, thread.starts, n, 0.0, thread.left),
        width,
        height,
        words,
    )


def _outside(style: str, out: float, height: float, n: int) -> Head:
    """Return the outside of a nut from its lower face up."""
    from jukai.core.geometry.heads import Head, Row, corners_of, flat_top
    from jukai.core.operators.heads import chamfered_prism, ridges

    if style == "knurled":
        ridge = ridges(2 * out, n)
        valley, edge = out - ridge, min(ridge, height / 4)
        rows = [
            Row("circle", valley - 3 * ridge, 0.0, "ends"),
            Row("knurl", valley, edge, "walls"),
            Row("knurl", valley, height - edge, "walls"),
            Row("circle", valley - edge, height, "ends"),
        ]
        return Head(tuple(rows), flat_top(height), (), ridge)
    if style == "domed":
        return _dome(out, height)
    square = style == "square"  # its lower face is not chamfered
    count_ = 4 if square else 6
    rows = chamfered_prism(out, 0.0, height, count_, below=not square, groups=("walls", "ends"))
    return Head(tuple(rows), flat_top(height), corners_of(count_))


def _dome(out: float, height: float) -> Head:
    """Return the outside of a domed nut: a hexagon of 0.45 of the height, an ellipsoid's cap on it."""
    from jukai.core.geometry.heads import Head, Row, corners_of
    from jukai.core.operators.heads import chamfered_prism

    hexagon, base = _HEXAGON * height, _BASE * out
    rise = height - hexagon

    def top(r: Floats) -> Floats:
        return hexagon + rise * np.sqrt(np.maximum(1 - (np.minimum(r, base) / base) ** 2, 0.0))

    rows = chamfered_prism(out, 0.0, hexagon, 6, below=True, groups=("walls", "ends"))
    rows.append(Row("circle", base, hexagon, "walls"))
    for degrees in (15, 30, 45, 60):
        r = base * math.cos(math.radians(degrees))
        rows.append(Row("circle", r, float(top(np.array([r]))[0]), "dome"))
    return Head(tuple(rows), top, corners_of(6), domed=True)


def _turned(made: Nut, phase: float) -> Nut:
    """Return a nut with its thread at another phase, its outside turned as far as that takes it."""
    from jukai.core.geometry.heads import corners_of

    head = made.outside
    degrees = -360.0 * phase / (made.form.pitch * made.starts)
    corners = corners_of(len(head.corners), degrees if not made.left else -degrees) if head.corners else ()
    return replace(made, phase=phase, outside=replace(head, corners=corners))


def _callouts(values: Values, mesh: Mesh, width: float, height: float) -> tuple[Callout, ...]:
    points, half = mesh.points, width / 2
    level = height / 2 if values.style != "domed" else 0.225 * height
    grip = nearest_point(points, half, 0.0, level)
    edge = nearest_point(points, 0.0, half, height)
    low: Point = (float(edge[0]), float(edge[1]), 0.0)
    return (
        Callout("values/width", CalloutForm.LENGTH if values.style != "knurled" else CalloutForm.DIAMETER,
                (-half, 0, level), (half, 0, level), (1, 0, 0), 2.0, grip=three(grip)),
        Callout("values/height", CalloutForm.LENGTH, low, (low[0], low[1], height), (0, 0, 1), grip=three(edge)),
    )  # fmt: skip


def _moved(callout: Callout, matrix: Floats) -> Callout:
    """Return a callout where a body was put by a matrix."""

    def place(p: Point) -> Point:
        return three((matrix @ [*p, 1.0])[:3])

    along = matrix[:3, :3] @ np.array(callout.along)
    stretch = float(np.linalg.norm(along))
    return callout._replace(at=place(callout.at), to=place(callout.to), along=three(along / stretch), gain=callout.gain / stretch,
                            grip=None if callout.grip is None else place(callout.grip))  # fmt: skip
