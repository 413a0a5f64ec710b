"""Patterns over space: smooth noise, cells, pictures; each gives (n,) heights at points."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from jukai.core.geometry._noise import cells_loop, noise_loop
from jukai.core.geometry.arrays import Array, Floats, frozen

__all__ = ["cells", "grey_at", "smooth_noise"]

_SHIFT = 0.6180339887498949
"""By how many cells each octave is moved against the one before, so that their zeros do not meet."""
_CHUNK = 65_536
_OWN = bytes.fromhex(
    "97a0895b5a0f830dc95f6035c2e907e18c24671e458e086325f0150a17be0694f778ea4b001ac53e5efcdbcb75230b2039b12158"
    "ed953857ae147d88aba844af4aa547868b301ba64d929ee7536fe57a3cd385e6dc695c29372ef528f4668f3641193fa101d85049"
    "d14c84bbd05912a9c8c4878274bc9f56a4646dc6adba034034d9e2fa7c7b05ca2693767eff5255d4cfce3be32f103a11b6bd1c2a"
    "dfb7aad577f898022c9aa346dd99659ba72bac09811627fd13626c6e4f71e0e8b2b97068daf661e4fb22f2c1eed2900cbfb3a2f1"
    "513391ebf90eef6b31c0d61fb5c76a9db854ccb07379322d7f0496fe8aeccd5dde72431d1848f38d80c34e42d73d9cb4"
)
"""The permutation that the paper gives of the numbers 0 to 255."""


def smooth_noise(points: Floats, size: float, *, octaves: int = 1, seed: int = 0) -> Floats:
    """Return (n,) smooth noise, 0 on the mean and within -1 to 1 but for a few hundredths at rare places.

    Parameters
    ----------
    points : (n, 3) mm.
    size : mm of a cell of its coarsest lattice.
    octaves : how many lattices, each half as fine and half as high as the one before, lie on each other; their sum is
        scaled back to -1 to 1. Each is moved against the one before, so that their zeros do not meet.
    seed : with 0 the lattice is that of the paper, and with one octave 0 at each of its points.

    References
    ----------
    K. Perlin, Improving noise, SIGGRAPH 2002.
    """
    table = _table(seed)
    slopes = _GRADIENTS[table & 15]
    return np.asarray(
        noise_loop(frozen(np.ascontiguousarray(points)), float(size), int(octaves), _SHIFT, table, slopes)
    )


def cells(points: Floats, size: float, *, seed: int = 0) -> Floats:
    """Return (n,) how far points are from the nearest of points scattered one to a cell, in cells; 1 at most.

    References
    ----------
    S. Worley, A cellular texture basis function, SIGGRAPH 1996: the distance F1.
    """
    at = _hashed(np.arange(768, dtype=np.uint64), seed ^ 0x5EED).reshape(256, 3)
    seeds = (at >> np.uint64(11)).astype(np.float64) / 2.0**53
    table = _table(seed)
    return np.minimum(cells_loop(frozen(np.ascontiguousarray(points)), float(size), table, seeds), 1.0)


def grey_at(picture: Array, u: Floats, v: Floats) -> Floats:
    """Return (n,) the grey of a picture between its pixels, 0 to 1.

    Parameters
    ----------
    picture : (tall, wide) float64, its first row at the top; it repeats beyond its borders.
    u, v : (n,) across from the left and up from the bottom, 1 each over the whole picture.
    """
    tall, wide = picture.shape
    out = np.empty(len(u))
    for a in range(0, len(u), _CHUNK):
        x = u[a : a + _CHUNK] * wide - 0.5
        y = (1 - v[a : a + _CHUNK]) * tall - 0.5
        fx, fy = np.floor(x), np.floor(y)
        i, j = fx.astype(np.int64) % wide, fy.astype(np.int64) % tall
        k, m = (i + 1) % wide, (j + 1) % tall
        x, y = x - fx, y - fy
        low = picture[j, i] * (1 - x) + picture[j, k] * x
        high = picture[m, i] * (1 - x) + picture[m, k] * x
        out[a : a + _CHUNK] = low * (1 - y) + high * y
    return out


_GRADIENTS = np.array(
    [
        *[[a, b, 0] for b in (1, -1) for a in (1, -1)],
        *[[a, 0, b] for b in (1, -1) for a in (1, -1)],
        *[[0, a, b] for b in (1, -1) for a in (1, -1)],
        *[[1, 1, 0], [0, -1, 1], [-1, 1, 0], [0, -1, -1]],
    ],
    dtype=np.float64,
)
"""To the middles of a cube's edges; four stand twice, so that there are sixteen."""


@lru_cache(maxsize=32)
def _table(seed: int) -> Array:
    """Return the permutation, twice over, as the loops read beyond its end; each seed sorts it by other hashes."""
    own = np.frombuffer(_OWN, dtype=np.uint8).astype(np.int64)
    if seed:
        own = own[np.argsort(_hashed(np.arange(256, dtype=np.uint64), seed), kind="stable")]
    return np.concatenate([own, own])


def _hashed(numbers: Array, seed: int) -> Array:
    """Return 64 bits for each number, the same on every machine (Steele, Lea and Flood, SplitMix, 2014)."""
    z = numbers * np.uint64(0x9E3779B97F4A7C15) + np.uint64((seed * 0x9E3779B97F4A7C15 + 0x9E3779B97F4A7C15) % 2**64)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return np.asarray(z ^ (z >> np.uint64(31)))
