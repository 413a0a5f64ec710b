"""Texture coordinates of what a bevel makes."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.mesh import Mesh

__all__ = ["Texture"]


class Texture:
    """Texture coordinates of what is made, so that pictures run on without a jump."""

    def __init__(self, mesh: Mesh, before: Ints, points: Floats, kept: Ints, of: Array) -> None:
        self.mesh = mesh
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
