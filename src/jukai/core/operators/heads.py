"""Heads and drives of screws by the tables of the standards, and whether a drive fits into a head."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.heads import (
    Head,
    Pocket,
    Row,
    Slot,
    corners_of,
    cross_recess,
    flat_top,
    hexagon_socket,
    hexalobular_socket,
    reach_between,
)
from jukai.core.operators.fasteners import DRIVES, HEADS, USUAL, by_size
from jukai.core.operators.tables import table

__all__ = ["DriveSize", "HeadSize", "as_deep_as_fits", "chamfered_prism", "drive_into", "drive_size", "head_of", "head_size", "ridges"]  # fmt: skip

_CHAMFER = math.tan(math.radians(30.0))
_FLAT = 0.475
"""Radius of the flat on a hexagon inside its chamfer, of the width across flats. Common practice, no source."""
_KNURL = 0.75
"""Height of a knurl's ridges, of half their pitch: about 100 degrees between their faces. Common practice, no source."""
_SHALLOW = 0.05
"""Depth, of the diameter, at which a drive is tried to tell whether it is too wide or only too deep."""
_WALL = 0.03
"""Least wall beside a drive and under it, of the diameter. Common practice, no source."""


@dataclass(frozen=True, slots=True)
class HeadSize:
    """What a head measures, mm; the rest of its numbers as its table has them."""

    width: float
    height: float
    row: tuple[float, ...] = ()
    words: str = ""


@dataclass(frozen=True, slots=True)
class DriveSize:
    """What a drive measures, mm: across flats, lobes or wings, or the width of a slot; and its depth."""

    kind: str
    width: float
    depth: float


def head_size(kind: str, size: str, diameter: float, width: float | None, height: float | None) -> HeadSize:
    """Return the sizes of a head; typed ones go before the standard's."""
    if kind == "none":
        return HeadSize(diameter, 0.0)
    _, name, standard = HEADS[kind]
    row, range_ = by_size(name, size, diameter)
    words = f"{standard} goes from {range_}: this head is in proportion." if range_ else ""
    return HeadSize(row[0] if width is None else width, row[1] if height is None else height, row, words)


def ridges(width: float, n: int) -> float:
    """Return how far the ridges of a knurl stand out, three points of it for each of ``n``."""
    return _KNURL * math.pi * width / (3 * n)


def head_of(kind: str, size: HeadSize, shank: float, n: int, top: float) -> Head:
    """Return a head that begins at Z = 0, a countersunk one below it.

    Parameters
    ----------
    shank : radius below it.
    n : points around below it.
    top : of a screw without a head the width of its chamfer.

    Raises
    ------
    ValueProblem
        When its numbers make no head.
    """
    out, k, row = size.width / 2, size.height, size.row
    if kind == "none":
        border = Row("circle", shank - top, 0.0, "point")
        return Head((Row("circle", shank, -top, "shank"), border), flat_top(0.0))
    if not out > shank * (1 + 1e-9):
        raise ValueProblem(
            f"A head {size.width:g} mm wide is not wider than what it sits on, {2 * shank:g} mm.",
            field="head_width",
            hint=f"More than {2 * shank:g} mm would work.",
        )
    if kind == "hexagon":
        return _hexagon(out, k, shank, row)
    if kind in ("socket", "cheese"):
        # a cheese head draws in by 5 degrees
        return _cylindrical(out, k, min(math.tan(math.radians(5.0)), 0.5 * out / k) if kind == "cheese" else 0.0)
    if kind == "countersunk":
        land = min(0.04 * size.width, (out - shank) / 2)
        at = ((shank, shank - out), (out - land, -land), (out - land, 0.0))
        return Head(tuple(Row("circle", r, z, "head") for r, z in at), flat_top(0.0))
    if kind == "knurled":
        return _knurled(out, shank, size, n)
    return _pan(out, k, row)


def _hexagon(out: float, k: float, shank: float, row: tuple[float, ...]) -> Head:
    """Return a hexagon head on its washer face."""
    seat = max(min(row[2] / row[0] * out, 0.98 * out), (shank + out) / 2)
    face = min(row[3], k / 6)
    rows = [Row("circle", seat, 0.0, "head"), Row("circle", seat, face, "head"), *chamfered_prism(out, face, k, 6)]
    return Head(tuple(rows), flat_top(k), corners_of(6))


def _cylindrical(out: float, k: float, slope: float) -> Head:
    """Return a round head with an edge taken off; it draws in by the slope for each mm of its height."""
    edge = min(0.06 * out, k / 4)
    high = out - (k - edge) * slope
    at = ((out, 0.0), (high, k - edge), (high - edge, k))
    return Head(tuple(Row("circle", r, z, "head") for r, z in at), flat_top(k))


def chamfered_prism(
    out: float,
    low: float,
    high: float,
    corners: int,
    *,
    below: bool = False,
    groups: tuple[str, str] = ("head", "head"),
) -> list[Row]:
    """Return the rows of a prism chamfered at 30 degrees above, and below if asked for, ``out`` half of what it measures across flats.

    ``groups`` are those of its sides and of the chamfers.
    """
    flat, (side, end) = 2 * _FLAT * out, groups
    corner = out / math.cos(math.pi / corners)
    # a flat prism's chamfer may not be higher than a third of it
    slope = min(_CHAMFER, (high - low) / 3 / (corner - flat))
    lower = [Row("prism", out, low, end, None)]
    if below:
        lower = [Row("circle", flat, low, end), Row("prism", out, low, end, (flat, -slope))]
    return [*lower, Row("prism", out, high, side, (flat, slope)), Row("circle", flat, high, end)]


def _knurled(out: float, shank: float, size: HeadSize, n: int) -> Head:
    """Return a knurled head on its collar."""
    k = size.height
    collar = size.row[2] / size.row[0] * 2 * out / 2
    band = min(size.row[3], k) if size.row[1] == k else size.row[3] / size.row[1] * k
    ridge = ridges(2 * out, n)
    valley = out - ridge
    collar = min(max(collar, 1.05 * shank), valley - 3 * ridge)
    if not collar > shank:
        raise ValueProblem(
            f"A knurled head {2 * out:g} mm wide has no room for its collar on {2 * shank:g} mm.",
            field="head_width",
            hint=f"From {2.1 * shank + 8 * ridge:.4g} mm on, or more sides.",
        )
    edge = min(ridge, band / 4)
    rows = [
        Row("circle", collar, 0.0, "head"),
        Row("circle", collar, k - band, "head"),
        Row("knurl", valley, k - band + edge, "head"),
        Row("knurl", valley, k - edge, "head"),
        Row("circle", valley - edge, k, "head"),
    ]
    return Head(tuple(rows), flat_top(k), (), ridge)


def _pan(out: float, k: float, row: tuple[float, ...]) -> Head:
    """Return a pan head: a sphere's cap on a rounded edge. The standard gives its radius; the edge is in proportion."""
    edge = 0.8 * out
    deepest = 0.4 * k
    radius = max(row[2] / row[0] * 2 * out, (edge * edge + deepest * deepest) / (2 * deepest))

    def top(r: Floats) -> Floats:
        return k - (radius - np.sqrt(np.maximum(radius**2 - np.minimum(r, edge) ** 2, 0.0)))

    at = float(top(np.array([edge]))[0])
    slope = edge / math.sqrt(radius**2 - edge**2)
    side = 0.3 * k
    knee = max(at - (out - edge) * slope, side)
    t = np.arange(1, 5) / 4
    # a parabola from the upright side to where the cap begins
    r = (1 - t) ** 2 * out + 2 * t * (1 - t) * out + t**2 * edge
    z = (1 - t) ** 2 * side + 2 * t * (1 - t) * knee + t**2 * at
    rows = [
        Row("circle", 0.95 * out, 0.0, "head"),
        Row("circle", out, 0.08 * k, "head"),
        Row("circle", out, side, "head"),
    ]
    rows += [Row("circle", float(a), float(b), "head") for a, b in zip(r, z, strict=True)]
    return Head(tuple(rows), top, (), 0.0, domed=True)


def drive_size(
    kind: str, head: str, size: str, diameter: float, head_made: Head, width: float | None, depth: float | None
) -> DriveSize | None:
    """Return what a drive measures in a head of a size; typed numbers go before the standards'."""
    kind = USUAL[head] if kind == "usual" else kind
    if kind == "none":
        return None
    bare = head == "none"

    def row(name: str) -> tuple[float, ...]:
        return by_size(name, size, diameter)[0]

    if kind == "slot":
        wide, deep = row("cheese_heads")[2:4]
        own = (wide, 0.25 * diameter if bare else max(deep, _least_slot(head_made) + 0.1 * head_made.crown))
    elif kind == "cross_recess":
        across = row("pan_heads")[4]
        across = min(across, 0.55 * diameter) if bare else across
        own = (across, 0.55 * across)
    elif kind == "hexalobular":
        across = _lobes(row("socket_heads")[4], diameter, 0.62 * diameter if bare else math.inf)
        own = (across, 0.47 * across)
    elif bare:
        own = (row("screw_points")[2], 0.5 * diameter)
    else:
        low = head in ("countersunk", "pan")
        wide, deep = row("countersunk_heads" if low else "socket_heads")[2:4]
        own = (wide, deep)
    return DriveSize(kind, own[0] if width is None else width, own[1] if depth is None else depth)


def _lobes(number: float, diameter: float, room: float) -> float:
    """Return the width of the hexalobular socket of a number, or of the next smaller one for which there is room."""
    known = table("hexalobular_sockets")
    wish = known[f"{number:g}"][0] if f"{number:g}" in known else 0.9 * diameter
    fits = [across for across, _ in known.values() if across <= min(room, wish * (1 + 1e-9))]
    return fits[-1] if fits else 0.58 * diameter


def _least_slot(head: Head) -> float:
    """Return how deep a slot must be to leave the head at its sides, not through its top or the chamfer there."""
    last = head.rows[max(-2, -len(head.rows))]
    if head.domed:
        return head.crown - head.rows[-1].level
    if last.cone:
        corner = last.reach / math.cos(math.pi / len(head.corners))
        return (corner - last.cone[0]) * last.cone[1]
    return 0.0


def drive_into(
    drive: DriveSize | None, head: Head, below: Sequence[tuple[float, float]], diameter: float
) -> Pocket | Slot | None:
    """Return a drive, if the head has room for it.

    ``below`` is the profile of what the head sits on, (radius, level) from below upward.

    Raises
    ------
    ValueProblem
        When it does not fit; the hint says the largest that does.
    """
    if drive is None:
        return None
    if drive.kind == "slot":
        return _slot(drive, head, diameter)
    room = _Room(drive.kind, head, below, diameter)
    if not room.fits(drive.width, drive.depth):
        words = DRIVES[drive.kind].split(" ", 1)[1]
        if room.fits(drive.width, _SHALLOW * diameter):
            raise ValueProblem(
                f"The {words} is too deep here with {drive.depth:g} mm.",
                field="drive_depth", hint=f"{_below(room.deepest(drive)):g} mm is the deepest that fits.",
            )  # fmt: skip
        widest = room.widest(drive)
        less = "" if widest > 0 else ", and less deep"
        widest = widest or room.widest(DriveSize(drive.kind, drive.width, _SHALLOW * diameter))
        raise ValueProblem(
            f"The {words} of {drive.width:g} mm does not fit into this head.",
            field="drive_size", hint=f"{_below(widest):g} mm is the largest that fits{less}.",
        )  # fmt: skip
    if drive.kind == "hexagon_socket":
        return hexagon_socket(drive.width, drive.depth)
    if drive.kind == "hexalobular":
        waists = {row[0]: row[1] for row in table("hexalobular_sockets").values()}
        return hexalobular_socket(drive.width, drive.depth, waists.get(drive.width, 0.72 * drive.width))
    taper = min(0.5 * drive.depth, 0.5 * drive.width - 0.2 * drive.width)
    return cross_recess(drive.width, drive.depth, 0.3 * drive.width, taper)


def as_deep_as_fits(drive: DriveSize, head: Head, below: Sequence[tuple[float, float]], diameter: float) -> DriveSize:
    """Return a drive as deep as the standard has it, or less where the head it is put into is lower."""
    if drive.kind == "slot":
        least, most = _slot_depths(head, diameter)
        if not least < most < math.inf:
            return drive
        return replace(drive, depth=min(max(drive.depth, least + 0.1 * (most - least)), most))
    room = _Room(drive.kind, head, below, diameter)
    if room.fits(drive.width, drive.depth) or not room.fits(drive.width, _SHALLOW * diameter):
        return drive
    return replace(drive, depth=_below(room.deepest(drive)))


class _Room:
    """What room a head has for a pocket."""

    def __init__(self, kind: str, head: Head, below: Sequence[tuple[float, float]], diameter: float) -> None:
        self.kind, self.head = kind, head
        self.wall = _WALL * diameter
        self.profile = [*below, *((r.reach, r.level) for r in head.rows)]
        self.bottom = self.profile[0][1] + 2 * self.wall

    def fits(self, width: float, depth: float) -> bool:
        """Return whether walls and floor are left."""
        low = self.head.crown - depth - self.wall
        reach = min(self.head.border, reach_between(self.profile, low, self.head.crown)) - self.wall
        return low > self.bottom and _corner(self.kind, width) <= reach

    def widest(self, drive: DriveSize) -> float:
        """Return the greatest width that fits at this depth."""
        return _most(lambda x: self.fits(x, drive.depth), drive.width)

    def deepest(self, drive: DriveSize) -> float:
        """Return the greatest depth that fits at this width."""
        return _most(lambda x: self.fits(drive.width, x), drive.depth)


def _most(fits: Callable[[float], bool], high: float) -> float:
    low = 0.0
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low


def _corner(kind: str, width: float) -> float:
    """Return how far a drive reaches from the axis."""
    if kind == "hexagon_socket":
        return width / 2 / math.cos(math.pi / 6)
    return math.hypot(width / 2, 0.15 * width) if kind == "cross_recess" else width / 2


def _below(x: float) -> float:
    """Return a number to two places, rounded down; smaller ones to three figures."""
    return math.floor(x * 100 - 1e-6) / 100 if x >= 1 else float(f"{max(x, 0) * 0.999:.3g}")


def _slot_depths(head: Head, diameter: float) -> tuple[float, float]:
    """Return between which depths a slot fits: it leaves the head at its sides, and stays in it."""
    if head.rows[-1].group == "point":  # without a head the slot goes into the shank as deep as that is
        return 0.0, math.inf
    # of a knurled head it stays in the knurl
    low = next((r.level for r in head.rows if r.shape == "knurl"), head.rows[0].level)
    return _least_slot(head), head.crown - low - _WALL * diameter


def _slot(drive: DriveSize, head: Head, diameter: float) -> Slot:
    least, most = _slot_depths(head, diameter)
    low = head.crown - drive.depth
    if drive.depth <= least or drive.depth > most:
        words = f"more than {least:.3g} mm and up to {_below(most):g} mm" if least > 0 else f"up to {_below(most):g} mm"
        raise ValueProblem(
            f"A slot {drive.depth:g} mm deep does not fit this head.",
            field="drive_depth",
            hint=f"A depth of {words} would work.",
        )
    narrow = min([head.border, *(r.reach for r in head.rows if r.level >= low)])
    widest = 0.9 * narrow
    if head.corners:
        widest = min(widest, 1.8 * narrow * math.tan(math.pi / len(head.corners)))
    if drive.width > widest:
        raise ValueProblem(
            f"A slot of {drive.width:g} mm does not fit into this head.", field="drive_size",
            hint=f"{_below(widest):g} mm is the widest that fits.",
        )  # fmt: skip
    return Slot(drive.width, drive.depth)
