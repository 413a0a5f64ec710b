"""Compiled reading of the rows that most binary PLY files have: triangles or quads, nothing else."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Ints
from jukai.core.geometry.kernels import kernel


def rows_alike(data: bytes, at: int, rows: int, k: int) -> Ints | None:
    """Return the (rows * k,) int32 corners of rows of one byte ``k`` and ``k`` little-endian int32, or None.

    The rows do not begin where a processor likes its numbers to; NumPy's way through such a table is four times slower.
    """
    table = np.frombuffer(data, np.dtype([("n", "u1"), ("list", "<i4", (k,))]), rows, at)
    out = np.empty((rows, k), np.int32)
    return out.reshape(-1) if _rows(table, np.uint8(k), out) else None


@kernel
def _rows(table: Array, k: Array, out: Array) -> bool:
    alike = True
    for r in range(table.shape[0]):
        alike &= table[r].n == k
        ring = table[r].list
        for i in range(len(ring)):
            out[r, i] = ring[i]
    return alike
