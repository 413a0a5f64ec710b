"""A bevelled body put together: its faces cleaned up, its points numbered anew, its attributes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.bevel.cleaning import Body, cleaned
from jukai.core.geometry.measures import face_normals, vector_areas
from jukai.core.geometry.mesh import Lineage, Mesh
from jukai.core.json_data import JsonObject

__all__ = ["CORNERS", "STRIPS", "Bevel", "New", "body_of", "run_on", "turned_faces"]

STRIPS, CORNERS = 0, 1


@dataclass(frozen=True, slots=True)
class Bevel:
    """How edges are rounded.

    Attributes
    ----------
    segments, roundness : n chords, and the section from hollow (-1) by flat and round to sharp (2).
    stop : whether strips stop where their neighbours meet.
    mitre : whether strips that meet in a corner run on to creases there, instead of to a patch.
    finish : finish of the new faces; None for that of the faces beside them.
    sharp : whether the borders of the strips are marked as sharp edges.
    cut_texture : whether strips have texture coordinates of their own, 0 to 1 across and along.
    keep_flats : whether normals of new faces give way, so that what was flat stays flat in the shading.
    """

    segments: int = 3
    roundness: float = 1.0
    stop: bool = True
    mitre: bool = False
    finish: str | None = None
    sharp: bool = False
    cut_texture: bool = False
    keep_flats: bool = True


@dataclass(slots=True, eq=False)
class New:
    """What a bevel adds, behind the faces that are kept.

    Attributes
    ----------
    strips, corners : how many faces of each group, in this order.
    beside : (edges,) the old face that each strip follows on; strips of ``n`` faces each, one after the other.
    borders : (k, 2) the edges where new faces begin.
    first : number of the first new point.
    close : faces that may touch themselves.
    look : faces that may have shrunk; None for all.
    whole : whether it is certain that nothing shrank to nothing.
    told : whether to find out which faces are not as they were; all count as such else.
    follow : (k, 2) pairs of points whose numbers in the finished body are asked for.
    """

    strips: int
    corners: int
    beside: Ints
    borders: Array
    first: int
    close: Array | None = None
    look: Array | None = None
    whole: bool = False
    told: bool = False
    follow: Array | None = None

    def each(self, values: Ints) -> Ints:
        """Return (strips,) what holds for each face of the strips whose ``values`` are (edges,)."""
        return np.repeat(values, self.strips // len(values)) if len(values) else values


def body_of(mesh: Mesh, body: Body, new: New, marks: Array, options: Bevel, step: str) -> tuple[Mesh, Bools, Array]:
    """Return the new body as a mesh, which of its faces are not as they were, and (k, 2) what ``new`` is to follow, -1 for gone.

    Parameters
    ----------
    body : the kept faces of ``mesh`` in their order, then the new ones.
    marks : (k, 2) where the marked edges of the old body are now.
    step : names the new faces in the lineage.
    """
    whole = body if new.whole else cleaned(body, new.first, mesh.size, new.close, new.look)
    rows: slice | Array = slice(None) if whole.rows is None else whole.rows
    points, number = body.points, None
    if whole is not body:
        used = np.zeros(len(points), dtype=bool)
        used[whole.corners] = True
        number = np.where(used, np.cumsum(used) - 1, -1)
        points = points[used]
    corners = whole.corners if number is None else number[whole.corners]
    lineage, face_lineage = _lineage(mesh, new, step)
    finishes, finish = _finish(mesh, new, options.finish)
    pairs, data = _marks(mesh, marks, new.borders, whole.merged, number, sharp=options.sharp)
    soft = None
    if options.keep_flats:
        soft = np.ones(len(face_lineage), dtype=bool)
        soft[: mesh.n_faces] = mesh.soft()
        soft = soft[rows]
    out = Mesh(
        points, np.asarray(corners, np.int32), np.asarray(whole.offsets, np.int32), lineage=lineage, face_lineage=face_lineage[rows], finishes=finishes,
        face_finish=None if finish is None else finish[rows], uv=whole.uv, edge_pairs=pairs, edge_data=data, face_soft=soft,
        crease=mesh.crease, by_area=mesh.by_area,
    )  # fmt: skip
    fresh = _fresh(mesh, body, whole, new.first) if new.told else np.ones(out.n_faces, dtype=bool)
    follow = np.zeros((0, 2), np.int64) if new.follow is None else _renumbered(new.follow, whole.merged, number)
    return out, fresh, follow


def run_on(mesh: Mesh, ids: Array, first: Array, edges: Array) -> Array:
    """Return (k, 2) the points between which edges of the body before run now; -1 for edge -1.

    Parameters
    ----------
    ids, first : the points that the kept faces have, and (c + 1,) where among them each old corner begins.
    """
    con = mesh.connectivity
    out = np.full((len(edges), 2), -1, np.int64)
    there = np.flatnonzero(edges >= 0)
    if len(there):
        side = np.empty(con.n_edges, dtype=np.int64)
        side[con.corner_edge] = np.arange(len(con.corner_edge))
        c = side[edges[there]]
        # a side begins where the corner that it leaves ends, and ends where the next begins
        out[there, 0], out[there, 1] = ids[first[c + 1] - 1], ids[first[con.following[c]]]
    return out


def turned_faces(mesh: Mesh, kept: Mesh) -> Floats:
    """Return places of faces that look the other way now; ``kept`` has those of ``mesh`` in their order."""
    wrong = np.einsum("ij,ij->i", vector_areas(kept), face_normals(mesh)) < -1e-12 * mesh.size**2
    return np.asarray(kept.points[kept.corners[kept.offsets[:-1][wrong]]])


def _fresh(mesh: Mesh, body: Body, whole: Body, first: int) -> Bools:
    """Return (f,) the faces that are new, have a new point, or were given one of old."""
    if len(whole.offsets) < 2:
        return np.zeros(0, dtype=bool)
    out = np.maximum.reduceat(whole.corners, whole.offsets[:-1]) >= first
    if whole.rows is None:
        out[mesh.n_faces :] = True
        return out
    return out | (whole.rows >= mesh.n_faces) | (np.diff(whole.offsets) != np.diff(body.offsets)[whole.rows])


def _finish(mesh: Mesh, new: New, name: str | None) -> tuple[tuple[str, ...], Ints | None]:
    """Return finishes and that of each face: new faces have the one asked for, else that beside them."""
    if name is None and mesh.face_finish is None:
        return mesh.finishes, None
    kept = mesh.face_finish if mesh.face_finish is not None else np.full(mesh.n_faces, -1, np.int32)
    names = mesh.finishes if name is None or name in mesh.finishes else (*mesh.finishes, name)
    added = np.full(new.strips + new.corners, -1 if name is None else names.index(name), np.int64)
    if name is None:
        added[: new.strips] = new.each(kept[new.beside])
    return names, np.concatenate([kept, added]).astype(np.int32)


def _marks(
    mesh: Mesh, old: Array, borders: Array, merged: Array | None, number: Array | None, *, sharp: bool
) -> tuple[Array | None, JsonObject]:
    """Return the edges that carry marks: those of old that are still there, and the borders of the strips."""
    pairs, data = [], []
    if mesh.edge_pairs is not None and "sharp" in mesh.edge_data:
        pairs.append(old)
        data.append(mesh.edge_data["sharp"])
    if sharp:
        pairs.append(borders)
        data.append(np.ones(len(borders), bool))
    if not pairs:
        return None, {}
    both, marks = np.concatenate(pairs).astype(np.int64), np.concatenate(data)
    both = _renumbered(both, merged, number)
    good = (both >= 0).all(axis=1)
    return both[good].astype(np.int32), {"sharp": marks[good]}


def _renumbered(pairs: Array, merged: Array | None, number: Array | None) -> Array:
    """Return pairs of points by their numbers in the finished body; -1 for pairs of which one is gone, or that are one point."""
    out = np.where(pairs >= 0, pairs, 0).astype(np.int64)
    if len(out):
        out = out if merged is None else merged[out]
        out = out if number is None else number[out]
    gone = (pairs < 0).any(axis=1) | (out < 0).any(axis=1) | (out[:, 0] == out[:, 1])
    return np.where(gone[:, None], -1, out)


def _lineage(mesh: Mesh, new: New, step: str) -> tuple[Lineage, Ints]:
    """Return the history: kept faces keep theirs, strips come from the faces beside them, corners from none."""
    kept = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
    parents = kept[new.beside]
    there = np.zeros(len(mesh.lineage.rows) + 1, dtype=bool)
    there[parents] = True  # -1 is the last place
    each = np.roll(np.arange(-1, len(mesh.lineage.rows)), -1)[there]
    each = np.sort(each)
    lineage, base = mesh.lineage.extended([*((step, "strips", int(p)) for p in each), (step, "corners", -1)])
    lookup = np.zeros(len(mesh.lineage.rows) + 1, dtype=np.int32)
    lookup[each] = base + np.arange(len(each))
    added = np.full(new.strips + new.corners, base + len(each), dtype=np.int32)
    added[: new.strips] = new.each(lookup[parents])
    return lineage, np.concatenate([kept, added])
