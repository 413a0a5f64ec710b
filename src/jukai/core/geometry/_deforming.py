"""Maps of space along an axis, compiled: each takes coordinates across and along the axis and returns where they go.

The same lines serve arrays (``.plain``, for small bodies) and single numbers (within the loop): what would be a branch is
written as a product with 0 or 1. So the compiler can take several points at once, sine and cosine included.
Maps are numbered as in ``deform.py``. ``w`` is how much acts, ``g`` and ``h`` what a graph says at the point.
"""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel, no_wraparound, piece

Numbers = tuple[float, float, float, float, float, float, float, float]
"""Parameters of a map, filled up with 0: as a tuple, for the compiler keeps these at hand."""

__all__ = ["at_plain", "deform_loop"]

_PART = 1.57079632673412561417
_REST = 6.07710050650619224932e-11
"""A quarter turn in two parts: the first has 33 bits, so that its multiples are exact."""
_BLOCK = 512


@piece
def _sines(a: float) -> tuple[float, float]:
    """Return sine and cosine, to the last digit or the one before for angles of up to 100 000 radians.

    The polynomials on an eighth of a turn are those of S. L. Moshier, Methods and Programs for Mathematical Functions, 1989.
    """
    k = np.floor(a * 0.6366197723675814 + 0.5)
    r = (a - k * _PART) - k * _REST
    z = r * r
    s = r + r * z * (
        -1.66666666666666307295e-1
        + z
        * (
            8.33333333332211858878e-3
            + z
            * (
                -1.98412698295895385996e-4
                + z * (2.75573136213857245213e-6 + z * (-2.50507477628578072866e-8 + z * 1.58962301576546568060e-10))
            )
        )
    )
    c = (
        1
        - 0.5 * z
        + z
        * z
        * (
            4.16666666666665929218e-2
            + z
            * (
                -1.38888888888730564116e-3
                + z
                * (
                    2.48015872888517045348e-5
                    + z
                    * (-2.75573141792967388112e-7 + z * (2.08757008419747316778e-9 + z * -1.13585365213876817300e-11))
                )
            )
        )
    )
    half = k * 0.5
    odd = 2 * (half - np.floor(half))  # whether quarters are turned an odd number of times
    over = 2 * np.floor(half) - 4 * np.floor(half * 0.5)  # 0 or 2: whether both are turned over
    up, aside = 1 - over, (1 - over) * (1 - 2 * odd)
    return up * ((1 - odd) * s + odd * c), aside * ((1 - odd) * c + odd * s)


@piece
def _share(t: float, start: float, length: float) -> float:
    return np.minimum(np.maximum((t - start) / length, 0.0), 1.0)


@piece
def _twist(x: float, y: float, t: float, w: float, g: float, p: Numbers) -> tuple[float, float, float]:
    """p: start, length, turn over all, share that is still, whether ``g`` is the share of the turn."""
    s = g if p[4] != 0 else _share(t, p[0], p[1])
    a = (s - p[3]) * p[2] * w
    n, c = _sines(a)
    return x * c - y * n, x * n + y * c, t


@piece
def _taper(x: float, y: float, t: float, w: float, g: float, h: float, p: Numbers) -> tuple[float, float, float]:
    """p: start, length, by what share the end is narrower across x and y."""
    s = _share(t, p[0], p[1])
    return x * (1 + w * ((1 - p[2] * s) * g - 1)), y * (1 + w * ((1 - p[3] * s) * h - 1)), t


@piece
def _bend(x: float, y: float, t: float, w: float, p: Numbers) -> tuple[float, float, float]:
    """p: start, length, curvature towards +x, the x that keeps its length, the t that stays."""
    inside = np.minimum(np.maximum(t, p[0]), p[0] + p[1])
    run = inside - p[4]
    over = t - inside
    a = p[2] * w * run
    half = a / 2
    none = 1.0 * (half == 0)
    sine, cosine = _sines(half)
    chord = run * (sine + none) / (half + none)
    c, n = 1 - 2 * sine * sine, 2 * sine * cosine
    aside = x - p[3]
    return p[3] + chord * sine + aside * c + over * n, y, p[4] + chord * cosine - aside * n + over * c


@piece
def _thinner(w: float, g: float, p: Numbers) -> float:
    """Return what a slice is scaled by; p as of stretch."""
    return 1 / np.sqrt(1 + w * p[2] * g) if p[4] != 0 else 1.0


@piece
def _stretch(x: float, y: float, t: float, w: float, r: float, h: float, p: Numbers) -> tuple[float, float, float]:
    """p: start, length, growth, share that is still, whether volume is kept, whether ``h`` is the integral of where it gives."""
    grown = h if p[5] != 0 else _share(t, p[0], p[1])
    return x * r, y * r, t + w * p[2] * p[1] * (grown - p[3])


@piece
def _waves(x: float, y: float, t: float, w: float, g: float, p: Numbers) -> tuple[float, float, float]:
    """p: start, length, half the depth, pitch, where it starts as a share of a pitch."""
    u = (np.minimum(np.maximum(t, p[0]), p[0] + p[1]) - p[0]) / p[3] + p[4]
    return x + w * g * p[2] * _sines(2 * np.pi * (u - np.floor(u)))[0], y, t


@piece
def _rings(x: float, y: float, t: float, w: float, g: float, p: Numbers) -> tuple[float, float, float]:
    """p: as of waves, from the axis outward."""
    r = np.sqrt(x * x + y * y)
    u = (np.minimum(np.maximum(r, p[0]), p[0] + p[1]) - p[0]) / p[3] + p[4]
    return x, y, t + w * g * p[2] * _sines(2 * np.pi * (u - np.floor(u)))[0]


@piece
def _at(
    which: int, x: float, y: float, t: float, w: float, g: float, h: float, p: Numbers
) -> tuple[float, float, float]:
    if which == 0:
        return _twist(x, y, t, w, g, p)
    if which == 1:
        return _taper(x, y, t, w, g, h, p)
    if which == 2:
        return _bend(x, y, t, w, p)
    if which == 3:
        return _stretch(x, y, t, w, _thinner(w, g, p), h, p)
    if which == 4:
        return _waves(x, y, t, w, g, p)
    return _rings(x, y, t, w, g, p)


at_plain = _at.plain


@no_wraparound
@kernel
def deform_loop(points: Array, origin: Array, axes: Array, amount: Array, g: Array, h: Array, which: int, p: Numbers) -> Floats:  # fmt: skip
    """Return points carried by a map; ``amount``, ``g`` and ``h`` hold one number each, or one for each point.

    What a map leaves alone keeps its digits: points are moved by differences, by none where nothing acts.
    """
    n = points.shape[0]
    out = np.empty((n, 3), np.float64)
    a00, a01, a02 = axes[0, 0], axes[0, 1], axes[0, 2]
    a10, a11, a12 = axes[1, 0], axes[1, 1], axes[1, 2]
    a20, a21, a22 = axes[2, 0], axes[2, 1], axes[2, 2]
    ox, oy, oz = origin[0], origin[1], origin[2]
    # of an axis of the space itself coordinates need only be renamed
    first, second, third = np.argmax(axes[0]), np.argmax(axes[1]), np.argmax(axes[2])
    straight = axes[0, first] == 1 and axes[1, second] == 1 and axes[2, third] == 1
    if straight:
        ox, oy, oz = origin[first], origin[second], origin[third]
    x, y, t = np.empty(_BLOCK), np.empty(_BLOCK), np.empty(_BLOCK)
    w, b, d = np.full(_BLOCK, amount[0]), np.full(_BLOCK, g[0]), np.full(_BLOCK, h[0])
    u, v, k = np.empty(_BLOCK), np.empty(_BLOCK), np.empty(_BLOCK)
    for start in range(0, n, _BLOCK):
        m = min(_BLOCK, n - start)
        if straight:
            for i in range(m):
                x[i] = points[start + i, first] - ox
                y[i] = points[start + i, second] - oy
                t[i] = points[start + i, third] - oz
        for i in range(0 if straight else m):
            dx, dy, dz = points[start + i, 0] - ox, points[start + i, 1] - oy, points[start + i, 2] - oz
            x[i] = dx * a00 + dy * a01 + dz * a02
            y[i] = dx * a10 + dy * a11 + dz * a12
            t[i] = dx * a20 + dy * a21 + dz * a22
        if amount.shape[0] == n:
            w[:m] = amount[start : start + m]
        if g.shape[0] == n:
            b[:m] = g[start : start + m]
        if h.shape[0] == n:
            d[:m] = h[start : start + m]
        if which == 0:
            for i in range(m):
                u[i], v[i], k[i] = _twist(x[i], y[i], t[i], w[i], b[i], p)
        elif which == 1:
            for i in range(m):
                u[i], v[i], k[i] = _taper(x[i], y[i], t[i], w[i], b[i], d[i], p)
        elif which == 2:
            for i in range(m):
                u[i], v[i], k[i] = _bend(x[i], y[i], t[i], w[i], p)
        elif which == 3:
            if amount.shape[0] == n or g.shape[0] == n:
                for i in range(m):
                    r = _thinner(w[i], b[i], p)
                    u[i], v[i], k[i] = _stretch(x[i], y[i], t[i], w[i], r, d[i], p)
            else:
                r = _thinner(w[0], b[0], p)
                for i in range(m):
                    u[i], v[i], k[i] = _stretch(x[i], y[i], t[i], w[i], r, d[i], p)
        elif which == 4:
            for i in range(m):
                u[i], v[i], k[i] = _waves(x[i], y[i], t[i], w[i], b[i], p)
        else:
            for i in range(m):
                u[i], v[i], k[i] = _rings(x[i], y[i], t[i], w[i], b[i], p)
        if straight:
            for i in range(m):
                acts = 1.0 if w[i] != 0 else 0.0
                out[start + i, first] = points[start + i, first] + (u[i] - x[i]) * acts
                out[start + i, second] = points[start + i, second] + (v[i] - y[i]) * acts
                out[start + i, third] = points[start + i, third] + (k[i] - t[i]) * acts
        for i in range(0 if straight else m):
            acts = 1.0 if w[i] != 0 else 0.0
            dx, dy, dz = (u[i] - x[i]) * acts, (v[i] - y[i]) * acts, (k[i] - t[i]) * acts
            out[start + i, 0] = points[start + i, 0] + (dx * a00 + dy * a10 + dz * a20)
            out[start + i, 1] = points[start + i, 1] + (dx * a01 + dy * a11 + dz * a21)
            out[start + i, 2] = points[start + i, 2] + (dx * a02 + dy * a12 + dz * a22)
    return out
