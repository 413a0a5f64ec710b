"""Bodies of a closed section carried along a path: wires, horns, rails."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jukai.core.geometry._lathe import quad_walls
from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.building import MeshBuilder
from jukai.core.geometry.kernels import FEW, kernel
from jukai.core.geometry.mesh import Mesh

__all__ = ["Rings", "Run", "count_tube", "lowest", "pointed", "skin", "tube"]


@dataclass(frozen=True, slots=True, eq=False)
class Run:
    """Where the sections of a tube stand.

    Attributes
    ----------
    centres : (k, 3) mm.
    across, up : (k, 3) unit vectors that span each section; their cross product points along the path.
    scale : (k,) how large the section is there; 0 at the first or last makes the tube end in a point.
    along : (k,) length of the path up to each section.
    """

    centres: Floats
    across: Floats
    up: Floats
    scale: Floats
    along: Floats


def count_tube(rows: int, sides: int, *, caps: bool = True) -> int:
    """Return the faces of a tube of ``rows`` rows round a section of ``sides`` points."""
    return rows * sides + 2 * caps


def pointed(run: Run, least: float) -> Run:
    """Return a run whose ends are points where the section is no larger there than ``least``."""
    scale = run.scale.copy()
    for end in (0, -1):
        if scale[end] <= least:
            scale[end] = 0.0
    return replace(run, scale=scale)


def lowest(run: Run, section: Floats) -> float:
    """Return how far down a tube reaches, mm, without making it."""
    sides = section @ np.stack([run.across[:, 2], run.up[:, 2]])
    return float((run.centres[:, 2] + run.scale * sides.min(axis=0)).min())


def tube(
    run: Run, section: Floats, step: str, *, closed: bool = False, capped: tuple[bool, bool] = (True, True)
) -> Mesh:
    """Carry a section along a path and return the body.

    Parameters
    ----------
    section : (n, 2) counter-clockwise, in units of ``run.scale``.
    closed : the last section leads on to the first; ``run.along`` has one length more then, of the whole.
    capped : whether its start and its end are flat faces, else it is open there.

    Notes
    -----
    Groups: ``walls``, ``start_cap`` and ``end_cap``; where the section has shrunk to nothing there is one point, and
    triangles round it.
    """
    k, n = len(run.centres), len(section)
    first = int(run.scale[0] == 0 and not closed)
    last = k - int(run.scale[-1] == 0 and not closed)
    parts = (run.centres[first:last], run.across[first:last], run.up[first:last], run.scale[first:last])
    places = np.empty((last - first, n, 3))
    if places.size > FEW:
        _placed(*(np.ascontiguousarray(a, dtype=np.float64) for a in (*parts, section)), places)
    else:
        flat = section[None] * parts[3][:, None, None]
        places[:] = parts[0][:, None] + flat[..., :1] * parts[1][:, None] + flat[..., 1:] * parts[2][:, None]
    step_of = np.linalg.norm(np.roll(section, -1, axis=0) - section, axis=1)
    u = np.concatenate([[0.0], np.cumsum(step_of)]) / max(float(step_of.sum()), 1e-300)
    u[-1] = 1.0
    reach = max(float(np.abs(section).max()), 1e-300)
    cap = 0.5 + section / (2 * reach)
    tips = (run.centres[0] if first else None, run.centres[-1] if last < k else None)
    v = run.along / max(float(run.along[-1]), 1e-300)
    return skin(
        Rings(places, u, v, tips, closed=closed), (cap if capped[0] else None, cap if capped[1] else None), step
    )


@dataclass(frozen=True, slots=True, eq=False)
class Rings:
    """Closed rings of as many points each, one behind the other; looking along them they run counter-clockwise.

    Attributes
    ----------
    places : (k, n, 3) mm.
    u : (n + 1,) texture coordinates round a ring, from 0 to 1.
    v : texture coordinate of each ring, and of the tips; of closed ones with one more for the first, come back to.
    tips : points in which they run out before the first and behind the last, None where they do not.
    """

    places: Floats
    u: Floats
    v: Floats
    tips: tuple[Floats | None, Floats | None] = (None, None)
    closed: bool = False


def skin(rings: Rings, caps: tuple[Floats | None, Floats | None], step: str) -> Mesh:
    """Return the body of rings: rows of four-sided faces, triangles at its tips, flat faces at its ends.

    ``caps`` are texture coordinates (n, 2) of the faces at the ends, None where it is to be open.
    """
    k, n = rings.places.shape[:2]
    build = MeshBuilder(4 * k * n + 8 * n)
    base = build.add_points(rings.places)
    u, v = rings.u, rings.v
    j = np.arange(n, dtype=np.int32)
    after = np.roll(j, -1)
    middle = (u[:-1] + u[1:]) / 2
    start, end = rings.tips
    if start is not None:
        tip = build.add_points(start[None])
        uv = np.stack([_uv(middle, v[0]), _uv(u[1:], v[1]), _uv(u[:-1], v[1])], axis=1)
        build.add_faces(np.column_stack([np.full(n, tip), base + after, base + j]), uv, "walls")
        v = v[1:]
    low = (base + n * np.arange(k if rings.closed else k - 1)).astype(np.int32)
    high = low + np.int32(n)
    if rings.closed:
        high[-1] = base
    corners, uv = build.room(len(low) * n, 4, "walls")
    bottom, top = v[: len(low)], v[1 : len(low) + 1]
    if rings.places.size > FEW:
        quad_walls(low, high, n, True, u, bottom, top, corners, uv)
    else:
        grid, grid_uv = corners.reshape(-1, n, 4), uv.reshape(-1, n, 4, 2)
        for i, (row, number) in enumerate(((low, j), (low, after), (high, after), (high, j))):
            grid[:, :, i] = row[:, None] + number
        grid_uv[:, :, 0, 0] = grid_uv[:, :, 3, 0] = u[:-1]
        grid_uv[:, :, 1, 0] = grid_uv[:, :, 2, 0] = u[1:]
        grid_uv[:, :, :2, 1] = bottom[:, None, None]
        grid_uv[:, :, 2:, 1] = top[:, None, None]
    behind = base + n * (k - 1)
    if end is not None:
        tip = build.add_points(end[None])
        uv = np.stack([_uv(u[:-1], v[-2]), _uv(u[1:], v[-2]), _uv(middle, v[-1])], axis=1)
        build.add_faces(np.column_stack([behind + j, behind + after, np.full(n, tip)]), uv, "walls")
    if start is None and caps[0] is not None and not rings.closed:
        build.add_faces((base + j)[None, ::-1], (caps[0] * [-1, 1] + [1, 0])[None, ::-1], "start_cap")
    if end is None and caps[1] is not None and not rings.closed:
        build.add_faces((behind + j)[None], caps[1][None], "end_cap")
    return build.build(step)


@kernel
def _placed(centres: Array, across: Array, up: Array, scale: Array, section: Array, out: Array) -> None:
    """Write the points (k, n, 3) of a section (n, 2) in the planes that ``across`` and ``up`` (k, 3) span at ``centres``."""
    for i in range(centres.shape[0]):
        size = scale[i]
        for j in range(section.shape[0]):
            x, y = section[j, 0] * size, section[j, 1] * size
            for a in range(3):
                out[i, j, a] = centres[i, a] + x * across[i, a] + y * up[i, a]


def _uv(u: Floats, v: float) -> Floats:
    return np.column_stack([u, np.full(len(u), v)])
