"""Compiled: what closes a bevelled body again, and where it shrank to nothing."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.bevel._rings import KEPT
from jukai.core.geometry.kernels import kernel


@kernel
def fans(
    corners: Any, corner_edge: Any, picked: Any, ring: Any, starts: Any, kind: Any, prof: Any, prof_ids: Any, n: int
) -> Any:
    """Faces from the old points that stay: pairs of chords make faces of four sides, from both ends to the middle."""
    out = np.empty((prof_ids.shape[0] + 1, 4), np.int32)
    chain = np.empty(prof_ids.shape[0] + 1, np.int32)
    count = 0
    for r in range(starts.shape[0] - 1):
        if kind[r] != KEPT:
            continue
        lo, hi = starts[r], starts[r + 1]
        v = corners[ring[lo]]
        size = hi - lo
        # begin behind a sector that keeps its point
        begin = lo
        last = -1
        for k in range(lo, hi):
            if picked[corner_edge[ring[k]]]:
                last = k
        previous = prof[ring[last]]
        for k in range(lo, hi):
            if picked[corner_edge[ring[k]]]:
                here = prof[ring[k]]
                if prof_ids[here + n] != prof_ids[previous] or here == previous:
                    begin = k
                    break
                previous = here
        length = here = 0
        for step in range(size + 1):
            k = lo + (begin - lo + step) % size
            over = step == size
            if not over:
                if not picked[corner_edge[ring[k]]]:
                    continue
                here = prof[ring[k]]
                over = length > 0 and prof_ids[here + n] != chain[length - 1]
            if over and length > 1:
                chords = length - 1
                left = chords // 4 if chords % 2 else chords // 2
                at = 0
                for _ in range(left):
                    out[count, 0], out[count, 1], out[count, 2], out[count, 3] = (
                        v,
                        chain[at],
                        chain[at + 1],
                        chain[at + 2],
                    )
                    count += 1
                    at += 2
                if chords % 2:
                    stop = chords - 2 * left
                    while at < stop:
                        out[count, 0], out[count, 1], out[count, 2], out[count, 3] = v, chain[at], chain[at + 1], -1
                        count += 1
                        at += 1
                    for _ in range(left):
                        out[count, 0], out[count, 1], out[count, 2], out[count, 3] = (
                            v,
                            chain[at],
                            chain[at + 1],
                            chain[at + 2],
                        )
                        count += 1
                        at += 2
                length = 0
            if step < size:
                if length == 0:
                    chain[0] = prof_ids[here + n]
                    length = 1
                for t in range(n - 1, -1, -1):
                    chain[length] = prof_ids[here + t]
                    length += 1
    return out[:count].copy()


@kernel
def short_sides(points: Any, corners: Any, offsets: Any, first_new: int, least: float) -> Any:
    """Ends of the sides of faces that are shorter than the root of ``least`` and have a new point."""
    a = np.empty(64, np.int64)
    b = np.empty(64, np.int64)
    count = 0
    for f in range(offsets.shape[0] - 1):
        first, last = offsets[f], offsets[f + 1]
        for i in range(first, last):
            p = corners[i]
            q = corners[i + 1] if i + 1 < last else corners[first]
            if p < first_new and q < first_new:
                continue
            x, y, z = points[p, 0] - points[q, 0], points[p, 1] - points[q, 1], points[p, 2] - points[q, 2]
            if x * x + y * y + z * z <= least:
                if count == a.shape[0]:
                    a = np.concatenate((a, a))
                    b = np.concatenate((b, b))
                a[count] = p
                b[count] = q
                count += 1
    return a[:count].copy(), b[:count].copy()
