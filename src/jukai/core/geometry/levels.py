"""Places on a body at a level along an axis."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh

__all__ = ["Levels", "rows_between"]


@dataclass(slots=True)
class Levels:
    """Finds points of a body's edges at levels along an axis.

    Attributes
    ----------
    origin, direction : the axis; ``direction`` has length 1.
    """

    mesh: Mesh
    origin: Floats
    direction: Floats
    _first: Floats = field(init=False)
    _second: Floats = field(init=False)

    def __post_init__(self) -> None:
        edges = self.mesh.connectivity.edges
        place = (self.mesh.points - self.origin) @ self.direction
        self._first, self._second = place[edges[:, 0]], place[edges[:, 1]]

    def farthest(self, level: float, toward: Floats) -> Floats:
        """Return the (3,) point at a level that lies farthest ``toward``; beyond the body at its nearest end.

        Of a body without edges it is ``origin``.
        """
        first, second, edges = self._first, self._second, self.mesh.connectivity.edges
        if len(first) == 0:
            return np.array(self.origin, dtype=np.float64)
        level = min(max(level, float(min(first.min(), second.min()))), float(max(first.max(), second.max())))
        eps = 1e-9 * max(self.mesh.size, 1e-300)
        hit = np.flatnonzero((np.minimum(first, second) <= level + eps) & (np.maximum(first, second) >= level - eps))
        p, q = self.mesh.points[edges[hit, 0]], self.mesh.points[edges[hit, 1]]
        rise = second[hit] - first[hit]
        flat = np.abs(rise) <= eps
        share = np.clip(np.where(flat, 0.0, (level - first[hit]) / np.where(flat, 1.0, rise)), 0.0, 1.0)[:, None]
        found = np.concatenate([p + share * (q - p), q[flat]])
        # of equal ones the first in order of place, so that rounding does not choose
        far = np.round((found - self.origin) @ toward / max(self.mesh.size, 1e-300), 9)
        best = found[far == far.max()]
        return np.array(best[np.lexsort(best.T)[0]])


def rows_between(along: Floats, start: float, stop: float) -> int:
    """Return how many levels there are among places along an axis, from ``start`` to ``stop``."""
    span = max(stop - start, 1e-300)
    eps = 1e-9 * span
    inside = along[(along >= start - eps) & (along <= stop + eps)]
    return len(np.unique(np.round(inside / span, 6)))
