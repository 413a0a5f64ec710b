"""Compiled: the faces round each point that a picked edge meets."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.geometry.kernels import kernel


@kernel
def walk(corners: Any, following: Any, before: Any, twins: Any, point_offsets: Any, point_corners: Any,
         corner_edge: Any, picked: Any, where: Any, room: int) -> Any:  # fmt: skip
    """Corners round each of the points ``where``, counter-clockwise, in compressed rows; whether the ring closes.

    Rings without a picked edge are left out; ``room`` is the number of all corners there.
    """
    n = corners.shape[0]
    seen = np.zeros(n, np.bool_)
    out = np.empty(room, np.int32)
    starts = np.empty(room + 1, np.int32)
    closes = np.empty(room, np.bool_)
    at = count = 0
    starts[0] = 0
    for p in where:
        for k in range(point_offsets[p], point_offsets[p + 1]):
            c = point_corners[k]
            if seen[c]:
                continue
            # clockwise to where the ring begins
            s = c
            closed = False
            while True:
                t = twins[s]
                if t < 0 or corners[t] == corners[s]:
                    break
                s = following[t]
                if s == c:
                    closed = True
                    break
            if closed:
                # begin at a picked edge, if there is one
                while not picked[corner_edge[s]]:
                    s = twins[before[s]]
                    if s == c:
                        break
            begun = at
            has = False
            c = s
            while True:
                seen[c] = True
                out[at] = c
                at += 1
                has = has or picked[corner_edge[c]]
                t = twins[before[c]]
                if t < 0 or corners[t] == corners[before[c]]:
                    break
                c = t
                if c == s:
                    break
            if has:
                closes[count] = closed
                count += 1
                starts[count] = at
            else:
                at = begun
    return out[:at].copy(), starts[: count + 1].copy(), closes[:count].copy()
