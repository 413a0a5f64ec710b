"""What the ready shapes share: ends, rows near square, callouts of round bodies."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.frames import sincos
from jukai.core.operators.base import Callout, CalloutForm, Point
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count

__all__ = [
    "Z_AXIS",
    "arc",
    "end_rings",
    "ends",
    "evenly",
    "near_square",
    "on_ring",
    "over_zero",
    "plainest",
    "round_callouts",
]

MOST_ROWS = 1000
"""Rows that a needle is given by itself; more can be asked for."""
Z_AXIS = (np.zeros(3), np.array([0.0, 0.0, 1.0]))
"""The axis that round shapes turn about, to be drawn."""


def ends() -> str:
    """Declare what closes the ends of a shape."""
    words = (("flat_face", "flat faces"), ("fan", "fans"), ("rings", "rings"), ("open", "left open"))
    out: str = choice("What closes the ends.", words)
    return out


def end_rings() -> int:
    """Declare the rings of an end."""
    out: int = count("Rings of an end.", default=2, ge=1, le=100_000, relevant='ends == "rings"')
    return out


def over_zero(numbers: Sequence[float], what: str, field: str, *, least: float = 0.0) -> None:
    """Refuse sizes along the axes that are not over 0, or counts below their least."""
    for axis, number in zip("XYZ", numbers, strict=False):
        if least and number < least:
            raise ValueProblem(
                f"{what} has {number:g} faces along {axis}.", field=field, hint=f"{least:g} is the least."
            )
        if not least and not number > 0:
            raise ValueProblem(f"{what} is {number:g} mm along {axis}.", field=field, hint="All sizes must be over 0.")


def evenly(length: float, rows: int, start: float = 0.0) -> Floats:
    """Return ``rows`` + 1 places over a length; the last is exact."""
    out = start + length * (np.arange(rows + 1) / rows)
    out[-1] = start + length
    return out


def arc(rows: int, first: float, last: float) -> tuple[Floats, Floats]:
    """Return sine and cosine of ``rows`` + 1 even angles from ``first`` to ``last`` degrees, alike by octants."""
    return sincos(first + (last - first) * np.arange(rows + 1) / rows)


def near_square(length: float, radius: float, sides: int) -> int:
    """Return the rows over a length that make faces about as long as wide, where ``sides`` run round ``radius``."""
    width = 2 * np.pi * radius / sides
    return int(min(MOST_ROWS, max(1, round(length / max(width, length / MOST_ROWS)))))


def on_ring(radius: float, sides: int, level: float, degrees: float = 270.0) -> Point:
    """Return the point of a ring of ``sides`` points, the first at +X, that is nearest to an angle: one of the body's."""
    angle = 360.0 * (round(degrees / 360.0 * sides) % sides) / sides
    sine, cosine = sincos(np.array([angle]))
    return radius * float(cosine[0]), radius * float(sine[0]), level


def round_callouts(radius: float, level: float, sides: int, *, reach: float | None = None) -> tuple[Callout, ...]:
    """Return the callouts of a radius and of the number of sides, at a level where the body has ``reach`` (the radius)."""
    there = radius if reach is None else reach
    spot = on_ring(there, sides, level)
    return (
        Callout(
            "values/radius", CalloutForm.RADIUS, (0, 0, level), (radius, 0, level), (1, 0, 0), grip=(there, 0, level)
        ),
        Callout("values/sides", CalloutForm.COUNT, spot, spot, (1, 0, 0), 24 / (2 * radius)),
    )


def plainest(sizes: Floats, number: float) -> float:
    """Return the first of even places along at which a size is nearest to a number."""
    off = np.round(np.abs(sizes - number) / number, 6)
    return float(np.argmin(off)) / (len(sizes) - 1)
