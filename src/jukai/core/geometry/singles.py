"""Many plain faces that each leave their body by themselves: the same as ``pull_to`` of ``foot_of_each``, in one pass."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jukai.core.geometry._singles import singles_built, singles_room
from jukai.core.geometry.arrays import Array, Bools
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Lineage, Mesh, Topology

__all__ = ["Singles", "singles_of"]


@dataclass(frozen=True, slots=True, eq=False)
class Singles:
    """Faces that each go by themselves.

    Attributes
    ----------
    mesh, faces : the body, and which (k,).
    room : how far their borders can move in, mm.
    tightest : the face for which that is.
    """

    mesh: Mesh
    faces: Array
    room: float
    tightest: int

    def foremost(self) -> Bools:
        """Return (f,) the one face that looks most at who looks at a part as it is shown first."""
        mesh = self.mesh
        first = mesh.points[mesh.corners[mesh.offsets[self.faces]]]
        out = np.zeros(mesh.n_faces, dtype=bool)
        out[self.faces[int(np.argmax(np.round(first @ [0.35, -0.8, 0.5], 9)))]] = True
        return out

    def pulled(
        self,
        distance: float,
        inset: float,
        step: str,
        *,
        groups: tuple[str, str],
        of_themselves: bool,
        goes_on: bool,
        finish: str | None,
    ) -> Mesh:
        """Return the body with its faces risen by ``distance`` and their borders moved in by ``inset``.

        Parameters
        ----------
        groups : names of the walls and of the moved faces.
        of_themselves : walls go on from the faces whose border they are; else from those beside.
        goes_on : texture goes on over the walls as the faces had it.
        finish : of the walls.
        """
        mesh, faces = self.mesh, self.faces
        m, n = int(mesh.sides[faces].sum()), mesh.n_points
        c = len(mesh.corners)
        points = np.empty((n + m, 3))
        points[:n] = mesh.points
        corners = np.empty(c + 4 * m, np.int32)
        corners[:c] = mesh.corners
        uv = np.empty((c + 4 * m if mesh.uv is not None else 0, 2))
        if mesh.uv is not None:
            uv[:c] = mesh.uv
        singles_built(
            mesh.points, mesh.corners, mesh.offsets, faces, face_normals(mesh), np.zeros((0, 2)) if mesh.uv is None else mesh.uv, distance, inset,
            goes_on, n, points[n:], corners[:c], corners[c:].reshape(-1, 4), uv[:c], uv[c:].reshape(-1, 4, 2),
        )  # fmt: skip
        offsets = np.empty(mesh.n_faces + m + 1, np.int32)
        offsets[: mesh.n_faces + 1] = mesh.offsets
        offsets[mesh.n_faces + 1 :] = np.arange(c + 4, c + 4 * m + 1, 4, dtype=np.int32)
        parents = np.repeat(faces, mesh.sides[faces])
        if not of_themselves:
            parents = self._beside()
        lineage, rows = self._history(parents, step, groups)
        names, finishes = self._finishes(parents, finish)
        soft = None if mesh.face_soft is None else np.concatenate([mesh.face_soft, np.zeros(m, bool)])
        return replace(
            mesh, points=points, corners=corners, offsets=offsets, lineage=lineage, face_lineage=rows, finishes=names, face_finish=finishes,
            face_soft=soft, uv=None if mesh.uv is None else uv, _cache={}, _topology=Topology(),
        )  # fmt: skip

    def _beside(self) -> Array:
        from jukai.core.geometry.rebuilding import corners_of

        mesh = self.mesh
        twin = mesh.connectivity.twins[corners_of(mesh, self.faces)]
        return np.where(twin >= 0, mesh.corner_faces[np.maximum(twin, 0)], -1)

    def _history(self, parents: Array, step: str, groups: tuple[str, str]) -> tuple[Lineage, Array]:
        mesh = self.mesh
        own = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
        rows = np.append(own, np.int32(-1))
        out = np.empty(mesh.n_faces + len(parents), np.int32)
        out[: mesh.n_faces] = own
        table: list[tuple[str, str, int]] = []
        base = len(mesh.lineage.rows)
        for name, of, into in (
            (groups[1], rows[self.faces], None),
            (groups[0], rows[parents], slice(mesh.n_faces, None)),
        ):
            each = np.flatnonzero(np.bincount(of + 1)) - 1
            number = np.zeros(base + 1, np.int32)
            number[each] = base + len(table) + np.arange(len(each))
            table += [(step, name, int(p)) for p in each]
            out[self.faces if into is None else into] = number[of]
        return mesh.lineage.extended(table)[0], out

    def _finishes(self, parents: Array, finish: str | None) -> tuple[tuple[str, ...], Array | None]:
        mesh = self.mesh
        if mesh.face_finish is None and finish is None:
            return mesh.finishes, None
        own = np.append(mesh.face_finish if mesh.face_finish is not None else np.full(mesh.n_faces, -1, np.int32), -1)
        names = mesh.finishes if finish is None or finish in mesh.finishes else (*mesh.finishes, finish)
        walls = own[parents] if finish is None else np.full(len(parents), names.index(finish))
        return names, np.concatenate([own[:-1], walls]).astype(np.int32)


def singles_of(mesh: Mesh, picked: Bools) -> Singles | None:
    """Return picked faces (f,), or None where they, or the body, are not plain.

    Plain faces are convex, have no straight corner and a neighbour; a plain body carries nothing on its points and edges.
    """
    if mesh.edge_pairs is not None or mesh.point_data:
        return None
    faces = np.flatnonzero(picked)
    room, tightest, plain = singles_room(
        mesh.points, mesh.corners, mesh.offsets, mesh.connectivity.twins, faces, face_normals(mesh)
    )
    return Singles(mesh, faces, float(room), int(tightest)) if plain else None
