"""A wire wound round an axis: springs, spirals, horns."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import cut_alike, with_short_diagonals
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
    chord_sides,
    operator,
    points_of,
    three,
)
from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.factor import factor
from jukai.core.operators.kinds.graph import graph
from jukai.core.operators.kinds.length import length
from jukai.core.operators.sections import drawn_section, reach_of, square_section
from jukai.core.operators.shapes import Z_AXIS, plainest

if TYPE_CHECKING:  # loaded when a wire is wound: a small command stays light
    from jukai.core.geometry.coils import Along, Clearing, Coil, Path
    from jukai.core.geometry.tubes import Run

__all__ = ["Values", "helix"]

_CLEARS = 1.002
"""By how much more than touching the turns of closed ends are wound, so that they touch nowhere."""
_SLACK = 1e-4
"""Share of the wire by which turns may come nearer than they should: what is allowed for chords is known no better."""
_LOOKED_AT = 40_000
"""Faces up to which a wire that varies is searched for crossings where it comes near itself."""
_MOST_SHOWN = 400
"""Places along that the page is told of."""
_COARSE = 45.0
"""Degrees by which a row may turn before it is said that there are too few."""
_FINEST = 4
"""How many times as many rows as the widest turn needs are taken by themselves for narrower ones."""


class Values(OperatorValues):
    """A wire wound round Z, from Z = 0 up; words and measures as of springs (ISO 26909)."""

    turns: float = factor("How often it goes round.", default=5.0, ge=0.01, le=10_000)
    pitch: float | None = length(
        "The rise of one turn, from wire to wire; 0 for a flat spiral.",
        otherwise="half as much again as the wire is thick", instead_of="height", ge=-1e6, le=1e6,
    )  # fmt: skip
    height: float | None = length(
        "The rise of all turns together, between the middles of the wire.", instead_of="pitch", ge=-1e6, le=1e6
    )
    coil_diameter: float | None = length(
        "The mean diameter: between the middles of the wire.", otherwise="a fifth of the bench's floor", gt=0, le=1e6
    )
    wire_diameter: float | None = length(
        "How thick the wire is; of another section its widest extent.", otherwise="an eighth of the coil", gt=0, le=1e6
    )
    section: str = choice("Of the wire.", (("round", "round"), ("square", "square"), ("profile", "drawn")))
    profile: CurveInput | None = curve(
        "A closed profile for the section.", closed=True, optional=True, relevant='section == "profile"'
    )
    sides: int | None = count(
        "Faces round the wire.", otherwise="as many as the chord tolerance asks for", ge=3, le=100_000,
        relevant='section != "profile"',
    )  # fmt: skip
    rows_per_turn: int | None = count(
        "Rows of faces for each turn; they are even by length.", otherwise="as many as the chord tolerance asks for",
        ge=3, le=100_000,
    )  # fmt: skip
    hand: str = choice("Which way it goes up.", (("right", "right-handed"), ("left", "left-handed")))
    ends: str = choice(
        "How the wire ends.",
        (("open", "cut square"), ("closed", "wound close against the next turn"), ("to_a_point", "run out to points")),
    )
    coil_diameter_graph: Graph | None = graph(
        "What the coil diameter is multiplied by along the turns.", otherwise="the same all along"
    )
    wire_diameter_graph: Graph | None = graph(
        "What the wire diameter is multiplied by along the turns.", otherwise="the same all along"
    )
    pitch_graph: Graph | None = graph(
        "What the pitch is multiplied by along the turns.", otherwise="the same all along"
    )
    off_the_axis: Graph | None = graph(
        "How far the coil's middle stands off the axis along X.", measured="length", otherwise="nowhere"
    )

    @model_validator(mode="after")
    def _one(self) -> Values:
        if self.pitch is not None and self.height is not None:
            raise ValueError("pitch and height say the same thing: give one of them")
        return self


@dataclass(frozen=True, slots=True)
class _Sizes:
    """The numbers of a coil, what was left out filled in."""

    coil: float
    wire: float
    pitch: float
    height: float


@operator(
    id="helix",
    kind=Kind.BLANK,
    values=Values,
    sentence="Wind {turns} turns, {pitch|height}, coil diameter {coil_diameter}, wire diameter {wire_diameter}",
    quiet="The wire is {section}[, {profile}][, in {sides} sides], {rows_per_turn} rows to a turn; {hand}, ends {ends}. "
    "Coil diameter {coil_diameter_graph}; wire diameter {wire_diameter_graph}; pitch {pitch_graph}; off the axis {off_the_axis}.",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("spring", "coil", "spiral", "wire", "horn", "corkscrew", "scroll"),
    placing=Placing(radius=("coil_diameter", 2), up=("height", 1)),
    example=Example(
        (
            (
                "helix",
                {"turns": 4, "pitch": 8, "coil_diameter": 24, "wire_diameter": 4, "sides": 12, "rows_per_turn": 24},
            ),
        )
    ),
)
def helix(values: Values, context: Context) -> Result:
    """A wire of any section wound round an axis, its diameter, thickness, pitch and place varying along it.

    Notes
    -----
    Sections are square to the path, so the volume is the section's area times the path's length (Pappus and Guldinus).
    """
    from jukai.core.geometry.coils import even_run, path_of
    from jukai.core.geometry.tubes import count_tube, lowest, pointed, tube

    coil_size = context.blank_size if values.coil_diameter is None else values.coil_diameter
    wire_size = coil_size / 8 if values.wire_diameter is None else values.wire_diameter
    section, support = _section(values, coil_size, wire_size)
    coil, sizes = _coil(values, coil_size, wire_size)
    thickness = _thickness(values, wire_size)
    _refuse_thin(values)
    path = path_of(coil)
    context.checkpoint(0.1)
    if not path.long > 0:
        raise ValueProblem("The wire has no length.", field="turns", hint="Give it a pitch, or a coil diameter.")
    per_turn = values.rows_per_turn or _rows(path, coil_size, wire_size)
    rows = max(2, round(per_turn * values.turns))
    context.afford(count_tube(rows, len(section)), field="rows_per_turn")
    try:
        run = even_run(path, rows, thickness, turns_with_it=support is not None)
    except ValueError as e:
        raise ValueProblem(
            f"The wire stands still at {100 * e.args[0]:.3g} % of its turns.", field="coil_diameter_graph",
            hint="Give it a pitch or a coil diameter there.",
        ) from None  # fmt: skip
    run = pointed(run, 1e-9 * wire_size)
    context.checkpoint(0.4)
    low = lowest(run, section)
    run = replace(run, centres=run.centres - [0.0, 0.0, low])
    mesh = tube(run, section, context.step)
    # a round wire's faces are flat but for its bend; those of others are bent along their diagonals
    mesh = cut_alike(mesh) if support is None else with_short_diagonals(mesh)
    context.checkpoint(0.8)
    notes = _notes(values, path, run, sizes, thickness, support, per_turn, mesh, float(np.hypot(*section.T).max()))
    used: dict[str, object] = {"coil_diameter": coil_size, "wire_diameter": wire_size, "rows_per_turn": per_turn}
    if values.pitch is None and values.height is None:
        used["pitch"] = sizes.pitch
    if values.section != "profile":
        used["sides"] = len(section)
    facts = {"pitch": sizes.pitch, "height": sizes.height, "wire_length": path.long}
    s = np.linspace(0.0, 1.0, int(min(_MOST_SHOWN, 16 * max(values.turns, 4))) + 1)
    shown = np.column_stack([s, path.points(s) - [0.0, 0.0, low]])
    return Result(mesh, tuple(notes), _callouts(values, path, sizes, mesh, run, low), used, facts, Z_AXIS, run=shown)


def _coil(values: Values, coil_size: float, wire_size: float) -> tuple[Coil, _Sizes]:
    """Return the coil and its numbers; of pitch and height the one that was left out follows."""
    from jukai.core.geometry.coils import Coil, wound

    wide = values.coil_diameter_graph or Graph.level(1.0)
    rises = values.pitch_graph or Graph.level(1.0)
    aside = values.off_the_axis or Graph.level(0.0)
    _refuse_below(wide, "coil_diameter_graph", "The coil diameter")
    turns, close = values.turns, values.ends == "closed"
    if close and turns < 3:
        raise ValueProblem(
            f"{turns:g} turns leave nothing between two closed ends.",
            field="turns",
            hint="3 is the least, or ends that are cut square.",
        )
    thick = _thickness(values, wire_size)

    rows = values.rows_per_turn or chord_sides((coil_size + wire_size) / 2, coil_size + wire_size)
    bow = coil_size * (math.pi / rows) ** 2 / 4  # what chords of two turns may be nearer to each other than their arcs

    def against(s: Floats) -> Floats:
        # the rise at which the wire of one turn just clears that of the next
        return (thick(s) * 2 * _CLEARS + bow) / np.sqrt(
            np.maximum(1 - (thick(s) / (math.pi * coil_size * np.maximum(wide(s), 1e-9) / 2)) ** 2, 1e-3)
        )

    def closed(s: Floats) -> Floats:
        # how much of the closed winding there is: all of it over the first and last turn, none half a turn further on
        edge = np.minimum(s, 1 - s) * turns
        return np.clip(3 - 2 * edge, 0.0, 1.0)

    def free(s: Floats) -> Floats:
        return rises(s) * (1 - closed(s)) if close else rises(s)

    def fixed(s: Floats) -> Floats:
        return against(s) * closed(s) if close else np.zeros_like(s)

    graphs = (values.coil_diameter_graph, values.wire_diameter_graph, values.pitch_graph, values.off_the_axis)
    even = values.ends == "open" and all(g is None for g in graphs)
    whole, own = (float(wound(of, turns, even=even)[1][-1]) for of in (free, fixed))
    pitch = 1.5 * wire_size if values.pitch is None else values.pitch
    if values.height is not None:
        if abs(whole) <= 1e-12 * turns:
            raise ValueProblem(
                "The pitch is 0 all along, so that there is no height.",
                field="pitch_graph",
                hint="Raise a point of the graph.",
            )
        pitch = (values.height - own) / whole
    coil = Coil(
        turns,
        values.hand == "left",
        lambda s: coil_size / 2 * wide(s),
        lambda s: pitch * free(s) + fixed(s),
        aside,
        even,
    )
    return coil, _Sizes(coil_size, wire_size, pitch, pitch * whole + own)


def _thickness(values: Values, wire_size: float) -> Along:
    """Return half the thickness of the wire at each place along."""
    thick = values.wire_diameter_graph or Graph.level(1.0)
    _refuse_below(thick, "wire_diameter_graph", "The wire diameter")
    out = min(1.0, values.turns / 2) / values.turns / 2

    def of(s: Floats) -> Floats:
        half = wire_size / 2 * thick(s)
        if values.ends == "to_a_point":
            edge = np.minimum(s, 1 - s) / out
            half = half * np.clip(edge, 0.0, 1.0)
        return half

    return of


def _refuse_below(g: Graph, field: str, what: str) -> None:
    places = np.linspace(0, 1, 1001)
    found = g(places)
    if found.min() < 0:
        at = float(places[np.argmin(found)])
        raise ValueProblem(
            f"{what} falls below 0 at {100 * at:.3g} % of the turns.", field=field, hint="Raise the graph there."
        )


def _section(values: Values, coil_size: float, wire_size: float) -> tuple[Floats, Along | None]:
    """Return a section (n, 2) of half width 1, and how far it reaches by direction (None for a round one)."""
    if values.section == "round":
        sides = values.sides or chord_sides(wire_size / 2, max(coil_size, wire_size))
        sine, cosine = sincos(360.0 * np.arange(sides) / sides)
        return np.column_stack([cosine, sine]), None
    section = (
        square_section(values.sides or 4) if values.section == "square" else drawn_section(values.profile, "profile")
    )
    return section, lambda angle: reach_of(section, angle)


def _rows(path: Path, coil_size: float, wire_size: float) -> int:
    """Return rows to a turn that follow the widest turn by the chord tolerance, and narrower ones as far as is fair."""
    base = chord_sides(coil_size / 2 + wire_size / 2, coil_size + wire_size)
    coil = path.coil
    if coil.even:
        return base
    s = np.linspace(0.0, 1.0, 65)
    turned = np.gradient(s, np.interp(s, path.s, path.length) / path.long)
    return int(min(_FINEST, max(1.0, float(np.percentile(turned, 90)))) * base)


def _refuse_thin(values: Values) -> None:
    if values.wire_diameter_graph is None:
        return
    places = np.union1d(np.arange(1, 1000) / 1000, values.wire_diameter_graph.at)
    places = places[(places > 0) & (places < 1)]
    thin = places[values.wire_diameter_graph(places) <= 1e-9]
    if len(thin):
        raise ValueProblem(
            f"The wire diameter runs to 0 at {100 * float(thin[0]):.3g} % of the turns.", field="wire_diameter_graph",
            hint="Only its ends may run to 0, where the wire ends in a point.",
        )  # fmt: skip


def _notes(
    values: Values,
    path: Path,
    run: Run,
    sizes: _Sizes,
    thickness: Along,
    support: Along | None,
    per_turn: int,
    mesh: Mesh,
    widest: float,
) -> list[Note]:
    from jukai.core.geometry.coils import bends, chords_beyond, clearing

    given = "height" if values.height is not None else "pitch"
    other = f"height {sizes.height:.4g} mm" if given == "pitch" else f"pitch {sizes.pitch:.4g} mm"
    many = f"{mesh.n_faces:,}".replace(",", "\u2009")
    notes = [Note("info", f"{many} faces; {other}, {path.long:.4g} mm of wire.", field=given)]
    if path.coil.even:  # each row is as the first
        run = replace(run, centres=run.centres[:2], across=run.across[:2], up=run.up[:2], scale=run.scale[:2])
    radius, turned = bends(run)

    def held(path: Path) -> Clearing | None:
        more = chords_beyond(path, run, turned, round_wire=support is None)
        return clearing(path, lambda s: thickness(s) + more, support)

    found = held(path)
    if found is not None and found.gap < -_SLACK * sizes.wire:
        down = [0.0, 0.0, float(path.points(np.zeros(1))[0, 2] - run.centres[0, 2])]
        at = three(path.points(np.array([found.place]))[0] - down)
        notes.append(_overlap(values, at, sizes, held, found, given))
    thick = widest * np.maximum(run.scale[:-1], run.scale[1:])
    k = int(np.argmax(thick / np.maximum(radius, 1e-300)))
    if thick[k] >= radius[k]:
        share = 100 * float(run.along[k] / run.along[-1])
        text = f"The wire is thicker than it bends at {share:.3g} % of its length: {2 * float(radius[k]) / widest:.4g} mm is the thickest there."
        notes.append(Note("warning", text, (three(run.centres[k]),), field="wire_diameter"))
    elif math.degrees(float(turned.max())) > _COARSE:
        most = math.degrees(float(turned.max()))
        text = f"Rows turn by up to {most:.3g}° where it is wound narrowest: {math.ceil(per_turn * most / 15)} to a turn would be smooth."
        notes.append(Note("info", text, field="rows_per_turn"))
    near = found is not None and found.gap < 0.1 * sizes.wire + float(run.along[1]) / 16
    if (
        not path.coil.even
        and mesh.n_faces <= _LOOKED_AT
        and (near or float(turned.max()) > math.pi / 6)
        and all(n.level != "warning" for n in notes)
    ):
        places = self_crossings(mesh).places
        if len(places):
            text = "The wire runs into itself: let the graphs change more slowly, take more rows, or a thinner wire."
            notes.append(Note("warning", text, points_of(places[:50]), field="wire_diameter"))
    return notes


def _overlap(
    values: Values, at: Point, sizes: _Sizes, held: Callable[[Path], Clearing | None], found: Clearing, given: str
) -> Note:
    """Say that turns run through each other, and what pitch or height clears."""
    from jukai.core.geometry.coils import path_of

    text = f"Turns run into each other by {-found.gap:.3g} mm at {100 * found.place:.3g} % of the turns"
    more, pitch = found.more, sizes.pitch
    if more is None or abs(pitch) <= 1e-12 * sizes.coil:
        return Note(
            "warning",
            f"{text}: no pitch is there to part them. Let the coil grow faster, or take a thinner wire.",
            (at,),
            field=given,
        )
    for _ in range(6):  # where a part of the rise is not the pitch's, as of closed ends, more of it is asked for
        pitch *= more * (1 + 1e-6)
        coil, _ = _coil(values.model_copy(update={"pitch": pitch, "height": None}), sizes.coil, sizes.wire)
        again = held(path_of(coil))
        if again is None or again.gap >= 0 or again.more is None:
            break
        more = max(again.more, 1 + 1e-4)
    value = (
        pitch
        if given == "pitch"
        else _coil(values.model_copy(update={"pitch": pitch, "height": None}), sizes.coil, sizes.wire)[1].height
    )
    value = math.copysign(math.ceil(abs(value) * 1e4) / 1e4, value)
    return Note(
        "warning",
        f"{text}; a {given} of {value:.5g} mm clears.",
        (at,),
        field=given,
        solve=(given, value, f"the {given} that clears"),
    )


def _callouts(values: Values, path: Path, sizes: _Sizes, mesh: Mesh, run: Run, low: float) -> tuple[Callout, ...]:
    """Return the callouts; grips stand on points of the body that are there for them."""
    first_row, last_row = int(run.scale[0] == 0), len(run.along) - 1 - int(run.scale[-1] == 0)
    sides = (mesh.n_points - first_row - (len(run.along) - 1 - last_row)) // (last_row - first_row + 1)

    def ring(place: float) -> Floats:
        """Return the points of the section nearest to a place."""
        along = float(np.interp(place, path.s, path.length))
        row = int(np.clip(np.argmin(np.abs(run.along - along)), first_row, last_row)) - first_row
        return mesh.points[row * sides : (row + 1) * sides]

    first, last = run.centres[0], run.centres[-1]
    one = min(1.0, 1 / values.turns)
    high = ring(one)
    high = high[np.argmax(high[:, 2])]
    places = np.linspace(0.0, 1.0, 101)
    # where the graphs leave the numbers as they are, or nearly
    wire = ring(plainest(_thickness(values, sizes.wire)(places) * 2, sizes.wire))
    top = wire[np.argmax(wire[:, 2])]
    at = plainest(path.coil.radius(places) * 2, sizes.coil)
    section = ring(at)
    held = first if at == 0 and run.scale[0] > 0 else section[np.argmax(section[:, 2])]
    middle = np.array([float(path.coil.aside(np.array([at]))[0]), 0.0, float(held[2])])
    turn = float(path.coil.turn(np.array([at]))[0])
    way = np.array([math.cos(turn), math.sin(turn), 0.0])
    half = way * float(path.coil.radius(np.array([at]))[0])
    out = [
        Callout("values/coil_diameter", CalloutForm.DIAMETER, three(middle - half), three(middle + half), three(way), 2.0, grip=three(held)),
        Callout("values/wire_diameter", CalloutForm.DIAMETER, three(top - [0, 0, sizes.wire]), three(top), (0, 0, 1), 2.0),
        Callout("values/turns", CalloutForm.FACTOR, three(last), three(last), (1, 0, 0), 4 / sizes.coil),
    ]  # fmt: skip
    if values.height is not None:
        end = (float(first[0]), float(first[1]), float(last[2]))
        out.append(Callout("values/height", CalloutForm.LENGTH, three(first), end, (0, 0, 1), grip=three(last)))
    else:
        level = float(np.interp(one, path.s, path.height)) - low
        end = (float(first[0]), float(first[1]), level)
        out.append(Callout("values/pitch", CalloutForm.LENGTH, three(first), end, (0, 0, 1), grip=three(high)))
    return tuple(out)
