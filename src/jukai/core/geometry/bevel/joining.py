"""Kept faces and new ones put together again: one body, cleaned up, with its attributes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.bevel._closing import short_sides
from jukai.core.geometry.mesh import Lineage, Mesh

__all__ = ["Bevel", "Joining", "Piece"]


@dataclass(frozen=True, slots=True)
class Bevel:
    """How edges are rounded.

    Attributes
    ----------
    segments, roundness : n chords, and the section from hollow (-1) by flat and round to sharp (2).
    stop : whether strips stop where their neighbours meet.
    finish : finish of the new faces; None for that of the faces beside them.
    sharp : whether the borders of the strips are marked as sharp edges.
    cut_texture : whether strips have texture coordinates of their own, 0 to 1 across and along.
    keep_flats : whether normals of new faces give way, so that what was flat stays flat in the shading.
    """

    segments: int = 3
    roundness: float = 1.0
    stop: bool = True
    finish: str | None = None
    sharp: bool = False
    cut_texture: bool = False
    keep_flats: bool = True


class Textured(Protocol):
    """Texture coordinates of kept corners, and of points where new faces ask."""

    kept: Floats
    points: Floats


@dataclass(frozen=True, slots=True, eq=False)
class Piece:
    """New faces of one group (0 strips, 1 corners): (m, s) points, -1 for a side that a face has not."""

    faces: NDArray[np.int64]
    group: int
    uv: Floats | None = None


@dataclass(slots=True)
class Joining:
    """Puts kept faces and new ones together, cleans up what shrank to nothing, numbers the points anew."""

    mesh: Mesh
    points: Floats
    kept: Ints
    sides: NDArray[np.int64]
    pieces: list[Piece]
    beside: Ints
    borders: NDArray[np.int64]
    texture: Textured | None

    def body(self, how: Bevel, step: str) -> Mesh:
        """Return the body."""
        mesh = self.mesh
        flat, sizes, groups = [self.kept.astype(np.int64)], [self.sides.astype(np.int64)], [np.full(mesh.n_faces, -1)]
        for piece in self.pieces:
            there = piece.faces >= 0
            flat.append(piece.faces[there])
            sizes.append(there.sum(axis=1))
            groups.append(np.full(len(piece.faces), piece.group))
        corners, size, group = np.concatenate(flat), np.concatenate(sizes), np.concatenate(groups)
        uv = None
        if self.texture is not None:
            uv = self.texture.points[corners]
            uv[: len(self.kept)] = self.texture.kept
            at = len(self.kept)
            for piece, f in zip(self.pieces, flat[1:], strict=True):
                if piece.uv is not None:
                    uv[at : at + len(f)] = piece.uv.reshape(-1, 2)
                at += len(f)
        merged = _merged(self.points, corners, size, mesh)
        keep: Any
        rows: Any
        if merged is None:
            keep, left, rows = slice(None), size, slice(None)
        else:
            # a corner that repeats the one before it is gone, and so is a face of fewer than three corners
            corners = merged[corners]
            offsets = np.concatenate([[0], np.cumsum(size)])
            face = np.repeat(np.arange(len(size)), size)
            before = np.arange(len(corners)) - 1
            before[offsets[:-1][size > 0]] = offsets[1:][size > 0] - 1
            keep = corners != corners[before]
            left = np.bincount(face[keep], minlength=len(size))
            keep &= (left >= 3)[face]
            rows = left >= 3
        used = np.zeros(len(self.points), bool)
        used[corners[keep]] = True
        number = np.cumsum(used) - 1
        lineage, face_lineage = _lineage(mesh, group, self.beside, step)
        finishes, finish = self.finish(group, how.finish)
        pairs, data = self.marks(merged, used, number, sharp=how.sharp)
        return Mesh(
            self.points[used], number[corners[keep]].astype(np.int32), np.concatenate([[0], np.cumsum(left[rows])]).astype(np.int32),
            lineage=lineage, face_lineage=face_lineage[rows], finishes=finishes, face_finish=None if finish is None else finish[rows],
            uv=None if uv is None else uv[keep], edge_pairs=pairs, edge_data=data,
            face_soft=np.concatenate([mesh.soft(), np.full(len(group) - mesh.n_faces, True)])[rows] if how.keep_flats else None,
        )  # fmt: skip

    def finish(self, group: NDArray[np.int64], name: str | None) -> tuple[tuple[str, ...], Ints | None]:
        """Return finishes and that of each face: new faces have the one asked for, else that beside them."""
        mesh = self.mesh
        if name is None and mesh.face_finish is None:
            return mesh.finishes, None
        kept = mesh.face_finish if mesh.face_finish is not None else np.full(mesh.n_faces, -1, np.int32)
        names = mesh.finishes if name is None or name in mesh.finishes else (*mesh.finishes, name)
        new = np.full(len(group) - mesh.n_faces, -1 if name is None else names.index(name), np.int64)
        if name is None:
            new[: len(self.beside)] = kept[self.beside]
        return names, np.concatenate([kept, new]).astype(np.int32)

    def marks(
        self, merged: NDArray[np.int64] | None, used: Bools, number: NDArray[np.int64], *, sharp: bool
    ) -> tuple[Any, dict[str, Any]]:
        """Return the edges that carry marks: those of old that are still there, and the borders of the strips."""
        pairs, data = [], []
        if self.mesh.edge_pairs is not None and "sharp" in self.mesh.edge_data:
            pairs.append(self.mesh.edge_pairs.astype(np.int64))
            data.append(self.mesh.edge_data["sharp"])
        if sharp:
            pairs.append(self.borders)
            data.append(np.ones(len(self.borders), bool))
        if not pairs:
            return None, {}
        both, marks = np.concatenate(pairs), np.concatenate(data)
        both = both if merged is None else merged[both]
        good = used[both].all(axis=1) & (both[:, 0] != both[:, 1])
        return number[both[good]].astype(np.int32), {"sharp": marks[good]}


def _merged(
    points: Floats, corners: NDArray[np.int64], sizes: NDArray[np.int64], mesh: Mesh
) -> NDArray[np.int64] | None:
    """Return for each point the one it falls together with: new points joined by a side of no length; None for no such side."""
    offsets = np.concatenate([[0], np.cumsum(sizes)])
    a, b = short_sides.choose(len(corners), 4000)(points, corners, offsets, mesh.n_points, (1e-9 * mesh.size) ** 2)
    if len(a) == 0:
        return None
    out = np.arange(len(points))
    while True:
        low = np.minimum(out[a], out[b])
        before = out.copy()
        np.minimum.at(out, a, low)
        np.minimum.at(out, b, low)
        out = out[out]
        if (out == before).all():
            return out


def _lineage(mesh: Mesh, group: NDArray[np.int64], strip_faces: Ints, step: str) -> tuple[Lineage, Ints]:
    """Return the history: kept faces keep theirs, strips come from the faces beside them, corners from none."""
    kept = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
    parents = kept[strip_faces]
    each, which = np.unique(parents, return_inverse=True)
    lineage, base = mesh.lineage.extended([*((step, "strips", int(p)) for p in each), (step, "corners", -1)])
    new = np.full(len(group) - mesh.n_faces, base + len(each), np.int64)
    is_strip = group[mesh.n_faces :] == 0
    new[is_strip] = base + which
    return lineage, np.concatenate([kept, new]).astype(np.int32)
