"""Where picked faces come to when they rise by a distance true to their normals, and their border moves in by an even width."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry._pulling import first_rows, meeting, single_corners
from jukai.core.geometry.arrays import Array, Bools, Floats, concatenated_ranges, frozen
from jukai.core.geometry.components import components
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.pulling import Foot
from jukai.core.geometry.rebuilding import corners_of

__all__ = ["Meeting", "Offsets", "first_meeting", "offsets_of", "turned_about"]

_ALIKE = 1e-10
"""Squares of sines up to which planes count as one."""
_SHORT = 1e-9
_FEW = 1200
"""Corners up to which plain Python answers sooner than loading the compiler."""
_MOST_WITHIN = 200_000
"""Points within a border up to which they follow it."""


@dataclass(slots=True, eq=False)
class Offsets:
    """How the columns of a foot move.

    Attributes
    ----------
    rise : (m, 3) mm for each mm that the faces rise along their normals.
    inward : (m, 3) mm for each mm that their border moves in.
    """

    foot: Foot
    rise: Floats
    inward: Floats
    _pieces: tuple[Array, Floats, Floats] | None = None

    def pieces(self) -> tuple[Array, Floats, Floats]:
        """Return (m,) the connected piece that a column is of, (p, 3) the middle of each, and the way it looks."""
        if self._pieces is None:
            self._pieces = _pieces(self.foot)
        return self._pieces


def offsets_of(foot: Foot, *, sinks: bool = False, moves_in: bool = True) -> Offsets:
    """Return how the columns of picked faces move.

    ``sinks`` where they are to move by distances below 0: faces without a neighbour were turned over for it (``Foot``).
    ``moves_in`` where it counts how their border does.

    Notes
    -----
    A column rises to where the planes of its faces, moved by the distance, meet: by least squares, with the smallest shift
    along what is left free. On the border it moves in so that the border is as wide everywhere, as near to the planes of its
    faces as that lets it. Points along a straight side of the border stay evenly between its corners, and points within it
    follow the border (each as the mean of those beside it does), so that the faces keep their proportions.
    """
    mesh, m = foot.mesh, len(foot.columns)
    faces = np.flatnonzero(foot.faces)
    corners = int(mesh.sides[faces].sum())
    normals = foot.normals
    over = None
    if sinks and foot.alone.any():
        over = np.ones((m, 1))
        over[foot.corner_column[corners_of(mesh, np.flatnonzero(foot.alone))]] = -1.0
    if len(foot.walls) == corners == m:
        rise, inward = _of_single_faces(foot, normals)
        return Offsets(foot, rise if over is None else rise * over, inward)
    rise, bent = first_rows.choose(corners, _FEW)(faces, mesh.offsets, frozen(foot.corner_column), frozen(normals), m)
    inward = np.zeros((m, 3))
    if not moves_in and not bent.any():
        return Offsets(foot, rise if over is None else rise * over, inward)
    corner = corners_of(mesh, faces)
    column, of_corner = foot.corner_column[corner], mesh.corner_faces[corner]
    if bent.any():
        rise[bent] = _meet(column, of_corner, normals, bent)
    if moves_in:
        order = np.argsort(column, kind="stable")
        rows, starts = normals[of_corner[order]], np.searchsorted(column[order], np.arange(m))
        inward = _slid(foot, _moved_in(foot, normals, rows, starts))
        inward = _followed(foot, corner, column, inward, rise)
    return Offsets(foot, rise if over is None else rise * over, inward)


def _meet(column: Array, of_corner: Array, normals: Floats, bent: Bools) -> Floats:
    """Return where planes meet that have moved by 1, at columns whose faces look different ways."""
    mine = np.flatnonzero(bent[column])
    mine = mine[np.argsort(column[mine], kind="stable")]
    rows, of = normals[of_corner[mine]], column[mine]
    first = np.flatnonzero(np.concatenate([[True], np.diff(of) > 0]))
    count = np.diff(np.append(first, len(of)))
    square = np.add.reduceat(rows[:, :, None] * rows[:, None, :], first, axis=0) / count[:, None, None]
    told = np.add.reduceat(rows, first, axis=0) / count[:, None]
    return np.asarray((np.linalg.pinv(square, rcond=_ALIKE, hermitian=True) @ told[:, :, None])[:, :, 0])


def _moved_in(foot: Foot, normals: Floats, rows: Floats, starts: Array) -> Floats:
    """Return how the border moves in by 1: even in width first of all, then as near to the faces' planes as can be."""
    out = np.zeros((len(foot.columns), 3))
    here = _inward(foot, normals)
    leaves, comes = np.full((2, len(out)), -1, dtype=np.int64)
    leaves[foot.walls[:, 0]] = comes[foot.walls[:, 1]] = np.arange(len(foot.walls))
    at = np.flatnonzero((leaves >= 0) & (comes >= 0))
    a, b = here[leaves[at]], here[comes[at]]
    cosine = (a * b).sum(axis=1)
    # the shortest vector with a part of 1 along both
    x = (a + b) / np.maximum(1 + cosine, _ALIKE)[:, None]
    z = np.cross(a, b)
    long = np.linalg.norm(z, axis=1)
    z /= np.maximum(long, 1e-300)[:, None]
    count = np.diff(np.append(starts, len(rows)))
    row, of = concatenated_ranges(starts[at], count[at]), np.repeat(np.arange(len(at)), count[at])
    first = np.cumsum(count[at]) - count[at]
    along_z, along_x = (rows[row] * z[of]).sum(axis=1), (rows[row] * x[of]).sum(axis=1)
    heavy = np.add.reduceat(along_z * along_z, first)
    lean = np.add.reduceat(along_z * along_x, first) / np.where(heavy > _ALIKE, heavy, np.inf)
    x -= np.where(long > 1e-9, lean, 0.0)[:, None] * z
    out[at] = np.where((cosine > -1 + _ALIKE)[:, None], x, 0.0)
    return out


def _slid(foot: Foot, inward: Floats) -> Floats:
    """Return how the border moves in with points along its straight sides moved along these, as the corners at their ends are."""
    p, q = foot.walls[:, 0], foot.walls[:, 1]
    m = len(foot.columns)
    ahead, behind = np.full((2, m), -1, dtype=np.int64)
    ahead[p], behind[q] = q, p
    along = foot.places[q] - foot.places[p]
    size = np.linalg.norm(along, axis=1)
    way, long = np.zeros((m, 3)), np.zeros(m)
    way[p] = along / np.maximum(size, 1e-300)[:, None]
    long[p] = size
    at = np.flatnonzero((ahead >= 0) & (behind >= 0))
    straight = np.zeros(m, dtype=bool)
    straight[at] = (way[at] * way[behind[at]]).sum(axis=1) > 1 - 1e-12
    if not straight.any():
        return inward
    far, end = [], []
    for step, length in ((behind, np.where(behind >= 0, long[behind], 0.0)), (ahead, long)):
        there, gone = step.copy(), length.copy()
        for _ in range(max(m, 2).bit_length()):
            goes = (there >= 0) & straight[there]
            gone = np.where(goes, gone + gone[there], gone)
            there = np.where(goes, there[there], there)
        far.append(gone)
        end.append(there)
    on = np.flatnonzero(straight & (end[0] >= 0) & (end[1] >= 0))
    on = on[~straight[end[0][on]] & ~straight[end[1][on]]]  # a loop without corners has no ends
    total = far[0][on] + far[1][on]
    share = far[0][on] / np.maximum(total, 1e-300)
    first, last = ((inward[e[on]] * way[on]).sum(axis=1) for e in end)
    own = (inward[on] * way[on]).sum(axis=1)
    out = inward.copy()
    out[on] += ((1 - share) * first + share * last - own)[:, None] * way[on]
    return out


def _followed(foot: Foot, corner: Array, column: Array, inward: Floats, rise: Floats) -> Floats:
    """Return how all columns move in: within the border each as the mean of those beside it, along the surface."""
    border = foot.border
    inner = np.flatnonzero(~border)
    if not 0 < len(inner) <= _MOST_WITHIN:
        return inward
    from scipy.sparse import csr_matrix, diags
    from scipy.sparse.linalg import splu

    m = len(border)
    ahead = foot.corner_column[foot.mesh.connectivity.following[corner]]
    ones = np.ones(len(column))
    graph = csr_matrix((ones, (column, ahead)), shape=(m, m))
    graph = graph + graph.T
    degree = np.asarray(graph.sum(axis=1)).ravel()
    rows = (diags(degree) - graph).tocsr()[inner]
    known = -rows[:, np.flatnonzero(border)] @ inward[border]
    out = inward.copy()
    out[inner] = splu(rows[:, inner].tocsc()).solve(known)
    up = rise / np.maximum(np.linalg.norm(rise, axis=1), 1e-300)[:, None]
    out[inner] -= (out[inner] * up[inner]).sum(axis=1)[:, None] * up[inner]
    return out


def _inward(foot: Foot, normals: Floats) -> Floats:
    """Return (w, 3) the way into its face from each part of the border, of length 1."""
    p, q = (foot.places[foot.walls[:, k]] for k in (0, 1))
    way = np.cross(normals[foot.under], q - p)
    return np.asarray(way / np.maximum(np.linalg.norm(way, axis=1), 1e-300)[:, None])


def _of_single_faces(foot: Foot, normals: Floats) -> tuple[Floats, Floats]:
    """The same in closed form, where every column is the corner of one face."""
    mesh, faces = foot.mesh, np.flatnonzero(foot.faces)
    run = single_corners.choose(len(foot.columns), _FEW)
    inward, straight = run(mesh.points, mesh.corners, mesh.offsets, faces, normals)
    return np.asarray(normals[foot.under]), _slid(foot, inward) if straight else inward


def _pieces(foot: Foot) -> tuple[Array, Floats, Floats]:
    """Return which piece each column is of, the middles of the pieces by area, and the ways they look."""
    mesh = foot.mesh
    corner = np.flatnonzero(foot.corner_column >= 0)
    column = foot.corner_column[corner]
    ahead = foot.corner_column[mesh.connectivity.following[corner]]
    piece = components(len(foot.columns), column, ahead)
    count = int(piece.max(initial=-1)) + 1
    faces = np.flatnonzero(foot.faces)
    first = foot.corner_column[mesh.offsets[faces]]
    of_corner = piece[column]
    start = np.repeat(mesh.points[mesh.corners[mesh.offsets[faces]]], mesh.sides[faces], axis=0)
    here = mesh.points[mesh.corners[corner]]
    there = mesh.points[mesh.corners[mesh.connectivity.following[corner]]]
    cross = np.cross(here - start, there - start)
    way = np.stack([np.bincount(of_corner, cross[:, k], count) for k in range(3)], axis=1)
    long = np.linalg.norm(way, axis=1)
    total = np.bincount(of_corner, np.linalg.norm(cross, axis=1), count)
    normals = np.where((long > 1e-9 * total)[:, None], way / np.maximum(long, 1e-300)[:, None], 0.0)
    signed = (cross * normals[of_corner]).sum(axis=1)
    bare = np.asarray(~normals.any(axis=1))
    weights = np.where(bare[of_corner], np.linalg.norm(cross, axis=1), signed)
    spot = np.zeros((count, 3))
    spot[piece[first][::-1]] = mesh.points[mesh.corners[mesh.offsets[faces]]][::-1]
    thirds = ((start + here + there) - 3 * spot[of_corner]) * weights[:, None]
    sums = np.stack([np.bincount(of_corner, thirds[:, k], count) for k in range(3)], axis=1)
    heavy = np.bincount(of_corner, weights, count)
    return piece, spot + sums / np.where(heavy > 0, 3 * heavy, 1.0)[:, None], normals


@dataclass(frozen=True, slots=True)
class Meeting:
    """Where faces that move would turn over first: the share of the way, and the place (3,) before they set out."""

    share: float
    place: Floats


def first_meeting(foot: Foot, shift: Floats, places: Floats | None = None) -> Meeting | None:
    """Return the first share up to 1 of a ``shift`` (m, 3) of all columns at which moved faces turn over or meet within themselves.

    ``places`` (m, 3) is where the columns set out from, where that is not where they stand.

    Notes
    -----
    An edge turns back, a corner turns over, or a hollow corner reaches an edge of its own face across it: these are what can
    happen first when the border of a polygon moves in (Aichholzer and Aurenhammer 1996: edge and split events).
    """
    if not len(shift) or (shift == shift[0]).all():
        return None  # all go alike
    mesh, faces = foot.mesh, np.flatnonzero(foot.faces)
    corner = corners_of(mesh, faces)
    column = foot.corner_column[corner].astype(np.int64)
    start = np.concatenate([[0], np.cumsum(mesh.sides[faces])]).astype(np.int64)
    p = foot.places if places is None else places
    run = meeting.choose(len(corner), _FEW)
    share, where, hollow = run(faces, column, start, p, shift, face_normals(mesh))
    found = Meeting(float(share), p[where]) if share <= 1 else None
    if hollow:
        ahead = foot.corner_column[mesh.connectivity.following[corner]]
        split = _splits(foot, corner, p[ahead] - p[column], face_normals(mesh)[mesh.corner_faces[corner]], shift, p)
        if split is not None and (found is None or split.share < found.share):
            found = split
    return found


def _splits(foot: Foot, corner: Array, along: Floats, n: Floats, shift: Floats, p: Floats) -> Meeting | None:
    """Return the first share at which a hollow corner of a face comes to another edge of that face."""
    mesh = foot.mesh
    of = mesh.corner_faces[corner]
    row = np.full(len(mesh.corners), -1, dtype=np.int64)
    row[corner] = np.arange(len(corner))
    nxt = row[mesh.connectivity.following[corner]]
    size = np.linalg.norm(along, axis=1)
    hollow = nxt[(np.cross(along, along[nxt]) * n).sum(axis=1) < -1e-9 * size * size[nxt]]
    if not len(hollow):
        return None
    faces = of[hollow]
    edges = row[corners_of(mesh, faces)]
    which = np.repeat(np.arange(len(hollow)), mesh.sides[faces])
    v = hollow[which]
    apart = (edges != v) & (nxt[edges] != v)
    v, edges = v[apart], edges[apart]
    column = foot.corner_column[corner]
    at, end = column[edges], column[nxt[edges]]
    e = along[edges]
    inward = np.cross(n[edges], e) / np.maximum(size[edges], 1e-300)[:, None]
    gap = ((p[column[v]] - p[at]) * inward).sum(axis=1)
    closing = ((shift[at] - shift[column[v]]) * inward).sum(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where((gap > 0) & (closing > 0), gap / closing, np.inf)
    near = np.flatnonzero(share <= 1)
    if not len(near):
        return None
    s = share[near][:, None]
    hit = p[column[v[near]]] + s * shift[column[v[near]]]
    a, b = p[at[near]] + s * shift[at[near]], p[end[near]] + s * shift[end[near]]
    span = b - a
    t = ((hit - a) * span).sum(axis=1) / np.maximum((span * span).sum(axis=1), 1e-300)
    within = (t >= -_SHORT) & (t <= 1 + _SHORT)
    if not within.any():
        return None
    k = int(near[within][np.argmin(share[near][within])])
    return Meeting(float(share[k]), p[column[v[k]]])


def turned_about(offsets: Offsets, places: Floats, degrees: Floats, columns: Array | slice) -> Floats:
    """Return places (k, b, 3) of some columns, row k of them turned by ``degrees[k]`` about the normal of their piece."""
    of, centres, normals = offsets.pieces()
    axis, centre = normals[of[columns]], centres[of[columns]]
    rel = places - centre
    sine, cosine = sincos(degrees)
    along = (rel * axis).sum(axis=2, keepdims=True) * axis
    flat = rel - along
    return np.asarray(
        centre
        + along
        + flat * cosine[:, None, None]
        + np.cross(np.broadcast_to(axis, flat.shape), flat) * sine[:, None, None]
    )
