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
    ends = mesh.points[mesh.connectivity.edges]
    if len(ends) == 0:
        return np.array(origin, dtype=np.float64)
    along = (ends - origin) @ direction
    level = min(max(level, float(along.min())), float(along.max()))
    eps = 1e-9 * max(mesh.size, 1e-300)
    low, high = along.min(axis=1), along.max(axis=1)
    hit = (low <= level + eps) & (high >= level - eps)
    rise = along[hit, 1] - along[hit, 0]
    level_edge = np.abs(rise) <= eps
    share = np.where(level_edge, 0.0, (level - along[hit, 0]) / np.where(level_edge, 1.0, rise))
    share = np.clip(share, 0.0, 1.0)[:, None]
    found = np.concatenate([ends[hit, 0] + share * (ends[hit, 1] - ends[hit, 0]), ends[hit][level_edge][:, 1]])
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
