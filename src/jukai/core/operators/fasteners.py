"""What screws, nuts and washers share: sizes, threads and tolerances from the tables of the standards."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.notes import Note
from jukai.core.operators.base import chord_sides
from jukai.core.operators.tables import table

__all__ = [
    "DRIVES",
    "HEADS",
    "OWN",
    "SIZES",
    "STARTS",
    "USUAL",
    "CutThread",
    "H",
    "Thread",
    "allowances",
    "by_size",
    "diameter_of",
    "even_sides",
    "for_hole",
    "nearest_point",
    "size_choices",
    "standard_size",
    "thread_of",
    "thread_sides",
]

H = math.sqrt(3) / 2
"""Height of the fundamental triangle of the metric thread for a pitch of 1 (ISO 68-1)."""
HEADS = {
    "hexagon": ("a hexagon head", "hexagon_heads", "ISO 4014"),
    "cheese": ("a cheese head", "cheese_heads", "ISO 1207"),
    "socket": ("a cylindrical head", "socket_heads", "ISO 4762"),
    "countersunk": ("a countersunk head", "countersunk_heads", "ISO 10642"),
    "pan": ("a pan head", "pan_heads", "ISO 7045"),
    "knurled": ("a knurled head", "knurled_heads", "DIN 464"),
    "none": ("no head", "", ""),
}
"""Words, table and standard of each head."""
USUAL = {"hexagon": "none", "cheese": "slot", "socket": "hexagon_socket", "countersunk": "hexagon_socket", "pan": "cross_recess",
         "knurled": "none", "none": "hexagon_socket"}  # fmt: skip
"""The drive that goes with each head."""
DRIVES = {
    "usual": "its usual drive",
    "slot": "a slot",
    "cross_recess": "a cross recess",
    "hexagon_socket": "a hexagon socket",
    "hexalobular": "a hexalobular socket",
    "none": "no drive",
}
SIZES = table("metric_threads")
"""Diameter and pitch, mm, by size; the fine ones have the pitch in their name."""
OWN = "own"
"""The size that is none of the standard's."""
STARTS = 12
"""Most starts of a thread."""
_ALLOWED = {float(k): v[0] for k, v in table("thread_allowances").items()}
_COARSE = {d: p for name, (d, p) in SIZES.items() if "x" not in name}
_ROUNDED = 2e-3
"""How much smaller, of itself, a hole may be than a standard has it: made of flat sides it is measured across corners."""
_MOST = 0.8
"""Share of the diameter that the thread's depth may take from both sides."""


@dataclass(frozen=True, slots=True)
class Thread:
    """A thread as it is cut: basic diameter and pitch, and by how much its diameters are off the basic ones, mm."""

    diameter: float
    pitch: float
    starts: int = 1
    left: bool = False
    allowance: float = 0.0

    @property
    def name(self) -> str:
        """How drawings name it: M10 × 1.5 (ISO 6410)."""
        lead = f"P{self.pitch:g}" if self.starts > 1 else f"{self.pitch:g}"
        pitch = f"Ph{self.starts * self.pitch:g}{lead}" if self.starts > 1 else lead
        return f"M{self.diameter:g} × {pitch}" + (" LH" if self.left else "")


@dataclass(frozen=True, slots=True)
class CutThread:
    """The thread of a screw as it stands there: what a nut has to know to go on it.

    Attributes
    ----------
    phase : level of the middle of a crest at +X, mm.
    sides : points around.
    low, high : levels between which it is whole.
    full : whether it is there, or a plain cylinder.
    """

    thread: Thread
    phase: float
    sides: int
    low: float
    high: float
    full: bool

    def facts(self) -> dict[str, float | str]:
        """Return it as a step tells it."""
        t = self.thread
        return {
            "thread": t.name,
            "thread_diameter": t.diameter,
            "thread_pitch": t.pitch,
            "thread_starts": t.starts,
            "thread_hand": "left" if t.left else "right",
            "thread_allowance": t.allowance,
            "thread_phase": self.phase,
            "thread_sides": self.sides,
            "thread_from": self.low,
            "thread_to": self.high,
            "detail": "full" if self.full else "light",
        }

    @classmethod
    def told(cls, facts: Mapping[str, float | str]) -> CutThread | None:
        """Return the thread that the steps of a body tell of; None where they tell of none."""
        if "thread_pitch" not in facts:
            return None
        wide, pitch, allowance, phase, low, high = (
            float(facts[f"thread_{key}"]) for key in ("diameter", "pitch", "allowance", "phase", "from", "to")
        )
        thread = Thread(wide, pitch, int(facts["thread_starts"]), facts["thread_hand"] == "left", allowance)
        return cls(thread, phase, int(facts["thread_sides"]), low, high, facts["detail"] == "full")


def size_choices() -> list[tuple[str, str]]:
    """Return the sizes there are, for a choice; the last is one of its own."""
    return [*((s, s.replace("x", " × ")) for s in SIZES), (OWN, "a size of its own")]


def standard_size(size: str) -> str:
    """Return the name under which other tables know a size: M10 for M10x1.25."""
    return size.split("x", maxsplit=1)[0]


def diameter_of(size: str) -> float:
    """Return the diameter in a size's name, mm."""
    return float(standard_size(size)[1:])


def by_size(name: str, size: str, diameter: float) -> tuple[tuple[float, ...], str]:
    """Return a table's row for a size, and words that say so where it has none.

    Between two rows numbers are in proportion to the diameter; beyond the last they grow with it.
    """
    rows = table(name)
    row = rows.get(standard_size(size))
    if row is not None and size != OWN:
        return row, ""
    known = {diameter_of(k): v for k, v in rows.items()}
    at = np.array(list(known))
    near = float(np.clip(diameter, at[0], at[-1]))
    numbers = tuple(float(np.interp(near, at, col)) * diameter / near for col in zip(*known.values(), strict=True))
    first, last = (f"M{x:g}" for x in (at[0], at[-1]))
    return numbers, f"{first} to {last}"


def allowances(pitch: float) -> Mapping[str, float]:
    """Return by how much the tolerance positions of ISO 965-1 keep a screw below its basic size, mm, by their letter.

    g is the table's, of other pitches its formula (15 + 11 P) µm; f is (30 + 11 P) µm, e (50 + 11 P) µm, from memory.
    """
    g = _ALLOWED.get(round(pitch, 6), (15 + 11 * pitch) / 1000)
    return {"g": g, "f": (30 + 11 * pitch) / 1000, "e": (50 + 11 * pitch) / 1000, "h": 0.0}


def coarse_pitch(diameter: float) -> float:
    """Return the pitch of the coarse series for a diameter, in proportion between sizes."""
    at = np.array(sorted(_COARSE))
    near = float(np.clip(diameter, at[0], at[-1]))
    return float(np.interp(near, at, [_COARSE[d] for d in at])) * diameter / near


def thread_of(
    size: str,
    diameter: float | None,
    pitch: float | None,
    starts: int,
    hand: str,
    position: str,
    allowance: float | None,
    own_diameter: float,
) -> Thread:
    """Return the thread that values ask for.

    Parameters
    ----------
    diameter, pitch : typed over those of the size, mm.
    position : a tolerance position such as ``6g`` or ``6H``, or ``none``.
    allowance : typed over that of the position, mm.
    own_diameter : of a size of its own that says none.

    Raises
    ------
    ValueProblem
        When the thread would be deeper than the body has room for.
    """
    known = SIZES.get(size)
    wide = diameter if diameter is not None else known[0] if known else own_diameter
    step = pitch if pitch is not None else known[1] if known and diameter is None else None
    step = coarse_pitch(wide) if step is None else step
    deep = 17 / 12 * H * step
    if deep > _MOST * wide:
        most = _MOST * wide / (17 / 12 * H)
        raise ValueProblem(
            f"A pitch of {step:g} mm cuts {deep:.4g} mm off a diameter of {wide:g} mm.",
            field="pitch" if pitch is not None else "diameter",
            hint=f"A pitch up to {_down(most):g} mm would work, or a larger diameter.",
        )
    off = allowance
    if off is None:
        letter = "h" if position == "none" else position[-1]
        own = allowances(step)
        off = own["g"] if letter == "G" else own.get(letter, 0.0)
    room = (_MOST * wide - deep) if position[-1] not in "GH" else wide
    if off > min(room, H * step / 2) and off > 0:
        raise ValueProblem(
            f"An allowance of {off:g} mm leaves nothing of a thread of pitch {step:g} mm.",
            field="allowance" if allowance is not None else "tolerance",
            hint=f"Up to {_down(max(0.0, min(room, H * step / 2))):g} mm would work.",
        )
    return Thread(wide, step, starts, hand == "left", off)


def for_hole(diameter: float) -> tuple[str, str] | None:
    """Return the largest size that goes through a hole of a diameter, mm, with words on how it fits (ISO 273)."""
    out = None
    for size, (fine, medium, coarse) in table("clearance_holes").items():
        if fine <= diameter * (1 + _ROUNDED) + 1e-9:
            fits = next(
                (w for w, d in (("coarse", coarse), ("medium", medium)) if diameter * (1 + _ROUNDED) >= d), "fine"
            )
            most = coarse * 1.5
            out = (size, f"{size} goes through, {fits} fit") if diameter <= most else None
    return out


def thread_sides(thread: Thread) -> int:
    """Return the sides of a round thread by itself: more where it rises faster from one to the next."""
    plain = chord_sides(thread.diameter / 2, thread.diameter / 2)
    return plain if thread.starts == 1 else 12 * max(plain // 12, math.ceil(plain * thread.starts / 24))


def even_sides(n: int) -> tuple[int, list[Note]]:
    """Return an even number of sides, and what there is to say where one more is taken."""
    if n % 2 == 0:
        return n, []
    return n + 1, [Note("info", f"Sides go in pairs here: {n + 1} are made.", field="sides")]


def nearest_point(points: Floats, x: float, y: float, z: float) -> Floats:
    """Return the point of a body that is nearest to a place."""
    off = points - [x, y, z]
    return np.asarray(points[int(np.argmin(np.einsum("ij,ij->i", off, off)))])


def _down(x: float) -> float:
    """Return a number to three places, rounded down."""
    if x <= 0:
        return 0.0
    scale = 10.0 ** (np.floor(np.log10(x)) - 2)
    return float(f"{np.floor(x / scale + 1e-9) * scale:.6g}")
