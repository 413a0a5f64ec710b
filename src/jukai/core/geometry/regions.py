"""Pieces of picked faces, or the faces round picked points, with their border; the circle that a border is nearest to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.components import components
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.rebuilding import corners_of

__all__ = ["Region", "circle_through", "regions_of_faces", "regions_of_points", "with_faces_round"]


@dataclass(frozen=True, slots=True, eq=False)
class Region:
    """Faces that become one patch: which, and their border (m,) as they run it."""

    faces: Array
    border: Array


def regions_of_faces(mesh: Mesh, picked: Bools) -> list[Region]:
    """Return picked faces piece by piece (joined by edges).

    Raises
    ------
    ValueProblem
        When one of them is no disc.
    """
    con = mesh.connectivity
    mine = picked[mesh.corner_faces]
    both = mine & (con.twins >= 0)
    both[both] = picked[mesh.corner_faces[con.twins[both]]]
    here = np.flatnonzero(both)
    label = components(mesh.n_faces, mesh.corner_faces[here], mesh.corner_faces[con.twins[here]])
    border = np.flatnonzero(mine & ~both)
    out = []
    order = np.argsort(label, kind="stable")
    order = order[picked[order]]
    for faces in np.split(order, np.flatnonzero(np.diff(label[order])) + 1):
        if len(faces):
            sides = border[label[mesh.corner_faces[border]] == label[faces[0]]]
            out.append(Region(faces, _one_loop(mesh, sides)))
    return out


def regions_of_points(mesh: Mesh, picked: Bools) -> list[Region]:
    """Return the faces round each picked point.

    Raises
    ------
    ValueProblem
        When a face is round two of them, or a point is not surrounded by faces.
    """
    con = mesh.connectivity
    out = []
    taken = np.full(mesh.n_faces, -1, dtype=np.int64)
    for p in np.flatnonzero(picked & mesh.used_points).tolist():
        corner = con.point_corners[con.point_offsets[p] : con.point_offsets[p + 1]]
        faces = np.unique(mesh.corner_faces[corner])
        clash = taken[faces]
        if (clash >= 0).any():
            other = int(clash[clash >= 0][0])
            raise ValueProblem(
                "Two picked points are corners of the same face: their surroundings overlap.", field="pick",
                hint="Pick points with a face between them.", places=[_three(mesh.points[p]), _three(mesh.points[other])],
            )  # fmt: skip
        taken[faces] = p
        among = np.zeros(mesh.n_faces, dtype=bool)
        among[faces] = True
        sides = corners_of(mesh, faces)
        twin = con.twins[sides]
        sides = sides[(twin < 0) | ~among[mesh.corner_faces[np.maximum(twin, 0)]]]
        loop = _one_loop(mesh, sides)
        if p in loop:
            raise ValueProblem(
                "A picked point lies on an open border: faces do not surround it.", field="pick", hint="Pick points within.",
                places=[_three(mesh.points[p])],
            )  # fmt: skip
        out.append(Region(faces, loop))
    return out


def with_faces_round(mesh: Mesh, r: Region, beside: Array) -> Region | None:
    """Return a region with the faces round it; None where that is no disc."""
    faces = np.concatenate([r.faces, beside])
    among = np.zeros(mesh.n_faces, dtype=bool)
    among[faces] = True
    sides = corners_of(mesh, faces)
    twin = mesh.connectivity.twins[sides]
    sides = sides[(twin < 0) | ~among[mesh.corner_faces[np.maximum(twin, 0)]]]
    try:
        return Region(faces, _one_loop(mesh, sides))
    except ValueProblem:
        return None


def _one_loop(mesh: Mesh, sides: Array) -> Array:
    """Return the points of a border of corners ``sides`` in order."""
    start = mesh.corners[sides].astype(np.int64)
    end = mesh.corners[mesh.connectivity.following[sides]].astype(np.int64)
    ahead = dict(zip(start.tolist(), end.tolist(), strict=True))
    if not len(sides):
        raise ValueProblem(
            "All faces of a closed body are picked: there is no border.", field="pick", hint="Pick some of them."
        )
    loop = [int(start[np.argmin(sides)])]
    while (here := ahead.get(loop[-1], loop[0])) != loop[0] and len(loop) <= len(sides):
        loop.append(here)
    if len(loop) != len(sides) or len(ahead) != len(sides):
        raise ValueProblem(
            "Picked faces are no disc: they have a hole, touch themselves in a point, or look opposite ways.", field="pick",
            hint="Pick the faces within it too, or fewer.", places=[_three(mesh.points[loop[0]])],
        )  # fmt: skip
    return np.array(loop, dtype=np.int64)


def circle_through(flat: Floats) -> tuple[Floats, float]:
    """Return the middle (2,) and the radius of the circle that points (m, 2) are nearest to, by least squares.

    The algebraic fit of I. Kåsa 1976, improved by Gauss and Newton's steps to the least sum of squared distances.
    """
    middle = flat.mean(axis=0)
    p = flat - middle
    a = np.column_stack([2 * p, np.ones(len(p))])
    x = np.linalg.lstsq(a, (p * p).sum(axis=1), rcond=None)[0]
    centre, radius = x[:2], float(np.sqrt(max(x[2] + x[:2] @ x[:2], 0.0)))
    for _ in range(20):
        rel = p - centre
        far = np.maximum(np.linalg.norm(rel, axis=1), 1e-300)
        j = np.column_stack([-rel / far[:, None], -np.ones(len(p))])
        step = np.linalg.lstsq(j, -(far - radius), rcond=None)[0]
        centre, radius = centre + step[:2], radius + float(step[2])
        if np.abs(step).max() <= 1e-15 * max(radius, 1e-300):
            break
    return middle + centre, radius


def _three(p: Floats) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])
