"""Catmull-Clark subdivision and its limit surface, with sharp edges kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from jukai.core.geometry._subdivision import divide, divide_corners, divide_texture
from jukai.core.geometry.arrays import Array, Bools, Floats, Ints, sides_of
from jukai.core.geometry.mesh import Mesh, Topology

__all__ = ["ALWAYS", "Divided", "limit_positions", "limit_surface", "subdivided"]


ALWAYS = 1e6
"""The sharpness of an edge that stays sharp however often its faces are divided."""
_SMALL = 600
"""Corners up to which plain Python answers sooner than loading the compiler."""


@dataclass(frozen=True, slots=True, eq=False)
class Divided:
    """A finer mesh, and how sharp its edges still are.

    Attributes
    ----------
    mesh : all four-sided; points first, then those of edges, then those of faces.
    edges : (e, 2) its edges, in an order of their own.
    sharpness : (e,) of each.
    """

    mesh: Mesh
    edges: Ints
    sharpness: Floats


def subdivided(
    mesh: Mesh,
    sharpness: Floats,
    levels: int = 1,
    *,
    corners_stay: bool = True,
    told: Callable[[float], None] | None = None,
) -> Divided:
    """Subdivide.

    Parameters
    ----------
    mesh : any mesh.
    sharpness : (e,) in how many steps an edge is still sharp, ``ALWAYS`` for one that stays so; rims and edges of three faces
        and more always do.
    corners_stay : corners of rims that one face alone has are points that stay; else they are rounded.

    Notes
    -----
    Catmull and Clark, Recursively generated B-spline surfaces on arbitrary topological meshes, 1978; sharp edges by the rules
    of Hoppe et al. 1994 (a point on two sharp edges follows the curve, on three and more it stays); semi-sharp ones by those
    of DeRose, Kass and Truong, Subdivision surfaces in character animation, 1998 (between 0 and 1 the two are mixed). Texture
    coordinates and weights are divided evenly; faces and marks of edges pass on what they carry.
    """
    con = mesh.connectivity
    edges, corner_edge = con.edges, con.corner_edge
    sharpness = np.where(con.edge_sides != 2, ALWAYS, sharpness)
    corners, offsets, points = mesh.corners, mesh.offsets, mesh.points
    uv, data = mesh.uv, {k: np.asarray(t, dtype=np.float64) for k, t in mesh.point_data.items()}
    faces = np.arange(mesh.n_faces)
    marks = _Marks.of(mesh)
    for level in range(levels):
        small = len(corners) <= _SMALL
        places, numbers, texture = (k.plain if small else k for k in (divide, divide_corners, divide_texture))
        n = len(points)
        points = places(points, corners, offsets, edges, corner_edge, sharpness, corners_stay)
        data = {k: _even(t, corners, offsets, edges) for k, t in data.items()}
        if marks is not None:
            marks = marks.halved(edges, n)
        quads, fine, side, soft = numbers(corners, offsets, edges, corner_edge, sharpness, n)
        if uv is not None:
            uv = texture(uv, offsets)
        faces = np.repeat(faces, sides_of(offsets))
        corners, edges, corner_edge, sharpness = quads, fine, side, soft
        offsets = np.arange(0, len(quads) + 1, 4, dtype=np.int32)
        if told is not None:
            told((level + 1) / levels)
    fine_mesh = replace(
        mesh,
        points=points,
        corners=corners,
        offsets=offsets,
        face_lineage=_spread(mesh.face_lineage, faces),
        face_finish=_spread(mesh.face_finish, faces),
        face_soft=_spread(mesh.face_soft, faces),
        uv=uv,
        edge_pairs=None if marks is None else marks.pairs,
        edge_data={} if marks is None else marks.data,
        point_data=data,
        _cache={},
        _topology=Topology(),
    )
    return Divided(fine_mesh, edges, sharpness)


@dataclass(frozen=True, slots=True, eq=False)
class _Marks:
    """Marked edges and what they carry."""

    pairs: Ints
    data: Mapping[str, Array]

    @staticmethod
    def of(mesh: Mesh) -> _Marks | None:
        return None if mesh.edge_pairs is None else _Marks(mesh.edge_pairs, mesh.edge_data)

    def halved(self, edges: Ints, n: int) -> _Marks:
        """Return the halves of marked edges; ``edges`` are in no order that could be looked up but by sorting."""
        key = np.sort(edges, axis=1).astype(np.int64) @ np.array([n, 1])
        order = np.argsort(key, kind="stable")
        sought = np.sort(self.pairs, axis=1).astype(np.int64) @ np.array([n, 1])
        at = np.minimum(np.searchsorted(key[order], sought), len(key) - 1)
        found = key[order][at] == sought
        middle = n + order[at[found]]
        pairs = np.concatenate([np.stack([self.pairs[found, k], middle], axis=1) for k in (0, 1)]).astype(np.int32)
        return _Marks(pairs, {k: np.concatenate([t[found], t[found]]) for k, t in self.data.items()})


def _even(table: Floats, corners: Ints, offsets: Ints, edges: Ints) -> Floats:
    """Return weights of points after a step: those of points as they were, between them the mean."""
    faces = np.add.reduceat(table[corners], offsets[:-1], axis=0)
    sides = sides_of(offsets).reshape(-1, *[1] * (table.ndim - 1))
    return np.concatenate([table, (table[edges[:, 0]] + table[edges[:, 1]]) / 2, faces / sides])


def _spread(rows: Array | None, faces: Array) -> Array | None:
    return None if rows is None else rows[faces]


def _sums(rows: Ints, values: Floats, count: int) -> Floats:
    return np.stack([np.bincount(rows, weights=values[:, k], minlength=count) for k in range(3)], axis=1)


def limit_positions(mesh: Mesh, sharp: Bools) -> Floats:
    """Return where the points of a four-sided mesh come to in the limit.

    Notes
    -----
    Halstead, Kass and DeRose 1993: (n² v + 4 Σ edge neighbours + Σ face neighbours) / (n (n + 5)); on a sharp curve
    (a + 4 v + b) / 6, where three sharp edges meet the point itself.
    """
    con, p = mesh.connectivity, mesh.points
    sharp = sharp | (con.edge_sides != 2)
    a, b = con.edges.T
    n = np.bincount(mesh.corners, minlength=len(p))[:, None]
    ends = np.concatenate([a, b])
    neighbours = _sums(ends, np.concatenate([p[b], p[a]]), len(p))
    across = mesh.corners.reshape(-1, 4)[:, [2, 3, 0, 1]].ravel()
    diagonals = _sums(mesh.corners, p[across], len(p))
    smooth = (n * n * p + 4 * neighbours + diagonals) / np.maximum(n * (n + 5), 1)
    on = np.bincount(np.concatenate([a[sharp], b[sharp]]), minlength=len(p))
    along = _sums(np.concatenate([a[sharp], b[sharp]]), np.concatenate([p[b[sharp]], p[a[sharp]]]), len(p))
    curve = (along + 4 * p) / 6
    out = np.where((on == 2)[:, None], curve, np.where((on > 2)[:, None], p, smooth))
    return np.asarray(np.where(n > 0, out, p))


def limit_surface(mesh: Mesh, sharp: Bools, most: int = 200_000) -> Mesh:
    """Return points of the limit surface as a fine four-sided mesh, subdivided as often as ``most`` faces allow, up to three times.

    Sharp edges are marked, all others are smooth in the shading.
    """
    mesh = mesh.with_changes(uv=None, point_data={}, face_soft=None, edge_pairs=None, edge_data={})
    levels = 1
    while levels < 3 and len(mesh.corners) * 4**levels <= most:
        levels += 1
    done = subdivided(mesh, np.where(sharp, ALWAYS, 0.0), levels, corners_stay=False)
    pairs = done.edges[done.sharpness > 0]
    bare = done.mesh.with_changes(edge_pairs=pairs, edge_data={"sharp": np.ones(len(pairs), dtype=bool)}, crease=180.0)
    con = bare.connectivity
    marks = np.zeros(con.n_edges, dtype=bool)
    marks[con.between(pairs)] = True
    return bare.with_points(limit_positions(bare, marks))
