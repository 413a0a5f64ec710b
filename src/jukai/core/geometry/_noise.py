"""Noise over space, compiled: gradients on a lattice, and distances to scattered points."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel, no_wraparound, piece

__all__ = ["cells_loop", "noise_loop"]


@piece
def _fade(t: float) -> float:
    return t * t * t * (t * (t * 6 - 15) + 10)


@piece
def _slope(gradients: Array, h: int, x: float, y: float, z: float) -> float:
    return gradients[h, 0] * x + gradients[h, 1] * y + gradients[h, 2] * z


@piece
def _noise(x: float, y: float, z: float, table: Array, gradients: Array) -> float:
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    i, j, k = int(fx) & 255, int(fy) & 255, int(fz) & 255
    x, y, z = x - fx, y - fy, z - fz
    u, v, w = _fade(x), _fade(y), _fade(z)
    a, b = table[i] + j, table[i + 1] + j
    aa, ab, ba, bb = table[a] + k, table[a + 1] + k, table[b] + k, table[b + 1] + k
    p = _slope(gradients, aa, x, y, z)
    q = _slope(gradients, ab, x, y - 1, z)
    p += u * (_slope(gradients, ba, x - 1, y, z) - p)
    q += u * (_slope(gradients, bb, x - 1, y - 1, z) - q)
    r = _slope(gradients, aa + 1, x, y, z - 1)
    s = _slope(gradients, ab + 1, x, y - 1, z - 1)
    r += u * (_slope(gradients, ba + 1, x - 1, y, z - 1) - r)
    s += u * (_slope(gradients, bb + 1, x - 1, y - 1, z - 1) - s)
    p += v * (q - p)
    r += v * (s - r)
    return p + w * (r - p)


@no_wraparound
@kernel
def noise_loop(points: Array, size: float, octaves: int, shift: float, table: Array, gradients: Array) -> Floats:
    """Return (n,) noise at points: octaves of half the size and half the height each, -1 to 1.

    ``table`` is a permutation of 0 to 255, twice; ``gradients`` (512, 3) are what its numbers stand for.
    """
    n = points.shape[0]
    out = np.empty(n, np.float64)
    whole = 2.0 - 0.5 ** (octaves - 1)
    for i in range(n):
        x, y, z = points[i, 0] / size, points[i, 1] / size, points[i, 2] / size
        height, off, total = 1.0, 0.0, 0.0
        for _ in range(octaves):
            total += height * _noise(x + off, y + off, z + off, table, gradients)
            x, y, z = 2 * x, 2 * y, 2 * z
            height /= 2
            off += shift
        out[i] = total / whole
    return out


@no_wraparound
@kernel
def cells_loop(points: Array, size: float, table: Array, seeds: Array) -> Floats:
    """Return (n,) the distance from points to the nearest scattered point, one in each cell of the lattice, in cells."""
    n = points.shape[0]
    out = np.empty(n, np.float64)
    for i in range(n):
        x, y, z = points[i, 0] / size, points[i, 1] / size, points[i, 2] / size
        fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
        x, y, z = x - fx, y - fy, z - fz
        ix, iy, iz = int(fx), int(fy), int(fz)
        best = 9.0
        for c in range(27):
            # the own cell first, those beside it after: most are too far away then
            m = (c + 13) % 27
            a, b, d = m // 9 - 1, m // 3 % 3 - 1, m % 3 - 1
            lx = max(a - x, x - a - 1, 0.0)
            ly = max(b - y, y - b - 1, 0.0)
            lz = max(d - z, z - d - 1, 0.0)
            if lx * lx + ly * ly + lz * lz >= best:
                continue
            h = table[table[table[(ix + a) & 255] + ((iy + b) & 255)] + ((iz + d) & 255)]
            dx, dy, dz = a + seeds[h, 0] - x, b + seeds[h, 1] - y, d + seeds[h, 2] - z
            best = min(best, dx * dx + dy * dy + dz * dz)
        out[i] = np.sqrt(best)
    return out
