"""Elements that were picked by hand: how they are written down, and found again on a body that has changed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.elements import belonging, centres, element_normals, rows_of
from jukai.core.geometry.mesh import Mesh
from jukai.core.json_data import JsonObject

__all__ = ["Sought", "alike_in_history", "element_of", "find_elements"]

_REACH = 0.05
"""Share of the body's size within which an element picked by hand is looked for."""
_MANY = 2_000_000
"""Pairs of sought and present elements from which a tree finds the near ones."""
_NEAREST = 24
_ALIKE = 0.2
"""Least cosine between the normals of an element and of what may be taken for it."""


@dataclass(frozen=True, slots=True, eq=False)
class Sought:
    """An element as it was written down: place, normal (zeros where none was given), lineage."""

    at: Floats
    normal: Floats
    trail: tuple[tuple[str, ...], ...] = ()


def find_elements(
    mesh: Mesh, kind: str, rows: Sequence[Sought]
) -> tuple[NDArray[np.int64], list[tuple[float, float, float]]]:
    """Return the elements meant, sorted, and the places of those that are lost.

    For each the nearest within a twentieth of the body's size that faces the same way; another
    history counts as half that reach farther away. No element is taken twice.
    """
    if not rows or rows_of(mesh, kind) == 0:
        return np.zeros(0, np.int64), []
    at, normals = centres(mesh, kind), element_normals(mesh, kind)
    reach = _REACH * max(mesh.size, 1e-300)
    taken: set[int] = set()
    lost: list[tuple[float, float, float]] = []
    trails = _Trails(mesh, kind)
    for row, near in zip(rows, _near(at, np.array([r.at for r in rows]), reach), strict=False):
        gap = np.sqrt(((at[near] - row.at) ** 2).sum(axis=1))
        gap = np.where((normals[near] @ row.normal < _ALIKE) & bool(row.normal.any()), np.inf, gap)
        if row.trail:
            gap = gap + np.where(trails.has(row.trail)[near], 0.0, reach / 2)
        best = int(np.argmin(gap)) if len(gap) else -1
        if best >= 0 and gap[best] <= reach and int(near[best]) not in taken:
            taken.add(int(near[best]))
        else:
            lost.append((float(row.at[0]), float(row.at[1]), float(row.at[2])))
    return np.array(sorted(taken), dtype=np.int64), lost


def _near(at: Floats, sought: Floats, reach: float) -> Iterator[NDArray[np.int64]]:
    """Yield for each place sought the elements that may be meant, in order of number."""
    if len(at) * len(sought) <= _MANY:
        every = np.arange(len(at))
        for _ in sought:
            yield every
        return
    from scipy.spatial import cKDTree

    tree = cKDTree(at)
    _, rows = tree.query(sought, k=min(_NEAREST, len(at)), distance_upper_bound=reach)
    for row in rows:
        yield np.sort(row[row < len(at)])


@dataclass(slots=True)
class _Trails:
    """Which elements have a face of some history."""

    mesh: Mesh
    kind: str
    kept: dict[str, Bools] = field(default_factory=dict)

    def has(self, trail: tuple[tuple[str, ...], ...]) -> Bools:
        key = repr(trail)
        if key not in self.kept:
            mesh = self.mesh
            rows = [i for i in range(len(mesh.lineage.rows)) if tuple(mesh.lineage.trail(i)) == trail]
            none = np.zeros(mesh.n_faces, dtype=bool)
            faces = none if mesh.face_lineage is None else np.isin(mesh.face_lineage, rows)
            self.kept[key] = belonging(mesh, faces, "faces", self.kind)
        return self.kept[key]


def alike_in_history(mesh: Mesh, kind: str, element: Mapping[str, object]) -> Bools:
    """Return the elements that have come from where one written down has, and face its way, as far as that is known."""
    out = np.ones(rows_of(mesh, kind), dtype=bool)
    written = element.get("lineage")
    trail = tuple(tuple(t) for t in written if isinstance(t, list)) if isinstance(written, list) else ()
    if trail:
        out &= _Trails(mesh, kind).has(trail)
    normal = element.get("normal")
    if (
        isinstance(normal, list)
        and len(normal) == 3
        and all(isinstance(x, int | float) for x in normal)
        and any(normal)
    ):
        out &= element_normals(mesh, kind) @ np.array(normal, dtype=np.float64) > _ALIKE
    return out


def element_of(mesh: Mesh, kind: str, which: int) -> JsonObject:
    """Return how an element is written in a pick by hand: where it is, which way it faces, where its first face has come from."""
    out: JsonObject = {"at": [float(f"{x:.9g}") for x in centres(mesh, kind)[which]]}
    if kind != "points":
        out["normal"] = [float(f"{x:.9g}") for x in element_normals(mesh, kind)[which]]
    con = mesh.connectivity
    if kind == "faces":
        corner = mesh.offsets[which]
    elif kind == "edges":
        corner = np.flatnonzero(con.corner_edge == which)[0]
    else:
        corner = con.point_corners[con.point_offsets[which]]
    if mesh.face_lineage is not None:
        row = int(mesh.face_lineage[mesh.corner_faces[corner]])
        if row >= 0:
            out["lineage"] = [list(t) for t in mesh.lineage.trail(row)]
    return out
