"""Places on a body at a level along an axis."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.mesh import Mesh

__all__ = ["Levels", "lines_at", "rows_between"]


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
    _low: Floats = field(init=False)
    _high: Floats = field(init=False)

    def __post_init__(self) -> None:
        along = (self.mesh.points - self.origin) @ self.direction
        self._place = along if self.places is None else self.places
        ends = self._place[self.edges]
        self._low, self._high = np.minimum(ends[:, 0], ends[:, 1]), np.maximum(ends[:, 0], ends[:, 1])

    def farthest(self, level: float, toward: Floats) -> Floats:
        """Return the (3,) point at a level that lies farthest ``toward``; beyond the body at its nearest end.

        Of a body without edges it is ``origin``.
        """
        if len(self.edges) == 0:
            return np.array(self.origin, dtype=np.float64)
        level = min(max(level, float(self._low.min())), float(self._high.max()))
        eps = 1e-9 * max(self.mesh.size, 1e-300)
        hit = self.edges[(self._low <= level + eps) & (self._high >= level - eps)]
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
    used = places[mesh.corners]
    eps = 1e-9 * max(float(used.max() - used.min()), 1e-300)
    above = places >= min(max(level, float(used.min()) + eps), float(used.max()) - eps)
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


def rows_between(along: Floats, start: float, stop: float) -> int:
    """Return how many levels there are among places along an axis, from ``start`` to ``stop``."""
    span = max(stop - start, 1e-300)
    eps = 1e-9 * span
    inside = along[(along >= start - eps) & (along <= stop + eps)]
    return len(np.unique(np.round(inside / span, 6)))
