"""Corners where three strips or more meet: a patch of faces with four sides, and the surface it lies on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.bevel._patches import ALIKE, EVEN, LEVEL, divide, many, means

__all__ = ["Corner", "Template", "faces_of", "fill", "interior_count", "spread", "template"]

_DENSE = 700
"""Inner points up to which a dense matrix is the quickest way to solve for them."""
_TOGETHER = 1024
"""Patches worked out at a time, so that they stay in the cache."""
_MANY, _SMALL = 500, 80
"""Patches from which, and inner points up to which, a loop over patches is quicker than array code."""
_AGAIN, _NEAREST = 3, 1e-3
"""Rounds in which borders that are not even are stretched; the share of the mean chord below which a chord pulls no harder."""


@dataclass(frozen=True, slots=True, eq=False)
class Template:
    """How a corner of k strips of n chords is divided; points are numbered border first, k·n of them.

    Attributes
    ----------
    quads : (m, 4) points of the faces. Side i of the border runs from corner i·n to corner (i + 1)·n.
    middle : points of the many-sided face in the middle, k of them where n is odd, else empty.
    inner : number of inner points.
    sector : (inner, 3) sector, and the place in it along the two sides of its corner, 0 to 1.
    """

    strips: int
    chords: int
    quads: Ints
    middle: Ints
    inner: int
    sector: Floats


def interior_count(strips: int, chords: int) -> int:
    """Return how many points lie inside a patch."""
    m = chords // 2
    if chords % 2:
        return strips * m * m
    return strips * m * (m - 1) + 1 if m else 0


@lru_cache(maxsize=64)
def template(strips: int, chords: int) -> Template:
    """Return the division of a patch: each corner of the border is the corner of a square grid that reaches the middle."""
    k, n, m = strips, chords, chords // 2
    odd = n % 2 == 1
    border = k * n
    i, a, b = (x.ravel() for x in np.meshgrid(np.arange(k), np.arange(m + 1), np.arange(m + 1), indexing="ij"))

    def number(i: Array, a: Array, b: Array) -> Array:
        i = i % k
        out = np.where(b == 0, i * n + a, (i * n - b) % border)
        within = (a > 0) & (b > 0)
        if odd:
            own = border + i * m * m + (a - 1) * m + (b - 1)
        else:
            # the side b = m belongs to the sector before, as its side a = m
            turned = b == m
            ii, aa, bb = np.where(turned, (i - 1) % k, i), np.where(turned, m, a), np.where(turned, a, b)
            own = border + ii * m * (m - 1) + (aa - 1) * (m - 1) + (bb - 1)
            own = np.where((a == m) & (b == m), border + k * m * (m - 1), own)
        return np.where(within, own, out)

    cell = (a < m) & (b < m)
    ci, ca, cb = i[cell], a[cell], b[cell]
    quads = np.stack(
        [number(ci, ca, cb), number(ci, ca + 1, cb), number(ci, ca + 1, cb + 1), number(ci, ca, cb + 1)], axis=1
    )
    middle: Array = np.zeros(0, np.int64)
    if odd:
        gi, gb = (x.ravel() for x in np.meshgrid(np.arange(k), np.arange(m), indexing="ij"))
        whole = np.full_like(gb, m)
        # across the middle of each side, from one sector to the next; on the border it is the middle chord
        near = np.where(gb == 0, gi * n + m, number(gi, whole, gb))
        far = np.where(gb == 0, (gi * n + m + 1) % border, number(gi + 1, gb, whole))
        quads = np.concatenate(
            [quads, np.stack([near, far, number(gi + 1, gb + 1, whole), number(gi, whole, gb + 1)], axis=1)]
        )
        middle = number(np.arange(k), np.full(k, m), np.full(k, m)) if m else np.arange(k)
    inner = interior_count(k, n)
    sector = np.zeros((inner, 3))
    ids = number(i, a, b)
    own = ids >= border
    sector[ids[own] - border] = np.stack([i, a / (n / 2), b / (n / 2)], axis=1)[own]
    return Template(k, n, quads.astype(np.int32), middle.astype(np.int32), inner, sector)


Solve = Callable[[Floats], Floats]


@lru_cache(maxsize=32)
def _matrices(strips: int, chords: int) -> tuple[Floats, Floats]:
    """Return the matrices (inner, rows) of ``_solvers``, for patches of few points."""
    total, border = strips * chords + interior_count(strips, chords), strips * chords
    one, two, _ = _neighbours(strips, chords)
    whole = np.zeros((total, total + border + strips))
    whole[one, two] = 1
    near = whole.copy()
    near[:, total:] = 0
    for matrix in (whole, near):
        matrix[np.arange(total), np.arange(total)] = -matrix.sum(axis=1)
    membrane = np.linalg.solve(near[border:, border:total], -near[border:, :border])
    unknown, known = whole[:, border:total], np.delete(whole, np.s_[border:total], axis=1)
    return np.ascontiguousarray(membrane), np.ascontiguousarray(
        np.linalg.solve(unknown.T @ unknown, -unknown.T @ known)
    )


@lru_cache(maxsize=32)
def _along_edges(strips: int, chords: int) -> Floats:
    """Return (inner, k n + k) the sheet's matrix for points outside that lie along the edges.

    Each of them is a border point and its edge times a chord; there are two at each corner, beside the same chord.
    """
    k, n = strips, chords
    sheet = _matrices(k, n)[1]
    border = k * n
    out = np.zeros((len(sheet), border + k))
    out[:, :border] = sheet[:, :border] + sheet[:, border : 2 * border]
    for i in range(k):
        out[:, i * n] += sheet[:, 2 * border + i]
        out[:, border + i] += sheet[:, 2 * border + i]
        out[:, border + (i + 1) % k] += sheet[:, border + i * n : border + i * n + n].sum(axis=1)
    return out


def _neighbours(strips: int, chords: int) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Return pairs of points that are neighbours in a patch, and which of them lie inside it.

    Beyond the border there is one point for each side that a border point lies on, as far away.
    """
    t = template(strips, chords)
    border, total = strips * chords, strips * chords + t.inner
    rings = [t.quads[:, [0, 1]], t.quads[:, [1, 2]], t.quads[:, [2, 3]], t.quads[:, [3, 0]]]
    if len(t.middle):
        rings.append(np.stack([t.middle, np.roll(t.middle, -1)], axis=1))
    pairs = np.unique(np.sort(np.concatenate(rings), axis=1), axis=0)
    at, corners = np.arange(border), np.arange(0, border, chords)
    one = np.concatenate([pairs[:, 0], pairs[:, 1], at, corners])
    two = np.concatenate([pairs[:, 1], pairs[:, 0], total + at, total + border + np.arange(strips)])
    return one, two, np.concatenate([np.ones(2 * len(pairs), bool), np.zeros(len(at) + strips, bool)])


@lru_cache(maxsize=32)
def _solvers(strips: int, chords: int) -> tuple[Solve, Solve]:
    """Return how inner points follow from what is given: as a membrane, and as a bent sheet.

    The membrane puts each point in the middle of its neighbours. The sheet has least bending (the
    sum of squares of the same differences) with one row of points outside the border given too, so
    that it leaves the strips along themselves. Rows given to the sheet: border, then one outside
    beside each border point, then one for each corner on its other side.
    """
    t = template(strips, chords)
    border, total = strips * chords, strips * chords + t.inner
    wide = total + border + strips
    if t.inner <= _DENSE:
        membrane, sheet = _matrices(strips, chords)
        return (lambda given: membrane @ given), (lambda given: sheet @ given)
    one, two, inside = _neighbours(strips, chords)
    from scipy.sparse import coo_matrix, csc_matrix, diags_array
    from scipy.sparse.linalg import splu

    def laplace(use: NDArray[np.bool_]) -> csc_matrix:
        matrix = coo_matrix((np.ones(int(use.sum())), (one[use], two[use])), shape=(total, wide)).tocsc()
        degree = np.asarray(matrix.sum(axis=1)).ravel()
        return csc_matrix(matrix - diags_array(degree, shape=matrix.shape))

    near, whole = laplace(inside), laplace(np.ones_like(inside))
    skin = splu(csc_matrix(near[border:, border:total]))
    around = near[border:, :border]
    keep = np.concatenate([np.arange(border), np.arange(total, wide)])
    unknown, known = whole[:, border:total], whole[:, keep]
    bent = splu(csc_matrix(unknown.T @ unknown))
    return (lambda given: skin.solve(-(around @ given))), (lambda given: bent.solve(-(unknown.T @ (known @ given))))


def _solved(solve: Solve, given: Floats) -> Floats:
    """Return (inner, p, d) for (rows, p, d): all patches and coordinates at once."""
    rows, p, d = given.shape
    return np.asarray(solve(given.reshape(rows, p * d))).reshape(-1, p, d)


@dataclass(frozen=True, slots=True, eq=False)
class Corner:
    """Patches of k strips and n chords that are alike.

    Attributes
    ----------
    border : (p, k·n) numbers of the border's points.
    old : (p, 3) the points that were there; only sharp corners need them.
    normals : (p, k, 3) of the faces that hold the corners of the border.
    outside : gives, for some of the patches, the (k·n + k, ., 3) points one row further out along the strips.
    along : (p, k, 3) unit vectors along the strips, where ``outside`` lies along them by the mean chord of the side beside it.
    """

    strips: int
    chords: int
    border: Array
    old: Floats | None
    normals: Floats
    outside: Callable[[Array], Floats]
    along: Floats | None = None


def fill(points: Floats, at: int, corner: Corner, weights: Floats, *, hollow: bool) -> None:
    """Write the inner points of patches into ``points``, from row ``at`` on, patch by patch.

    Parameters
    ----------
    weights : chord, round and sharp, as in ``profile_tables``.
    """
    k, n = corner.strips, corner.chords
    t = template(k, n)
    if t.inner == 0:
        return
    if hollow:
        weights = np.array([1.0, 0.0, 0.0])
    count = len(corner.border)
    rows = np.arange(count)
    if corner.along is not None and count > _MANY and t.inner <= _SMALL and weights[2] == 0:
        membrane, sheet = _matrices(k, n)[0], _along_edges(k, n)
        flat, rounded = float(weights[0]), float(weights[1])
        uneven = many(
            points, at, corner.border, corner.normals, corner.along, membrane, sheet, flat, rounded
        )  # fmt: skip
        rows = np.flatnonzero(uneven)
    for begin in range(0, len(rows), _TOGETHER):
        part = rows[begin : begin + _TOGETHER]
        inside = at + part[:, None] * t.inner + np.arange(t.inner)
        points[inside] = _inner(points[corner.border[part]], corner, part, weights).transpose(1, 0, 2)


def draw_in(points: Floats, own: Array, border: Array, old: Floats, normals: Floats) -> None:
    """Draw points ``own`` (p, m) of patches that swell over the faces back onto their planes, towards the middle of the ``border`` (p, b).

    A patch leaves the faces as its border does, and would swell over them by some hundredths of its width, by more
    where its sides are of very different lengths. At a bulging point ``old`` (p, 3) all that is cut off lies behind
    the planes of its faces (``normals`` (p, k, 3)).
    """
    middle = points[border].mean(axis=1)
    at = points[border] - old[:, None]
    size = np.sqrt(np.einsum("pij,pij->pi", at, at)).max(axis=1)
    bulging = (np.einsum("pij,pkj->pik", at, normals) <= 1e-6 * size[:, None, None]).all(axis=(1, 2))
    rows = np.flatnonzero(bulging)
    if len(rows) == 0:
        return
    out = np.einsum("pij,pkj->pik", points[own[rows]] - old[rows, None], normals[rows])
    deep = np.einsum("pj,pkj->pk", middle[rows] - old[rows], normals[rows])[:, None]
    over = (out > 0) & (deep < 0)
    share = np.where(over, deep / np.where(over, deep - out, -1.0), 1.0).min(axis=2)
    points[own[rows]] = middle[rows, None] + share[..., None] * (points[own[rows]] - middle[rows, None])


def _inner(border: Floats, corner: Corner, part: Array, weights: Floats) -> Floats:
    """Return (inner, p, 3) the inner points of some of the patches."""
    k, n = corner.strips, corner.chords
    t = template(k, n)
    membrane, sheet = _solvers(k, n)
    given = np.ascontiguousarray(border.transpose(1, 0, 2))
    out = np.zeros((t.inner, len(border), 3))
    if weights[0] > 0:
        out += weights[0] * _solved(membrane, given)
    if weights[1] > 0:
        outside = corner.outside(part)
        rounded = _solved(sheet, np.concatenate([given, outside]))
        step = np.roll(border, -1, axis=1) - border
        chord = np.sqrt(np.einsum("pij,pij->pi", step, step)).reshape(-1, k, n).mean(axis=2)
        uneven = np.flatnonzero(chord.max(axis=1) > EVEN * chord.min(axis=1))
        if len(uneven) and t.inner <= _SMALL:
            rounded[:, uneven] = _stretched(k, n, given[:, uneven], outside[:, uneven])
        if weights[1] == 1:
            _on_spheres(n, border, corner.normals[part], rounded)
        # sheets bend over where their strips are of different widths; in a flat corner only rounding could say so
        normals = corner.normals[part]
        turns = ((normals - normals.mean(axis=1, keepdims=True)) ** 2).sum(axis=(1, 2))
        bends = (turns > LEVEL) & (chord.max(axis=1) > ALIKE * chord.min(axis=1))
        _keep_inside(n, border, normals, rounded, bends, partial(_solved, membrane, given))
        out += weights[1] * rounded
    if weights[2] > 0:
        assert corner.old is not None  # noqa: S101 - told to those who make corners
        out += weights[2] * _sharp(t, border, corner.old[part]).transpose(1, 0, 2)
    return out


def _stretched(k: int, n: int, border: Floats, outside: Floats) -> Floats:
    """Return (inner, p, 3) what the sheet of least bending is where strips are of different widths.

    Neighbours count by one over their distance, first on the membrane, then on what came out: the
    differences are then those of a surface that is not divided evenly (finite volumes, e.g. Botsch et al. 2010, 3.3).
    """
    one, two, _ = _neighbours(k, n)
    size, rows, many_ = interior_count(k, n), k * n, border.shape[1]
    total, wide = rows + size, rows + size + outside.shape[0]
    own = slice(rows, total)
    at = np.empty((wide, many_, 3))
    at[:rows], at[total:] = border, outside
    at[own] = _solved(_solvers(k, n)[0], border)
    for _ in range(_AGAIN):
        apart = at[two] - at[one]
        long = np.sqrt(np.einsum("epx,epx->pe", apart, apart))
        mean = np.maximum(long.mean(axis=1, keepdims=True), 1e-300)
        near = 1 / np.maximum(long / mean, _NEAREST)  # points that fall together pull no harder than that
        whole = np.zeros((many_, total, wide))
        whole[:, one, two] = near
        every = np.arange(total)
        whole[:, every, every] = -whole.sum(axis=2)
        unknown = whole[:, :, own]
        given = at.copy()
        given[own] = 0
        known = whole @ given.transpose(1, 0, 2)
        turned = unknown.transpose(0, 2, 1)
        at[own] = np.linalg.solve(turned @ unknown, -(turned @ known)).transpose(1, 0, 2)
    return at[own]


def spread(values: Floats, at: int, border: Array, k: int, n: int) -> None:
    """Write what (., d) values on the borders of patches are inside, each the mean of its neighbours, from row ``at`` on."""
    inner = interior_count(k, n)
    if inner == 0:
        return
    if len(border) > _MANY and inner <= _SMALL:
        means(values, at, border, _matrices(k, n)[0])
        return
    given = np.ascontiguousarray(values[border].transpose(1, 0, 2))
    out = _solved(_solvers(k, n)[0], given)
    values[at : at + len(border) * inner].reshape(-1, inner, values.shape[1])[:] = out.transpose(1, 0, 2)


def faces_of(out: Ints, border: Array, own: int, k: int, n: int) -> tuple[Ints, Ints]:
    """Write the faces of patches, whose inner points follow on from number ``own``; return the counts of sides and of faces.

    Returns
    -------
    (2,) sides of a face, and (2,) how many such faces: four-sided ones, then those in the middle.
    """
    t = template(k, n)
    inner, p = t.inner, len(border)
    quads = p * t.quads.size
    if p > _MANY:
        divide(out, border, own, inner, t.quads)
    else:
        ids = np.concatenate([border, own + np.arange(p * inner).reshape(p, inner)], axis=1)
        out[:quads] = ids[:, t.quads.ravel()].ravel()
    if len(t.middle):
        ids = np.concatenate([border, own + np.arange(p * inner).reshape(p, inner)], axis=1)
        out[quads : quads + p * k] = ids[:, t.middle].ravel()
    return np.array([4, k], dtype=np.int32), np.array([p * len(t.quads), p * bool(len(t.middle))], dtype=np.int32)


def _sharp(t: Template, border: Floats, points: Floats) -> Floats:
    """Return the inner points on the old faces: each sector reaches from its corner to the old point."""
    i, a, b = t.sector[:, 0].astype(np.int64), t.sector[:, 1][:, None], t.sector[:, 2][:, None]
    n = t.chords
    corner = border[:, i * n]
    ahead = border[:, (i * n + n // 2) % (t.strips * n)] if n % 2 == 0 else corner
    behind = border[:, (i * n - n // 2) % (t.strips * n)] if n % 2 == 0 else corner
    old = points[:, None]
    if n % 2:
        return np.asarray(corner + (old - corner) * np.maximum(a, b))
    return np.asarray(corner * (1 - a) * (1 - b) + ahead * a * (1 - b) + behind * (1 - a) * b + old * a * b)


def _keep_inside(
    n: int, border: Floats, normals: Floats, rounded: Floats, bends: Bools, flat: Callable[[], Floats]
) -> None:
    """Draw inner points (inner, p, 3) back that lie beyond the plane of a face which the whole border keeps to one side of.

    A sheet may do so where it ``bends`` (p,); the membrane never does.
    """
    corners = border[:, ::n]
    level = np.einsum("pij,pij->pi", normals, corners)
    sides = border @ normals.transpose(0, 2, 1) - level[:, None]  # (p, k n, k)
    near = 1e-9 * np.abs(sides).max(axis=(1, 2))[:, None]
    below, above = sides.max(axis=1) <= near, sides.min(axis=1) >= -near
    at = np.einsum("ipj,pkj->ipk", rounded, normals) - level
    over = ((below & (at > near)) | (above & (at < -near))) & bends[:, None]
    if not over.any():
        return
    held = flat()
    base = np.einsum("ipj,pkj->ipk", held, normals) - level
    share = np.where(over & (base != at), base / np.where(base != at, base - at, 1.0), 1.0).clip(0, 1).min(axis=2)
    some = share < 1
    rounded[some] = held[some] + share[some, None] * (rounded[some] - held[some])


def _on_spheres(n: int, border: Floats, normals: Floats, rounded: Floats) -> None:
    """Put inner points (inner, p, 3) on the sphere that touches all faces, where the whole border lies on one.

    The centre is that of a ball that rolls into the corner: border corner = centre ± radius × normal.
    """
    corners = border[:, ::n]
    mean_n, mean_c = normals.mean(axis=1, keepdims=True), corners.mean(axis=1, keepdims=True)
    dn, dc = normals - mean_n, corners - mean_c
    spread = np.einsum("pij,pij->p", dn, dn)
    radius = np.einsum("pij,pij->p", dn, dc) / np.where(spread > 0, spread, 1)
    some = np.flatnonzero((spread > 1e-6) & (radius != 0))
    if len(some) == 0:
        return
    radius = radius[some]
    centre = mean_c[some, 0] - radius[:, None] * mean_n[some, 0]
    reach = border[some] - centre[:, None]
    length = np.sqrt(np.einsum("pij,pij->pi", reach, reach))
    size = np.abs(radius)[:, None]
    fits = (np.abs(length - size) <= 1e-7 * size).all(axis=1)
    some, centre, radius = some[fits], centre[fits], np.abs(radius[fits])
    sphere = rounded[:, some] - centre
    sphere *= (radius / np.sqrt(np.einsum("ipj,ipj->ip", sphere, sphere)))[..., None]
    rounded[:, some] = sphere + centre
