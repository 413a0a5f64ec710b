"""Views on a sheet: where their points come to, their lines, axes, cuts and hatching."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from jukai.core.drawing.paper import THICK, THIN, Group, Page, Stroke
from jukai.core.geometry._slices import follow_chains
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.hidden_lines import Eye, Lines
from jukai.core.geometry.section import Cut, Plane

__all__ = ["CHAIN", "View", "draw_axis", "draw_cut", "draw_cutting_line", "draw_lines", "hatch_numbers", "hatched"]

CHAIN = (9.0, 1.0, 0.5, 1.0)
"""Long dash, gap, dot, gap (ISO 128-2, line type 04)."""
_HATCH = 2.5
_JOIN = 1e-5
"""Share of the size within which ends of pieces are the same."""


@dataclass(slots=True)
class View:
    """One view: from where, how large, and where on the paper.

    Attributes
    ----------
    at : where the middle of its bodies stands on the paper, mm.
    size, paper : across and up, on the bench and on the paper.
    """

    name: str
    eye: Eye
    size: Floats = field(default_factory=lambda: np.zeros(2))
    middle: Floats = field(default_factory=lambda: np.zeros(2))
    at: tuple[float, float] = (0.0, 0.0)
    scale: float = 1.0

    def fit(self, low: Floats, high: Floats) -> None:
        """Take in the size of what is drawn, from its bounds on the bench."""
        corners = np.array([[(low, high)[(i >> k) & 1][k] for k in range(3)] for i in range(8)])
        flat = corners @ self.eye.axes[:2].T
        self.size = flat.max(axis=0) - flat.min(axis=0)
        self.middle = (flat.max(axis=0) + flat.min(axis=0)) / 2

    @property
    def paper(self) -> Floats:
        """Size on the paper."""
        return self.size * self.scale

    def put(self, left: float, top: float) -> None:
        """Stand with the upper left corner at a place."""
        self.at = (left + self.paper[0] / 2, top - self.paper[1] / 2)

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, bottom, right, top on the paper."""
        w, h = self.paper / 2
        return (self.at[0] - w, self.at[1] - h, self.at[0] + w, self.at[1] + h)

    @property
    def top(self) -> float:
        """Upper end on the paper."""
        return self.box[3]

    def on_paper(self, flat: Floats) -> Floats:
        """Return the paper places of the drawing's own coordinates (..., 2)."""
        return np.asarray((flat - self.middle) * self.scale + np.array(self.at))

    def project(self, points: Floats) -> Floats:
        """Return the paper places of bench points (..., 3)."""
        return self.on_paper(points @ self.eye.axes[:2].T)


def joined(pieces: Floats, size: float) -> list[Floats]:
    """Join straight pieces (m, 2, 2) end to end, so that a file is small and corners are clean."""
    if len(pieces) == 0:
        return []
    keys = np.round(pieces.reshape(-1, 2) / (size * _JOIN)).astype(np.int64)
    _, first, number = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    ends = number.reshape(-1, 2)
    ends = ends[ends[:, 0] != ends[:, 1]]
    pairs = np.unique(np.sort(ends, axis=1), axis=0)  # what stands twice is drawn once
    nodes, offsets, closed = follow_chains(*_directed(pairs, len(first)), len(first))
    places = pieces.reshape(-1, 2)[first]
    out = []
    for i in range(len(closed)):
        run = places[nodes[offsets[i] : offsets[i + 1]]]
        out.append(np.vstack([run, run[:1]]) if closed[i] else run)
    return out


def _directed(pairs: np.ndarray, n: int) -> tuple[np.ndarray, np.ndarray]:
    """Turn pieces so that at places where two meet one arrives and one leaves, as far as that goes."""
    count = np.bincount(pairs.ravel(), minlength=n)
    near: list[list[int]] = [[] for _ in range(n)]
    for i, (a, b) in enumerate(pairs.tolist()):
        near[a].append(i)
        near[b].append(i)
    used = np.zeros(len(pairs), dtype=bool)
    from_, to = np.zeros(len(pairs), np.int64), np.zeros(len(pairs), np.int64)
    starts = [*np.flatnonzero((count != 2) & (count > 0)).tolist(), *np.flatnonzero(count == 2).tolist()]
    order = 0
    for start in starts:
        for piece in near[start]:
            at, one = start, piece
            while not used[one]:
                used[one] = True
                a, b = pairs[one].tolist()
                far = b if a == at else a
                from_[order], to[order] = at, far
                order += 1
                at = far
                if count[at] != 2:
                    break
                one = near[at][0] if used[near[at][1]] else near[at][1]
    return from_, to


def draw_lines(group: Group, view: View, lines: Lines, page: Page | None) -> None:  # noqa: ARG001 - the page is where it stands
    """Draw what is seen: outlines and sharp edges, all as visible edges (ISO 128-2, 01.2)."""
    size = float(max(view.size.max(), 1e-9))
    for name, mask, width in (("outline", lines.outline, THICK), ("edge", ~lines.outline, THICK * 0.7)):
        inner = group.group(name)
        for run in joined(lines.pieces[mask], size):
            inner.items.append(Stroke(view.on_paper(run), width))


def draw_axis(group: Group, view: View, axis: tuple[Floats, Floats] | None, matrix: Floats, bounds: Floats) -> None:
    """Draw the axis of a turned body as a long dash-dotted line, as a cross where it is seen end on."""
    if axis is None:
        return
    point, direction = matrix[:3, :3] @ axis[0] + matrix[:3, 3], matrix[:3, :3] @ axis[1]
    direction = direction / np.linalg.norm(direction)
    over = 3.0 / view.scale
    inner = group.group("axis")
    if abs(float(direction @ view.eye.back)) > 0.999:
        for side in (view.eye.right, view.eye.up):
            reach = float(np.abs((bounds[1] - bounds[0]) @ np.abs(side))) / 2 + over
            ends = view.project(np.stack([point - side * reach, point + side * reach]))
            inner.items.append(Stroke(ends, THIN, CHAIN))
        return
    corners = np.array([[bounds[(i >> k) & 1][k] for k in range(3)] for i in range(8)])
    along = (corners - point) @ direction
    ends = view.project(np.stack([point + direction * (along.min() - over), point + direction * (along.max() + over)]))
    inner.items.append(Stroke(ends, THIN, CHAIN))


def hatch_numbers(cuts: Sequence[Cut]) -> list[int]:
    """Give neighbouring cuts different numbers; bodies whose boxes do not meet may share one."""
    boxes = []
    for c in cuts:
        flat = c.segments().reshape(-1, 2)
        boxes.append((flat.min(axis=0), flat.max(axis=0)) if len(flat) else None)
    out: list[int] = []
    for i, box in enumerate(boxes):
        taken = set()
        for j in range(i):
            other = boxes[j]
            if box is None or other is None:
                continue
            room = 1e-3 * float((box[1] - box[0]).max()) + 1e-6
            if (np.maximum(box[0], other[0]) - np.minimum(box[1], other[1]) <= room).all():
                taken.add(out[j])
        out.append(next(n for n in range(len(boxes) + 1) if n not in taken))
    return out


def draw_cut(group: Group, view: View, cut: Cut, number: int) -> None:
    """Draw a cut: its outline strong, its area hatched at 45° one way or the other, wider for the third and on (ISO 128-50)."""
    if cut.empty:
        return
    inner = group.group("cut")

    def put(flat: Floats) -> Floats:
        return view.project(cut.plane.raised(flat))

    for loop in cut.loops:
        inner.items.append(Stroke(put(np.vstack([loop, loop[:1]])), THICK))
    for chain in cut.chains:
        inner.items.append(Stroke(put(chain), THICK))
    hatching = group.group("hatch", number=str(number))
    spacing = _HATCH * (1 + 0.5 * (number // 2))
    rings = [put(loop) for loop in cut.loops]
    for a, b in hatched(rings, 45.0 if number % 2 == 0 else 135.0, spacing):
        hatching.items.append(Stroke(np.stack([a, b]), THIN * 0.8))


def hatched(rings: Sequence[Floats], degrees: float, spacing: float) -> list[tuple[Floats, Floats]]:
    """Return parallel lines inside closed rings (k, 2), holes left out."""
    if not rings:
        return []
    a = np.radians(degrees)
    along, across = np.array([np.cos(a), np.sin(a)]), np.array([-np.sin(a), np.cos(a)])
    p = np.concatenate(rings)
    q = np.concatenate([np.roll(r, -1, axis=0) for r in rings])
    hp, hq = p @ across / spacing, q @ across / spacing
    out = []
    for k in range(int(np.ceil(min(hp.min(), hq.min()))), int(np.floor(max(hp.max(), hq.max()))) + 1):
        crosses = (hp > k) != (hq > k)
        share = (k - hp[crosses]) / (hq[crosses] - hp[crosses])
        at = p[crosses] + share[:, None] * (q[crosses] - p[crosses])
        order = np.argsort(at @ along)
        rows = at[order]
        out += [(rows[i], rows[i + 1]) for i in range(0, len(rows) - 1, 2)]
    return out


def draw_cutting_line(root: Group, views: Sequence[View], plane: Plane, lettering: float) -> None:
    """Show where the section lies: a chain line with heavy ends, arrows that look at it, and its letter (ISO 128-3)."""
    order = sorted(
        views, key=lambda v: ("top", "front", "side", "section").index(v.name)
    )  # the top carries no dimensions
    on = next((v for v in order if v.name != "section" and abs(float(plane.normal @ v.eye.back)) < 1e-6), None)
    if on is None:
        return
    n = plane.normal @ on.eye.axes[:2].T
    t = np.array([-n[1], n[0]])
    left, bottom, right, top = on.box
    corners = np.array([[left, bottom], [right, bottom], [right, top], [left, top]])
    foot = on.project(plane.point[None])[0]
    along = (corners - foot) @ t
    low, high = float(along.min()) - 2 * lettering, float(along.max()) + 2 * lettering
    group = root.group("cutting")
    a, b = foot + t * low, foot + t * high
    group.items.append(Stroke(np.stack([a, b]), THIN, CHAIN))
    for end, inward in ((a, t), (b, -t)):
        group.items.append(Stroke(np.stack([end, end + inward * 1.6 * lettering]), THICK * 1.6))
        tip = end
        tail = end + n * 2.4 * lettering
        group.items.append(Stroke(np.stack([tail, tip]), THIN))
        group.arrow((float(tip[0]), float(tip[1])), (float(-n[0]), float(-n[1])), lettering)
        label = end + n * 3.0 * lettering - inward * 0.2 * lettering
        group.text((float(label[0]), float(label[1]) - lettering / 2), "A", lettering * 1.4, "middle")
