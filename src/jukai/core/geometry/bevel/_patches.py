"""Compiled: the inner points of very many patches of few points each; ``patches.fill`` says what is done."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.kernels import kernel, no_wraparound, piece

EVEN, LEVEL, ALIKE = 1.4, 1e-12, 1.02
"""Chords of one side so many times as long as of another are uneven; squares of turns up to which a corner is flat; chords
up to so many times as long as the shortest are alike."""


class _Patch(NamedTuple):
    """The patch that is worked on, between k strips of n chords.

    ``given`` (k n + k, 3) its border and, behind it, an edge for each strip; ``chord`` (k,) the mean
    chord of each side; ``middle`` and ``bent`` (inner, 3) its points as a membrane and as a sheet;
    ``low`` and ``high`` (k,) how far its border lies under and over the face at each corner.
    """

    given: Floats
    chord: Floats
    middle: Floats
    bent: Floats
    low: Floats
    high: Floats
    centre: Floats


@no_wraparound
@kernel
def many(points: Array, at: int, border: Array, normals: Array, edges: Array, membrane: Array, sheet: Array, flat: float, rounded: float
         ) -> Bools:  # fmt: skip
    """Write the inner points of patches between strips that run along ``edges`` (p, k, 3).

    Parameters
    ----------
    membrane, sheet : (inner, k n) and (inner, k n + k) what inner points are mixed from: points of the border, then
    each edge as long as the chords of the side before it. flat, rounded : how much of each is taken.

    Returns
    -------
    (p,) for which of them the chords of one side are more than ``EVEN`` times as long as of another:
    those are left to be worked out otherwise.
    """
    k, size = edges.shape[1], border.shape[1]
    inner, rows = sheet.shape
    patch = _Patch(
        np.empty((rows, 3)), np.empty(k), np.zeros((inner, 3)), np.zeros((inner, 3)), np.empty(k), np.empty(k), np.empty(3)
    )  # fmt: skip
    given, middle, bent = patch.given, patch.middle, patch.bent
    uneven = np.zeros(border.shape[0], np.bool_)
    for p in range(border.shape[0]):
        for i in range(size):
            b = border[p, i]
            given[i, 0], given[i, 1], given[i, 2] = points[b, 0], points[b, 1], points[b, 2]
        least, long = _chords(given, size, patch.chord)
        if rounded > 0 and long > EVEN * least:
            uneven[p] = True
            continue
        if flat > 0:
            _mix(membrane, given, middle)
        if rounded > 0:
            for i in range(k):
                m = patch.chord[i - 1 if i > 0 else k - 1]
                for x in range(3):
                    given[size + i, x] = edges[p, i, x] * m
            _mix(sheet, given, bent)
        turns = 0.0
        for i in range(1, k):
            for x in range(3):
                m = normals[p, i, x] - normals[p, 0, x]
                turns += m * m
        if rounded > 0 and turns > LEVEL:
            spread = _on_sphere(normals[p], size, rounded == 1, patch)
            # sheets bend over where their strips are of different widths
            if spread > LEVEL and long > ALIKE * least:
                _keep_inside(normals[p], size, membrane, flat == 0, patch)
        first = at + p * inner
        for q in range(inner):
            for x in range(3):
                points[first + q, x] = (flat * middle[q, x] if flat > 0 else 0.0) + rounded * bent[q, x]
    return uneven


@no_wraparound
@piece
def _chords(given: Array, size: int, chord: Array) -> tuple[float, float]:
    """Write the mean chord of each side of a border; return the least and the longest."""
    k = chord.shape[0]
    n = size // k
    least, long = np.inf, 0.0
    for i in range(k):
        side = 0.0
        for j in range(i * n, i * n + n):
            g = j + 1 if j + 1 < size else 0
            x, y, z = given[g, 0] - given[j, 0], given[g, 1] - given[j, 1], given[g, 2] - given[j, 2]
            side += np.sqrt(x * x + y * y + z * z)
        chord[i] = side / n
        least, long = min(least, chord[i]), max(long, chord[i])
    return least, long


@no_wraparound
@piece
def _mix(shares: Array, given: Array, out: Array) -> None:
    """Write points as sums of shares of those given."""
    for q in range(shares.shape[0]):
        x = y = z = 0.0
        for i in range(shares.shape[1]):
            m = shares[q, i]
            x += m * given[i, 0]
            y += m * given[i, 1]
            z += m * given[i, 2]
        out[q, 0], out[q, 1], out[q, 2] = x, y, z


@no_wraparound
@piece
def _on_sphere(normals: Array, size: int, pull: bool, patch: _Patch) -> float:
    """Pull a patch onto the sphere that its border lies on, if it does; return how far the normals of its corners are spread."""
    given, bent, centre, k = patch.given, patch.bent, patch.centre, normals.shape[0]
    n = size // k
    spread = across = 0.0
    for x in range(3):
        mn = mc = 0.0
        for i in range(k):
            mn += normals[i, x]
            mc += given[i * n, x]
        for i in range(k):
            dn, dc = normals[i, x] - mn / k, given[i * n, x] - mc / k
            spread += dn * dn
            across += dn * dc
        centre[x] = mn / k
    if not pull or not spread > 1e-6 or across == 0:
        return spread
    radius = across / spread
    for x in range(3):
        mc = 0.0
        for i in range(k):
            mc += given[i * n, x]
        centre[x] = mc / k - radius * centre[x]
    radius = abs(radius)
    fits = True
    for i in range(size):
        x, y, z = given[i, 0] - centre[0], given[i, 1] - centre[1], given[i, 2] - centre[2]
        fits = fits and abs(np.sqrt(x * x + y * y + z * z) - radius) <= 1e-7 * radius
    if fits:
        for q in range(bent.shape[0]):
            x, y, z = bent[q, 0] - centre[0], bent[q, 1] - centre[1], bent[q, 2] - centre[2]
            scale = radius / np.sqrt(x * x + y * y + z * z)
            bent[q, 0], bent[q, 1], bent[q, 2] = centre[0] + x * scale, centre[1] + y * scale, centre[2] + z * scale
    return spread


@no_wraparound
@piece
def _over(normals: Array, i: int, at: Array, q: int, given: Array, c: int) -> float:
    """Return how far a point lies over the face at corner ``i`` of a border."""
    return (
        normals[i, 0] * (at[q, 0] - given[c, 0])
        + normals[i, 1] * (at[q, 1] - given[c, 1])
        + normals[i, 2] * (at[q, 2] - given[c, 2])
    )


@no_wraparound
@piece
def _keep_inside(normals: Array, size: int, membrane: Array, mix: bool, patch: _Patch) -> None:
    """Draw points back towards the membrane that lie beyond a face to whose one side the whole border keeps.

    ``mix`` if the membrane's points are not known yet; they are then for those that need them.
    """
    given, middle, bent, k = patch.given, patch.middle, patch.bent, normals.shape[0]
    n, most = size // k, 0.0
    for i in range(k):
        patch.low[i] = np.inf
        patch.high[i] = -np.inf
        for j in range(size):
            side = _over(normals, i, given, j, given, i * n)
            patch.low[i], patch.high[i] = min(patch.low[i], side), max(patch.high[i], side)
            most = max(most, abs(side))
    near = 1e-9 * most
    for q in range(bent.shape[0]):
        share = 1.0
        known = not mix
        for i in range(k):
            side = _over(normals, i, bent, q, given, i * n)
            if (patch.high[i] <= near and side > near) or (patch.low[i] >= -near and side < -near):
                if not known:
                    known = True
                    for x in range(3):
                        middle[q, x] = 0.0
                        for j in range(size):
                            middle[q, x] += membrane[q, j] * given[j, x]
                base = _over(normals, i, middle, q, given, i * n)
                if base != side:
                    share = min(share, max(0.0, base / (base - side)))
        if share < 1:
            for x in range(3):
                bent[q, x] = middle[q, x] + share * (bent[q, x] - middle[q, x])


@no_wraparound
@kernel
def means(values: Array, at: int, border: Array, membrane: Array) -> None:
    """Write what (., 2) values on the borders of patches are inside, from row ``at`` on."""
    inner, rows = membrane.shape
    for p in range(border.shape[0]):
        for q in range(inner):
            one = two = 0.0
            for i in range(rows):
                b = border[p, i]
                one += membrane[q, i] * values[b, 0]
                two += membrane[q, i] * values[b, 1]
            values[at + p * inner + q, 0], values[at + p * inner + q, 1] = one, two


@no_wraparound
@kernel
def divide(out: Array, border: Array, own: int, inner: int, faces: Array) -> None:
    """Write the faces (f, s) of a template for each patch; its inner points follow on from ``own``."""
    rows = border.shape[1]
    at = 0
    for p in range(border.shape[0]):
        for f in range(faces.shape[0]):
            for s in range(faces.shape[1]):
                t = faces[f, s]
                out[at] = border[p, t] if t < rows else own + p * inner + t - rows
                at += 1
