"""Saying that new faces run through others, where a step can tell it in a moment."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Bools
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import three

__all__ = ["crossing_notes", "flat_notes", "made_by"]

_MOST_NEW, _MOST = 30_000, 40_000
"""Faces up to which it is looked for: it takes longer than most steps. The soundness report looks at bodies of any size."""


def made_by(mesh: Mesh, step: str, *groups: str) -> Bools:
    """Return (f,) which faces are of groups that a step has left."""
    out = np.zeros(mesh.n_faces, dtype=bool)
    for name in groups:
        out |= mesh.group_faces(step, name)
    return out


def crossing_notes(mesh: Mesh, made: Bools | tuple[str, ...], what: str, field: str) -> list[Note]:
    """Return a warning where faces that are new, or have moved, run through others or lie on them; ``what`` names them.

    ``made`` says which they are: (f,), or the step and its groups that they are of.
    """
    if mesh.n_faces > _MOST:
        return []
    from jukai.core.geometry.crossings import self_crossings
    from jukai.core.geometry.soundness import folded_edges

    fresh = made_by(mesh, *made) if isinstance(made, tuple) else made
    count = int(fresh.sum())
    if not count or count > _MOST_NEW:
        return []
    found = self_crossings(mesh, fresh, contacts=True)
    con = mesh.connectivity
    near = np.zeros(con.n_edges, dtype=bool)
    near[con.corner_edge[fresh[mesh.corner_faces]]] = True
    folded = folded_edges(mesh)
    folded = folded[near[folded]]
    number = len(found.pairs) + len(folded)
    if not number:
        return []
    places = np.concatenate([found.places, mesh.points[con.edges[folded]].mean(axis=1)])
    verb = "pair of faces runs" if number == 1 else "pairs of faces run"
    text = f"{what}: {number} {verb} through each other or lie on each other."
    return [Note("warning", text, field=field, places=tuple(three(p) for p in places[:50]))]


def flat_notes(mesh: Mesh, field: str) -> list[Note]:
    """Return a warning where faces have no area, or lie on those beside them."""
    from jukai.core.geometry.soundness import faces_without_area, folded_edges, folded_faces

    if mesh.n_faces > _MOST:
        return []
    con = mesh.connectivity
    bare, bent, edges = faces_without_area(mesh), folded_faces(mesh), folded_edges(mesh)
    faces = np.union1d(bare, bent).astype(np.int64)
    if not len(faces) and not len(edges):
        return []
    places = np.concatenate(
        [mesh.points[mesh.corners[mesh.offsets[faces]]], mesh.points[con.edges[edges]].mean(axis=1)]
    )
    text = f"{len(places)} faces have no area or lie on those beside them."
    return [Note("warning", text, field=field, places=tuple(three(p) for p in places[:50]))]
