"""Points drawn toward the middle of those beside them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.mesh import Mesh

__all__ = ["smoothed"]

_PASS = 0.1
"""Pass-band frequency: that which neither pass changes (Taubin 1995 takes 0.01 to 0.1)."""


def smoothed(
    mesh: Mesh,
    points: Bools,
    share: float,
    rounds: int,
    *,
    keep_volume: bool,
    rims_run: bool,
    told: Callable[[float], None] | None = None,
) -> Floats:
    """Return where points stand after some rounds of smoothing.

    Parameters
    ----------
    points : (n,) which may move.
    share : of the way to the middle of their neighbours that they go in a round, 0 to 1.
    keep_volume : each round goes back out by a little more (Taubin, A signal processing approach to fair surface design,
        SIGGRAPH 1995: lambda, mu with 1 / lambda + 1 / mu = 0.1): what waves less than a part of ten stays.
    rims_run : points of an open border follow those beside them on it; else they stay.
    told : called with the share of rounds done.
    """
    from scipy.sparse import csr_matrix

    con = mesh.connectivity
    rim = con.edge_sides != 2
    on_rim = np.zeros(mesh.n_points, dtype=bool)
    on_rim[con.edges[rim].ravel()] = True
    moves = points & (rims_run | ~on_rim)
    a, b = con.edges.T.astype(np.int64)
    row, column = np.concatenate([a, b]), np.concatenate([b, a])
    of_rim = np.concatenate([rim, rim])
    fine = (~on_rim[row] | of_rim) & moves[row]
    row, column = row[fine], column[fine]
    count = np.bincount(row, minlength=mesh.n_points)
    weights = 1.0 / count[row]
    middle = csr_matrix((weights, (row, column)), shape=(mesh.n_points, mesh.n_points))
    moves &= count > 0
    origin = mesh.points[mesh.used_points].mean(axis=0) if mesh.n_faces else np.zeros(3)
    p = mesh.points - origin  # far from zero digits are kept
    back = 1 / (_PASS - 1 / share) if keep_volume and share > 0 else 0.0
    for k in range(rounds):
        for factor in (share, back):
            if factor:
                p[moves] += factor * ((middle @ p)[moves] - p[moves])
        if told is not None:
            told((k + 1) / rounds)
    out = p + origin
    out[~moves] = mesh.points[~moves]
    return out
