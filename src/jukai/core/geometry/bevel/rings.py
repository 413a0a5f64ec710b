"""The faces round the points that picked edges meet, and what widths do to them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.bevel._rings import met, touched, walk
from jukai.core.geometry.bevel._sectors import Faces, Ring, Strips, sectors
from jukai.core.geometry.bevel._widths import parting, shrinking
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.results import Follow, Sectors
from jukai.core.geometry.connectivity import previous_corners
from jukai.core.geometry.measures import edge_turns, face_normals
from jukai.core.geometry.mesh import Mesh

__all__ = ["Rings"]

_PLAIN = 600
"""Corners up to which the loops run as they are: loading the compiler would take longer."""
_FLAT = 1 - 1e-10


class Rings:
    """The rings of faces round the points that picked edges meet; widths come later."""

    def __init__(
        self,
        mesh: Mesh,
        picked: Bools,
        options: Bevel,
        tell: Callable[[float], None] = lambda _: None,
        gives: Bools | None = None,
    ) -> None:
        self.mesh, self.picked, self.options, self.tell = mesh, picked, options, tell
        self.gives = np.zeros(mesh.connectivity.n_edges, dtype=bool) if gives is None else gives
        self.across = True  # strips end across themselves where creases go straight on
        self.follow: Follow | None = None  # what is to be found again in the bevelled body
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
            where = np.unique(con.edges[self.edges]).astype(np.int64)
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
        at: Sectors = run(self.body, self.rings, self._strips(width), _FLAT)
        return at

    def _strips(self, width: Floats) -> Strips:
        return Strips(self.picked, self.firm, width, self.turn, self.gives, self.across)

    def limits(self, at: Sectors, width: Floats) -> tuple[Floats, float]:
        """Return (e,) how wide each strip may be for the faces beside it, and the share of the widths that fits all."""
        mesh, con = self.mesh, self.mesh.connectivity
        limit = np.full(con.n_edges, np.inf)
        one, two = (shrinking.plain, parting.plain) if self.plain else (shrinking, parting)
        fits = one(self.sides, self.body, self.position, self.begins, at, width, limit)
        other = two(self.faces, self.body, mesh.offsets, self.position, self.begins, at, width, limit)
        return limit, min(float(fits), float(other))
