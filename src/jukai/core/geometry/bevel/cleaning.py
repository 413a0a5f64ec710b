"""What shrank to nothing is taken out: sides of no length, faces of no area, places where a face meets itself."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.bevel._faces import faults
from jukai.core.geometry.bevel._joining import unrepeated
from jukai.core.geometry.bevel._meetings import meetings
from jukai.core.geometry.components import lowest

__all__ = ["Body", "cleaned"]

Long = NDArray[np.int64]
_PLAIN = 1500
_ROUNDS = 6
_NEAR = 1e-9
"""Share of the body's size below which two points are one."""
_CROWDED = 400
"""Corners of a face up to which all its points are held against all its sides."""


@dataclass(slots=True, eq=False)
class Body:
    """Faces in compressed rows, and where they come from.

    Attributes
    ----------
    rows : (f,) which of the faces given at first each one is; None while all are there, in their order.
    merged : (n,) the point that each one has become; None while all stand for themselves.
    """

    points: Floats
    corners: Ints | Long
    offsets: Ints | Long
    uv: Floats | None
    rows: Long | None = None
    merged: Long | None = None


def cleaned(body: Body, first_new: int, size: float, close: Array | None = None, look: Long | None = None) -> Body:
    """Return the body without what shrank to nothing.

    Points that a side of no length joins become one. A face without area is a path there and back:
    its sides are divided where its own points lie on them, in the faces across too, and then it
    falls away. A face that meets itself in a point becomes two.

    Parameters
    ----------
    first_new : points before this one were there before and are not joined with each other.
    size : mm, of the body.
    close : faces that may touch themselves although they have an area.
    look : faces that may have shrunk; None for all.
    """
    least = (_NEAR * size) ** 2
    suspects = np.zeros(0, np.int64) if close is None else np.asarray(close, dtype=np.int64)
    bridged = None
    for _ in range(_ROUNDS):
        # the first time all that may have shrunk, then what was changed
        first = np.arange(len(body.offsets) - 1) if look is None else look
        faces = first if body.rows is None else suspects
        run = faults.choose(len(body.corners), _PLAIN)
        corners, offsets = (np.ascontiguousarray(x, dtype=np.int32) for x in (body.corners, body.offsets))
        a, b, flat = run(faces, body.points, corners, offsets, first_new, least)
        suspects = _either(suspects, flat, len(body.offsets) - 1)
        if len(a) == 0 and len(suspects) == 0:
            return body
        if bridged is None:
            bridged = np.zeros(len(body.offsets) - 1, dtype=bool)
            bridged[_unrepeated(body, np.arange(len(body.points)))[2]] = True
        now = bridged if body.rows is None else bridged[body.rows]
        joins, cuts = _meetings(body, suspects[~now[suspects]], _NEAR * size, first_new)
        a, b = np.concatenate([a, joins[:, 0]]), np.concatenate([b, joins[:, 1]])
        if len(a) == 0 and not cuts:
            return body
        if cuts:
            body = _divided(body, cuts)
        body = _joined(body, a, b, bridged)
        # what was changed is looked at again
        changed = np.zeros(len(body.points), dtype=bool)
        changed[a] = changed[b] = True
        changed[[p for row in cuts.values() for p in row]] = True
        assert body.merged is not None  # noqa: S101 - joined just now
        changed[body.merged[changed]] = True
        suspects = np.flatnonzero(np.logical_or.reduceat(changed[body.corners], body.offsets[:-1]))
    return body


def _either(a: Long, b: Long, count: int) -> Long:
    """Return the numbers under ``count`` that are in one of both, sorted."""
    there = np.zeros(count, dtype=bool)
    there[a] = there[b] = True
    return np.flatnonzero(there)


def _meetings(body: Body, faces: Long, near: float, first_new: int) -> tuple[Long, dict[tuple[int, int], list[int]]]:
    """Return pairs of points of one face at the same place, and points that lie on a side of their own face."""
    corners, offsets = (np.ascontiguousarray(x, dtype=np.int32) for x in (body.corners, body.offsets))
    # each point of a face is held against each of its sides
    run = meetings.choose(int((np.diff(body.offsets)[faces].astype(np.int64) ** 2).sum()), _PLAIN)
    joins, on = run(faces, body.points, corners, offsets, near, first_new, _CROWDED)
    cuts: dict[tuple[int, int], list[int]] = {}
    for one, two, point in on.tolist():
        cuts.setdefault((one, two), []).append(point)
    return joins, cuts


def _divided(body: Body, cuts: dict[tuple[int, int], list[int]]) -> Body:
    """Return the body with points set into sides, in all faces that have them."""
    corners, offsets = body.corners.astype(np.int64), body.offsets
    total = len(body.points)
    following = np.arange(1, len(corners) + 1)
    following[offsets[1:][np.diff(offsets) > 0] - 1] = offsets[:-1][np.diff(offsets) > 0]
    here, there = corners, corners[following]
    keys = np.minimum(here, there) * total + np.maximum(here, there)
    requested = np.sort(np.array([a * total + b for a, b in cuts], dtype=np.int64))
    spot = np.minimum(np.searchsorted(requested, keys), len(requested) - 1)
    places, ids, values = [], [], []
    for c in np.flatnonzero(requested[spot] == keys).tolist():
        p, q = int(here[c]), int(there[c])
        low, high = min(p, q), max(p, q)
        line = body.points[high] - body.points[low]
        new = np.array(sorted(set(cuts[low, high])))
        along = (body.points[new] - body.points[low]) @ line / float(line @ line)
        # the same order from either side, also of points at the same height
        order = np.argsort(along, kind="stable")
        if p > q:
            order, along = order[::-1], 1 - along
        places += [c + 1] * len(new)
        ids += new[order].tolist()
        if body.uv is not None:
            values.append(body.uv[c] + along[order, None] * (body.uv[following[c]] - body.uv[c]))
    face = np.searchsorted(offsets, np.array(places) - 1, side="right") - 1
    sizes = np.diff(offsets) + np.bincount(face, minlength=len(offsets) - 1)
    uv = None if body.uv is None else np.insert(body.uv, places, np.concatenate(values), axis=0)
    return Body(body.points, np.insert(corners, places, ids), _offsets(sizes), uv, body.rows, body.merged)


def _joined(body: Body, a: Long, b: Long, bridged: Bools) -> Body:
    """Return the body with points made one, faces parted where they then meet themselves, and no face of under three corners.

    Parameters
    ----------
    bridged : faces given at first that had a point twice, as round a hole: those are not parted.
    """
    merged = lowest(len(body.points), a, b).astype(np.int64)
    keep, sizes, twice = _unrepeated(body, merged)
    crossed = twice[~(bridged[twice] if body.rows is None else bridged[body.rows[twice]])]
    row = np.arange(len(sizes))
    if len(crossed):
        keep, row, sizes = _parted(merged[body.corners], keep, sizes, crossed)
    stay = sizes >= 3
    if not stay.all():
        keep, row, sizes = keep[np.repeat(stay, sizes)], row[stay], sizes[stay]
    before = np.arange(len(body.points)) if body.merged is None else body.merged
    return Body(
        body.points,
        merged[body.corners[keep]],
        _offsets(sizes),
        None if body.uv is None else body.uv[keep],
        row if body.rows is None else body.rows[row],
        merged[before],
    )


def _unrepeated(body: Body, merged: Array) -> tuple[Long, Ints, Long]:
    """Return the places of the corners that stay when points became others, how many each face keeps, and faces with a point twice."""
    run = unrepeated.choose(len(body.corners), _PLAIN)
    corners, offsets = (np.ascontiguousarray(x, dtype=np.int32) for x in (body.corners, body.offsets))
    return run(corners, offsets, np.ascontiguousarray(merged, dtype=np.int64))


def _parted(corners: Array, keep: Long, sizes: Ints, crossed: Long) -> tuple[Long, Long, Ints]:
    """Return the places of corners, the face each row comes of, and their sizes: crossed faces are parted where they meet themselves."""
    offsets = _offsets(sizes)
    parts, rows, counts = [], [], []
    done = 0
    for f in crossed.tolist():
        first, last = int(offsets[f]), int(offsets[f + 1])
        loops = list(_loops(corners[keep[first:last]].tolist()))
        parts += [keep[offsets[done] : first], *(keep[first:last][loop] for loop in loops)]
        rows += [np.arange(done, f), np.full(len(loops), f)]
        counts += [sizes[done:f], np.array([len(loop) for loop in loops], dtype=sizes.dtype)]
        done = f + 1
    parts.append(keep[offsets[done] :])
    rows.append(np.arange(done, len(sizes)))
    counts.append(sizes[done:])
    return np.concatenate(parts), np.concatenate(rows), np.concatenate(counts)


def _loops(ring: list[int]) -> Iterator[list[int]]:
    """Return the rings of different points that a ring is made of, as places in it; of two points and fewer none."""
    stack: list[int] = []
    seen: dict[int, int] = {}
    for place, point in enumerate(ring):
        if point in seen:
            cut = seen[point]
            loop, stack = stack[cut:], stack[:cut]
            for i in loop:
                del seen[ring[i]]
            if len(loop) >= 3:
                yield loop
        seen[point] = len(stack)
        stack.append(place)
    if len(stack) >= 3:
        yield stack


def _offsets(sizes: Array) -> Long:
    return np.concatenate([[0], np.cumsum(sizes)])
