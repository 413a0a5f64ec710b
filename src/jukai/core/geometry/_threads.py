"""The compiled part of threads: teeth and grooves that end at a surface of turning."""

from __future__ import annotations

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel, piece

_HALVINGS = 60


@piece
def _height(z: float, at: Array, radius: Array) -> float:
    """Return the radius of a surface of turning at a level; beyond its first and last level it goes straight on."""
    k = 1
    while k < at.shape[0] - 1 and z > at[k]:
        k += 1
    share = (z - at[k - 1]) / (at[k] - at[k - 1])
    return radius[k - 1] + share * (radius[k] - radius[k - 1])


@piece
def _crossing(z0: float, r0: float, z1: float, r1: float, at: Array, radius: Array, sign: float) -> float:
    """Return the share of the way from a point within to one beyond at which the surface is met."""
    low, high = 0.0, 1.0
    for _ in range(_HALVINGS):
        t = (low + high) / 2
        if sign * (r0 + t * (r1 - r0) - _height(z0 + t * (z1 - z0), at, radius)) > 0:
            high = t
        else:
            low = t
    return high


@kernel
def end_at(
    z: Array, r: Array, middle: Array, at: Array, radius: Array, sign: float, near: float, tag: int, tags: Array
) -> None:
    """Move points that lie beyond a surface of turning onto it, so that what is left is cut there exactly.

    ``z`` and ``r`` are (meridians, points), each row a chain from below upward. Beyond is outside with ``sign`` 1, inside
    with -1. Of each run of points beyond, the first and the last come to where the chain meets the surface, those between
    lie evenly on it. A run of one point borrows a ``middle`` point beside it, which is on a straight line anyway. What is
    ``near`` the surface comes to lie on it, so that no edge is shorter than that.
    """
    rows, count = z.shape
    for j in range(rows):
        i = 0
        while i < count:
            if sign * (r[j, i] - _height(z[j, i], at, radius)) <= -near:
                i += 1
                continue
            first = i
            while i < count and sign * (r[j, i] - _height(z[j, i], at, radius)) > -near:
                i += 1
            last = i - 1
            before, after = first > 0, last < count - 1
            z_first = z[j, first]
            z_last = z[j, last]
            if before:
                t = _crossing(z[j, first - 1], r[j, first - 1], z_first, r[j, first], at, radius, sign)
                z_first = z[j, first - 1] + t * (z_first - z[j, first - 1])
            if after:
                t = _crossing(z[j, last + 1], r[j, last + 1], z_last, r[j, last], at, radius, sign)
                z_last = z[j, last + 1] + t * (z_last - z[j, last + 1])
            if first == last and before and after and sign * (r[j, first] - _height(z[j, first], at, radius)) > near:
                if middle[last + 1]:
                    last += 1
                elif middle[first - 1]:
                    first -= 1
            if before and after and last > first:
                for k in range(first, last + 1):
                    z[j, k] = z_first + (z_last - z_first) * (k - first) / (last - first)
            elif before:
                z[j, first] = z_first
            elif after:
                z[j, last] = z_last
            for k in range(first, last + 1):
                r[j, k] = _height(z[j, k], at, radius)
                tags[j, k] = tag
            i = max(i, last + 1)
