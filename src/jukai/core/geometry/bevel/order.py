"""Which strips are made first where strips of different widths meet in a corner, and where the others run then.

A patch can't join a wide strip to narrow ones without standing out over it. So the widest are made
first, as if no other edge were picked there, and the narrower ones go on along the section in which
the wide strip ends: a rim runs round a corner that is already rounded.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.bevel._sectors import PATCH
from jukai.core.geometry.bevel.building import overhang
from jukai.core.geometry.bevel.results import Follow, Rounded, Sectors
from jukai.core.geometry.bevel.rings import Rings
from jukai.core.geometry.components import lowest

__all__ = ["OVER", "Order", "onward", "wider_first"]

_EQUAL = 1e-3
"""Share by which widths that meet may differ and still count as one."""

_STEEP, OVER = 0.35, 0.1
"""Share of the widest by which narrower ones may differ that still follow it; sine by which a patch may look past its faces."""

Long = NDArray[np.int64]


class Order(NamedTuple):
    """Which strips come first, and who meets them.

    Attributes
    ----------
    first : (e,) the edges whose strips are made first.
    ends : (m,) corners that leave the corners of different widths along the widest edges there; ``at`` (m,) numbers
        those corners of the body, ``single`` (m,) whether one strip alone is the widest there.
    narrow, beside : (k,) all other edges, once for each of their ends, and the corner of the body it has there; -1 where
        no widths differ.
    share : of the width of a strip, what it has at its end at the least where two of different widths go first: there is
        one point on the edge between them, to which the wider runs out.
    """

    first: Bools
    ends: Ints
    at: Long
    single: Bools
    narrow: Long
    beside: Long
    share: float

    @property
    def follow(self) -> Follow:
        """What of the body is to be found again when the first strips are made."""
        return Follow(self.narrow, self.ends)


def wider_first(rings: Rings, at: Sectors, width: Floats, offset: Floats, *, pairs: bool = False) -> Order | None:
    """Return which strips are made first; None where no two widths meet in a corner, or each waits for another.

    Parameters
    ----------
    width : (e,) what the strips are compared by.
    offset : (e,) mm from each edge to its strip's border, at which the sectors are.
    pairs : where three widths meet, the two widest go first, and the third follows the crease between them; None
        where nowhere three meet.
    """
    all_of = width[rings.edges]
    if len(all_of) == 0 or float(all_of.max()) <= float(all_of.min()) * (1 + _EQUAL):
        return None
    con, picked = rings.mesh.connectivity, rings.picked
    edge = con.corner_edge[rings.ring]
    place = np.flatnonzero(picked[edge])
    edge = edge[place].astype(np.int64)
    ring = np.searchsorted(rings.starts, place, side="right") - 1
    begins = np.searchsorted(ring, np.arange(len(rings.starts) - 1))
    most, least = np.maximum.reduceat(width[edge], begins), np.minimum.reduceat(width[edge], begins)
    widest = width[edge] >= most[ring] * (1 - _EQUAL)
    second = np.maximum.reduceat(np.where(widest, 0.0, width[edge]), begins)
    share = 1.0
    if pairs:
        three = second - least > _EQUAL * most
        if not three.any():
            return None
        share = float((second / most)[three].min())
        widest |= three[ring] & (width[edge] >= second[ring] * (1 - _EQUAL))
    many = np.bincount(ring[widest], minlength=len(most))
    mixed = (at.kind == PATCH) & (most > least * (1 + _EQUAL))
    # two wide strips and a narrow one meet in a patch that stands out over neither, unless it is hollow
    mixed &= (many == 1) | (rings.options.roundness < 0) | pairs
    # where narrow ones would have to widen steeply to follow the widest, a patch may do better
    steep = mixed & (second - least > _STEEP * most) & (not pairs)
    if steep.any():
        mixed &= ~(steep & (overhang(rings, at, offset) < OVER))
    if not mixed.any():
        return None
    # what meets without a difference is made at the same time, and so are the narrower ones of a corner
    kind = 2 * ring + np.where(mixed[ring], widest, False)
    order = np.argsort(kind, kind="stable")
    same = np.flatnonzero(kind[order][1:] == kind[order][:-1])
    unit = lowest(con.n_edges, edge[order[same]], edge[order[same + 1]])
    leader = np.full(len(most), -1, np.int64)
    leader[ring[widest]] = unit[edge[widest]]
    waits = mixed[ring] & ~widest & (unit[edge] != leader[ring])
    late = np.zeros(con.n_edges, dtype=bool)
    late[unit[edge[waits]]] = True
    first = picked & ~late[unit]
    if not waits.any() or not first.any():
        return None
    known = np.zeros(len(most), dtype=bool)
    known[ring[waits]] = True
    wide = widest & known[ring] & first[edge]
    rest = ~first[edge]
    return Order(
        first, rings.ring[place[wide]], ring[wide], many[ring[wide]] == 1, edge[rest], np.where(known[ring], ring, -1)[rest], share
    )  # fmt: skip


def onward(order: Order, one: Rounded, width: Floats) -> tuple[Long, Long, Floats]:
    """Return where the strips that waited run in the body with the first strips.

    Parameters
    ----------
    one : the body with the first strips.
    width : (e,) how wide each strip is to be.

    Returns
    -------
    (k,) its edge for each of ``order.narrow``, -1 where it is used up; and the further edges along
    sections, with the width of each: between two narrow edges it goes evenly from the one to the other.
    """
    assert one.kept is not None and one.across is not None  # noqa: S101 - asked for with the order
    con = one.mesh.connectivity
    kept = con.between(one.kept)
    n = one.across.shape[1]
    if not len(order.ends):
        return kept, np.zeros(0, np.int64), np.zeros(0)
    along = np.concatenate([one.across[:, :, 0], one.across[:, -1:, 1]], axis=1)  # (m, n + 1) points of the sections
    # which narrow edge ends where on which section
    end, edge = _pairs(order.at, order.beside)
    there = ((along[end] == one.kept[edge, :1]) | (along[end] == one.kept[edge, 1:])) & (along[end] >= 0)
    hit = there.any(axis=1)
    end, edge, t = end[hit], edge[hit], there[hit].argmax(axis=1)
    low, high = np.full(len(along), n + 1), np.full(len(along), -1)
    np.minimum.at(low, end, t)
    np.maximum.at(high, end, t)
    # where two wide strips meet the narrow one comes to one end of their crease, and runs along all of it
    alone = ~order.single & (low == high)
    low, high = np.where(alone & (low == n), 0, low), np.where(alone & (high == 0), n, high)
    far = (n + 2) * np.arange(len(along))
    at = np.argsort(far[end] + t, kind="stable")
    x, y = (far[end] + t)[at], width[order.narrow[edge]][at]
    place = np.arange(n)
    on = (place >= low[:, None]) & (place < high[:, None])
    where = (far[:, None] + place + 0.5)[on]
    chords = con.between(one.across[on])
    good = chords >= 0
    good[good] = con.edge_sides[chords[good]] == 2
    if not len(x):
        return kept, np.zeros(0, np.int64), np.zeros(0)
    return kept, chords[good], np.interp(where, x, y)[good]


def _pairs(a: Array, b: Array) -> tuple[Long, Long]:
    """Return all (i, j) with ``a[i] == b[j]``."""
    order = np.argsort(b, kind="stable")
    low, high = np.searchsorted(b[order], a, side="left"), np.searchsorted(b[order], a, side="right")
    many = high - low
    i = np.repeat(np.arange(len(a)), many)
    j = order[np.arange(len(i)) - np.repeat(np.cumsum(many) - many, many) + np.repeat(low, many)]
    return i, j
