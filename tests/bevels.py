"""Bevels as tests ask for them."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.results import Rounded
from jukai.core.geometry.bevel.rounding import round_edges
from jukai.core.geometry.mesh import Mesh
from tests.common import cube

__all__ = ["box", "lengths", "rounded"]


def lengths(mesh: Mesh) -> np.ndarray:
    ends = mesh.points[mesh.connectivity.edges]
    return np.asarray(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1))


def rounded(mesh: Mesh, width: float, pick: Any = None, **how: Any) -> Rounded:
    n = mesh.connectivity.n_edges
    picked = np.ones(n, bool) if pick is None else np.asarray(pick)
    return round_edges(mesh, picked, np.full(n, width), Bevel(**how), "s9")


def box(x: float, y: float, z: float) -> Mesh:
    return cube().with_points(cube().points * [x, y, z])
