"""Maps of space along an axis, compiled: each takes coordinates across and along the axis and returns where they go.

The same lines serve arrays (``.plain``, for small bodies) and single numbers (within the loop).
``w`` is how much acts, ``g`` and ``h`` what a graph says at the point.
"""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel, piece

__all__ = ["BEND", "RINGS", "STRETCH", "TAPER", "TWIST", "WAVES", "at_plain", "deform_loop"]

TWIST, TAPER, BEND, STRETCH, WAVES, RINGS = range(6)


@piece
def _share(t: float, start: float, length: float) -> float:
    return np.minimum(np.maximum((t - start) / length, 0.0), 1.0)


@piece
def _twist(x: float, y: float, t: float, w: float, g: float, p: Array) -> tuple[float, float, float]:
    """p: start, length, turn over all, share that is still, whether ``g`` is the share of the turn."""
    s = g if p[4] != 0 else _share(t, p[0], p[1])
    a = (s - p[3]) * p[2] * w
    c, n = np.cos(a), np.sin(a)
    return x * c - y * n, x * n + y * c, t


@piece
def _taper(x: float, y: float, t: float, w: float, g: float, h: float, p: Array) -> tuple[float, float, float]:
    """p: start, length, by what share the end is narrower across x and y."""
    s = _share(t, p[0], p[1])
    return x * (1 + w * ((1 - p[2] * s) * g - 1)), y * (1 + w * ((1 - p[3] * s) * h - 1)), t


@piece
def _bend(x: float, y: float, t: float, w: float, p: Array) -> tuple[float, float, float]:
    """p: start, length, curvature towards +x, the x that keeps its length, the t that stays."""
    inside = np.minimum(np.maximum(t, p[0]), p[0] + p[1])
    run = inside - p[4]
    over = t - inside
    a = p[2] * w * run
    half = a / 2
    none = 1.0 * (half == 0)
    sine, cosine = np.sin(half), np.cos(half)
    chord = run * (sine + none) / (half + none)
    c, n = 1 - 2 * sine * sine, 2 * sine * cosine
    aside = x - p[3]
    return p[3] + chord * sine + aside * c + over * n, y, p[4] + chord * cosine - aside * n + over * c


@piece
def _stretch(x: float, y: float, t: float, w: float, g: float, h: float, p: Array) -> tuple[float, float, float]:
    """p: start, length, growth, share that is still, whether volume is kept, whether ``g`` is where it gives and ``h`` its integral."""
    s = _share(t, p[0], p[1])
    gives = g if p[5] != 0 else 1.0
    grown = h if p[5] != 0 else s
    r = 1 / np.sqrt(1 + w * p[2] * gives) if p[4] != 0 else 1.0
    return x * r, y * r, t + w * p[2] * p[1] * (grown - p[3])


@piece
def _waves(x: float, y: float, t: float, w: float, g: float, p: Array) -> tuple[float, float, float]:
    """p: start, length, half the depth, pitch, where it starts as a share of a pitch."""
    u = (np.minimum(np.maximum(t, p[0]), p[0] + p[1]) - p[0]) / p[3] + p[4]
    return x + w * g * p[2] * np.sin(2 * np.pi * (u - np.floor(u))), y, t


@piece
def _rings(x: float, y: float, t: float, w: float, g: float, p: Array) -> tuple[float, float, float]:
    """p: as of waves, from the axis outward."""
    r = np.sqrt(x * x + y * y)
    u = (np.minimum(np.maximum(r, p[0]), p[0] + p[1]) - p[0]) / p[3] + p[4]
    return x, y, t + w * g * p[2] * np.sin(2 * np.pi * (u - np.floor(u)))


@piece
def _at(which: int, x: float, y: float, t: float, w: float, g: float, h: float, p: Array) -> tuple[float, float, float]:
    if which == 0:
        return _twist(x, y, t, w, g, p)
    if which == 1:
        return _taper(x, y, t, w, g, h, p)
    if which == 2:
        return _bend(x, y, t, w, p)
    if which == 3:
        return _stretch(x, y, t, w, g, h, p)
    if which == 4:
        return _waves(x, y, t, w, g, p)
    return _rings(x, y, t, w, g, p)


at_plain = _at.plain


@kernel
def deform_loop(points: Array, origin: Array, axes: Array, amount: Array, g: Array, h: Array, which: int, p: Array) -> Floats:  # fmt: skip
    """Return points carried by a map; ``amount``, ``g`` and ``h`` hold one number each, or one for each point.

    What a map leaves alone keeps its digits: points are moved by differences.
    """
    n = points.shape[0]
    out = np.empty((n, 3), np.float64)
    na = 1 if amount.shape[0] == n else 0
    ng = 1 if g.shape[0] == n else 0
    nh = 1 if h.shape[0] == n else 0
    a00, a01, a02 = axes[0, 0], axes[0, 1], axes[0, 2]
    a10, a11, a12 = axes[1, 0], axes[1, 1], axes[1, 2]
    a20, a21, a22 = axes[2, 0], axes[2, 1], axes[2, 2]
    ox, oy, oz = origin[0], origin[1], origin[2]
    for i in range(n):
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        w = amount[i * na]
        if w == 0:
            out[i, 0], out[i, 1], out[i, 2] = px, py, pz
            continue
        dx, dy, dz = px - ox, py - oy, pz - oz
        x = dx * a00 + dy * a01 + dz * a02
        y = dx * a10 + dy * a11 + dz * a12
        t = dx * a20 + dy * a21 + dz * a22
        u, v, k = _at(which, x, y, t, w, g[i * ng], h[i * nh], p)
        u, v, k = u - x, v - y, k - t
        out[i, 0] = px + (u * a00 + v * a10 + k * a20)
        out[i, 1] = py + (u * a01 + v * a11 + k * a21)
        out[i, 2] = pz + (u * a02 + v * a12 + k * a22)
    return out
