"""Maps of space that bend bodies."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import FEW, kernel

__all__ = ["twist_points"]

_CHUNK = 8192


def twist_points(points: Floats, origin: Floats, direction: Floats, start: float, stop: float,
                 degrees: float, still: float, amount: float | Floats = 1.0) -> Floats:  # fmt: skip
    """Turn points about an axis by an angle that grows evenly from ``start`` to ``stop``.

    Parameters
    ----------
    points : (n, 3) float64, mm.
    origin, direction : the axis; ``direction`` has length 1.
    start, stop : mm along the axis from ``origin``; beyond them the turn stays what it is there.
    degrees : turn from start to stop.
    still : mm along the axis of the place that does not turn.
    amount : how much of the turn acts: one number, or (n,) for each point.

    References
    ----------
    Barr 1984; for a whole axis, Rodrigues' formula.
    """
    weighed = isinstance(amount, np.ndarray)
    rate = np.radians(degrees if weighed else degrees * amount) / (stop - start)
    if len(points) > FEW and not weighed:
        return _twist_loop(points, origin, direction, start, stop, rate, still)
    out = np.empty_like(points)
    for a in range(0, len(points), _CHUNK):
        p = points[a : a + _CHUNK] - origin
        t = p @ direction
        turn = (np.clip(t, start, stop) - still) * rate
        if isinstance(amount, np.ndarray):
            turn = turn * amount[a : a + _CHUNK]
        c, s = np.cos(turn)[:, None], np.sin(turn)[:, None]
        lift = t[:, None] * direction
        flat = p - lift
        out[a : a + _CHUNK] = origin + lift + flat * c + np.cross(direction, p) * s
    return out


@kernel
def _twist_loop(
    points: Array, origin: Array, direction: Array, start: float, stop: float, rate: float, still: float
) -> Floats:
    n = points.shape[0]
    out = np.empty((n, 3), np.float64)
    dx, dy, dz = direction[0], direction[1], direction[2]
    ox, oy, oz = origin[0], origin[1], origin[2]
    last = np.nan
    c, s = 1.0, 0.0
    if dx == 0 and dy == 0 and dz == 1:
        for i in range(n):
            x, y, z = points[i, 0] - ox, points[i, 1] - oy, points[i, 2] - oz
            place = min(max(z, start), stop)
            if place != last:
                turn = (place - still) * rate
                c, s = np.cos(turn), np.sin(turn)
                last = place
            out[i, 0] = ox + (x * c - y * s)
            out[i, 1] = oy + (x * s + y * c)
            out[i, 2] = points[i, 2]
        return out
    for i in range(n):
        x, y, z = points[i, 0] - ox, points[i, 1] - oy, points[i, 2] - oz
        t = x * dx + y * dy + z * dz
        place = min(max(t, start), stop)
        if place != last:  # bodies of rows have many points at one height
            turn = (place - still) * rate
            c, s = np.cos(turn), np.sin(turn)
            last = place
        lx, ly, lz = t * dx, t * dy, t * dz
        out[i, 0] = ox + lx + (x - lx) * c + (dy * z - dz * y) * s
        out[i, 1] = oy + ly + (y - ly) * c + (dz * x - dx * z) * s
        out[i, 2] = oz + lz + (z - lz) * c + (dx * y - dy * x) * s
    return out
