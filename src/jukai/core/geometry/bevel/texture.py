"""Texture coordinates of what a bevel makes."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.patches import spread
from jukai.core.geometry.mesh import Mesh

__all__ = ["Texture"]


class Texture:
    """Texture coordinates of what is made, so that pictures run on without a jump."""

    def __init__(self, mesh: Mesh, how: Bevel, before: Ints, points: Floats, kept: Ints, of: Any) -> None:
        self.mesh, self.how = mesh, how
        assert self.mesh.uv is not None  # noqa: S101 - asked for by the caller
        uv, following = self.mesh.uv, self.mesh.connectivity.following
        at = self.mesh.points[self.mesh.corners]
        a, b = at[following] - at, at[before] - at
        aa, ab, bb = (np.einsum("ij,ij->i", x, y) for x, y in ((a, a), (a, b), (b, b)))
        det = aa * bb - ab * ab
        plane = det > 1e-12 * aa * bb
        det = np.where(plane, det, 1.0)
        rel = points[kept] - at[of]
        ra, rb = np.einsum("ij,ij->i", rel, a[of]), np.einsum("ij,ij->i", rel, b[of])
        s = np.where(plane[of], (bb[of] * ra - ab[of] * rb) / det[of], ra / np.maximum(aa[of], 1e-300))
        t = np.where(plane[of], (aa[of] * rb - ab[of] * ra) / det[of], 0.0)
        self.kept = uv[of] + s[:, None] * (uv[following] - uv)[of] + t[:, None] * (uv[before] - uv)[of]
        self.points = np.zeros((len(points), 2))
        self.points[self.mesh.corners] = uv
        self.points[kept] = self.kept

    def strips(self, here: Any, there: Any, near: Ints, far: Ints, count: Ints) -> Floats:
        """Return (strips, 4, 2): from the one face's border to the other's, or of their own."""
        mesh, n = self.mesh, self.how.segments
        assert mesh.uv is not None  # noqa: S101
        first = np.concatenate([[0], np.cumsum(count)])
        a, b = (
            self.kept[first[here + 1] - 1],
            self.kept[first[mesh.connectivity.following[here]]],
        )  # along the first face
        c, d = self.kept[first[mesh.connectivity.following[there]]], self.kept[first[there + 1] - 1]  # along the second
        t = (np.arange(n + 1) / n)[None, :, None]
        one, two = a[:, None] * (1 - t) + c[:, None] * t, b[:, None] * (1 - t) + d[:, None] * t
        uv = mesh.uv
        seam: Any = (np.abs(uv[here] - uv[mesh.connectivity.following[there]]) > 1e-9).any(axis=1)
        seam |= (np.abs(uv[there] - uv[mesh.connectivity.following[here]]) > 1e-9).any(axis=1)
        if self.how.cut_texture:
            seam[:] = True
        else:
            self.points[near], self.points[far] = one, two
        own = np.concatenate([np.zeros_like(t), t], axis=2), np.concatenate([np.ones_like(t), t], axis=2)
        one, two = np.where(seam[:, None, None], own[0], one), np.where(seam[:, None, None], own[1], two)
        k = np.arange(n)
        return np.stack([one[:, k], one[:, k + 1], two[:, k + 1], two[:, k]], axis=2).reshape(-1, 4, 2)

    def patches(self, border: Ints, k: int, n: int) -> None:
        """Give the inner points of patches, just made, what follows from their borders."""
        self.points = np.concatenate([self.points, spread(k, n, self.points[border]).reshape(-1, 2)])
