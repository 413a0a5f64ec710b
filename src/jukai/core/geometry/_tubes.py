"""The compiled points of a section carried along a path."""

from __future__ import annotations

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel


@kernel
def tube_points(centres: Array, across: Array, up: Array, scale: Array, section: Array, out: Array) -> None:
    """Write the points (k, n, 3) of a section (n, 2) in the planes that ``across`` and ``up`` (k, 3) span at ``centres``."""
    for i in range(centres.shape[0]):
        size = scale[i]
        for j in range(section.shape[0]):
            x, y = section[j, 0] * size, section[j, 1] * size
            for a in range(3):
                out[i, j, a] = centres[i, a] + x * across[i, a] + y * up[i, a]
