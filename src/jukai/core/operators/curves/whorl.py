"""A closed section wound round an axis while it grows: shells, scrolls, rams' horns."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.triangulation import with_short_diagonals
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
from jukai.core.operators.inputs import AxisSpec, CurveInput
from jukai.core.operators.kinds.axis import axis
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.curve import curve
from jukai.core.operators.kinds.factor import factor
from jukai.core.operators.kinds.length import length
from jukai.core.operators.sections import closed_section

if TYPE_CHECKING:
    from jukai.core.geometry.whorls import Whorl

__all__ = ["Values", "whorl"]

_LARGEST = 1e6
"""Growth over all turns beyond which the small end is lost beside the large one."""
_MOST_SHOWN = 400


class Values(OperatorValues):
    """A section wound round an axis."""

    profile: CurveInput = curve("The section: (distance from the axis, height along it).", closed=True)
    axis: AxisSpec = axis("What it is wound round.", default=AxisSpec("z"))
    turns: float = factor("How often it goes round.", default=3.0, ge=0.01, le=1000)
    rise_per_turn: float = length(
        "How far the first turn rises; each further one by the growth more.", default=0.0, ge=-1e6, le=1e6
    )
    growth_per_turn: float = factor("How many times as large it is after a turn.", default=2.0, ge=0.01, le=100)
    sides_per_turn: int | None = count(
        "Rows of faces to a turn.", otherwise="as many as the chord tolerance asks for", ge=3, le=100_000
    )
    hand: str = choice("Which way it goes up.", (("right", "right-handed"), ("left", "left-handed")))
    ends: str = choice(
        "How its ends are made.",
        (("flat", "flat faces"), ("to_a_point", "run to a point at the small one"), ("open", "open")),
    )


@operator(
    id="whorl",
    kind=Kind.BLANK,
    values=Values,
    sentence="Wind {profile} about {axis} {turns} times, rising by {rise_per_turn} and growing {growth_per_turn} times a turn",
    quiet="{sides_per_turn} rows to a turn, {hand}; its ends are {ends}.",
    groups=("walls", "start_cap", "end_cap"),
    synonyms=("shell", "nautilus", "spiral", "scroll", "snail", "volute", "horn"),
    example=Example(
        (
            (
                "whorl",
                {"profile": "c1", "turns": 2.5, "growth_per_turn": 1.9, "rise_per_turn": -3, "sides_per_turn": 20},
            ),
        ),
        profile=tuple({"at": [4 + 1.6 * x, 1.6 * y], "join": "smooth"} for x, y in ((1, 0), (0, 1), (-1, 0), (0, -1))),
        closed=True,
    ),
)
def whorl(values: Values, context: Context) -> Result:
    """A section that goes round an axis, each turn a similar one of the turn before.

    Notes
    -----
    D. M. Raup, Geometric analysis of shell coiling, J. Paleontology 40 (1966): distances from the axis and sizes grow by the
    same ratio with each turn; so neighbouring turns clear each other everywhere or nowhere.
    """
    from jukai.core.geometry.tubes import Rings, skin
    from jukai.core.geometry.whorls import Whorl

    section, middle = closed_section(values.profile, "profile")
    section, middle = _beside_the_axis(values.profile, section, middle)
    if abs(values.turns * math.log(values.growth_per_turn)) > math.log(_LARGEST):
        most = math.log(_LARGEST) / abs(math.log(values.growth_per_turn))
        raise ValueProblem(
            f"Over {values.turns:g} turns it would grow or shrink more than {_LARGEST:,.0f} times.", field="turns",
            hint=f"Up to {most:.3g} turns are possible with this growth.",
        )  # fmt: skip
    grown = max(1.0, values.growth_per_turn**values.turns)
    reach = float(section[:, 0].max())
    per_turn = values.sides_per_turn or chord_sides(reach * min(grown, values.growth_per_turn), 2 * reach)
    rows = max(1, round(per_turn * values.turns))
    context.afford(rows * len(section) + 2, field="sides_per_turn")
    of = Whorl(values.turns, values.rise_per_turn, values.growth_per_turn)
    turn = values.turns * np.arange(rows + 1) / rows
    sine, cosine = sincos(360.0 * turn * (-1 if values.hand == "left" else 1))
    places = of.places(section, turn, cosine, sine)
    small = 0 if values.growth_per_turn >= 1 else -1
    tips: tuple[Floats | None, Floats | None] = (None, None)
    if values.ends == "to_a_point":
        places, tip = _pointed(of, middle, turn, np.stack([cosine, sine], axis=1), places, small)
        tips = (tip, None) if small == 0 else (None, tip)
    context.checkpoint(0.4)
    step = np.hypot(*(np.roll(section, -1, axis=0) - section).T)
    u = np.concatenate([[0.0], np.cumsum(step)]) / step.sum()
    u[-1] = 1.0
    v = turn / values.turns
    cap = 0.5 + (section - middle) / (2 * float(np.abs(section - middle).max()))
    inner = places[int(tips[0] is not None) : len(places) - int(tips[1] is not None)]
    if values.hand == "right":  # seen along its way the section runs clockwise then
        inner, u, cap = np.roll(inner[:, ::-1], 1, axis=1), 1 - u[::-1], np.roll(cap[::-1], 1, axis=0)
    caps = (None, None) if values.ends == "open" else (cap, cap)
    mesh = with_short_diagonals(skin(Rings(inner, u, v, tips), caps, context.step))
    frame = values.axis.frame()
    mesh = mesh if frame.plain else mesh.with_points(frame.to_bench(mesh.points))
    along = np.linspace(0, rows, min(rows + 1, _MOST_SHOWN)).astype(int)
    path = of.places(middle[None], turn[along], cosine[along], sine[along])[:, 0]
    shown = np.column_stack([v[along], frame.to_bench(path)])
    used = {"sides_per_turn": per_turn}
    facts = {"grown": values.growth_per_turn**values.turns, "risen": float(of.lift(np.array([values.turns]))[0])}
    return Result(mesh, tuple(_notes(values, of, section, per_turn, mesh.n_faces)), _callouts(values, of, section, frame.to_bench), used, facts,
                  axis=(frame.origin, frame.direction), run=shown)  # fmt: skip


def _beside_the_axis(profile: CurveInput, section: Floats, middle: Floats) -> tuple[Floats, Floats]:
    """Return a section that lies wholly on one side of the axis, the right one."""
    size = float(np.ptp(section, axis=0).max())
    if section[:, 0].max() < -1e-9 * size:
        section, middle = (section * [-1.0, 1.0])[::-1], middle * [-1.0, 1.0]
    low = int(np.argmin(section[:, 0]))
    if section[low, 0] <= 1e-9 * size:
        x, y = section[low]
        raise ValueProblem(
            f"The profile '{profile.name}' reaches the axis at ({x:.4g}, {y:.4g}): wound round it, it would run through itself.",
            field="profile", hint="Move it away from the axis.", places=[(float(x), 0.0, float(y))],
        )  # fmt: skip
    return section, middle


def _pointed(of: Whorl, middle: Floats, turn: Floats, way: Floats, places: Floats, small: int) -> tuple[Floats, Floats]:
    """Let the section shrink to a point about its middle over the turn at the small end; return the rings and the point."""
    from_tip = turn if small == 0 else turn[-1] - turn
    shrunk = np.clip(from_tip / min(1.0, of.turns), 0.0, 1.0)
    centres = of.places(middle[None], turn, way[:, 0], way[:, 1])
    out = centres + (places - centres) * shrunk[:, None, None]
    return out, out[small, 0]


def _notes(values: Values, of: Whorl, section: Floats, per_turn: int, faces: int) -> list[Note]:
    from jukai.core.geometry.whorls import clearing_rise

    many = f"{faces:,}".replace(",", "\u2009")
    notes = [Note("info", f"{many} faces; in all it grows {of.growth**of.turns:.4g} times.", field="turns")]
    need = clearing_rise(section, of)
    if need:  # faces between rows are bent: their diagonals may stand out by so much
        edge = float(np.hypot(*(np.roll(section, -1, axis=0) - section).T).max())
        need += math.copysign(edge * (2 * math.pi / per_turn) ** 2 / 8 * (1 + of.growth), need)
    if abs(values.rise_per_turn) < abs(need) * (1 - 1e-9):
        value = math.copysign(math.ceil(abs(need) * 1e4) / 1e4, need)
        text = f"Turns run into each other: a rise of {value:.5g} mm a turn clears."
        notes.append(
            Note(
                "warning", text, field="rise_per_turn", solve=("rise_per_turn", value, "the smallest rise that clears")
            )
        )
    return notes


def _callouts(values: Values, of: Whorl, section: Floats, to_bench: object) -> tuple[Callout, ...]:
    assert callable(to_bench)  # noqa: S101 - a frame's
    hand = -1 if values.hand == "left" else 1
    edge = section[int(np.argmax(section[:, 0]))][None]
    one = min(1.0, values.turns)

    def at(turn: float) -> tuple[float, float, float]:
        sine, cosine = sincos(np.array([360.0 * turn * hand]))
        return three(to_bench(of.places(edge, np.array([turn]), cosine, sine)[0])[0])

    up = three(to_bench(np.array([[0.0, 0.0, 1.0]]))[0] - to_bench(np.zeros((1, 3)))[0])
    out = [
        Callout("values/turns", CalloutForm.FACTOR, at(values.turns), at(values.turns), (1, 0, 0), 2 / float(edge[0, 0] * max(1, of.growth**of.turns))),
        Callout("values/growth_per_turn", CalloutForm.FACTOR, at(one), at(one), (1, 0, 0), 1 / float(edge[0, 0])),
    ]  # fmt: skip
    if values.rise_per_turn:
        low = np.asarray(at(0.0))
        high = low + np.asarray(up) * values.rise_per_turn
        out.append(Callout("values/rise_per_turn", CalloutForm.LENGTH, three(low), three(high), up, grip=at(one)))
    return tuple(out)
