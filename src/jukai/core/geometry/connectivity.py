"""Edges, twins and the faces round a point."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry._connect import bucket_edges
from jukai.core.geometry.arrays import Array, Bools, Ints, frozen
from jukai.core.geometry.kernels import FEW

__all__ = ["MANY", "RIM", "Connectivity", "connect", "next_corners", "previous_corners"]

RIM = -1
"""Twin of a corner whose edge has one face only."""
MANY = -2
"""Twin of a corner whose edge has three faces or more."""


@dataclass(frozen=True, slots=True, eq=False)
class Connectivity:
    """How the faces of a mesh are connected. Edge ``i`` of a face runs from corner ``i`` to the next.

    Attributes
    ----------
    edges : (e, 2) int32, lower and higher point, sorted.
    corner_edge : (c,) int32, the edge that leaves each corner.
    twins : (c,) int32, the corner whose edge is the same seen from the other face; ``RIM`` or
        ``MANY`` where there is not exactly one.
    edge_sides : (e,) int32, how many faces stand at each edge.
    following : (c,) int32, next corner of the same face.
    point_offsets, point_corners : compressed rows of the corners round each point, in corner order.
    """

    edges: Ints
    corner_edge: Ints
    twins: Ints
    edge_sides: Ints
    following: Ints
    point_offsets: Ints
    point_corners: Ints

    @property
    def n_edges(self) -> int:
        """Number of edges."""
        return len(self.edges)

    @property
    def nbytes(self) -> int:
        """Memory held."""
        return sum(getattr(self, name).nbytes for name in self.__slots__)

    def between(self, pairs: Array) -> NDArray[np.int64]:
        """Return (k,) the edges that join pairs (k, 2) of points, in whatever order; -1 where none does."""
        low, high = np.minimum(pairs[:, 0], pairs[:, 1]).astype(np.int64), np.maximum(pairs[:, 0], pairs[:, 1])
        if self.n_edges == 0:
            return np.full(len(pairs), -1, np.int64)
        points = len(self.point_offsets)
        key = self.edges[:, 0].astype(np.int64) * points + self.edges[:, 1]
        requested = low * points + high
        at = np.minimum(np.searchsorted(key, requested), len(key) - 1)
        return np.where((key[at] == requested) & (low >= 0), at, -1)

    def same_direction(self, corners: Ints) -> Bools:
        """Return (c,) whether a corner's edge and its twin run the same way (not oriented)."""
        out: Bools = corners == corners[self.twins]  # that of none is another's: the second question leaves it out
        out &= self.twins >= 0
        return out


def next_corners(offsets: Ints) -> Ints:
    """Return (c,) the next corner of the same face."""
    following = np.arange(1, int(offsets[-1]) + 1, dtype=np.int32)
    full = offsets[1:] > offsets[:-1]
    following[offsets[1:][full] - 1] = offsets[:-1][full]
    return following


def previous_corners(offsets: Ints) -> Ints:
    """Return (c,) the previous corner of the same face."""
    before = np.arange(-1, int(offsets[-1]) - 1, dtype=np.int32)
    full = offsets[1:] > offsets[:-1]
    before[offsets[:-1][full]] = offsets[1:][full] - 1
    return before


def connect(corners: Ints, offsets: Ints, n_points: int) -> Connectivity:
    """Compute the connectivity of faces in compressed rows.

    Parameters
    ----------
    corners : (c,) int32 points.
    offsets : (f + 1,) int32 first corners.
    n_points : number of points.

    Notes
    -----
    The sides round each point are gathered and sorted by the point at their other end, which is
    linear for bodies of bounded valence; small bodies are sorted by array code. Both give the same
    numbers.
    """
    if len(corners) <= FEW:
        arrays = _connect_by_sorting(corners, offsets, n_points)
    else:
        arrays = bucket_edges(corners, offsets, n_points)
    return Connectivity(*(frozen(a) for a in arrays))


def _connect_by_sorting(corners: Ints, offsets: Ints, n_points: int) -> tuple[Ints, ...]:
    following = next_corners(offsets)
    here, there = corners, corners[following]
    low, high = np.minimum(here, there), np.maximum(here, there)
    key = low.astype(np.int64) * max(n_points, 1) + high
    order = np.argsort(key, kind="stable").astype(np.int32)
    ranked = key[order]
    first = np.ones(len(key), dtype=bool)
    first[1:] = ranked[1:] != ranked[:-1]
    number = np.cumsum(first) - 1
    corner_edge = np.zeros(len(key), dtype=np.int32)
    corner_edge[order] = number
    starts = np.flatnonzero(first)
    edge_sides = np.diff(np.append(starts, len(key))).astype(np.int32)
    edges = np.stack([low[order[starts]], high[order[starts]]], axis=1).astype(np.int32)
    twins = np.full(len(key), RIM, dtype=np.int32)
    twins[edge_sides[corner_edge] > 2] = MANY
    pair = starts[edge_sides == 2]
    a, b = order[pair], order[pair + 1] if len(pair) else order[pair]
    twins[a], twins[b] = b, a
    counts = np.bincount(corners, minlength=n_points)
    point_offsets = np.concatenate([[0], np.cumsum(counts)]).astype(np.int32)
    point_corners = np.argsort(corners, kind="stable").astype(np.int32)
    return edges, corner_edge, twins, edge_sides, following, point_offsets, point_corners
