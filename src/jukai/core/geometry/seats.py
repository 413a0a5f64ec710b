"""The plane that a patch lies about, the surface under it, and how much room a border leaves in it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.flat_rings import holds
from jukai.core.geometry.frames import frame_along
from jukai.core.geometry.measures import vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.regions import Region
from jukai.core.geometry.triangulation import triangulate

__all__ = ["Seat", "room_about", "roomiest", "seat_of"]


@dataclass(slots=True)
class Seat:
    """The plane of a patch, and the surface that it lies on."""

    origin: Floats
    axes: Floats
    triangles: Floats

    def flat(self, points: Floats) -> Floats:
        """Return the plane's own coordinates (n, 2) of places."""
        return np.asarray((points - self.origin) @ self.axes[:2].T)

    def raised(self, flat: Floats, height: Floats | float = 0.0) -> Floats:
        """Return the places (n, 3) of its own coordinates, so high over it."""
        return np.asarray(
            self.origin + flat @ self.axes[:2] + np.outer(np.broadcast_to(height, len(flat)), self.axes[2])
        )

    def on_surface(self, flat: Floats) -> Floats:
        """Return (n,) how high the surface is over places of the plane: where a line square to it meets it nearest to the plane."""
        t = (self.triangles - self.origin) @ self.axes.T
        a, u, v = t[:, 0, :2], t[:, 1, :2] - t[:, 0, :2], t[:, 2, :2] - t[:, 0, :2]
        det = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
        rel = flat[:, None] - a[None]
        with np.errstate(divide="ignore", invalid="ignore"):
            b = (rel[..., 0] * v[:, 1] - rel[..., 1] * v[:, 0]) / det
            c = (u[:, 0] * rel[..., 1] - u[:, 1] * rel[..., 0]) / det
            inside = np.minimum(np.minimum(b, c), 1 - b - c)
            z = t[:, 0, 2] + b * (t[:, 1, 2] - t[:, 0, 2]) + c * (t[:, 2, 2] - t[:, 0, 2])
        # of the triangles that it goes through the nearest; where it misses all, the one that it misses least
        score = np.where(
            np.isfinite(z) & (np.abs(det) > 0),
            np.where(inside >= -1e-9, -np.abs(z), -1e300 + np.maximum(inside, -1e299)),
            -np.inf,
        )
        best = np.argmax(score, axis=1)
        return np.asarray(z[np.arange(len(flat)), best])


def seat_of(mesh: Mesh, r: Region, beside: Array) -> Seat:
    """Return the seat of a region; its surface is that of the faces ``beside`` too.

    Raises
    ------
    ValueProblem
        When its faces look all ways.
    """
    loop = mesh.points[r.border]
    way = vector_areas(mesh)[r.faces].sum(axis=0)
    size = float(np.linalg.norm(way))
    if size <= 1e-12 * max(mesh.size, 1e-300) ** 2:
        raise ValueProblem("Picked faces look all ways: there is no plane that they lie about.", field="pick", hint="Pick fewer of them.",
                           places=[(float(loop[0, 0]), float(loop[0, 1]), float(loop[0, 2]))])  # fmt: skip
    normal = way / size
    for unit in np.eye(3):
        if abs(abs(float(normal @ unit)) - 1) < 1e-12:
            normal = np.sign(float(normal @ unit)) * unit
    axes = frame_along(normal).axes
    faces = np.concatenate([r.faces, beside])
    cut = triangulate(mesh)
    first = np.searchsorted(cut.faces, faces)
    count = np.searchsorted(cut.faces, faces, side="right") - first
    rows = np.concatenate([np.arange(f, f + c) for f, c in zip(first.tolist(), count.tolist(), strict=True)])
    return Seat(loop.mean(axis=0), axes, mesh.points[mesh.corners[cut.corners[rows]]])


def room_about(flat: Floats, centre: Floats) -> float:
    """Return how far a middle is from a loop, 0 where it is outside."""
    a, b = flat, np.roll(flat, -1, axis=0)
    step = b - a
    t = np.clip(((centre - a) * step).sum(axis=1) / np.maximum((step * step).sum(axis=1), 1e-300), 0, 1)
    gap = float(np.linalg.norm(a + t[:, None] * step - centre, axis=1).min())
    return gap if holds(flat, centre) else 0.0


def roomiest(flat: Floats, first: Floats) -> Floats:
    """Return the place within a loop that is farthest from it; ``first`` where that is as good but for a hundredth."""
    low, high = flat.min(axis=0), flat.max(axis=0)
    best, gap = first, room_about(flat, first) * 1.01
    for fine in range(4):
        steps = np.linspace(-0.5, 0.5, 11)
        middle, span = ((low + high) / 2, high - low) if fine == 0 else (best, (high - low) * 0.2**fine)
        for dx in steps:
            for dy in steps:
                at = middle + span * [dx, dy]
                room = room_about(flat, at)
                if room > gap:
                    best, gap = at, room
    return best
