"""Open borders of a body, end to end."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry._slices import follow_chains
from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh

__all__ = ["Rim", "outward_along", "rims_of"]


@dataclass(frozen=True, slots=True, eq=False)
class Rim:
    """One border, as it runs along its faces: these lie to its left.

    Attributes
    ----------
    points : (k,) along it; the last leads on to the first where it is closed.
    corners : (k,) or (k - 1,) the corner of the face beside, at the beginning of each of its edges.
    closed : whether it comes back to where it begins.
    """

    points: Array
    corners: Array
    closed: bool


def rims_of(mesh: Mesh, edges: Bools | None = None, *, whole: bool = False) -> list[Rim]:
    """Return the borders, in order of their lowest corner.

    Parameters
    ----------
    edges : (e,) those that count; all by default.
    whole : a border counts in full where one of its edges does.
    """
    con = mesh.connectivity
    side = np.flatnonzero(con.twins < 0)
    side = side[con.edge_sides[con.corner_edge[side]] == 1]
    picked = None if edges is None else edges[con.corner_edge]
    if picked is not None and not whole:
        side = side[picked[side]]
    if not len(side):
        return []
    start, end = mesh.corners[side].astype(np.int64), mesh.corners[con.following[side]].astype(np.int64)
    nodes, offsets, closed = follow_chains(start, end, mesh.n_points)
    # the corner at which each edge of a chain begins: chains take the edges in the order of their corners
    order = np.lexsort((side, end, start))
    key = start[order] * mesh.n_points + end[order]
    out = []
    for i in range(len(closed)):
        run = nodes[offsets[i] : offsets[i + 1]]
        ahead = np.roll(run, -1) if closed[i] else run[1:]
        here = run if closed[i] else run[:-1]
        corner = side[order[np.searchsorted(key, here * mesh.n_points + ahead)]]
        if whole and picked is not None and not picked[corner].any():
            continue
        first = int(np.argmin(corner)) if closed[i] else 0
        out.append(Rim(np.roll(run, -first), np.roll(corner, -first), bool(closed[i])))
    return sorted(out, key=lambda r: int(r.corners.min()))


def outward_along(mesh: Mesh, rim: Rim) -> Floats:
    """Return (k, 3) the way, of length 1, in which the faces beside would go on over each point of a border."""
    p = mesh.points[rim.points]
    ahead = (np.roll(p, -1, axis=0) if rim.closed else p[1:]) - (p if rim.closed else p[:-1])
    way = np.cross(ahead, face_normals(mesh)[mesh.corner_faces[rim.corners]])
    way /= np.maximum(np.linalg.norm(way, axis=1), 1e-300)[:, None]
    both = way + np.roll(way, 1, axis=0) if rim.closed else np.concatenate([way[:1], way[1:] + way[:-1], way[-1:]])
    return np.asarray(both / np.maximum(np.linalg.norm(both, axis=1), 1e-300)[:, None])
