"""Heads of screws and the drives in them, stacked from rings of as many points as the thread has sides.

A head is the rows of its profile from where it begins up to the border of its top, and the top itself. A pocket (a
hexagon socket, a hexalobular one, a cross recess) is led from that border to its mouth, down its wall and across its
floor; a slot takes the upper rows apart.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.stacks import Ring, Stack, Top, at_corners, corner_numbers, polygon, slot_across

__all__ = ["Head", "Layout", "Pocket", "Row", "Slot", "TooFew", "corners_of", "cross_recess", "flat_top", "hexagon_socket", "hexalobular_socket",
           "numbers_needed", "put_head", "put_outside", "reach_between"]  # fmt: skip


class TooFew(ValueError):
    """There are too few points around for the corners that must be there."""


class Row(NamedTuple):
    """One ring of a head.

    Attributes
    ----------
    shape : ``circle``; ``prism``, a polygon with the head's corners; ``knurl``, a circle of ridges.
    reach : radius; of a prism half of what it measures across flats; of a knurl that of its valleys.
    level : height, mm.
    group : of the band up to it.
    cone : (radius, slope) of a cone that a prism ends at: it is lower by the slope for each mm beyond the radius.
    """

    shape: str
    reach: float
    level: float
    group: str
    cone: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True)
class Head:
    """A head.

    Attributes
    ----------
    rows : from where it begins up to the border of its top.
    top : height of its top by the distance from the axis.
    corners : angles of its corners, degrees, rising; none of a round one.
    ridge : how far the ridges of its knurl stand out; 0 without. Those have three points for each that came before.
    domed : whether the top is curved.
    """

    rows: tuple[Row, ...]
    top: Top
    corners: tuple[float, ...] = ()
    ridge: float = 0.0
    domed: bool = False

    @property
    def border(self) -> float:
        """Radius of the border of its top."""
        return self.rows[-1].reach

    @property
    def crown(self) -> float:
        """Height of its middle."""
        return float(self.top(np.zeros(1))[0])


def flat_top(level: float) -> Top:
    """Return a flat top."""
    return lambda r: np.full(np.shape(r), level)


def corners_of(count: int, turned: float = 0.0) -> tuple[float, ...]:
    """Return the angles of a polygon's corners, rising; without a turn a flat one of its sides looks to +X."""
    return tuple(sorted((180.0 / count + 360.0 * k / count + turned) % 360.0 for k in range(count)))


def reach_between(rows: Sequence[tuple[float, float]], low: float, high: float) -> float:
    """Return the least radius of a profile of (radius, level) between two levels."""
    out = math.inf
    for (r0, z0), (r1, z1) in pairwise(rows):
        a, b = min(z0, z1), max(z0, z1)
        if b < low or a > high or a == b:
            continue
        for z in (max(a, low), min(b, high)):
            out = min(out, r0 + (r1 - r0) * (z - z0) / (z1 - z0))
    return out


class Layout:
    """Which points of a ring stand at corners and at the walls of a slot."""

    def __init__(self, n: int, corners: Sequence[float] = (), slot: float = 0.0, radius: float = 1.0) -> None:
        """Lay out ``n`` points; a slot is so many mm wide from its middle and met first at about ``radius``."""
        self.n, self.slot, self.half = n, slot, 0
        self._unit: tuple[Floats, Floats] | None = None
        marks = sorted((float(d) % 360.0, False) for d in corners)
        if slot > 0:
            edge = math.degrees(math.asin(min(1.0, slot / radius)))
            self.half = max(1, round(edge * n / 360.0))
            marks = sorted([*marks, *((d, True) for d in (edge, 180 - edge, 180 + edge, 360 - edge))])
        self.marks = marks
        self.places: Floats = np.arange(n) / n * max(1, len(marks))
        if not marks:
            return
        numbers = corner_numbers(n, [d for d, _ in marks])
        if numbers is not None and slot > 0:
            h = self.half
            numbers[[k for k, (_, edge) in enumerate(marks) if edge]] = (h, n // 2 - h, n // 2 + h, n - h)
            if not (np.diff(np.append(numbers, numbers[0] + n)) > 0).all() or n // 2 - 2 * h < 3:
                numbers = None
        if numbers is None:
            raise TooFew
        self.places = at_corners(n, numbers)

    def beside(self) -> Ints:
        """Return the numbers of the points that are not within the slot; those on its walls are among them."""
        n, h = self.n, self.half
        return np.concatenate([np.arange(h, n // 2 - h + 1), np.arange(n // 2 + h, n - h + 1)])

    def degrees(self, radius: float) -> Floats:
        """Return the angles of a circle's points."""
        if not self.marks:
            return np.asarray(np.arange(self.n) * (360.0 / self.n), dtype=np.float64)
        edge = math.degrees(math.asin(min(1.0, self.slot / radius)))
        own = iter((edge, 180 - edge, 180 + edge, 360 - edge))
        marks = [next(own) if is_edge else d for d, is_edge in self.marks]
        k = len(marks)
        # points before the first mark come after the last one
        out: Floats = np.interp(self.places, np.arange(-1, k + 1), [marks[-1] - 360, *marks, marks[0] + 360])
        return out

    def circle(self, radius: float | Floats, level: float) -> Floats:
        """Return the (n, 3) points of a circle, or of one whose radius changes from point to point."""
        across = float(np.min(radius))
        if self._unit is None or self.slot > 0:
            self._unit = sincos(self.degrees(across))
        sine, cosine = self._unit
        out = np.empty((self.n, 3))
        np.multiply(radius, cosine, out=out[:, 0])
        np.multiply(radius, sine, out=out[:, 1])
        out[:, 2] = level
        return out

    def ring(self, row: Row, ridge: float = 0.0) -> Floats:
        """Return the (n, 3) points of a row."""
        if row.shape == "prism":
            around = [(d, e) for d, e in self.marks]
            count = sum(not e for _, e in around)
            out = row.reach / math.cos(math.pi / count)
            sine, cosine = sincos(np.array([d for d, _ in around]))
            corners = np.column_stack([out * cosine, out * sine])
            for k, (_, edge) in enumerate(around):
                if edge:
                    corners[k] = math.copysign(row.reach, corners[k, 0]), math.copysign(self.slot, corners[k, 1])
            points = polygon(corners, self.places, row.level)
            if row.cone:
                flat, slope = row.cone
                points[:, 2] = row.level - np.maximum(0.0, np.hypot(points[:, 0], points[:, 1]) - flat) * slope
            return points
        radius = np.full(self.n, row.reach)
        if row.shape == "knurl":
            radius[1::2] += ridge
            if self.half:
                h, n = self.half, self.n
                radius[[h, n // 2 - h, n // 2 + h, n - h]] = row.reach
        return self.circle(radius, row.level)


class Pocket(NamedTuple):
    """A pocket in the top of a head.

    Attributes
    ----------
    degrees : where the corners of its outline are, rising.
    mouth, floor : its outline at the top and at its floor, by places of :func:`at_corners`: (n, 2).
    depth : from the top's middle down to its floor.
    """

    degrees: tuple[float, ...]
    mouth: Callable[[Floats], Floats]
    floor: Callable[[Floats], Floats]
    depth: float


class Slot(NamedTuple):
    """A slot across the top of a head."""

    width: float
    depth: float


def hexagon_socket(across: float, depth: float) -> Pocket:
    """Return a hexagon socket by its width across flats."""
    degrees = corners_of(6)
    sine, cosine = sincos(np.array(degrees))
    corners = np.column_stack([cosine, sine]) * (across / 2 / math.cos(math.pi / 6))
    line = _polyline(corners)
    return Pocket(degrees, line, line, depth)


def hexalobular_socket(across: float, depth: float, waist: float) -> Pocket:
    """Return a hexalobular socket by its width across the lobes, and across the waists between.

    Arcs of two radii that touch, as in ISO 10664; the lobes' radius is 0.08 of the width (the standard gives gauge limits).
    """
    lobe = 0.08 * across
    a, b, c = across / 2 - lobe, waist / 2, math.cos(math.pi / 6)
    waisted = (lobe**2 - a * a - b * b + 2 * a * b * c) / (2 * (b - a * c - lobe))
    centre = np.array([(b + waisted) * c, (b + waisted) / 2])
    # where the arcs touch, and how far each goes
    way = (centre - [a, 0.0]) / (lobe + waisted)
    first = math.atan2(way[1], way[0])
    second = abs(math.pi / 6 - first)
    total = lobe * first + waisted * second

    def line(places: Floats) -> Floats:
        sector = np.floor(places).astype(int)
        share = places - sector
        odd = sector % 2 == 1
        s = np.where(odd, 1 - share, share) * total
        on_lobe = s <= lobe * first
        t = np.where(on_lobe, s / lobe, (s - lobe * first) / waisted)
        x = np.where(on_lobe, a + lobe * np.cos(t), centre[0] - waisted * np.cos(first - t))
        y = np.where(on_lobe, lobe * np.sin(t), centre[1] - waisted * np.sin(first - t))
        # from a lobe's tip to the waist in one sector, back as its mirror image in the next
        turn = np.radians(60.0) * np.where(odd, (sector + 1) // 2, sector // 2)
        y = np.where(odd, -y, y)
        return np.column_stack([x * np.cos(turn) - y * np.sin(turn), x * np.sin(turn) + y * np.cos(turn)])

    return Pocket(tuple(30.0 * k for k in range(12)), line, line, depth)


def cross_recess(across: float, depth: float, wing: float, taper: float) -> Pocket:
    """Return a cross recess by its width across the wings, their thickness, and how far they draw in on the way down, mm."""

    def corners(reach: float, half: float) -> Floats:
        one = np.array([[reach, -half], [reach, half], [half, half]])
        return np.concatenate([one @ np.array([[c, s], [-s, c]]) for c, s in ((1, 0), (0, 1), (-1, 0), (0, -1))])[
            np.r_[1:12, 0]
        ]

    mouth, floor = corners(across / 2, wing / 2), corners(across / 2 - taper, 0.4 * wing)
    angles = np.degrees(np.arctan2(mouth[:, 1], mouth[:, 0])) % 360.0
    return Pocket(tuple(angles.tolist()), _polyline(mouth), _polyline(floor), depth)


def _polyline(corners: Floats) -> Callable[[Floats], Floats]:
    return lambda places: polygon(corners, places, 0.0)[:, :2]


def put_head(stack: Stack, head: Head, drive: Pocket | Slot | None) -> None:
    """Stack a head on a ring and close its top, round a drive or without one.

    Raises
    ------
    TooFew
        When the ring has too few points for the corners of head or drive.
    """
    if not isinstance(drive, Slot):
        _put_rows(stack, head)
        _over_top(stack, head, drive)
        return
    rows, first = _with_floor(head.rows, head.crown - drive.depth)
    layout, rings = _put_rows(stack, replace(head, rows=tuple(rows)), drive.width / 2, first)
    slot_across(stack, rings, layout.half, head.top, ("drive", rows[-1].group), [r.group for r in rows[first + 1 :]])


def put_outside(stack: Stack, head: Head, upper: Ring) -> None:
    """Stack rows on a ring, and lead them to another one that is there.

    Raises
    ------
    TooFew
        When the ring has too few points for the corners.
    """
    _put_rows(stack, head)
    assert stack.last is not None  # noqa: S101
    lead = stack.third if len(stack.last.ids) > len(upper.ids) else stack.to
    lead(upper, head.rows[-1].group)


def _put_rows(stack: Stack, head: Head, slot: float = 0.0, floor: int = -1) -> tuple[Layout, list[Ring]]:
    """Stack the rows of a head; from the row of a slot's floor on they are not joined, and returned."""
    start = stack.last
    assert start is not None  # noqa: S101 - a stack begins with a ring
    n, rows = len(start.ids), head.rows
    layout = Layout(n, head.corners, 0.0 if head.ridge else slot, head.border)
    rings: list[Ring] = []
    for k, row in enumerate(rows):
        if 0 <= floor < k:
            rings.append(stack.add_some(layout.ring(row, head.ridge), layout.beside()))
            continue
        if row.shape == "knurl" and n == len(start.ids):
            n *= 3
            layout = Layout(n, (), slot, head.border)
            inner = row.reach - 2 * head.ridge
            stack.thrice(layout.circle(inner, rows[k - 1].level), row.group)
        if k or not _stands_at(start, row):
            stack.ring(layout.ring(row, head.ridge), row.group)
        if k == floor:
            assert stack.last is not None  # noqa: S101
            rings.append(stack.last)
    return layout, rings


def _stands_at(ring: Ring, row: Row) -> bool:
    """Return whether a row is where a ring is already."""
    x, y, z = ring.points[0]
    near = 1e-9 * max(row.reach, abs(row.level))
    return abs(np.hypot(x, y) - row.reach) <= near and abs(z - row.level) <= near


def _with_floor(rows: Sequence[Row], floor: float) -> tuple[list[Row], int]:
    """Put a row at the level of a slot's floor among those of a head; return its number, too."""
    out: list[Row] = []
    for k, row in enumerate(rows):
        before = rows[k - 1] if k else row
        if row.level > floor and (not out or out[-1].level < floor) and k:
            share = (floor - before.level) / (row.level - before.level)
            out.append(row._replace(reach=before.reach + share * (row.reach - before.reach), level=floor, cone=None))
            return [*out, *rows[k:]], len(out) - 1
        out.append(row)
        if row.level == floor and rows[min(k + 1, len(rows) - 1)].level > floor:
            return [*out, *rows[k + 1 :]], k
    raise ValueError("the floor of the slot is not on the head")


def _over_top(stack: Stack, head: Head, pocket: Pocket | None) -> None:
    """Go from the border of a top to its middle, or to a pocket and down to its floor."""
    ring = stack.last
    assert ring is not None  # noqa: S101
    n, group, border = len(ring.ids), head.rows[-1].group, ring.points[:, :2]
    if pocket is None:
        for k in range(1, 4 if head.domed else 1):
            flat = border * (1 - k / 4)
            stack.ring(np.column_stack([flat, head.top(np.hypot(*flat.T))]), group)
        stack.close(head.crown, group)
        return
    numbers = corner_numbers(n, pocket.degrees)
    if numbers is None:
        raise TooFew
    places = at_corners(n, numbers)
    mouth, floor = pocket.mouth(places), pocket.floor(places)
    steps = 4 if head.domed else 1
    for k in range(1, steps + 1):
        flat = border + (mouth - border) * (k / steps)
        stack.ring(np.column_stack([flat, head.top(np.hypot(*flat.T))]), group)
    level = head.crown - pocket.depth
    stack.ring(np.column_stack([floor, np.full(n, level)]), "drive")
    stack.close(level, "drive")


def numbers_needed(head: Head, drive: Pocket | Slot | None, most: int = 240) -> int:
    """Return the least even number of points around, from 12 on, that head and drive have room for."""
    for n in range(12, most, 2):
        try:
            around = 3 * n if head.ridge else n
            Layout(around, head.corners, drive.width / 2 if isinstance(drive, Slot) else 0.0, head.border)
        except TooFew:
            continue
        if not isinstance(drive, Pocket) or corner_numbers(around, drive.degrees) is not None:
            return n
    return most
