"""Places on a body at a level along an axis."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh

__all__ = ["farthest_at_level", "rows_between"]


def farthest_at_level(mesh: Mesh, origin: Floats, direction: Floats, level: float, toward: Floats) -> Floats:
    """Return a point of the body's edges at a level, the one that lies farthest ``toward``.

    Parameters
    ----------
    origin, direction : the axis; ``direction`` has length 1.
    level : mm along the axis from ``origin``; beyond the body its nearest end is taken.
    toward : (3,) direction.

    Returns
    -------
    (3,) point. Of a body without edges ``origin``.
    """
    edges = mesh.connectivity.edges
    if len(edges) == 0:
        return np.array(origin, dtype=np.float64)
    place = (mesh.points - origin) @ direction
    first, second = place[edges[:, 0]], place[edges[:, 1]]
    low, high = np.minimum(first, second), np.maximum(first, second)
    level = min(max(level, float(low.min())), float(high.max()))
    eps = 1e-9 * max(mesh.size, 1e-300)
    hit = np.flatnonzero((low <= level + eps) & (high >= level - eps))
    p, q = mesh.points[edges[hit, 0]], mesh.points[edges[hit, 1]]
    rise = second[hit] - first[hit]
    flat = np.abs(rise) <= eps
    share = np.clip(np.where(flat, 0.0, (level - first[hit]) / np.where(flat, 1.0, rise)), 0.0, 1.0)[:, None]
    found = np.concatenate([p + share * (q - p), q[flat]])
    # of equal ones the first in order of place, so that rounding does not choose
    far = np.round((found - origin) @ toward / max(mesh.size, 1e-300), 9)
    best = found[far == far.max()]
    return np.array(best[np.lexsort(best.T)[0]])


def rows_between(along: Floats, start: float, stop: float) -> int:
    """Return how many levels there are among places along an axis, from ``start`` to ``stop``."""
    span = max(stop - start, 1e-300)
    eps = 1e-9 * span
    inside = along[(along >= start - eps) & (along <= stop + eps)]
    return len(np.unique(np.round(inside / span, 6)))
