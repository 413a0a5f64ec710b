"""Rings between two loops in four-sided faces, and discs within one: patterns that depend on counts alone, places by a net."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.filling import grid_patch, plane_of

__all__ = ["Ring", "disc", "ring_between", "spread"]


@dataclass(frozen=True, slots=True, eq=False)
class Ring:
    """Faces between an outer loop of k points (numbers from 0) and an inner one of n (numbers from k); further ones from k + n.

    Attributes
    ----------
    fours, threes : (f, 4) and (t, 3) points, counter-clockwise where the loops are.
    points : (e, 3) the further ones.
    """

    fours: Array
    threes: Array
    points: Floats


@lru_cache(maxsize=64)
def _disc(n: int) -> tuple[Array, Array, Floats]:
    """Return faces of a disc of n points, (f, 4) and (0 or 1, 3), and (i, n) how its inner points follow from those."""
    angle = 2 * np.pi * np.arange(n) / n
    loop = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(n)])
    grid = grid_patch(loop)
    if n < 8:
        fours, inner, threes = grid.fours, len(grid.points), grid.three.reshape(-1, 3)
    else:
        at = np.arange(n)
        ring = np.stack([at, (at + 1) % n, n + (at + 1) % n, n + at], axis=1)
        fours, threes = np.concatenate([ring, grid.fours + n]), grid.three.reshape(-1, 3) + n
        inner = n + len(grid.points)
    return fours, threes, _net(n, inner, fours, threes)


def _net(n: int, inner: int, fours: Array, threes: Array) -> Floats:
    """Return (inner, n) weights by which inner points follow from border points: each in the middle of its neighbours.

    W. T. Tutte, How to draw a graph, 1963: on a convex border no two faces overlap.
    """
    if not inner:
        return np.zeros((0, n))
    pairs = np.concatenate(
        [np.stack([f, np.roll(f, -1, axis=1)], axis=2).reshape(-1, 2) for f in (fours, threes) if len(f)]
    )
    pairs = np.unique(np.sort(pairs, axis=1), axis=0)
    total = n + inner
    graph = np.zeros((total, total))
    graph[pairs[:, 0], pairs[:, 1]] = graph[pairs[:, 1], pairs[:, 0]] = 1.0
    degree = graph.sum(axis=1)
    return np.asarray(np.linalg.solve(np.diag(degree[n:]) - graph[n:, n:], graph[n:, :n]))


def disc(loop: Floats) -> tuple[Floats, Array, Array]:
    """Fill a round loop (n, 3): return inner points, and faces (f, 4) and (t, 3), whose numbers from n on are of these."""
    fours, threes, weights = _disc(len(loop))
    middle = loop.mean(axis=0)
    return weights @ (loop - middle) + middle, fours, threes


def spread(shares: Floats, total: int) -> Array:
    """Return odd numbers, one for each share of 1, as near as can be to that share of ``total``, which their sum is; one is even if it must be."""
    out = np.ones(len(shares), dtype=np.int64)
    ideal = shares / max(float(shares.sum()), 1e-300) * total
    while out.sum() + 2 <= total:
        out[int(np.argmax(np.round(ideal - out, 9)))] += 2
    if out.sum() < total:
        out[int(np.argmax(np.round(ideal - out, 9)))] += 1
    return out


def ring_between(outer: Floats, inner: Floats, corners: Array) -> Ring:
    """Return the ring between two loops that run the same way; rung 0 leads from outer point 0 to inner point 0.

    Parameters
    ----------
    outer, inner : (k, 3), (n, 3).
    corners : outer points that come to lie in a face by themselves, no two of them neighbours; they do so only if as many are
        left then as the inner loop has.

    Notes
    -----
    As many points on both make rungs. An edge of the loop with fewer points faces one, three, five ... of the other: three
    lie on two points between (the common pattern of three to one; common practice, no source); an outer corner lies in a face
    with both its neighbours. An odd difference leaves one face of three sides.
    """
    k, n = len(outer), len(inner)
    fours: list[tuple[int, int, int, int]] = []
    threes: list[tuple[int, int, int]] = []
    fresh: list[Floats] = []
    places = np.concatenate([outer, inner])
    lone = set(corners.tolist()) if k - 2 * len(corners) == n else set()
    stops = [j for j in range(k) if j not in lone]  # outer points that a rung ends at
    gaps = list(zip(stops, [*stops[1:], stops[0] + k], strict=True))
    turn = _turns(outer, inner)
    if len(gaps) - len(lone) <= n:  # an outer edge leads
        seen = np.array([turn[b] - turn[a] for a, b in gaps if b - a == 1])
        counts = iter(spread(seen, n).tolist())
        at = 0
        for a, b in gaps:
            if b - a == 2:
                fours.append((a, (a + 1) % k, b % k, k + at % n))
                continue
            c = next(counts)
            _facing(fours, threes, fresh, places, [a, b % k], [k + (at + i) % n for i in range(c + 1)], turned=False)
            at += c
    else:
        of = np.interp(turn[0] + 2 * np.pi * np.arange(n + 1) / n, turn, np.arange(k + 1))
        at = 0
        for i, c in enumerate(spread(np.diff(of), k).tolist()):
            run = [(at + j) % k for j in range(c + 1)]
            _facing(fours, threes, fresh, places, [k + i, k + (i + 1) % n], run, turned=True)
            at += c
    return Ring(_rows(fours, 4), _rows(threes, 3), np.array(fresh).reshape(-1, 3))


def _turns(outer: Floats, inner: Floats) -> Floats:
    """Return (k + 1,) how far round the middle of the inner loop the points of the outer one are; by length where that goes back."""
    k = len(outer)
    centre = inner.mean(axis=0)
    normal = plane_of(inner)[1]
    x = outer[0] - centre
    x = x - (x @ normal) * normal
    x /= max(float(np.linalg.norm(x)), 1e-300)
    rel = np.concatenate([outer, outer[:1]]) - centre
    turn = np.unwrap(np.arctan2(rel @ np.cross(normal, x), rel @ x))
    if abs(turn[-1] - turn[0] - 2 * np.pi) < 1e-6 and (np.diff(turn) > 0).all():
        return np.asarray(turn)
    long = np.concatenate(
        [[0.0], np.cumsum(np.linalg.norm(np.diff(np.concatenate([outer, outer[:1]]), axis=0), axis=1))]
    )
    return np.asarray(2 * np.pi * long / max(float(long[k]), 1e-300))


def _rows(rows: Sequence[tuple[int, ...]], sides: int) -> Array:
    return np.array(rows, dtype=np.int64).reshape(-1, sides)


def _facing(
    fours: list[tuple[int, int, int, int]], threes: list[tuple[int, int, int]], fresh: list[Floats], places: Floats, one: list[int],
    many: list[int], *, turned: bool,
) -> None:  # fmt: skip
    """Fill what lies between one edge and a run of an odd number of edges; of an even one a face of three sides goes first.

    ``one`` is an outer edge and ``many`` inner ones, both counter-clockwise; ``turned`` the other way round.
    """

    def four(a: int, b: int, c: int, d: int) -> None:
        fours.append((d, c, b, a) if turned else (a, b, c, d))

    a, b = one
    every = len(places)

    def place(p: int) -> Floats:
        return np.asarray(places[p] if p < every else fresh[p - every])

    if len(many) % 2:  # an even number of edges
        threes.append((a, many[0], many[1]) if turned else (many[0], a, many[1]))
        if turned:
            threes[-1] = (many[0], many[1], a)
        many = many[1:]
    levels = (len(many) - 2) // 2
    start, end = place(a), place(b)
    chain = many
    for level in range(levels):
        inner = chain[1:-1]
        share = (level + 1) / (levels + 1)
        t = np.linspace(0, 1, len(many))
        new = []
        for i in range(len(inner)):
            at = t[i + 1 + level]
            straight = (1 - at) * start + at * end
            fresh.append((1 - share) * place(many[i + 1 + level]) + share * straight)
            new.append(every + len(fresh) - 1)
        # from the outer point along the new chain to the other: rungs to the old one
        row = [a, *new, b]
        for i in range(len(row) - 1):
            four(row[i], row[i + 1], chain[i + 1], chain[i])
        chain = new
    four(a, b, chain[-1], chain[0])
