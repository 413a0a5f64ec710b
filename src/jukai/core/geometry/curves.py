"""Plane curves: live fillets, sampling."""

from __future__ import annotations

import math

import numpy as np

from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.curve_pieces import CurveShape, Fillet, Piece, Sampled, pieces_of, steps_for_arc

__all__ = ["fillets_of", "sample"]

_DENSE = 257
"""Samples of a curved piece in which a fillet's place is first looked for."""


def sample(shape: CurveShape) -> Sampled:
    """Turn a curve into a polyline: bends by tolerance or count, corners always kept.

    A fillet that doesn't fit is made as large as fits; ``Fillet.asked`` keeps what was asked for.
    """
    n = len(shape.at)
    size = shape.size
    tolerance = shape.tolerance if shape.tolerance is not None else max(size / 500, 1e-12)
    pieces = pieces_of(shape)
    fillets = fillets_of(shape, pieces)
    by_point = {f.point: f for f in fillets if f.radius > 0}
    points: list[Floats] = []
    owner: list[int] = []
    corner: list[bool] = []

    def put(rows: Floats, piece: int, first_is_corner: bool) -> None:
        points.append(rows)
        owner.extend([piece] * len(rows))
        corner.extend([first_is_corner] + [False] * (len(rows) - 1))

    for i in range(n):
        f = by_point.get(i)
        if f is not None and f.cut:
            put(np.array([f.start]), 2 * i + 1, first_is_corner=True)
        elif f is not None:
            steps = shape.count or steps_for_arc(f.radius, abs(f.sweep), tolerance)
            put(_arc(f, steps)[:-1], 2 * i + 1, first_is_corner=False)
        if i < len(pieces):
            put(_run(pieces[i], tolerance, shape.count)[:-1], 2 * i,
                first_is_corner=f.cut if f is not None else not _bends_on(shape, pieces, i))  # fmt: skip
    if not shape.closed and n:
        put(shape.at[-1:], 2 * (n - 1), first_is_corner=True)
    all_points = np.concatenate(points) if points else np.zeros((0, 2))
    return _without_doubles(all_points, np.array(corner, bool), np.array(owner, np.int32),
                            shape, tuple(fillets), size)  # fmt: skip


def _without_doubles(points: Floats, corner: np.ndarray, owner: Ints, shape: CurveShape,
                     fillets: tuple[Fillet, ...], size: float) -> Sampled:  # fmt: skip
    if len(points) > 1:
        step = np.hypot(*(np.roll(points, -1, axis=0) - points).T)
        keep = step > 1e-12 * size
        if not shape.closed:
            keep[-1] = True
        dropped = np.flatnonzero(~keep)
        corner = corner.copy()
        corner[(dropped + 1) % len(corner)] |= corner[dropped]
        points, corner, owner = points[keep], corner[keep], owner[keep]
    return Sampled(points, corner, owner, shape.closed, fillets)


def _bends_on(shape: CurveShape, pieces: list[Piece], i: int) -> bool:
    """Return whether the curve runs on through point i without a corner."""
    if not shape.closed and i == 0:
        return False
    before, after = pieces[i - 1], pieces[i]
    if before.straight and after.straight:
        return False
    a, b = before.tangent(at_end=True), after.tangent(at_end=False)
    return bool(a @ b > math.cos(math.radians(1)))


def _run(piece: Piece, tolerance: float, count: int | None) -> Floats:
    if piece.straight:
        steps = count or 1
        t = np.linspace(piece.start, piece.stop, steps + 1)[:, None]
        p, q = piece.control[0], piece.control[3]
        rows = p + (q - p) * t
    else:
        c = piece.control
        span = piece.stop - piece.start
        # second differences bound the distance between a cubic and its chords (Wang 1984)
        bound = 6 * max(np.hypot(*(c[0] - 2 * c[1] + c[2])), np.hypot(*(c[1] - 2 * c[2] + c[3])))
        steps = count or max(1, math.ceil(span * math.sqrt(bound / (8 * tolerance)) - 1e-9))
        rows = piece.point(np.linspace(piece.start, piece.stop, min(steps, 100_000) + 1))
    if piece.start == 0:
        rows[0] = piece.control[0]
    if piece.stop == 1:
        rows[-1] = piece.control[3]
    return np.asarray(rows)


def _arc(f: Fillet, steps: int) -> Floats:
    start = math.atan2(f.start[1] - f.centre[1], f.start[0] - f.centre[0])
    a = start + f.sweep * np.arange(steps + 1) / steps
    rows = np.array(f.centre) + f.radius * np.stack([np.cos(a), np.sin(a)], axis=1)
    rows[0], rows[-1] = f.start, f.stop
    return np.asarray(rows)


def fillets_of(shape: CurveShape, pieces: list[Piece]) -> list[Fillet]:
    """Return the arcs and chamfers of a profile; the pieces are cut off where they begin and end."""
    n = len(shape.at)
    inner = range(n) if shape.closed and n > 2 else range(1, n - 1)
    legs = shape.legs
    requested = [i for i in inner if shape.fillet[i] > 0 or legs[i] > 0]
    shares = _length_shares(shape, pieces, requested)
    out = []
    for i in requested:
        before, after = pieces[i - 1], pieces[i]
        if legs[i] > 0:
            f = _chamfer(shape, i, before, after, shares[i])
        elif before.straight and after.straight:
            f = _straight_fillet(shape, i, before, after, shares[i])
        else:
            f = _curved_fillet(shape, i, before, after, set(requested), n)
        out.append(f)
    return out


def _tangent_share(before: Piece, after: Piece) -> float:
    """Return tangent length over radius at a corner, 1 / tan(θ / 2) = tan(turn / 2)."""
    a, b = before.tangent(at_end=True), after.tangent(at_end=False)
    turn = abs(math.atan2(a[0] * b[1] - a[1] * b[0], float(a @ b)))
    return math.tan(min(turn, math.pi - 1e-9) / 2)


def _length_shares(shape: CurveShape, pieces: list[Piece], requested: list[int]) -> dict[int, float]:
    """Return for each corner between straight pieces the radius that fits.

    Two fillets that want more than the piece between them share it in proportion.
    """
    legs = shape.legs
    need = {i: float(legs[i]) or float(shape.fillet[i]) * _tangent_share(pieces[i - 1], pieces[i]) for i in requested}
    out = {}
    for i in requested:
        factor = 1.0
        for piece, other in ((pieces[i - 1], (i - 1) % len(shape.at)), (pieces[i], (i + 1) % len(shape.at))):
            total = need[i] + need.get(other, 0.0)
            if piece.straight and total > piece.length > 0:
                factor = min(factor, piece.length / total)
        out[i] = (float(legs[i]) or float(shape.fillet[i])) * factor
    return out


def _straight_fillet(shape: CurveShape, i: int, before: Piece, after: Piece, radius: float) -> Fillet:
    asked = float(shape.fillet[i])
    p = shape.at[i]
    a, b = before.tangent(at_end=True), after.tangent(at_end=False)
    cross = float(a[0] * b[1] - a[1] * b[0])
    turn = math.atan2(cross, float(a @ b))
    if abs(turn) < 1e-9 or abs(turn) > math.pi - 1e-6:
        here = (float(p[0]), float(p[1]))
        return Fillet(i, asked, 0.0, here, here, here, 0.0, flat=abs(turn) < 1e-9)
    tangent = radius * math.tan(abs(turn) / 2)
    start, stop = p - a * tangent, p + b * tangent
    normal = np.array([-a[1], a[0]]) * math.copysign(1, turn)
    centre = start + normal * radius
    before.stop = max(before.start, 1 - tangent / before.length)
    after.start = min(after.stop, tangent / after.length)
    return Fillet(i, asked, radius, _pair(centre), _pair(start), _pair(stop), turn)


def _chamfer(shape: CurveShape, i: int, before: Piece, after: Piece, leg: float) -> Fillet:
    """Cut a corner off straight, a leg from it on both sides; on curved pieces where they are that far from the corner."""
    asked, here = float(shape.legs[i]), shape.at[i]
    a, b = before.tangent(at_end=True), after.tangent(at_end=False)
    turn = math.atan2(float(a[0] * b[1] - a[1] * b[0]), float(a @ b))
    if abs(turn) < 1e-9:
        return Fillet(i, asked, 0.0, _pair(here), _pair(here), _pair(here), 0.0, flat=True, cut=True)
    leg = min([leg, *(_farthest(piece, here) for piece in (before, after) if not piece.straight)])
    s = 1 - leg / before.length if before.straight else _far_from(before, here, leg, from_end=True)
    t = leg / after.length if after.straight else _far_from(after, here, leg, from_end=False)
    before.stop, after.start = max(before.start, s), min(after.stop, t)
    start, stop = before.point(np.array(before.stop)), after.point(np.array(after.start))
    return Fillet(i, asked, leg, _pair(here), _pair(start), _pair(stop), turn, cut=True)


def _farthest(piece: Piece, here: Floats) -> float:
    t = np.linspace(piece.start, piece.stop, _DENSE)
    return 0.999 * float(np.hypot(*(piece.point(t) - here).T).max())


def _far_from(piece: Piece, here: Floats, leg: float, *, from_end: bool) -> float:
    """Return the parameter nearest to the corner at which a piece is so far from it."""
    t = np.linspace(1.0, 0.0, _DENSE) if from_end else np.linspace(0.0, 1.0, _DENSE)
    k = int(np.argmax(np.hypot(*(piece.point(t) - here).T) >= leg))
    near, far = float(t[max(k - 1, 0)]), float(t[k])
    for _ in range(50):
        middle = (near + far) / 2
        if float(np.hypot(*(piece.point(np.array(middle)) - here))) < leg:
            near = middle
        else:
            far = middle
    return far


def _pair(p: Floats) -> tuple[float, float]:
    return float(p[0]), float(p[1])


def _curved_fillet(shape: CurveShape, i: int, before: Piece, after: Piece, requested: set[int], n: int) -> Fillet:
    """Find the circle that touches both pieces: where their offsets by the radius meet."""
    asked = float(shape.fillet[i])
    here = _pair(shape.at[i])
    a, b = before.tangent(at_end=True), after.tangent(at_end=False)
    turn = math.atan2(float(a[0] * b[1] - a[1] * b[0]), float(a @ b))
    if abs(turn) < math.radians(0.5) or abs(turn) > math.pi - 1e-3:
        return Fillet(i, asked, 0.0, here, here, here, 0.0, flat=abs(turn) < math.radians(0.5))
    side = math.copysign(1, turn)
    low = 0.5 if (i - 1) % n in requested else before.start
    high = 0.5 if (i + 1) % n in requested else after.stop
    found = _touching(before, after, asked, side, low, high)
    radius = asked
    if found is None:
        least, most = 0.0, asked
        for _ in range(40):
            radius = (least + most) / 2
            trial = _touching(before, after, radius, side, low, high)
            if trial is None:
                most = radius
            else:
                least, found = radius, trial
        radius = least
    if found is None:
        return Fillet(i, asked, 0.0, here, here, here, 0.0)
    s, t, centre = found
    before.stop, after.start = s, t
    start, stop = before.point(np.array(s)), after.point(np.array(t))
    u, v = start - centre, stop - centre
    sweep = math.atan2(float(u[0] * v[1] - u[1] * v[0]), float(u @ v))
    if sweep * side < 0:
        sweep += side * 2 * math.pi
    return Fillet(i, asked, radius, _pair(centre), _pair(start), _pair(stop), sweep)


def _touching(before: Piece, after: Piece, radius: float, side: float, low: float, high: float
              ) -> tuple[float, float, Floats] | None:  # fmt: skip
    ts, tt = np.linspace(1.0, low, _DENSE), np.linspace(0.0, high, _DENSE)
    p, q = _offset(before, ts, radius, side), _offset(after, tt, radius, side)
    dp, dq = np.diff(p, axis=0), np.diff(q, axis=0)
    w = q[None, :-1] - p[:-1, None]
    det = dp[:, None, 0] * dq[None, :, 1] - dp[:, None, 1] * dq[None, :, 0]
    safe = np.where(det == 0, 1, det)
    with np.errstate(over="ignore"):  # nearly parallel: they meet far out, and that is no hit
        u = (w[..., 0] * dq[None, :, 1] - w[..., 1] * dq[None, :, 0]) / safe
        v = (w[..., 0] * dp[:, None, 1] - w[..., 1] * dp[:, None, 0]) / safe
    hit = (det != 0) & (u >= 0) & (u <= 1) & (v >= 0) & (v <= 1)
    if not hit.any():
        return None
    rows, cols = np.nonzero(hit)
    k = int(np.argmin(rows + cols))  # the meeting nearest to the corner
    i, j = int(rows[k]), int(cols[k])
    s = ts[i] + (ts[i + 1] - ts[i]) * u[i, j]
    t = tt[j] + (tt[j + 1] - tt[j]) * v[i, j]
    for _ in range(12):  # Newton on the two parameters
        gap = _offset(after, np.array([t]), radius, side)[0] - _offset(before, np.array([s]), radius, side)[0]
        h = 1e-6
        ps = (
            _offset(before, np.array([s + h]), radius, side)[0] - _offset(before, np.array([s - h]), radius, side)[0]
        ) / (2 * h)
        pt = (
            _offset(after, np.array([t + h]), radius, side)[0] - _offset(after, np.array([t - h]), radius, side)[0]
        ) / (2 * h)
        d = ps[0] * -pt[1] + ps[1] * pt[0]
        if d == 0:
            break
        ds = (gap[0] * -pt[1] + gap[1] * pt[0]) / d
        dt = (ps[0] * gap[1] - ps[1] * gap[0]) / d
        s, t = min(max(s + ds, low), 1.0), min(max(t + dt, 0.0), high)
    return float(s), float(t), _offset(before, np.array([s]), radius, side)[0]


def _offset(piece: Piece, t: Floats, radius: float, side: float) -> Floats:
    d = piece.slope(t)
    length = np.maximum(np.hypot(d[:, 0], d[:, 1]), 1e-300)
    normal = np.stack([-d[:, 1], d[:, 0]], axis=1) / length[:, None] * side
    return piece.point(t) + normal * radius
