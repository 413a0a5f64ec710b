"""How wide strips may be: until a side of a face is gone, or a corner meets a side across its face."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.components import components

if TYPE_CHECKING:
    from jukai.core.geometry.bevel.rounding import Rings, Sectors

__all__ = ["limited"]

_ROUNDS = 12
_RUN = 30.0
"""Degrees by which edges that share a limit may turn at most where they meet."""


def limited(rings: Rings, width: Floats, first: Sectors, limit: Floats) -> tuple[Floats, Bools, Sectors, Floats]:
    """Return widths that fit, which edges were limited, the sectors at these widths, and what (e,) limits there are.

    A limit on one strip moves the places where its neighbours meet, so it is asked again until all
    sides are left; from the fourth time on each limit is taken a little lower than it need be. Edges that
    run on end to end share their least limit, so that the border stays parallel.

    Parameters
    ----------
    first, limit : the sectors at the widths asked for, and the limits found there.
    """
    asked = width
    run = _runs(rings)
    out = first
    for turn in range(_ROUNDS):
        if turn:
            out = rings.sectors(width)
            limit, _ = rings.limits(out, width)
        if not (rings.picked & (limit < width * (1 - 1e-12))).any():
            break
        shared = np.full(len(limit), np.inf)
        wide = rings.picked & (asked > 0)  # an edge that asks for nothing, as a flat one by radius, limits no other
        np.minimum.at(shared, run[wide], limit[wide] / asked[wide])
        limit = np.where(wide, shared[run], np.inf) * np.where(wide, asked, 1.0)
        over = rings.picked & (limit < width * (1 - 1e-12))
        width = np.where(over, limit * (1 if turn < 3 else 0.9), width)
    else:
        out = rings.sectors(width)
    return width, rings.picked & (width < asked * (1 - 1e-9)), out, limit


def _runs(rings: Rings) -> Ints:
    """Return (e,) a number for all picked edges that run on end to end, turning by less than 30°, with no other between them."""
    mesh, con = rings.mesh, rings.mesh.connectivity
    edges = np.flatnonzero(rings.picked)
    ends = con.edges[edges].ravel()
    of = np.repeat(edges, 2)
    order = np.argsort(ends, kind="stable")
    ends, of = ends[order], of[order]
    first = np.flatnonzero(np.diff(ends, prepend=-1) > 0)
    two = first[np.diff(np.append(first, len(ends))) == 2]
    a, b, p = of[two], of[two + 1], ends[two]

    def away(e: Any) -> Floats:
        other = con.edges[e].sum(axis=1) - p
        d = mesh.points[other] - mesh.points[p]
        return np.asarray(d / np.maximum(np.sqrt((d * d).sum(axis=1)), 1e-300)[:, None])

    straight = (away(a) * away(b)).sum(axis=1) < -math.cos(math.radians(_RUN))
    return components(con.n_edges, a[straight], b[straight])
