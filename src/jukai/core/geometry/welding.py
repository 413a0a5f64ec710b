"""Points that stand close to each other made one; faces that all look outward."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.components import components
from jukai.core.geometry.measures import vector_areas
from jukai.core.geometry.mesh import Mesh, Topology
from jukai.core.geometry.rebuilding import turned_over

__all__ = ["Welded", "outward", "renumbered", "welded"]


@dataclass(frozen=True, slots=True, eq=False)
class Welded:
    """A body whose points were welded.

    Attributes
    ----------
    points : how many became one with others.
    flattened : how many faces had nothing left.
    back : (f,) which faces of the body before lay back to back and went.
    """

    mesh: Mesh
    points: int
    flattened: int
    back: Bools

    @property
    def doubled(self) -> int:
        """How many faces lay back to back."""
        return int(self.back.sum())


def welded(mesh: Mesh, distance: float, which: Bools | None = None) -> Welded:
    """Make points one that lie within a distance of each other, also by way of others between them.

    They come to stand in their middle; those at the very same place stay exactly there.

    Parameters
    ----------
    distance : mm; 0 for points at the very same place.
    which : (n,) points that may be welded, all by default.
    """
    ids = np.flatnonzero(mesh.used_points if which is None else mesh.used_points & which)
    a, b = _near(mesh.points[ids], distance)
    label = components(len(ids), a, b)
    group = np.arange(mesh.n_points)
    first = np.full(int(label.max(initial=-1)) + 1, -1, dtype=np.int64)
    first[label[::-1]] = ids[::-1]
    group[ids] = first[label]
    place = mesh.points.copy()
    count = np.bincount(label, minlength=len(first))
    many = np.flatnonzero(count[label] > 1)
    if len(many):
        rel = mesh.points[ids[many]] - mesh.points[first[label[many]]]
        sums = np.stack([np.bincount(label[many], rel[:, k], len(first)) for k in range(3)], axis=1)
        place[first] = np.where(
            (count > 1)[:, None], mesh.points[first] + sums / np.maximum(count, 1)[:, None], place[first]
        )
    return renumbered(mesh, group, place)


def _near(points: Floats, distance: float) -> tuple[Array, Array]:
    """Return pairs of points within a distance."""
    if distance <= 0:
        order = np.lexsort(points.T)
        same = (points[order][1:] == points[order][:-1]).all(axis=1)
        return order[:-1][same], order[1:][same]
    from scipy.spatial import cKDTree

    pairs = cKDTree(points).query_pairs(distance, output_type="ndarray")
    pairs = pairs[np.lexsort(pairs.T[::-1])]
    return pairs[:, 0], pairs[:, 1]


def renumbered(mesh: Mesh, group: Array, places: Floats | None = None) -> Welded:
    """Return a body in which every point is replaced by that of the number ``group`` gives for it.

    Corners that come to be twice the same in a row are one; faces of fewer than three go, and so do two that lie back to
    back on the same points.
    """
    corners = group[mesh.corners]
    con_next = mesh.connectivity.following
    stay = corners != corners[con_next]
    sides = np.add.reduceat(stay.astype(np.int64), mesh.offsets[:-1]) if mesh.n_faces else np.zeros(0, np.int64)
    flat = sides < 3
    back = _back_to_back(mesh, group, corners, stay, sides)
    keep = ~flat & ~back
    stay &= keep[mesh.corner_faces]
    used = np.zeros(mesh.n_points, dtype=bool)
    used[corners[stay]] = True
    used |= ~mesh.used_points
    number = np.cumsum(used) - 1
    pairs, edge_data = mesh.edge_pairs, dict(mesh.edge_data)
    if pairs is not None:
        ends = np.sort(group[pairs], axis=1)
        fine = (ends[:, 0] != ends[:, 1]) & used[ends].all(axis=1)
        ends, row = np.unique(number[ends[fine]], axis=0, return_index=True)
        pairs, edge_data = ends.astype(np.int32), {k: t[fine][row] for k, t in edge_data.items()}
    out = replace(
        mesh,
        points=(mesh.points if places is None else places)[used],
        corners=number[corners[stay]].astype(np.int32),
        offsets=np.concatenate([[0], np.cumsum(sides[keep])]).astype(np.int32),
        face_lineage=None if mesh.face_lineage is None else mesh.face_lineage[keep],
        face_finish=None if mesh.face_finish is None else mesh.face_finish[keep],
        face_soft=None if mesh.face_soft is None else mesh.face_soft[keep],
        uv=None if mesh.uv is None else mesh.uv[stay],
        edge_pairs=pairs,
        edge_data=edge_data,
        point_data={name: table[used] for name, table in mesh.point_data.items()},
        _cache={},
        _topology=Topology(),
    )
    gone = mesh.used_points & (group != np.arange(mesh.n_points))
    return Welded(out, int(gone.sum()), int(flat.sum()), back)


def _back_to_back(mesh: Mesh, group: Array, corners: Array, stay: Bools, sides: Array) -> Bools:
    """Return which faces lie on the same points as exactly one other, the other way round."""
    out = np.zeros(mesh.n_faces, dtype=bool)
    if not mesh.n_faces:
        return out
    shared = np.bincount(group[mesh.used_points], minlength=mesh.n_points) > 1
    touched = np.logical_and.reduceat(shared[corners], mesh.offsets[:-1])
    area = vector_areas(mesh)
    start = np.concatenate([[0], np.cumsum(stay)])
    rows = corners[stay]
    for n in np.unique(sides[touched & (sides >= 3)]).tolist():
        faces = np.flatnonzero((sides == n) & touched)
        ring = np.sort(rows[start[mesh.offsets[faces]][:, None] + np.arange(n)], axis=1)
        _, which, count = np.unique(ring, axis=0, return_inverse=True, return_counts=True)
        two = np.flatnonzero(count[which] == 2)
        pairs = two[np.argsort(which[two], kind="stable")].reshape(-1, 2)
        against = (area[faces[pairs[:, 0]]] * area[faces[pairs[:, 1]]]).sum(axis=1) < 0
        out[faces[pairs[against]].ravel()] = True
    return out


def outward(mesh: Mesh) -> tuple[Mesh, int, int]:
    """Return a body whose faces agree with those beside them and look outward, how many were turned over, and how many pieces can't agree.

    Closed pieces look outward, each by itself; open ones as most of their area did.
    """
    con, f = mesh.connectivity, mesh.n_faces
    here = np.flatnonzero(con.twins > np.arange(len(con.twins)))
    there = con.twins[here]
    a, b = mesh.corner_faces[here].astype(np.int64), mesh.corner_faces[there].astype(np.int64)
    same = mesh.corners[here] == mesh.corners[there]
    # each face stands twice, as it is and turned over; what agrees hangs together
    label = components(
        2 * f, np.concatenate([a, a + f]), np.concatenate([np.where(same, b + f, b), np.where(same, b, b + f)])
    )
    torn = label[:f] == label[f:]
    over = (label[:f] > label[f:]) & ~torn
    piece = np.minimum(label[:f], label[f:])
    number = np.unique(piece, return_inverse=True)[1]
    count = int(number.max(initial=-1)) + 1
    sign = np.where(over, -1.0, 1.0)
    area = vector_areas(mesh)
    spot = np.zeros((count, 3))
    first = mesh.points[mesh.corners[mesh.offsets[:-1]]]
    spot[number[::-1]] = first[::-1]
    volume = np.bincount(number, ((first - spot[number]) * area).sum(axis=1) * sign, count)
    open_ = np.zeros(count, dtype=bool)
    open_[number[mesh.corner_faces[con.twins < 0]]] = True
    majority = np.bincount(number, np.linalg.norm(area, axis=1) * sign, count)
    wrong = np.where(open_, majority < 0, volume < 0)
    over ^= wrong[number] & ~torn
    lost = len(np.unique(number[torn]))
    return (turned_over(mesh, over) if over.any() else mesh), int(over.sum()), lost
