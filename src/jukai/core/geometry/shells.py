"""The shells of a body: whether each looks the way that its place among the others asks for."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry._tree import turns_about
from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.clearance import place
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["Shells", "shells_of"]

MOST = 2000
"""Shells up to which each is held against all others."""


@dataclass(frozen=True, slots=True, eq=False)
class Shells:
    """What the shells of a closed body are, one row each.

    Attributes
    ----------
    volume : (k,) what each encloses, mm³; negative where its faces look into it.
    around : (k,) how often the others wind about it; 0 where it lies in none, or in a hollow of one.
    spots : (k, 3) a point of each.
    """

    volume: Floats
    around: Ints
    spots: Floats

    @property
    def inward(self) -> Bools:
        """Those that look inward though nothing is around them that they could be a hollow of."""
        return np.asarray((self.volume < 0) & (self.around != 1))

    @property
    def doubled(self) -> Bools:
        """Those that look outward where there is material already."""
        return np.asarray((self.volume > 0) & (self.around != 0))


def shells_of(mesh: Mesh) -> Shells | None:
    """Return the shells of a closed, oriented body whose faces don't cross; None where there are too many.

    Notes
    -----
    A closed surface bounds a solid when it winds about each place once or not at all (Requicha, Representations for
    Rigid Solids, 1980). Crossing a shell from without changes that number by one, so a shell that looks outward must
    have 0 around it and one that looks inward 1.
    """
    pieces = np.asarray(mesh.pieces)
    count = int(pieces.max(initial=-1)) + 1
    if count > MOST:
        return None
    tri = triangulate(mesh)
    rows = tri.points(mesh)
    # about the body's middle: far from the zero point the digits would go
    p = mesh.points - mesh.bounds.mean(axis=0)
    a, b, c = (p[rows[:, k]] for k in range(3))
    piece_of = pieces[tri.faces]
    volume = np.bincount(piece_of, np.einsum("ij,ij->i", a, np.cross(b, c)), minlength=count) / 6
    _, first = np.unique(pieces, return_index=True)
    spots = mesh.points[mesh.corners[mesh.offsets[first]]]
    around = np.zeros(count, dtype=np.int32)
    if count > 1:
        corner_piece = pieces[mesh.corner_faces]
        order = np.argsort(corner_piece, kind="stable")
        begins = np.searchsorted(corner_piece[order], np.arange(count))
        at = mesh.points[mesh.corners[order]]
        low, high = np.minimum.reduceat(at, begins, axis=0), np.maximum.reduceat(at, begins, axis=0)
        stack = np.empty(512, np.int64)
        for k in range(count):
            inside = ((spots > low[k]) & (spots < high[k])).all(axis=1)
            inside[k] = False
            if not inside.any():
                continue
            own = rows[piece_of == k]
            one = place(Mesh(mesh.points, own.ravel(), np.arange(0, 3 * len(own) + 1, 3, dtype=np.int32)))
            for j in np.flatnonzero(inside):
                x, y, z = spots[j]
                around[j] += turns_about(one.triangles, one.boxes, (float(x), float(y), float(z)), stack)
    return Shells(volume, around, spots)
