"""Compiled: the inner points of very many patches of few points each; ``patches.fill`` says what is done."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel


@kernel
def many(points: Array, at: int, border: Array, normals: Array, edges: Array, membrane: Array, sheet: Array, flat: float, rounded: float,
         n: int, even: float, level: float, alike: float) -> Any:  # fmt: skip
    """Write the inner points of patches between strips that run along ``edges`` (p, k, 3).

    Parameters
    ----------
    membrane, sheet : (inner, k n) and (inner, k n + k) what inner points are mixed from: points of the border, then
    each edge as long as the chords of the side before it.

    Returns
    -------
    (p,) for which of them the chords of one side are more than ``even`` times as long as of another:
    those are left to be worked out otherwise.
    """
    k = edges.shape[1]
    inner, rows = sheet.shape
    size = k * n
    given = np.empty((rows, 3))
    chord = np.empty(k)
    middle = np.zeros((inner, 3))
    bent = np.zeros((inner, 3))
    centre = np.empty(3)
    low = np.empty(k)
    high = np.empty(k)
    uneven = np.zeros(border.shape[0], np.bool_)
    for p in range(border.shape[0]):
        for i in range(size):
            b = border[p, i]
            given[i, 0], given[i, 1], given[i, 2] = points[b, 0], points[b, 1], points[b, 2]
        least, long = np.inf, 0.0
        for i in range(k):
            side = 0.0
            for j in range(i * n, i * n + n):
                g = j + 1 if j + 1 < size else 0
                x, y, z = given[g, 0] - given[j, 0], given[g, 1] - given[j, 1], given[g, 2] - given[j, 2]
                side += np.sqrt(x * x + y * y + z * z)
            chord[i] = side / n
            least, long = min(least, chord[i]), max(long, chord[i])
        if rounded > 0 and long > even * least:
            uneven[p] = True
            continue
        if flat > 0:
            for q in range(inner):
                x = y = z = 0.0
                for i in range(size):
                    m = membrane[q, i]
                    x += m * given[i, 0]
                    y += m * given[i, 1]
                    z += m * given[i, 2]
                middle[q, 0], middle[q, 1], middle[q, 2] = x, y, z
        if rounded > 0:
            for i in range(k):
                m = chord[i - 1 if i > 0 else k - 1]
                for x in range(3):
                    given[size + i, x] = edges[p, i, x] * m
            for q in range(inner):
                x = y = z = 0.0
                for i in range(rows):
                    m = sheet[q, i]
                    x += m * given[i, 0]
                    y += m * given[i, 1]
                    z += m * given[i, 2]
                bent[q, 0], bent[q, 1], bent[q, 2] = x, y, z
        turns = 0.0
        for i in range(1, k):
            for x in range(3):
                m = normals[p, i, x] - normals[p, 0, x]
                turns += m * m
        if rounded > 0 and turns > level:
            # the plane of each face, and whether the whole border keeps to one side of it
            most = spread = across = 0.0
            for x in range(3):
                mn = mc = 0.0
                for i in range(k):
                    mn += normals[p, i, x]
                    mc += given[i * n, x]
                for i in range(k):
                    dn, dc = normals[p, i, x] - mn / k, given[i * n, x] - mc / k
                    spread += dn * dn
                    across += dn * dc
                centre[x] = mn / k
            if rounded == 1 and spread > 1e-6 and across != 0:
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
                    for q in range(inner):
                        x, y, z = bent[q, 0] - centre[0], bent[q, 1] - centre[1], bent[q, 2] - centre[2]
                        scale = radius / np.sqrt(x * x + y * y + z * z)
                        bent[q, 0], bent[q, 1], bent[q, 2] = (
                            centre[0] + x * scale,
                            centre[1] + y * scale,
                            centre[2] + z * scale,
                        )
            # sheets bend over where their strips are of different widths
            if spread > level and long > alike * least:
                for i in range(k):
                    low[i] = np.inf
                    high[i] = -np.inf
                    nx, ny, nz = normals[p, i, 0], normals[p, i, 1], normals[p, i, 2]
                    c = i * n
                    for j in range(size):
                        side = (
                            nx * (given[j, 0] - given[c, 0])
                            + ny * (given[j, 1] - given[c, 1])
                            + nz * (given[j, 2] - given[c, 2])
                        )
                        low[i], high[i] = min(low[i], side), max(high[i], side)
                        most = max(most, abs(side))
                near = 1e-9 * most
                for q in range(inner):
                    share = 1.0
                    known = False
                    for i in range(k):
                        nx, ny, nz = normals[p, i, 0], normals[p, i, 1], normals[p, i, 2]
                        c = i * n
                        side = (
                            nx * (bent[q, 0] - given[c, 0])
                            + ny * (bent[q, 1] - given[c, 1])
                            + nz * (bent[q, 2] - given[c, 2])
                        )
                        if (high[i] <= near and side > near) or (low[i] >= -near and side < -near):
                            if flat == 0 and not known:
                                known = True
                                for x in range(3):
                                    middle[q, x] = 0.0
                                    for j in range(size):
                                        middle[q, x] += membrane[q, j] * given[j, x]
                            base = (
                                nx * (middle[q, 0] - given[c, 0])
                                + ny * (middle[q, 1] - given[c, 1])
                                + nz * (middle[q, 2] - given[c, 2])
                            )
                            if base != side:
                                share = min(share, max(0.0, base / (base - side)))
                    if share < 1:
                        for x in range(3):
                            bent[q, x] = middle[q, x] + share * (bent[q, x] - middle[q, x])
        first = at + p * inner
        for q in range(inner):
            for x in range(3):
                points[first + q, x] = (flat * middle[q, x] if flat > 0 else 0.0) + rounded * bent[q, x]
    return uneven


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
