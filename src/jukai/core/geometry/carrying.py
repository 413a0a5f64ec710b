"""Carrying a section along a path: mitred at its corners, sized and turned on its way; and where it is carried through itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import FEW, kernel
from jukai.core.geometry.path_frames import Frames
from jukai.core.geometry.paths import Stations
from jukai.core.geometry.tubes import Run

__all__ = ["Tight", "least_turn", "motions_along", "run_along", "sharpest", "tightest", "tightest_of"]


def run_along(stations: Stations, lies: Frames, scale: Floats, turn: Floats, reach: float) -> Run:
    """Return where sections stand: square to the path, at its corners in the plane half way between its directions.

    There a section is stretched so that it fits the straight parts on both sides (a mitre). Those near a corner lean less and
    less on their way from it, so that rows beside it do not run through it.

    Parameters
    ----------
    scale, turn : (k,) size of the section at each station, and degrees by which it is turned counter-clockwise, looking back
        along the path.
    reach : how far a section of size 1 reaches from the path, mm.
    """
    a = np.radians(turn)[:, None]
    c, s = np.cos(a), np.sin(a)
    across, up = c * lies.across + s * lies.up, c * lies.up - s * lies.across
    if stations.corner.any():
        lean = _leans(stations, reach * scale)
        across, up = (v + stations.before * np.einsum("ij,ij->i", lean, v)[:, None] for v in (across, up))
    along = np.append(stations.length, stations.long) if stations.closed else stations.length
    return Run(stations.points, across, up, scale, along)


def least_turn(a: Floats, b: Floats) -> Floats:
    """Return the rotation that lays one unit vector on another by the least turn; half a turn is about X, or Y beside X."""
    v, c = np.cross(a, b), float(a @ b)
    if c < -1 + 1e-12:
        side = np.eye(3)[0 if abs(a[0]) < 0.9 else 1]
        across = side - (side @ a) * a
        across /= np.linalg.norm(across)
        return 2 * np.outer(across, across) - np.eye(3)
    cross = np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])
    return np.asarray(np.eye(3) + cross + cross @ cross / (1 + c))


def motions_along(across: Floats, up: Floats, stations: Stations) -> Floats:
    """Return the affine motion (k, 3, 4) from the first station to each."""
    axes = np.stack([across, up, stations.before], axis=2)
    linear = axes @ np.linalg.inv(axes[0])
    shift = stations.points - np.einsum("kij,j->ki", linear, stations.points[0])
    return np.concatenate([linear, shift[:, :, None]], axis=2)


def _leans(stations: Stations, reach: Floats) -> Floats:
    """Return for each station how far forward its section leans for each mm in each direction, (k, 3)."""
    k = len(stations.points)
    out = np.zeros((k, 3))
    corners = np.flatnonzero(stations.corner)
    n = stations.before[corners] + stations.after[corners]
    n /= np.maximum(np.linalg.norm(n, axis=1), 1e-300)[:, None]
    lean = np.maximum(np.einsum("ij,ij->i", stations.before[corners], n), 1e-9)[:, None]
    comes, goes = (-n / lean + d[corners] for d in (stations.before, stations.after))
    out[corners] = comes
    ends = (
        [(None, i) for i in range(len(corners))][:1]
        + [(i, i + 1) for i in range(len(corners) - 1)]
        + [(len(corners) - 1, None)]
    )
    if stations.closed:
        ends = [(i, (i + 1) % len(corners)) for i in range(len(corners))]
    for a, b in ends:
        start = 0 if a is None else int(corners[a])
        stop = k - 1 if b is None else int(corners[b])
        span = (stop - start) % k if stations.closed else stop - start
        rows = (start + np.arange(span + 1 if span else k + 1)) % k
        far = (
            (stations.length[rows] - stations.length[start]) % stations.long
            if stations.closed
            else stations.length[rows] - stations.length[start]
        )
        if stations.closed:
            far[-1] = far[-1] or stations.long
        long = float(far[-1])
        need = [
            0.0 if i is None else 2 * float(reach[corners[i]] * np.linalg.norm(t[i]))
            for i, t in ((a, goes), (b, comes))
        ]
        first, last = need if sum(need) <= long else (long, long)
        inner = rows[1:-1]
        for i, turned, zone, left in ((a, goes, first, far[1:-1]), (b, comes, last, long - far[1:-1])):
            if i is not None and zone > 0:
                out[inner] += np.clip(1 - left / zone, 0.0, 1.0)[:, None] * turned[i]
    return out


def sharpest(stations: Stations) -> tuple[int, float]:
    """Return the station at which a path turns most, and by how many degrees; -1 where it has no corner."""
    at = np.flatnonzero(stations.corner)
    if not len(at):
        return -1, 0.0
    cosine = np.einsum("ij,ij->i", stations.before[at], stations.after[at])
    k = int(np.argmin(cosine))
    return int(at[k]), float(np.degrees(np.arccos(np.clip(cosine[k], -1, 1))))


@dataclass(frozen=True, slots=True)
class Tight:
    """Where a section is carried through itself: between which stations, and what share of it would still fit there."""

    station: int
    share: float


def _ways(stations: Stations) -> tuple[np.ndarray, np.ndarray, Floats]:
    """Return each station, the one that follows it, and the unit direction in which the path goes between them."""
    k = len(stations.points)
    to = np.roll(np.arange(k), -1) if stations.closed else np.arange(1, k)
    start = np.arange(len(to))
    way = stations.after[start] + stations.before[to]
    return start, to, way / np.maximum(np.sqrt(np.einsum("ij,ij->i", way, way)), 1e-300)[:, None]


def tightest(run: Run, stations: Stations, section: Floats) -> Tight | None:
    """Return where neighbouring sections run through each other most, None where none do.

    Between two stations each point of the section must go forward: the path bends too tightly where one goes back.
    """
    start, to, way = _ways(stations)
    tables = (stations.points, run.across, run.up, run.scale, way)
    gain = np.empty((len(way), 3))
    _gains(*(np.ascontiguousarray(t, dtype=np.float64) for t in tables), to.astype(np.int64), gain)
    forward = gain[:, 0]
    most = np.hypot(gain[:, 1], gain[:, 2]) * np.sqrt((section**2).sum(axis=1).max())
    near = np.flatnonzero(most >= forward)  # no point can go back farther than that
    if not len(near):
        return None
    back = np.zeros(len(forward))
    back[near] = -(gain[near, 1:] @ section.T).min(axis=1)
    share = forward / np.maximum(back, 1e-300)
    k = int(np.argmin(np.where(back > 0, share, np.inf)))
    if back[k] <= 0 or share[k] >= 1:
        return None
    return Tight(int(start[k]), float(max(share[k], 0.0)))


def tightest_of(places: Floats, stations: Stations) -> Tight | None:
    """Return the same of rings (k, n, 3) of any shape: between which stations points go back, None where all go forward."""
    start, to, way = _ways(stations)
    step = np.einsum("ij,ij->i", stations.points[to] - stations.points[start], way)
    if places.size > FEW:
        least = np.empty(len(way))
        _least(np.ascontiguousarray(places), to.astype(np.int64), way, least)
    else:
        least = np.einsum("ijk,ik->ij", places[to] - places[start], way).min(axis=1)
    k = int(np.argmin(least))
    if least[k] > 0:
        return None
    return Tight(k, float(step[k] / max(step[k] - least[k], 1e-300)))


@kernel
def _least(places: Array, to: Array, way: Array, out: Array) -> None:
    """Write how far the point of each ring (k, n, 3) that goes least goes on its way to the next ring."""
    for i in range(way.shape[0]):
        x, y, z = way[i, 0], way[i, 1], way[i, 2]
        least = np.inf
        for j in range(places.shape[1]):
            k = to[i]
            level = (places[k, j, 0] - places[i, j, 0]) * x + (places[k, j, 1] - places[i, j, 1]) * y
            least = min(least, level + (places[k, j, 2] - places[i, j, 2]) * z)
        out[i] = least


@kernel
def _gains(points: Array, across: Array, up: Array, scale: Array, way: Array, to: Array, out: Array) -> None:
    """Write how far each station goes on its way to the next, and how far a place 1 across and 1 up goes more than it."""
    for i in range(way.shape[0]):
        k = to[i]
        for c in range(3):
            out[i, c] = 0.0
        for a in range(3):
            out[i, 0] += (points[k, a] - points[i, a]) * way[i, a]
            out[i, 1] += (scale[k] * across[k, a] - scale[i] * across[i, a]) * way[i, a]
            out[i, 2] += (scale[k] * up[k, a] - scale[i] * up[i, a]) * way[i, a]
