"""Catmull-Clark subdivision and its limit surface, with sharp edges kept."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Bools, Floats, Ints, frozen
from jukai.core.geometry.connectivity import Connectivity
from jukai.core.geometry.mesh import Mesh

__all__ = ["limit_positions", "limit_surface", "subdivided"]


def subdivided(mesh: Mesh, sharp: Bools) -> tuple[Mesh, Bools]:
    """Subdivide once.

    Parameters
    ----------
    mesh : any mesh.
    sharp : (e,) edges that stay sharp; rims and edges of three faces and more always do.

    Returns
    -------
    The finer mesh, all four-sided, points first, then edges, then faces; and which of its edges are sharp.

    Notes
    -----
    Catmull and Clark 1978; sharp edges by the rules of Hoppe et al. 1994 (a point on two sharp edges follows the curve,
    on three and more it stays).
    """
    con = mesh.connectivity
    sharp = sharp | (con.edge_sides != 2)
    p, corners, faces = mesh.points, mesh.corners, mesh.corner_faces
    face_points = (
        np.add.reduceat(p[corners], mesh.offsets[:-1], axis=0) / mesh.sides[:, None]
        if mesh.n_faces
        else np.zeros((0, 3))
    )
    middles = p[con.edges].mean(axis=1)
    around = _sums(con.corner_edge, face_points[faces], con.n_edges)
    edge_points = np.where(sharp[:, None], middles, (2 * middles + around) / 4)
    valence = np.bincount(corners, minlength=len(p)).astype(np.int32)
    moved = _moved(p, con, sharp, _sums(corners, face_points[faces], len(p)), valence)
    n, e = len(p), con.n_edges
    before = _before(mesh)
    quads = np.stack([corners, n + con.corner_edge, n + e + faces, n + con.corner_edge[before]], axis=1).astype(
        np.int32
    )
    offsets = np.arange(0, 4 * len(quads) + 1, 4, dtype=np.int32)
    points = np.concatenate([moved, edge_points, face_points])
    fine = Mesh(
        points, quads.ravel(), offsets, lineage=mesh.lineage, face_lineage=_spread(mesh.face_lineage, faces),
        finishes=mesh.finishes, face_finish=_spread(mesh.face_finish, faces), crease=180.0,
    )  # fmt: skip
    return fine, _halves(fine.connectivity, con, sharp, n)


def _spread(rows: Ints | None, faces: Ints) -> Ints | None:
    return None if rows is None else frozen(rows[faces])


def _before(mesh: Mesh) -> Ints:
    before = np.arange(-1, len(mesh.corners) - 1, dtype=np.int32)
    before[mesh.offsets[:-1]] = mesh.offsets[1:] - 1
    return before


def _sums(rows: Ints, values: Floats, count: int) -> Floats:
    return np.stack([np.bincount(rows, weights=values[:, k], minlength=count) for k in range(3)], axis=1)


def _moved(p: Floats, con: Connectivity, sharp: Bools, faces: Floats, valence: Ints) -> Floats:
    a, b = con.edges.T
    n = np.maximum(valence, 1)[:, None]
    ends = np.concatenate([a, b])
    middles = _sums(ends, np.concatenate([p[b], p[a]]), len(p)) / 2 + n * p / 2  # of as many edges as faces
    smooth = (faces / n + 2 * middles / n + (n - 3) * p) / n
    on = np.bincount(np.concatenate([a[sharp], b[sharp]]), minlength=len(p))
    along = _sums(np.concatenate([a[sharp], b[sharp]]), np.concatenate([p[b[sharp]], p[a[sharp]]]), len(p))
    curve = (along + 6 * p) / 8
    out = np.where((on == 2)[:, None], curve, np.where((on > 2)[:, None], p, smooth))
    return np.where((valence > 0)[:, None], out, p)


def _halves(fine: Connectivity, con: Connectivity, sharp: Bools, n: int) -> Bools:
    """Return which edges of the finer mesh are halves of sharp ones."""
    # a half leads from a point to the point of its edge; points come first, so it is the higher one
    low, high = fine.edges.T
    half = (low < n) & (high >= n) & (high < n + con.n_edges)
    out = np.zeros(fine.n_edges, dtype=bool)
    out[half] = sharp[high[half] - n]
    return out


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
    marks = sharp
    for level in range(3):
        if level > 0 and len(mesh.corners) > most:
            break
        mesh, marks = subdivided(mesh, marks)
    pairs = mesh.connectivity.edges[marks]
    settled = mesh.with_points(limit_positions(mesh, marks))
    return settled.with_changes(edge_pairs=pairs, edge_data={"sharp": np.ones(len(pairs), dtype=bool)}, crease=180.0)
