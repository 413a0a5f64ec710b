"""Bodies stacked from rings: heads of screws, nuts and the pockets in them, in four-sided faces throughout.

Each ring has as many points as the one before, so that two of them make a band of quads. Rings may be circles, polygons
or any outline round the axis: what their corners have in common is that they stand at the same numbers of points.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.building import MeshBuilder
from jukai.core.geometry.mesh import Mesh

__all__ = ["Ring", "Stack", "at_corners", "corner_numbers", "polygon", "slot_across"]

Top = Callable[[Floats], Floats]
"""Height of a surface of turning by the distance from its axis."""


@dataclass(frozen=True, slots=True, eq=False)
class Ring:
    """Points in a row: their numbers, and the (n, 3) points."""

    ids: Ints
    points: Floats

    def part(self, first: int, last: int) -> Ring:
        """Return the points from one number to another, upward round the ring, or downward."""
        n = len(self.ids)
        rows = np.arange(first, last + 1) % n if last >= first else np.arange(first, last - 1, -1) % n
        return Ring(self.ids[rows], self.points[rows])

    def reversed(self) -> Ring:
        """Return it from its end to its start."""
        return Ring(self.ids[::-1], self.points[::-1])


def corner_numbers(n: int, degrees: Sequence[float]) -> Ints | None:
    """Return the numbers of ``n`` points, the first at +X, at which corners stand that rise in angle; None where two meet."""
    out = np.rint(np.asarray(degrees) / 360.0 * n).astype(np.int32)
    return out if (np.diff(np.append(out, out[0] + n)) > 0).all() else None


def at_corners(n: int, numbers: Ints) -> Floats:
    """Return (n,) which corner each point stands at, in between in proportion: 1.5 is half way from the second to the third."""
    k = len(numbers)
    return np.interp(np.arange(n), [numbers[-1] - n, *numbers, numbers[0] + n], np.arange(-1, k + 1))


def _inward(points: Floats, level: float) -> Floats:
    """Return a ring half way to the axis at a level."""
    out: Floats = points * 0.5
    out[:, 2] += level / 2
    return out


def polygon(corners: Floats, places: Floats, level: float) -> Floats:
    """Return (n, 3) points along the sides of a polygon with (k, 2) corners, at places of :func:`at_corners`."""
    k = len(corners)
    start = np.floor(places).astype(int)
    share = (places - start)[:, None]
    flat = corners[start % k] * (1 - share) + corners[(start + 1) % k] * share
    return np.column_stack([flat, np.full(len(places), level)])


class Stack:
    """Rings one after another, each joined to the one before; outside is to the right of the way they go.

    ``tall`` is the length of the whole profile, about, for texture coordinates.
    """

    def __init__(self, build: MeshBuilder, tall: float) -> None:
        self.build = build
        self.tall = tall
        self.last: Ring | None = None
        self.along = 0.0

    def build_mesh(self, step: str) -> Mesh:
        """Return the body, its texture from 0 to 1 along what is the longest of its stacks."""
        v = self.build.uv[:, 1]
        v /= max(1.0, float(v.max(initial=0.0)))
        return self.build.build(step)

    def begin(self, ring: Ring) -> None:
        """Go on from points that are there."""
        self.last = ring

    def add(self, points: Floats) -> Ring:
        """Add points and return them as a ring."""
        return Ring(self.build.add_points(points) + np.arange(len(points), dtype=np.int32), points)

    def add_some(self, points: Floats, numbers: Ints) -> Ring:
        """Add only some of a ring's points; the others have no number."""
        ids = np.full(len(points), -1, dtype=np.int32)
        ids[numbers] = self.build.add_points(points[numbers]) + np.arange(len(numbers), dtype=np.int32)
        return Ring(ids, points)

    def ring(self, points: Floats, group: str) -> Ring:
        """Add a ring and the band from the last one to it."""
        return self.to(self.add(points), group)

    def to(self, new: Ring, group: str, keep: Ints | None = None) -> Ring:
        """Put a band from the last ring to one that is there; ``keep`` are the numbers of its faces, all without."""
        old = self.last
        if old is not None:
            self.band(old, new, group, keep)
        self.last = new
        return new

    def band(self, old: Ring, new: Ring, group: str, keep: Ints | None = None) -> None:
        """Put faces between two rings."""
        n = len(old.ids)
        j = np.arange(n) if keep is None else keep
        after = (j + 1) % n
        far = self.along + float(np.linalg.norm(new.points[0] - old.points[0])) / self.tall
        corners, uv = self.build.room(len(j), 4, group)
        for k, (ids, at, v) in enumerate(
            ((old.ids, j, self.along), (old.ids, after, self.along), (new.ids, after, far), (new.ids, j, far))
        ):
            corners[:, k] = ids[at]
            uv[:, k, 0] = (j + (k in (1, 2))) / n
            uv[:, k, 1] = v
        self.along = far

    def thrice(self, points: Floats, group: str) -> Ring:
        """Add a ring of three times as many points: each face in between becomes four four-sided ones."""
        assert self.last is not None  # noqa: S101 - a stack begins with a ring
        old, new = self.last, self.add(points)
        self._between(old, new, group, outward=True)
        self.last = new
        return new

    def third(self, new: Ring, group: str) -> None:
        """Go from the last ring to one that is there of a third of its points."""
        assert self.last is not None  # noqa: S101
        self._between(new, self.last, group, outward=False)
        self.last = new

    def _between(self, few: Ring, many: Ring, group: str, *, outward: bool) -> None:
        n = len(few.ids)
        after = np.roll(np.arange(n), -1)
        fine = many.points.reshape(n, 3, 3)
        # two points of each side of the coarser ring are led half way to the other
        ends = [few.points * (1 - s) + few.points[after] * s for s in (1 / 3, 2 / 3)]
        one, two = (self.add((end + fine[:, k]) / 2).ids for k, end in enumerate(ends, 1))
        f = many.ids.reshape(n, 3)
        rows = (
            (few.ids, few.ids[after], two, one),
            (few.ids, one, f[:, 1], f[:, 0]),
            (one, two, f[:, 2], f[:, 1]),
            (two, few.ids[after], f[after, 0], f[:, 2]),
        )
        for row in rows:
            corners, uv = self.build.room(n, 4, group)
            for k, ids in enumerate(row if outward else row[::-1]):
                corners[:, k] = ids
            uv[:] = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float64)
        self.along += 1 / 8

    def open(self, points: Floats, level: float, group: str) -> Ring:
        """Begin on the axis: with a disc up to a ring that is added."""
        ring = self.add(points)
        self.open_at(ring, level, group)
        return ring

    def open_at(self, ring: Ring, level: float, group: str) -> None:
        """Begin on the axis: with a disc up to a ring that is there."""
        inner = self.add(_inward(ring.points, level))
        self._quads(inner.ids[::-1], level, group)
        self.last = inner
        self.to(ring, group)

    def open_point(self, ring: Ring, level: float, group: str) -> None:
        """Begin in a point on the axis: with triangles up to a ring that is there."""
        self._fan(ring.ids[::-1], level, group)
        self.last = ring

    def close(self, level: float, group: str) -> None:
        """Close the last ring at the axis: by a ring further in and quads that meet there, two sides of it each."""
        assert self.last is not None  # noqa: S101 - a stack begins with a ring
        self._quads(self.ring(_inward(self.last.points, level), group).ids, level, group)

    def _quads(self, ids: Ints, level: float, group: str) -> None:
        middle = self.build.add_points([[0.0, 0.0, level]])
        n = len(ids)
        j = np.arange(0, n, 2)
        corners, uv = self.build.room(len(j), 4, group)
        for k, row in enumerate((ids[j], ids[j + 1], ids[(j + 2) % n], np.full(len(j), middle))):
            corners[:, k] = row
        uv[:] = np.array([[0, 0], [0.5, 0], [1, 0], [0.5, 1]])

    def _fan(self, ids: Ints, level: float, group: str) -> None:
        middle = self.build.add_points([[0.0, 0.0, level]])
        corners, uv = self.build.room(len(ids), 3, group)
        corners[:, 0], corners[:, 1], corners[:, 2] = ids, np.roll(ids, -1), middle
        uv[:] = np.array([[0, 0], [1, 0], [0.5, 1]])

    def patch(
        self, low: Ring, right: Ring, high: Ring, left: Ring, group: str, top: Callable[[Floats], Floats]
    ) -> None:
        """Fill a region between four rows of points in quads; opposite rows have as many points (Coons 1967).

        ``low`` and ``high`` run from left to right, ``left`` and ``right`` from low to high, counter-clockwise seen from
        outside as low, right, high backward, left backward. ``top`` puts the points between where they belong.
        """
        nu, nv = len(low.ids), len(left.ids)
        grid = np.empty((nv, nu), dtype=np.int32)
        grid[0], grid[-1] = low.ids, high.ids
        grid[:, 0], grid[:, -1] = left.ids, right.ids
        if nu > 2 and nv > 2:
            u, v = (np.linspace(0, 1, k)[1:-1] for k in (nu, nv))
            u, v = u[None, :, None], v[:, None, None]
            a, b, c, d = low.points, high.points, left.points, right.points
            inside = (1 - v) * a[None, 1:-1] + v * b[None, 1:-1] + (1 - u) * c[1:-1, None] + u * d[1:-1, None]
            inside -= (1 - u) * (1 - v) * a[0] + u * (1 - v) * a[-1] + (1 - u) * v * b[0] + u * v * b[-1]
            ring = self.add(top(inside.reshape(-1, 3)))
            grid[1:-1, 1:-1] = ring.ids.reshape(nv - 2, nu - 2)
        corners, uv = self.build.room((nu - 1) * (nv - 1), 4, group)
        for k, block in enumerate((grid[:-1, :-1], grid[:-1, 1:], grid[1:, 1:], grid[1:, :-1])):
            corners[:, k] = block.ravel()
        i, j = (x.ravel() for x in np.meshgrid(np.arange(nu - 1), np.arange(nv - 1)))
        for k, (right_, up) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
            uv[:, k, 0], uv[:, k, 1] = (i + right_) / (nu - 1), (j + up) / (nv - 1)


def slot_across(
    stack: Stack, rings: Sequence[Ring], half: int, top: Top, groups: tuple[str, str], wall_group: Sequence[str]
) -> None:
    """Cut a slot along X through the upper end of a stack, and close that end.

    Parameters
    ----------
    rings : the stack's own from the level of the slot's floor up to the border of its top; the bands between are added
        here. Points ``half`` to either side of those at +X and -X stand on the walls of the slot in each of them.
    top : of the surface above the slot's floor.
    groups : of the slot, of the top.
    wall_group : of each band between the rings.
    """
    n = len(rings[0].ids)
    slot, face = groups
    side = n // 2 - 2 * half  # chords of the border on either side of the slot
    rows = max(1, round(side / 8))
    across = side - 2 * rows
    keep = np.concatenate([np.arange(half, n // 2 - half), np.arange(n // 2 + half, n - half)])
    for low, high, group in zip(rings[:-1], rings[1:], wall_group, strict=True):
        stack.band(low, high, group, keep)
    floor_z, edge_z = float(rings[0].points[0, 2]), float(rings[-1].points[half, 2])

    def on_top(p: Floats) -> Floats:
        return np.column_stack([p[:, :2], top(np.hypot(p[:, 0], p[:, 1]))])

    def straight(p: Floats) -> Floats:
        return p

    floors: list[Ring] = []
    for turn in (0, n // 2):
        first, last = turn + half, turn + n // 2 - half
        lines = []
        for k, ring in enumerate(rings):
            a, b = ring.part(first, first), ring.part(last, last)
            s = np.linspace(0, 1, across + 1)[1:-1, None]
            between = a.points * (1 - s) + b.points * s
            share = (float(a.points[0, 2]) - floor_z) / (edge_z - floor_z)
            if k:
                between[:, 2] = floor_z + share * (top(np.hypot(between[:, 0], between[:, 1])) - floor_z)
            own = stack.add(between)
            lines.append(
                Ring(
                    np.concatenate([a.ids, own.ids, b.ids]),
                    np.concatenate([a.points, between, b.points]),
                )
            )
        floors.append(lines[0])
        # the wall looks into the slot; the top beside it is bounded by the wall's upper edge and the border
        for lower, upper in pairwise(lines):
            _strip(stack, lower.reversed(), upper.reversed(), slot)
        border = rings[-1]
        stack.patch(
            lines[-1].reversed(),
            border.part(first, first + rows),
            border.part(first + rows, last - rows).reversed(),
            border.part(last, last - rows),
            face,
            on_top,
        )
    bottom = rings[0]
    stack.patch(
        floors[1],
        bottom.part(n - half, n + half),
        floors[0].reversed(),
        bottom.part(n // 2 + half, n // 2 - half),
        slot,
        straight,
    )


def _strip(stack: Stack, low: Ring, high: Ring, group: str) -> None:
    """Put one row of quads between two rows of points from left to right."""
    m = len(low.ids) - 1
    corners, uv = stack.build.room(m, 4, group)
    for k, (ids, shift) in enumerate(((low.ids, 0), (low.ids, 1), (high.ids, 1), (high.ids, 0))):
        corners[:, k] = ids[shift : shift + m]
        uv[:, k, 0] = (np.arange(m) + shift) / m
        uv[:, k, 1] = k > 1
