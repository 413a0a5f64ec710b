"""Putting meshes together from regular pieces."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry._box import side_faces
from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.mesh import Lineage, Mesh

__all__ = ["MeshBuilder", "box_mesh", "lattice_box", "square_uv"]

_SQUARE = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float64)


class MeshBuilder:
    """Collects points and blocks of equal faces.

    Faces are written where they stay, with a little room behind them for those to come: large blocks are not copied.
    ``corners`` are those to come, where they are known before.
    """

    def __init__(self, corners: int = 0) -> None:
        self._points: list[Floats] = []
        self._corners = np.empty(corners, dtype=np.int32)
        self._uv = np.empty((corners, 2))
        self._filled = 0
        self._sizes: list[tuple[int, int]] = []
        self._groups: list[str] = []
        self.n_points = 0

    def add_points(self, points: object) -> int:
        """Add (n, 3) points and return the number of the first."""
        points = np.asarray(points, dtype=np.float64).reshape(-1, 3)
        first = self.n_points
        self._points.append(points)
        self.n_points += len(points)
        return first

    def add_faces(self, corners: object, uv: object, group: str) -> None:
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

    @property
    def uv(self) -> Floats:
        """The texture coordinates of all corners so far, to be changed in place."""
        return self._uv[: self._filled]

    def build(self, step: str) -> Mesh:
        """Return the mesh; each group becomes a row of its lineage."""
        names = list(dict.fromkeys(self._groups))
        lineage, base = Lineage().extended((step, name, -1) for name in names)
        counts = [m for m, _ in self._sizes]
        offsets = np.empty(sum(counts) + 1, dtype=np.int32)
        offsets[0] = at = corner = 0
        for m, k in self._sizes:  # a block's offsets are a run of even steps
            offsets[at + 1 : at + m + 1] = np.arange(corner + k, corner + m * k + 1, k, dtype=np.int32)
            at, corner = at + m, corner + m * k
        rows = np.repeat(np.array([base + names.index(g) for g in self._groups], np.int32), counts)
        return Mesh(_joined(self._points, (0, 3)), self._corners[: self._filled], offsets,
                    lineage=lineage, face_lineage=rows, uv=self._uv[: self._filled])  # fmt: skip


def _joined(parts: list[Array], empty: tuple[int, ...]) -> Array:
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


_SIDES: tuple[tuple[str, tuple[int, ...], tuple[int, ...], tuple[int, ...], int, int], ...] = (
    # group, first lattice point (1 for the far end), steps along u and v seen from outside, the axes of u and v
    ("front", (0, 0, 0), (1, 0, 0), (0, 0, 1), 0, 2),
    ("right", (1, 0, 0), (0, 1, 0), (0, 0, 1), 1, 2),
    ("back", (1, 1, 0), (-1, 0, 0), (0, 0, 1), 0, 2),
    ("left", (0, 1, 0), (0, -1, 0), (0, 0, 1), 1, 2),
    ("bottom", (0, 1, 0), (1, 0, 0), (0, -1, 0), 0, 1),
    ("top", (0, 0, 1), (1, 0, 0), (0, 1, 0), 0, 1),
)


def box_mesh(size: Floats, counts: tuple[int, int, int], step: str) -> Mesh:
    """Return a box of (3,) ``size`` cut in ``counts`` along its axes, centred, standing on Z = 0."""

    def stops(length: float, n: int, start: float) -> Floats:
        out = start + length * (np.arange(n + 1) / n)
        out[-1] = start + length
        return out

    x, y = (stops(float(size[k]), counts[k], -float(size[k]) / 2) for k in (0, 1))
    return lattice_box(x, y, stops(float(size[2]), counts[2], 0.0), step)


def lattice_box(x: Floats, y: Floats, z: Floats, step: str) -> Mesh:
    """Return the surface of a box whose lattice stands at the given places along each axis, at least two of each."""
    nx, ny, nz = counts = (len(x) - 1, len(y) - 1, len(z) - 1)
    floor = (nx + 1) * (ny + 1)
    ring = 2 * (nx + ny)
    a, b = np.arange(nx), np.arange(ny)
    points = np.empty((2 * floor + (nz - 1) * ring, 3))
    for level, rows in ((z[0], points[:floor]), (z[nz], points[-floor:])):
        lattice = rows.reshape(ny + 1, nx + 1, 3)
        lattice[:, :, 0], lattice[:, :, 1], lattice[:, :, 2] = x, y[:, None], level
    if nz > 1:
        between = points[floor:-floor].reshape(nz - 1, ring, 3)
        between[:, :, 0] = np.concatenate([x[a], np.full(ny, x[nx]), x[nx - a], np.full(ny, x[0])])
        between[:, :, 1] = np.concatenate([np.full(nx, y[0]), y[b], np.full(nx, y[ny]), y[ny - b]])
        between[:, :, 2] = z[1:-1, None]
    build = MeshBuilder(8 * (nx * ny + ny * nz + nz * nx))
    build.add_points(points)
    compiled = 8 * (nx * ny + ny * nz + nz * nx) > FEW
    for group, far, du, dv, i, j in _SIDES:
        start = np.array(far) * counts
        nu, nv = counts[i], counts[j]
        corners, uv = build.room(nu * nv, 4, group)
        if compiled:
            side_faces(start, np.array(du), np.array(dv), nu, nv, np.array(counts), corners, uv)
            continue
        u, v = (grid.ravel() for grid in np.meshgrid(np.arange(nu), np.arange(nv)))
        for k, (right, up) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
            ix, iy, iz = (start[m] + du[m] * (u + right) + dv[m] * (v + up) for m in range(3))
            corners[:, k] = _lattice_number(ix, iy, iz, counts)
        uv[:] = square_uv(nu, nv)
    return build.build(step)


def _lattice_number(ix: Array, iy: Array, iz: Array, counts: tuple[int, int, int]) -> Array:
    """Return the numbers of lattice points on the surface: floor, then rings, then the top."""
    nx, ny, nz = counts
    floor, ring = (nx + 1) * (ny + 1), 2 * (nx + ny)
    flat = iy * (nx + 1) + ix
    round_ = np.where(iy == 0, ix, np.where(ix == nx, nx + iy, np.where(iy == ny, 2 * nx + ny - ix, ring - iy)))
    middle = floor + (iz - 1) * ring + round_
    return np.where(iz == 0, flat, np.where(iz == nz, floor + (nz - 1) * ring + flat, middle))
