"""The five Platonic solids of edge 1, made from their coordinates (Coxeter, Regular Polytopes, 1973)."""

from __future__ import annotations

from itertools import product

import numpy as np
from scipy.spatial import ConvexHull

from jukai.core.geometry.mesh import Mesh

__all__ = ["PLATONIC", "platonic"]

PLATONIC = ("tetrahedron", "cube", "octahedron", "dodecahedron", "icosahedron")


def _points(name: str) -> np.ndarray:
    g = (1 + np.sqrt(5)) / 2
    cube = np.array(list(product((-1.0, 1.0), repeat=3)))
    if name == "tetrahedron":
        return cube[[0, 3, 5, 6]]
    if name == "cube":
        return cube
    if name == "octahedron":
        return np.concatenate([np.eye(3), -np.eye(3)])
    if name == "icosahedron":
        flat = np.array([[0, a, b * g] for a in (-1, 1) for b in (-1, 1)])
        return np.concatenate([np.roll(flat, k, axis=1) for k in range(3)])
    flat = np.array([[0, a / g, b * g] for a in (-1, 1) for b in (-1, 1)])
    return np.concatenate([cube, *(np.roll(flat, k, axis=1) for k in range(3))])


def platonic(name: str) -> Mesh:
    """Return one of them; triangles of the hull in one plane are put together to a face."""
    p = _points(name)
    hull = ConvexHull(p)
    planes = np.unique(np.round(hull.equations, 9), axis=0)
    faces = []
    for plane in planes:
        ring = np.flatnonzero(np.abs(p @ plane[:3] + plane[3]) < 1e-6)
        u = p[ring[0]] - p[ring].mean(axis=0)
        v = np.cross(plane[:3], u)
        rel = p[ring] - p[ring].mean(axis=0)
        faces.append(ring[np.argsort(np.arctan2(rel @ v, rel @ u))].tolist())
    mesh = Mesh.from_faces(p, faces)
    ends = mesh.points[mesh.connectivity.edges]
    return mesh.with_points(p / np.linalg.norm(ends[0, 1] - ends[0, 0]))
