"""Dimensions on a sheet after ISO 129-1: outside of the views, the shorter nearer, none written twice."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from jukai.core.drawing.paper import THIN, Group, Stroke
from jukai.core.drawing.views import View
from jukai.core.geometry.arrays import Floats

__all__ = ["Dimension", "draw_dimensions", "number_text", "overall"]

_IN_PLANE = 1e-3
"""Share of a dimension's length by which it may lean out of the view it is drawn in."""


@dataclass(frozen=True, slots=True, eq=False)
class Dimension:
    """A number and the places it lies between, on the bench.

    Attributes
    ----------
    name : what it is called.
    value : mm or degrees.
    kind : a length between two places; a diameter likewise; a radius from a centre to a point; anything else is noted beside.
    places : (2, 3) or (1, 3).
    view : the view it must be drawn in, None for the first it lies in.
    """

    name: str
    value: float
    kind: Literal["length", "diameter", "radius", "note"]
    places: Floats
    view: str | None = None
    unit: str = "mm"


def number_text(value: float) -> str:
    """Return a number as it is written on a drawing: six figures, no trailing zeros."""
    return f"{value:.6g}".replace("-", "−")


def overall(low: Floats, high: Floats, *, round_body: bool) -> list[Dimension]:
    """Return the overall sizes: width and height in front, depth from the side unless the body is round."""
    x0, y0, z0 = low
    x1, y1, z1 = high
    width, depth, height = (float(v) for v in high - low)
    kind: Literal["diameter", "length"] = "diameter" if round_body else "length"
    rows = [
        Dimension("width", width, kind, np.array([[x0, y0, z0], [x1, y0, z0]]), "front"),
        Dimension("height", height, "length", np.array([[x0, y0, z0], [x0, y0, z1]]), "front"),
    ]
    if not round_body:
        rows.append(Dimension("depth", depth, "length", np.array([[x0, y0, z0], [x0, y1, z0]]), "side"))
    return [r for r in rows if r.value > 1e-9]


def draw_dimensions(root: Group, views: Mapping[str, View], rows: Sequence[Dimension], lettering: float,
                    room: tuple[float, float, float, float]) -> None:  # fmt: skip
    """Draw dimensions in the views they lie in; what lies in none is written beside the title block."""
    notes: list[Dimension] = []
    taken: dict[tuple[str, str], int] = {}
    # the longer stand farther out, so that extension lines do not cross dimension lines
    for row in sorted(rows, key=lambda r: r.value if r.kind != "radius" else 0.0):
        view = _view_of(views, row)
        if view is None or row.kind == "note":
            notes.append(row)
            continue
        group = root.group("dimension", name=row.name, value=f"{row.value:.12g}", kind=row.kind, view=view.name)
        a, b = view.project(row.places)
        if row.kind == "radius":
            _radius(group, view, a, b, row, lettering)
        else:
            _linear(group, view, a, b, row, lettering, taken)
    notes.sort(key=lambda r: r.name)
    for i, row in enumerate(notes):
        unit = "" if row.unit == "°" else " "
        at = (room[0], room[1] - 6 - (i + 1) * lettering * 1.7)
        group = root.group("note", name=row.name, value=f"{row.value:.12g}")
        group.text(at, f"{row.name} = {number_text(row.value)}{unit}{row.unit}", min(lettering, 3.5))


def _view_of(views: Mapping[str, View], row: Dimension) -> View | None:
    if row.view is not None:
        return views.get(row.view)
    if len(row.places) < 2:
        return None
    direction = row.places[1] - row.places[0]
    length = float(np.linalg.norm(direction))
    if length < 1e-9:
        return None
    for name in ("front", "top", "side", "section"):
        view = views.get(name)
        if view is not None and abs(float(direction @ view.eye.back)) <= _IN_PLANE * length:
            return view
    return None


def _linear(
    g: Group, view: View, a: Floats, b: Floats, row: Dimension, lettering: float, taken: dict[tuple[str, str], int]
) -> None:
    direction = b - a
    length = float(np.hypot(*direction))
    u = direction / length
    left, bottom, right, top = view.box
    middle = (a + b) / 2
    # the side of the view it stands outside of: below or on the left where it lies in the middle
    n = np.array([-u[1], u[0]])
    if n[1] > 0.7 or (abs(n[1]) <= 0.7 and n[0] > 0):
        n = -n
    outward = (middle - np.array(view.at)) @ n
    if outward < -0.05 * max(right - left, top - bottom):
        n = -n
    side = f"{np.sign(round(float(n[0]), 3)):g} {np.sign(round(float(n[1]), 3)):g}"
    level = taken.get((view.name, side), 0)
    taken[view.name, side] = level + 1
    corners = np.array([[left, bottom], [right, bottom], [right, top], [left, top]])
    edge = float(((corners - middle) @ n).max())
    off = edge + lettering * (2.2 + 2.3 * level)
    p, q = a + n * off, b + n * off
    for from_, to in ((a, p), (b, q)):
        way_out = to - from_
        reach = float(np.hypot(*way_out))
        if reach > 1.5:
            g.items.append(Stroke(np.stack([from_ + way_out / reach * 0.8, to + way_out / reach * 1.5]), THIN))
    text = number_text(row.value)
    wide = (len(text) + (2 if row.kind == "diameter" else 0)) * lettering * 0.62
    _line_with_arrows(g, p, q, u, lettering, inside=length > 2.6 * lettering)
    turn = float(np.degrees(np.arctan2(u[1], u[0])))
    # read from below or from the right
    if turn > 90.0 + 1e-6 or turn <= -90.0 + 1e-6:
        turn += 180.0 if turn < 0 else -180.0
    r = np.radians(turn)
    lift = np.array([-np.sin(r), np.cos(r)]) * lettering * 0.35
    at = (p + q) / 2 + lift
    if length < wide:  # too short for its number: it stands beside
        at = q + u * (wide * 0.6 + lettering) + lift
    _written(g, at, text, lettering, turn, diameter=row.kind == "diameter")


def _line_with_arrows(g: Group, p: Floats, q: Floats, u: Floats, lettering: float, *, inside: bool) -> None:
    head = 0.8 * lettering
    direction = (float(u[0]), float(u[1]))
    if inside:
        g.items.append(Stroke(np.stack([p, q]), THIN))
        g.arrow((float(p[0]), float(p[1])), (-direction[0], -direction[1]), head)
        g.arrow((float(q[0]), float(q[1])), direction, head)
        return
    g.items.append(Stroke(np.stack([p - u * 2.4 * head, q + u * 2.4 * head]), THIN))
    g.arrow((float(p[0]), float(p[1])), direction, head)
    g.arrow((float(q[0]), float(q[1])), (-direction[0], -direction[1]), head)


def _written(g: Group, at: Floats, text: str, lettering: float, turn: float, *, diameter: bool) -> None:
    r = np.radians(turn)
    u = np.array([np.cos(r), np.sin(r)])
    shift = u * lettering * 0.55 if diameter else np.zeros(2)
    here = at + shift
    g.text((float(here[0]), float(here[1])), text, lettering, "middle", turn)
    if diameter:
        v = np.array([-u[1], u[0]])
        centre = here - u * (len(text) * lettering * 0.31 + lettering * 0.6) + v * lettering * 0.5
        a = np.linspace(0, 2 * np.pi, 33)[:, None]
        ring = centre + lettering * 0.38 * (np.cos(a) * u + np.sin(a) * v)
        g.items.append(Stroke(ring, lettering * 0.08))
        slash = np.stack([centre - (u * 0.3 + v * 0.55) * lettering, centre + (u * 0.3 + v * 0.55) * lettering])
        g.items.append(Stroke(slash, lettering * 0.08))


def _radius(g: Group, view: View, centre: Floats, point: Floats, row: Dimension, lettering: float) -> None:
    direction = point - centre
    length = float(np.hypot(*direction))
    if length < 1e-6:
        return
    u = direction / length
    left, bottom, right, top = view.box
    # a leader from outside of the view, towards the centre
    reach = max(right - left, top - bottom) * 0.12 + 3 * lettering
    knee = point + u * reach
    text = f"R {number_text(row.value)}"
    wide = len(text) * lettering * 0.62
    side = 1.0 if u[0] >= 0 else -1.0
    g.items.append(Stroke(np.stack([point, knee, knee + np.array([side * wide, 0.0])]), THIN))
    g.arrow((float(point[0]), float(point[1])), (float(-u[0]), float(-u[1])), 0.8 * lettering)
    g.text((float(knee[0] + side * wide / 2), float(knee[1] + 0.35 * lettering)), text, lettering, "middle")
