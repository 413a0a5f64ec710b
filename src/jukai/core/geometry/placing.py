"""Where a part stands: scaled, then turned about the fixed X, Y, Z in that order, then moved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.mesh import Mesh, Topology

__all__ = ["Reach", "exactly", "matrix_of", "placed", "placed_bounds", "placement_matrix", "reaching"]


def placement_matrix(move: Floats, turn: Floats, scale: Floats, zero: Floats | None = None) -> Floats:
    """Return the (4, 4) matrix of a placement about a ``zero`` point of the part's own space; angles in degrees."""
    s, c = sincos(np.asarray(turn, dtype=np.float64))
    x = np.array([[1, 0, 0], [0, c[0], -s[0]], [0, s[0], c[0]]])
    y = np.array([[c[1], 0, s[1]], [0, 1, 0], [-s[1], 0, c[1]]])
    z = np.array([[c[2], -s[2], 0], [s[2], c[2], 0], [0, 0, 1]])
    out = np.eye(4)
    out[:3, :3] = z @ y @ x @ np.diag(np.asarray(scale, dtype=np.float64))
    out[:3, 3] = move
    if zero is not None and np.any(zero):
        out[:3, 3] = out[:3, 3] - out[:3, :3] @ zero
    return out


def placed_bounds(mesh: Mesh, matrix: Floats) -> Floats:
    """Return the (2, 3) bounds on the bench of a body that stands by ``matrix``."""
    linear, shift = matrix[:3, :3], matrix[:3, 3]
    if np.count_nonzero(linear) == 3:  # axes lie along axes: the corners of the box say it all
        ends = mesh.bounds @ linear.T + shift
        return np.array([ends.min(axis=0), ends.max(axis=0)])
    used = mesh.used_points
    points = mesh.points if used.all() else mesh.points[used]
    columns = [points @ row + d for row, d in zip(linear, shift, strict=True)]
    return np.array([[c.min() for c in columns], [c.max() for c in columns]])


@dataclass(frozen=True, slots=True)
class Reach:
    """Where a body reaches to along an axis: one end alone moves it, both stretch it."""

    axis: int
    low: float | None = None
    high: float | None = None


def reaching(mesh: Mesh, matrix: Floats, reaches: Sequence[Reach]) -> Floats:
    """Return ``matrix`` changed so that the body reaches where it is told to.

    Raises
    ------
    ValueProblem
        When a body without size along an axis is to be stretched along it.
    """
    if not reaches or mesh.n_faces == 0:
        return matrix
    out = matrix.copy()
    bounds = placed_bounds(mesh, matrix)
    for r in reaches:
        low, high = float(bounds[0, r.axis]), float(bounds[1, r.axis])
        if r.low is not None and r.high is not None:
            size = high - low
            if not size > 1e-12 * max(mesh.size, abs(low), abs(high)):
                raise ValueProblem(
                    f"The body has no size along {'XYZ'[r.axis]} that could be stretched.",
                    field="extents",
                    hint="Set one of the two sides, so that it is moved.",
                )
            factor = (r.high - r.low) / size
            out[r.axis, :3] *= factor
            out[r.axis, 3] = r.low + (matrix[r.axis, 3] - low) * factor
        elif r.low is not None:
            out[r.axis, 3] += r.low - low
        elif r.high is not None:
            out[r.axis, 3] += r.high - high
    return out


def exactly(points: Floats, reaches: Sequence[Reach]) -> Floats:
    """Return points whose coordinates at a set extent are that number, to the last bit."""
    if not reaches:
        return points
    points = points.copy()
    for r in reaches:
        column = points[:, r.axis]
        near = 16 * np.finfo(np.float64).eps * max(float(np.abs(column).max(initial=0.0)), 1e-300)
        for end in (r.low, r.high):
            if end is not None:
                column[np.abs(column - end) <= near] = end
    return points


def placed(mesh: Mesh, matrix: Floats, reaches: Sequence[Reach] = ()) -> Mesh:
    """Return the mesh in bench space; a mirroring placement turns the faces so that they stay outward."""
    if (matrix == np.eye(4)).all():
        return mesh
    points = mesh.points if (matrix[:3, :3] == np.eye(3)).all() else mesh.points @ matrix[:3, :3].T
    out = mesh.with_points(exactly(points + matrix[:3, 3], reaches))
    if np.linalg.det(matrix[:3, :3]) >= 0:
        return out
    # each face runs the other way round, from the same first corner
    first = np.repeat(mesh.offsets[:-1], mesh.sides)
    last = np.repeat(mesh.offsets[1:], mesh.sides)
    order = first + (first - np.arange(len(mesh.corners))) % np.maximum(last - first, 1)
    uv = None if out.uv is None else out.uv[order]
    return replace(out, corners=mesh.corners[order], uv=uv, _cache={}, _topology=Topology())


def matrix_of(rows: Sequence[float]) -> Floats:
    """Return the (4, 4) matrix of 16 numbers.

    Raises
    ------
    ValueProblem
        When they are not, or flatten what they place.
    """
    matrix = np.asarray(rows, dtype=np.float64)
    if matrix.shape != (16,) or not np.isfinite(matrix).all():
        raise ValueProblem("A matrix has 16 numbers.", field="matrix")
    matrix = matrix.reshape(4, 4)
    if not abs(float(np.linalg.det(matrix[:3, :3]))) > 0:
        raise ValueProblem("The matrix flattens the body.", field="matrix")
    return matrix
