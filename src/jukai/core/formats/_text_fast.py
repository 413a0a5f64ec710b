"""Compiled writing of numbers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel, no_wraparound

_TENS = np.repeat(np.arange(48, 58, dtype=np.uint8), 10)
"""The first figure of each number of two."""
_ONES = np.tile(np.arange(48, 58, dtype=np.uint8), 10)


def decimals(key: Array, rows: Array, places: int) -> memoryview:
    """Return ``key x y z`` lines with at most ``places`` decimals."""
    out, size = _decimals(key, rows, places, _TENS, _ONES)
    return memoryview(out.data)[:size]


def faces(corners: Array, uv: Array, offsets: Array) -> memoryview:
    """Return ``f a/b c/d`` lines."""
    out, size = _faces(corners, uv, offsets, _TENS, _ONES)
    return memoryview(out.data)[:size]


@no_wraparound
@kernel
def _decimals(key: Array, rows: Array, places: int, tens: Array, ones: Array) -> tuple[NDArray[np.uint8], int]:
    n, columns = rows.shape
    out = np.empty(n * (key.shape[0] + 1 + columns * 24), np.uint8)
    scale = 1.0
    for _ in range(places):
        scale *= 10.0
    unit = np.int64(1)
    for _ in range(places):
        unit *= 10
    at = 0
    for i in range(n):
        for c in key:
            out[at] = c
            at += 1
        for j in range(columns):
            out[at] = 32
            at += 1
            x = rows[i, j]
            if x < 0:
                x = -x
                negative = True
            else:
                negative = False
            # whole and fraction apart: the whole is exact, the fraction below 2^63 in units
            whole = np.int64(x)
            part = np.int64((x - whole) * scale + 0.5)
            if part >= unit:
                part -= unit
                whole += 1
            if negative and (whole > 0 or part > 0):
                out[at] = 45
                at += 1
            count = 1
            rest = whole // 10
            while rest > 0:
                rest //= 10
                count += 1
            for k in range(at + count - 1, at - 1, -1):
                rest = whole // 10
                out[k] = 48 + whole - rest * 10
                whole = rest
            at += count
            if part > 0:
                out[at] = 46
                at += 1
                width = places
                while part % 10 == 0:
                    part //= 10
                    width -= 1
                # from the last figure to the first, four at a time: the chain of divisions is the cost
                k = at + width
                while k - at >= 4:
                    rest = part // 10_000
                    four = np.uint32(part - rest * 10_000)
                    part = rest
                    k -= 4
                    upper = four // np.uint32(100)
                    lower = four - upper * np.uint32(100)
                    out[k], out[k + 1] = tens[upper], ones[upper]
                    out[k + 2], out[k + 3] = tens[lower], ones[lower]
                if k - at >= 2:
                    rest = part // 100
                    two = part - rest * 100
                    part = rest
                    k -= 2
                    out[k], out[k + 1] = tens[two], ones[two]
                if k > at:
                    out[at] = 48 + part
                at += width
        out[at] = 10
        at += 1
    return out, at


@no_wraparound
@kernel
def _faces(corners: Array, uv: Array, offsets: Array, tens: Array, ones: Array) -> tuple[NDArray[np.uint8], int]:
    textured = uv.shape[0] > 0
    n = offsets.shape[0] - 1
    out = np.empty(n * 3 + corners.shape[0] * (24 if textured else 12), np.uint8)
    above, count = np.int64(10), 1  # the least number with more than ``count`` figures
    at = 0
    for f in range(n):
        out[at] = 102
        at += 1
        for i in range(offsets[f], offsets[f + 1]):
            out[at] = 32
            at += 1
            for which in range(2 if textured else 1):
                if which == 1:
                    out[at] = 47
                    at += 1
                v = np.int64(corners[i] if which == 0 else uv[i])
                # numbers that follow each other mostly have the same number of figures
                while v >= above:
                    above *= 10
                    count += 1
                while v * 10 < above and count > 1:
                    above //= 10
                    count -= 1
                k = at + count
                while k - at >= 2:
                    rest = v // 100
                    two = v - rest * 100
                    v = rest
                    k -= 2
                    out[k], out[k + 1] = tens[two], ones[two]
                if k > at:
                    out[at] = 48 + v
                at += count
        out[at] = 10
        at += 1
    return out, at
