"""The section of a strip: n chords from one face to the other, from hollow through flat and round to sharp."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.bevel._sections import round_shares
from jukai.core.geometry.kernels import FEW

__all__ = ["profile_tables", "shares"]


def profile_tables(segments: int, roundness: float) -> Floats:
    """Return what the section of a strip is mixed from.

    A point of the section is M + a (A - M) + b (B - M): M on the old edge, A and B where the strip
    begins and ends, a the mirror image of b. Three sections are known in closed form: the chord,
    b = t; the round that leaves both faces along themselves, b = (1 - cos tφ) / (1 - cos φ) for faces
    that turn by φ, which is an arc of a circle where both legs are equal; and the sharp edge,
    b = max(0, 2t - 1). Between whole values of ``roundness`` they are mixed evenly, so nothing jumps:
    0 chord, 1 round, 2 sharp, and from 0 to -1 an arc on the other side of the chord: the round mirrored,
    or, where faces turn by more than a right angle, as deep as goes without cutting in under them.

    Returns
    -------
    (4, n + 1): b of the chord, b of the sharp edge, the weights (chord, round, sharp, 0 ...), and
    whether it is hollow in the first place of the last row.
    """
    t = np.arange(segments + 1) / segments
    out = np.zeros((4, max(segments + 1, 3)))
    out[0, : segments + 1] = t
    out[1, : segments + 1] = np.maximum(0.0, 2 * t - 1)
    r = abs(roundness)
    out[2, :3] = [max(0.0, 1 - r), r if r <= 1 else 2 - r, max(0.0, r - 1)]
    out[3, 0] = float(roundness < 0)
    return out


def shares(tables: Floats, turn: Floats, segments: int) -> Floats:
    """Return (m, n + 1) the share b of the second leg along sections that turn by ``turn`` (m,) radians."""
    out = np.zeros((len(turn), segments + 1))
    out[:, segments] = 1
    if segments > 1:
        out[:, 1:segments] = _between(tables, turn, segments)
    return out


def _between(tables: Floats, turn: Floats, segments: int) -> Floats:
    """Return (m, n - 1) the shares between the ends."""
    t = np.arange(1, segments) / segments
    phi = np.maximum(turn, 1e-4)[:, None]
    if tables[3, 0] == 0:
        if len(turn) * segments > FEW:
            return round_shares(turn, tables[0, : segments + 1], tables[1, : segments + 1], tables[2])
        round_ = np.where(turn[:, None] > 1e-4, (1 - np.cos(t * phi)) / (1 - np.cos(phi)), t * t)
        return np.asarray(tables[2, 0] * t + tables[2, 1] * round_ + tables[2, 2] * tables[1, 1:segments])
    # an arc from the other side of the chord, no deeper than leaves the faces at a right angle: never under them
    a = 2 * t - 1
    bow = np.minimum(phi / 2, np.pi / 2 - phi / 2)
    some = bow > 1e-4
    safe = np.where(some, bow, 1.0)
    across = np.where(some, np.sin(a * safe) / np.sin(safe), a)
    deep = np.where(some, (np.cos(a * safe) - np.cos(safe)) / np.sin(safe), (1 - a * a) * bow / 2)
    deep = np.where(turn[:, None] > 1e-4, deep / np.tan(phi / 2), (1 - a * a) / 2)
    return np.asarray(tables[2, 0] * t + tables[2, 1] * (1 + deep + across) / 2)
