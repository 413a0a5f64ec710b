"""Numbers as text, by array code: rows of decimals and rows of indices."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from jukai.core.geometry.arrays import Array

__all__ = ["decimal_rows", "index_rows"]

_DIGITS = 15
"""Significant digits of the largest number: all that a double is sure to hold."""


def decimal_rows(key: bytes, rows: Array) -> bytes | memoryview:
    """Return ``key x y z`` lines of (n, k) numbers.

    All have the same number of decimals, chosen so that the largest keeps 15 significant digits;
    trailing zeros are left out, so exact decimals stay as they were typed.
    """
    rows = np.asarray(rows, dtype=np.float64)
    if rows.size == 0:
        return b""
    if rows.shape[0] > 20_000:
        from jukai.core.formats._text_fast import decimals

        most = float(np.abs(rows).max())
        places = _places(most)
        if places >= 0:
            return decimals(np.frombuffer(key, np.uint8), np.ascontiguousarray(rows), places)
    head = key.decode()
    lines = [f"{head} " + " ".join(_decimal(x) for x in row) for row in rows.tolist()]
    return ("\n".join(lines) + "\n").encode()


def _places(most: float) -> int:
    """Return the decimals that the largest number leaves, -1 where 17 are not enough or none are left."""
    places = _DIGITS - (math.floor(math.log10(most)) + 1 if most > 0 else 0)
    return places if 0 <= places <= 17 else -1


def _decimal(x: float) -> str:
    return str(int(x)) if x == int(x) and abs(x) < 1e15 else repr(x)


def index_rows(corners: Array, uv: Array | None, offsets: Array) -> bytes | memoryview:
    """Return ``f a/b c/d ...`` lines of faces in compressed rows."""
    if len(corners) > 20_000:
        from jukai.core.formats._text_fast import faces

        none = np.zeros(0, np.int32) if uv is None else np.ascontiguousarray(uv, dtype=np.int32)
        return faces(np.ascontiguousarray(corners, dtype=np.int32), none, np.ascontiguousarray(offsets, dtype=np.int32))
    words = (
        [str(c) for c in corners.tolist()]
        if uv is None
        else [f"{c}/{t}" for c, t in zip(corners.tolist(), uv.tolist(), strict=True)]
    )
    ends = offsets.tolist()
    return "".join("f " + " ".join(words[a:b]) + "\n" for a, b in pairwise(ends)).encode()
