"""Loops filled with four-sided faces: a grid whose four corners are found, its points between the sides."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Array, Floats

__all__ = ["Patch", "grid_patch", "plane_of", "ring_turns"]


@dataclass(frozen=True, slots=True, eq=False)
class Patch:
    """Faces that fill a loop of m points. Numbers below m are of the loop, those from m on of ``points``.

    Attributes
    ----------
    points : (k, 3) inner ones.
    fours : (f, 4) faces, as the loop runs.
    three : (3,) one face of three sides where the loop has an odd number of points, else empty.
    uv, uv_three : texture coordinates of their corners.
    """

    points: Floats
    fours: Array
    three: Array
    uv: Floats
    uv_three: Floats


def plane_of(loop: Floats) -> tuple[Floats, Floats]:
    """Return the middle of a loop (m, 3), weighed by length, and the normal of its vector area (0 where it has none)."""
    q = np.roll(loop, -1, axis=0)
    long = np.linalg.norm(q - loop, axis=1)
    total = float(long.sum())
    centre = ((loop + q) / 2 * long[:, None]).sum(axis=0) / max(total, 1e-300)
    normal = np.cross(loop - centre, q - centre).sum(axis=0)
    size = float(np.linalg.norm(normal))
    return centre, np.zeros(3) if size <= 1e-9 * total**2 else normal / size


def ring_turns(loop: Floats, normal: Floats) -> Floats:
    """Return (m,) radians by which a loop turns at each point, to the left above 0."""
    behind, ahead = loop - np.roll(loop, 1, axis=0), np.roll(loop, -1, axis=0) - loop
    return np.asarray(np.arctan2(np.cross(behind, ahead) @ normal, (behind * ahead).sum(axis=1)))


def grid_patch(loop: Floats, turn: int = 0) -> Patch:
    """Fill a loop (m, 3) with a grid of four-sided faces.

    The corners of the grid are put where the loop turns most, its opposite sides being as long as each other; ``turn`` moves
    them on by so many points. Inner points lie between the sides (S. A. Coons, Surfaces for computer-aided design of
    space forms, 1967). An odd loop loses one corner to a face of three sides first.
    """
    m = len(loop)
    if m == 3:
        return Patch(np.zeros((0, 3)), np.zeros((0, 4), np.int64), np.arange(3), np.zeros((0, 4, 2)), np.eye(3)[:, :2])
    _, normal = plane_of(loop)
    ring = np.arange(m)
    three = np.zeros(0, dtype=np.int64)
    if m % 2:
        cut = int(np.argmax(np.round(ring_turns(loop, normal), 9)))
        three = np.array([cut - 1, cut, (cut + 1) % m]) % m
        ring = np.delete(ring, cut)
    a, b, first = _corners(loop[ring], normal)
    ring = np.roll(ring, -(first + turn) % len(ring))
    number = np.full((b + 1, a + 1), -1, dtype=np.int64)
    number[0, :] = ring[: a + 1]
    number[:, a] = ring[a : a + b + 1]
    number[b, ::-1] = ring[a + b : 2 * a + b + 1]
    number[::-1, 0] = np.append(ring, ring[0])[2 * a + b : 2 * (a + b) + 1]
    inner = number[1:-1, 1:-1]
    inner[:] = m + np.arange(inner.size).reshape(inner.shape)
    places = _between(loop, number, a, b)
    fours = np.stack([number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]], axis=-1).reshape(-1, 4)
    u, v = np.meshgrid(np.arange(a) / a, np.arange(b) / b)
    uv = np.stack([np.stack([u + i / a, v + j / b], axis=-1) for i, j in ((0, 0), (1, 0), (1, 1), (0, 1))], axis=2)
    return Patch(places, fours, three, uv.reshape(-1, 4, 2), np.zeros((len(three), 2)))


def _between(loop: Floats, number: Array, a: int, b: int) -> Floats:
    u, v = np.arange(1, a)[None, :, None] / a, np.arange(1, b)[:, None, None] / b
    low, high, left, right = loop[number[0]], loop[number[b]], loop[number[:, 0]], loop[number[:, a]]
    across = (1 - v) * low[None, 1:-1] + v * high[None, 1:-1]
    up = (1 - u) * left[1:-1, None] + u * right[1:-1, None]
    corners = (1 - u) * (1 - v) * low[0] + u * (1 - v) * low[-1] + (1 - u) * v * high[0] + u * v * high[-1]
    return np.asarray((across + up - corners).reshape(-1, 3))


def _corners(loop: Floats, normal: Floats) -> tuple[int, int, int]:
    """Return the counts of a grid along its two ways, and the point of the loop at which it begins."""
    m = len(loop)
    half = m // 2
    turn = ring_turns(loop, normal)
    step = np.linalg.norm(np.roll(loop, -1, axis=0) - loop, axis=1)
    along = np.concatenate([[0.0], np.cumsum(np.concatenate([step, step]))])
    total = max(float(step.sum()), 1e-300)
    start = np.arange(m)[:, None]
    a = np.arange(1, half)[None, :]
    b = half - a
    two, three = (start + half) % m, (start + half + a) % m
    corners = turn[start] + turn[(start + a) % m] + turn[two] + turn[three]
    low, right = along[start + a] - along[start], along[start + half] - along[start + a]
    high, left = along[two + a] - along[two], along[three + b] - along[three]
    unlike = (np.abs(low - high) + np.abs(right - left)) / total
    with np.errstate(divide="ignore"):
        cell = np.abs(np.log(np.maximum(low + high, 1e-300) / a) - np.log(np.maximum(right + left, 1e-300) / b))
    score = np.round(np.minimum(corners, 2 * np.pi) - 3 * unlike - 0.15 * cell, 9)
    best = int(np.argmax(score))
    return int(a[0, best % (half - 1)]), int(b[0, best % (half - 1)]), best // (half - 1)
