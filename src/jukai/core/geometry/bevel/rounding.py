"""Edges become strips, corners become patches or creases: the bevel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.bevel.building import build
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.limits import cleared, limited, searched
from jukai.core.geometry.bevel.results import Rounded
from jukai.core.geometry.bevel.rings import Rings
from jukai.core.geometry.mesh import Mesh

__all__ = ["Bevel", "count_faces", "offsets_for", "round_edges"]

_TOUCHING = 1 + 1e-6
"""Share of the widths that fits up to which faces may touch themselves."""


def offsets_for(turn: Floats, width: Floats, measured: str) -> Floats:
    """Return how far the border of a strip lies from the old edge, along each face.

    Parameters
    ----------
    turn : angle in radians by which the faces turn at the edge.
    width : mm, along each face (``leg``), straight across the strip (``face``) or radius of the arc.
    """
    half = np.minimum(turn / 2, np.pi / 2 - 1e-6)
    if measured == "face":
        return np.asarray(width / (2 * np.cos(half)))
    return np.asarray(width * np.tan(half)) if measured == "radius" else width


def count_faces(mesh: Mesh, picked: Bools, segments: int) -> int:
    """Return the faces to be expected, a little more than there will be."""
    ends = np.bincount(mesh.connectivity.edges[picked].ravel(), minlength=1)
    corners = ends[ends > 2]
    return (
        mesh.n_faces + int(picked.sum()) * segments + int(corners.sum()) * max(1, segments * segments // 4 + segments)
    )


def round_edges(
    mesh: Mesh, picked: Bools, width: Floats, options: Bevel, step: str, tell: Callable[[float], None] = lambda _: None
) -> Rounded:
    """Round edges of a mesh.

    Parameters
    ----------
    picked : (e,) the edges to round; each must have two faces that run opposite ways along it.
    width : (e,) mm from the edge to the strip's border along each face.
    step : names the new faces in the lineage: groups ``strips`` and ``corners``.
    tell : hears from 0 to 1 how far it is, and may raise to stop.

    Raises
    ------
    MeshProblem
        When an edge can't be rounded, with its place.

    Notes
    -----
    Round each point the borders of the strips meet in the faces between them (offset lines of a
    straight skeleton, Aichholzer et al. 1995); a strip is limited where a side of a face would
    shrink to nothing, which for faces that are not hollow is where its first neighbours meet.
    """
    con = mesh.connectivity
    _refuse(mesh, picked)
    if not picked.any():
        return Rounded(mesh, np.zeros(con.n_edges, bool), width, np.zeros((0, 3)), np.zeros(mesh.n_faces, bool))
    tell(0.1)
    rings = Rings(mesh, picked, options, tell)
    tell(0.3)
    stopped = np.zeros(con.n_edges, bool)
    at = rings.sectors(width)
    limit, fits = rings.limits(at, width)
    tell(0.4)
    if options.stop and fits < 1:
        width, stopped, at = limited(rings, width, at, limit)
    out = replace(build(rings, at, width, step, touching=fits < _TOUCHING), fits=fits, stopped=stopped, width=width)
    search = options.stop and searched(int(picked.sum()), out.mesh.n_faces, fits)
    return cleared(rings, out, step) if search else out


def _refuse(mesh: Mesh, picked: Bools) -> None:
    con = mesh.connectivity
    bad = con.edge_sides != 2
    bad[mesh.against] = True
    wrong = np.flatnonzero(bad & picked)
    if len(wrong) == 0:
        return
    e = wrong[0]
    sides = int(con.edge_sides[e])
    at = mesh.points[con.edges[e]].mean(axis=0)
    what = f"{sides} faces" if sides > 2 else "one face only" if sides == 1 else "two faces that look opposite ways"
    more = f" ({len(wrong)} such edges are picked)" if len(wrong) > 1 else ""
    raise MeshProblem(
        f"The edge at ({at[0]:.4g}, {at[1]:.4g}, {at[2]:.4g}) has {what}{more}: there is no strip between two faces.",
        hint="Leave it out of the pick, or mend the body there first.",
        places=[tuple(float(x) for x in mesh.points[con.edges[e]].mean(axis=0)) for e in wrong[:50]],
    )
