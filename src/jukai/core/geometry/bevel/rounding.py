"""Edges become strips, corners become patches or creases: the bevel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.bevel._rings import met, touched, walk
from jukai.core.geometry.bevel._sectors import Faces, Ring, Strips, sectors
from jukai.core.geometry.bevel._widths import parting, shrinking
from jukai.core.geometry.bevel.building import Building
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.limits import cleared, limited, searched
from jukai.core.geometry.bevel.results import Rounded, Sectors
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.measures import edge_turns, face_normals
from jukai.core.geometry.mesh import Mesh

__all__ = ["Bevel", "Rings", "count_faces", "offsets_for", "round_edges"]

_PLAIN = 600
"""Corners up to which the loops run as they are: loading the compiler would take longer."""
_FLAT = 1 - 1e-10
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
        return Rounded(mesh, np.zeros(con.n_edges, bool), width, np.zeros((0, 3)))
    tell(0.1)
    rings = Rings(mesh, picked, options, tell)
    tell(0.3)
    stopped = np.zeros(con.n_edges, bool)
    at = rings.sectors(width)
    limit, fits = rings.limits(at, width)
    tell(0.4)
    if options.stop and fits < 1:
        width, stopped, at = limited(rings, width, at, limit)
    out = replace(rings.build(at, width, step, touching=fits < _TOUCHING), fits=fits, stopped=stopped, width=width)
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


class Rings:
    """The rings of faces round the points that picked edges meet; widths come later."""

    def __init__(
        self, mesh: Mesh, picked: Bools, options: Bevel, tell: Callable[[float], None] = lambda _: None
    ) -> None:
        self.mesh, self.picked, self.options, self.tell = mesh, picked, options, tell
        self.turn = edge_turns(mesh)
        con = mesh.connectivity
        self.before = previous_corners(mesh.offsets)
        self.normals = face_normals(mesh)
        self.firm = con.edge_sides > 2
        self.firm[mesh.against] = True
        self.edges = np.flatnonzero(picked)
        self.body = Faces(
            mesh.points, mesh.corners, con.following, self.before, mesh.corner_faces, con.corner_edge, self.normals
        )
        if len(self.edges) > _PLAIN:
            where = met(con.edges, self.edges, mesh.n_points)
        else:
            where = np.unique(con.edges[self.edges])
        room = int((con.point_offsets[where + 1] - con.point_offsets[where]).sum())
        self.plain = room <= _PLAIN
        self.ring, self.starts, self.closes = walk.choose(room, _PLAIN)(
            mesh.corners, con.following, self.before, con.twins, con.point_offsets, con.point_corners, con.corner_edge, picked, where, room
        )  # fmt: skip
        self.rings = Ring(self.ring, self.starts, self.closes)
        run = touched.plain if self.plain else touched
        # where corners stand in the rings; the sides that change with the widths, and the faces that have them
        self.position, self.begins, self.sides, self.faces = run(
            self.ring, self.starts, self.before, mesh.corner_faces, len(mesh.corners), mesh.n_faces
        )

    def sectors(self, width: Floats) -> Sectors:
        """Return where borders meet for these widths."""
        run = sectors.plain if self.plain else sectors
        at: Sectors = run(self.body, self.rings, Strips(self.picked, self.firm, width, self.turn), _FLAT)
        return at

    def limits(self, at: Sectors, width: Floats) -> tuple[Floats, float]:
        """Return (e,) how wide each strip may be for the faces beside it, and the share of the widths that fits all."""
        mesh, con = self.mesh, self.mesh.connectivity
        limit = np.full(con.n_edges, np.inf)
        one, two = (shrinking.plain, parting.plain) if self.plain else (shrinking, parting)
        fits = one(self.sides, self.body, self.position, self.begins, at, width, limit)
        other = two(self.faces, self.body, mesh.offsets, self.position, self.begins, at, width, limit)
        return limit, min(float(fits), float(other))

    def build(self, at: Sectors, width: Floats, step: str, *, touching: bool) -> Rounded:
        """Return the rounded body; ``touching`` where faces may have shrunk to nothing or meet themselves."""
        return Building(self, at, width, touching=touching).rounded(step)
