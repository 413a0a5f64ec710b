"""Putting meshes together from regular pieces."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.mesh import Lineage, Mesh

__all__ = ["MeshBuilder", "box_mesh", "square_uv"]

_SQUARE = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float64)


class MeshBuilder:
    """Collects points and blocks of equal faces.

    Faces are written where they stay, with a little room behind them for those to come: large blocks are not copied.
    """

    def __init__(self) -> None:
        self._points: list[Floats] = []
        self._corners = np.empty(0, dtype=np.int32)
        self._uv = np.empty((0, 2))
        self._filled = 0
        self._sizes: list[tuple[int, int]] = []
        self._groups: list[str] = []
        self.n_points = 0

    def add_points(self, points: Any) -> int:
        """Add (n, 3) points and return the number of the first."""
        points = np.asarray(points, dtype=np.float64).reshape(-1, 3)
        first = self.n_points
        self._points.append(points)
        self.n_points += len(points)
        return first

    def add_faces(self, corners: Any, uv: Any, group: str) -> None:
        """Add (m, k) faces of k sides with (m, k, 2) texture coordinates."""
        corners = np.asarray(corners, dtype=np.int32)
        if corners.size == 0:
            return
        own, own_uv = self.room(corners.shape[0], corners.shape[1], group)
        own[:] = corners
        own_uv[:] = np.asarray(uv, dtype=np.float64).reshape(own_uv.shape)

    def room(self, faces: int, sides: int, group: str) -> tuple[Ints, Floats]:
        """Add faces that are still to be written: return (m, k) corners and (m, k, 2) texture coordinates to be filled."""
        begin, end = self._filled, self._filled + faces * sides
        if end > len(self._corners):
            size = end + end // 8 + 256
            corners, uv = np.empty(size, dtype=np.int32), np.empty((size, 2))
            corners[:begin], uv[:begin] = self._corners[:begin], self._uv[:begin]
            self._corners, self._uv = corners, uv
        self._filled = end
        self._sizes.append((faces, sides))
        self._groups.append(group)
        return self._corners[begin:end].reshape(faces, sides), self._uv[begin:end].reshape(faces, sides, 2)

    def build(self, step: str) -> Mesh:
        """Return the mesh; each group becomes a row of its lineage."""
        names = list(dict.fromkeys(self._groups))
        lineage, base = Lineage().extended((step, name, -1) for name in names)
        counts = [m for m, _ in self._sizes]
        sides = np.repeat(np.array([k for _, k in self._sizes], np.int32), counts)
        offsets = np.zeros(len(sides) + 1, dtype=np.int32)
        np.cumsum(sides, out=offsets[1:])
        rows = np.repeat(np.array([base + names.index(g) for g in self._groups], np.int32), counts)
        return Mesh(_joined(self._points, (0, 3)), self._corners[: self._filled], offsets,
                    lineage=lineage, face_lineage=rows, uv=self._uv[: self._filled])  # fmt: skip


def _joined(parts: list[Any], empty: tuple[int, ...]) -> Any:
    if not parts:
        return np.zeros(empty)
    return parts[0] if len(parts) == 1 else np.concatenate(parts)


def square_uv(nu: int, nv: int) -> Floats:
    """Return (nu * nv, 4, 2) texture coordinates of a grid, u running fastest."""
    u, v = np.arange(nu + 1) / nu, np.arange(nv + 1) / nv
    out = np.empty((nv, nu, 4, 2))
    out[..., 0, 0] = out[..., 3, 0] = u[:-1]
    out[..., 1, 0] = out[..., 2, 0] = u[1:]
    out[..., 0, 1] = out[..., 1, 1] = v[:-1, None]
    out[..., 2, 1] = out[..., 3, 1] = v[1:, None]
    return out.reshape(-1, 4, 2)


def box_mesh(size: Floats, counts: tuple[int, int, int], step: str) -> Mesh:
    """Return a box of (3,) ``size`` cut in ``counts`` along its axes, centred, standing on Z = 0."""
    nx, ny, nz = counts
    floor = (nx + 1) * (ny + 1)
    ring = 2 * (nx + ny)

    def index(ix: Any, iy: Any, iz: Any) -> Any:
        """Number of a lattice point on the surface: floor, then rings, then the top."""
        flat = iy * (nx + 1) + ix
        round_ = np.where(
            iy == 0, ix, np.where(ix == nx, nx + iy, np.where(iy == ny, 2 * nx + ny - ix, 2 * (nx + ny) - iy))
        )
        middle = floor + (iz - 1) * ring + round_
        return np.where(iz == 0, flat, np.where(iz == nz, floor + (nz - 1) * ring + flat, middle))

    def stops(length: float, n: int, start: float) -> Floats:
        out = start + length * (np.arange(n + 1) / n)
        out[-1] = start + length
        return out

    x = stops(float(size[0]), nx, -float(size[0]) / 2)
    y = stops(float(size[1]), ny, -float(size[1]) / 2)
    z = stops(float(size[2]), nz, 0.0)
    a = np.arange(nx)
    ring_x = np.concatenate([x[a], np.full(ny, x[nx]), x[nx - a], np.full(ny, x[0])])
    b = np.arange(ny)
    ring_y = np.concatenate([np.full(nx, y[0]), y[b], np.full(nx, y[ny]), y[ny - b]])
    gx, gy = np.meshgrid(x, y)
    points = np.zeros((2 * floor + (nz - 1) * ring, 3))
    points[:floor] = np.column_stack([gx.ravel(), gy.ravel(), np.full(floor, z[0])])
    points[-floor:] = np.column_stack([gx.ravel(), gy.ravel(), np.full(floor, z[nz])])
    if nz > 1:
        points[floor:-floor] = np.column_stack(
            [np.tile(ring_x, nz - 1), np.tile(ring_y, nz - 1), np.repeat(z[1:-1], ring)]
        )
    build = MeshBuilder()
    build.add_points(points)
    # each side: how its own (u, v), seen from outside, run over the lattice
    plans: tuple[tuple[str, int, int, Callable[[Any, Any], tuple[Any, Any, Any]]], ...] = (
        ("front", nx, nz, lambda u, v: (u, 0 * u, v)),
        ("right", ny, nz, lambda u, v: (0 * u + nx, u, v)),
        ("back", nx, nz, lambda u, v: (nx - u, 0 * u + ny, v)),
        ("left", ny, nz, lambda u, v: (0 * u, ny - u, v)),
        ("bottom", nx, ny, lambda u, v: (u, ny - v, 0 * u)),
        ("top", nx, ny, lambda u, v: (u, v, 0 * u + nz)),
    )
    for group, nu, nv, place in plans:
        u, v = (grid.ravel() for grid in np.meshgrid(np.arange(nu), np.arange(nv)))
        quads = np.stack([index(*place(u + du, v + dv)) for du, dv in ((0, 0), (1, 0), (1, 1), (0, 1))], axis=1)
        build.add_faces(quads, square_uv(nu, nv), group)
    return build.build(step)
