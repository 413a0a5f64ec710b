"""Saying that new faces run through others, where a step can tell it in a moment."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Bools
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import three

__all__ = ["crossing_notes", "made_by"]

_MOST_NEW, _MOST = 10_000, 40_000
"""Faces up to which it is looked for: it takes longer than most steps. The soundness report looks at bodies of any size."""


def made_by(mesh: Mesh, step: str, *groups: str) -> Bools:
    """Return (f,) which faces are of groups that a step has left."""
    out = np.zeros(mesh.n_faces, dtype=bool)
    for name in groups:
        out |= mesh.group_faces(step, name)
    return out


def crossing_notes(mesh: Mesh, fresh: Bools, what: str, field: str) -> list[Note]:
    """Return a warning where faces that are new, or have moved, run through others or lie on them; ``what`` names them."""
    count = int(fresh.sum())
    if not count or count > _MOST_NEW or mesh.n_faces > _MOST:
        return []
    from jukai.core.geometry.crossings import self_crossings

    found = self_crossings(mesh, fresh, contacts=True)
    if not len(found.pairs):
        return []
    number = len(found.pairs)
    verb = "pair of faces runs" if number == 1 else "pairs of faces run"
    text = f"{what}: {number} {verb} through each other or lie on each other."
    return [Note("warning", text, field=field, places=tuple(three(p) for p in found.places[:50]))]
