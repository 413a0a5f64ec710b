"""Places on a body at a level along an axis."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from jukai.core.geometry.arrays import Array, Floats, Ints, frozen
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.mesh import Mesh

__all__ = ["Levels", "lines_at", "misses", "rows_between"]


@dataclass(slots=True)
class Levels:
    """Finds points of a body's edges at levels along an axis.

    Attributes
    ----------
    edges : (e, 2) the points of each edge.
    origin, direction : the axis; ``direction`` has length 1.
    shown : (n, 3) where the points are shown, if not where levels are measured: what is found lies there.
    places : (n,) the level of each point, if it is not how far along the axis it lies.
    """

    mesh: Mesh
    edges: Ints
    origin: Floats
    direction: Floats
    shown: Floats | None = None
    places: Floats | None = None
    _place: Floats = field(init=False)
    _ends: tuple[float, float] = field(init=False)

    def __post_init__(self) -> None:
        along = (self.mesh.points - self.origin) @ self.direction if self.places is None else self.places
        self._place = np.ascontiguousarray(along)
        self._ends = _ends(self._place, self.edges) if len(self.edges) else (0.0, 0.0)

    def farthest(self, level: float, toward: Floats) -> Floats:
        """Return the (3,) point at a level that lies farthest ``toward``; beyond the body at its nearest end.

        Of a body without edges it is ``origin``.
        """
        if len(self.edges) == 0:
            return np.array(self.origin, dtype=np.float64)
        level = min(max(level, self._ends[0]), self._ends[1])
        size = max(self.mesh.size, 1e-300)
        eps = 1e-9 * size
        if len(self.mesh.corners) > FEW:
            from jukai.core.geometry._levels import farthest_loop

            points = self.mesh.points
            shown = points if self.shown is None else _read(self.shown)
            axis = _read(self.origin), _read(toward)
            return np.array(
                farthest_loop(points, shown, _read(self._place), _read(self.edges), level, eps, *axis, size)
            )
        return self._farthest(level, toward, eps)

    def _farthest(self, level: float, toward: Floats, eps: float) -> Floats:
        """The same by array code, for bodies of few edges."""
        ends = self._place[self.edges]
        hit = self.edges[(ends.min(axis=1) <= level + eps) & (ends.max(axis=1) >= level - eps)]
        p, q = self.mesh.points[hit[:, 0]], self.mesh.points[hit[:, 1]]
        first, second = self._place[hit[:, 0]], self._place[hit[:, 1]]
        rise = second - first
        flat = np.abs(rise) <= eps
        share = np.clip(np.where(flat, 0.0, (level - first) / np.where(flat, 1.0, rise)), 0.0, 1.0)[:, None]
        found = np.concatenate([p + share * (q - p), q[flat]])
        where = found
        if self.shown is not None:
            u, v = self.shown[hit[:, 0]], self.shown[hit[:, 1]]
            where = np.concatenate([u + share * (v - u), v[flat]])
        # of equal ones the first in order of place, so that rounding does not choose
        far = np.round((found - self.origin) @ toward / max(self.mesh.size, 1e-300), 9)
        best = np.flatnonzero(far == far.max())
        return np.array(where[best[np.lexsort(found[best].T)[0]]])


def lines_at(mesh: Mesh, places: Floats, level: float, shown: Floats) -> Floats:
    """Return (k, 6) both ends of the lines in which faces meet a level.

    Parameters
    ----------
    places : (n,) the level of each point; ``shown`` (n, 3) is where the points are shown.
    """
    if not mesh.n_faces:
        return np.zeros((0, 6))
    low, high = _ends(places, mesh.connectivity.edges)
    eps = 1e-9 * max(high - low, 1e-300)
    level = min(max(level, low + eps), high - eps)
    if len(mesh.corners) > FEW:
        from jukai.core.geometry._levels import lines_loop

        return np.asarray(lines_loop(mesh.corners, mesh.offsets, _read(places), _read(shown), level))
    above = places >= level
    a, b = mesh.corners, mesh.corners[mesh.connectivity.following]
    crossing = np.flatnonzero(above[a] != above[b])
    face = mesh.corner_faces[crossing]
    p, q = a[crossing], b[crossing]
    rise = places[q] - places[p]
    share = np.clip((level - places[p]) / np.where(rise == 0, 1.0, rise), 0.0, 1.0)[:, None]
    at = shown[p] + share * (shown[q] - shown[p])
    # a face is met an even number of times: first with second, third with fourth
    first = np.flatnonzero(np.concatenate([face[1:] == face[:-1], [False]]))
    begins = np.searchsorted(face, face[first])
    first = first[(first - begins) % 2 == 0]
    return np.concatenate([at[first], at[first + 1]], axis=1)


def _read(table: Array) -> Array:
    """Return a table as kernels read it: one form, so that they are compiled for one."""
    return frozen(np.ascontiguousarray(table))


def _ends(places: Floats, edges: Ints) -> tuple[float, float]:
    """Return the lowest and the highest level that an edge reaches."""
    if len(edges) > FEW:
        from jukai.core.geometry._levels import ends_of

        low, high = ends_of(_read(places), _read(edges))
        return low, high
    ends = places[edges]
    return float(ends.min()), float(ends.max())


def rows_between(along: Floats, start: float, stop: float) -> int:
    """Return how many levels there are among places along an axis, from ``start`` to ``stop``."""
    span = max(stop - start, 1e-300)
    eps = 1e-9 * span
    inside = along[(along >= start - eps) & (along <= stop + eps)]
    return len(np.unique(np.round(inside / span, 6)))


def misses(before: Floats, after: Floats, edges: Ints, carried: Callable[[Floats], Floats]) -> float:
    """Return how far straight edges miss the curves that they stand for at most, by their middles.

    Parameters
    ----------
    before, after : (n, 3) points, and where a map of space has carried them.
    edges : (e, 2) points of edges; ``carried`` returns where the map carries other places.
    """
    if len(edges) > FEW:
        from jukai.core.geometry._levels import middles_loop, most_off

        middles = middles_loop(_read(before), _read(edges))
        return float(most_off(_read(carried(middles)), _read(after), _read(edges)))
    a, b = edges.T
    off = carried((before[a] + before[b]) / 2) - (after[a] + after[b]) / 2
    return float(np.sqrt(np.einsum("ij,ij->i", off, off).max(initial=0.0)))
