"""A drawing sheet: front, side and top true to scale, a section, dimensions, a title block."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jukai.core.drawing.dimensions import Dimension, draw_dimensions, overall
from jukai.core.drawing.frame import Header, draw_frame, room_of
from jukai.core.drawing.options import SheetOptions
from jukai.core.drawing.paper import LETTERINGS, PAPERS, SCALES, Group, Page, scale_words
from jukai.core.drawing.views import View, draw_axis, draw_cut, draw_cutting_line, draw_lines, hatch_numbers
from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.hidden_lines import SEEN_FROM, Eye, visible_lines
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import placed_bounds
from jukai.core.geometry.section import Plane, clipped, cut

__all__ = ["SheetPart", "draw_sheet"]


@dataclass(frozen=True, slots=True, eq=False)
class SheetPart:
    """A body on the sheet: its mesh, its place, and the axis it was turned about, if any (point and direction, own space)."""

    name: str
    mesh: Mesh
    matrix: Floats
    axis: tuple[Floats, Floats] | None = None


def draw_sheet(parts: Sequence[SheetPart], options: SheetOptions, header: Header, dimensions: Sequence[Dimension] = (), *,
               round_body: bool = False) -> Page:  # fmt: skip
    """Compose a sheet of bodies.

    Parameters
    ----------
    parts : the bodies; the overall dimensions are those of all of them.
    options : paper, scale, angle, lettering, section.
    header : what the title block says.
    dimensions : kept measures and the like; each is drawn in the view it lies in.
    round_body : the width of the front view is a diameter.

    Raises
    ------
    ValueProblem
        When there is nothing to draw, an option is none of a standard, or the scale asked for does not fit the paper.
    """
    if not parts:
        raise ValueProblem("There is no body to draw.", hint="Show a part first.")
    if options.paper not in PAPERS:
        raise ValueProblem(
            f"There is no paper '{options.paper}'.", field="paper", hint=f"There is: {', '.join(PAPERS)}."
        )
    if options.lettering not in LETTERINGS:
        known = ", ".join(f"{h:g}" for h in LETTERINGS)
        raise ValueProblem(
            f"Lettering of {options.lettering:g} mm is none of ISO 3098.", field="lettering", hint=f"There is: {known}."
        )
    width, height = PAPERS[options.paper]
    bounds = np.stack([placed_bounds(p.mesh, p.matrix) for p in parts])
    low, high = bounds[:, 0].min(axis=0), bounds[:, 1].max(axis=0)
    views = _views(options, low, high)
    scale = _scale(options, views)
    page = Page(
        width,
        height,
        header.title,
        Group("sheet", {"scale": f"{scale:.12g}", "angle": options.angle, "paper": options.paper}),
    )
    draw_frame(page, header, scale_words(scale), options)
    _place(options, views, scale)
    bodies = [(p.mesh, p.matrix) for p in parts]
    for view in views.values():
        group = page.root.group(
            "view", name=view.name, scale=f"{scale:.12g}", origin=f"{view.at[0]:.6f},{view.at[1]:.6f}"
        )
        if view.name == "section" and options.section is not None:
            _draw_section(group, view, parts, options.section, options.lettering)
        else:
            draw_lines(group, view, visible_lines(bodies, view.eye), page)
        for part in parts:
            draw_axis(group, view, part.axis, part.matrix, placed_bounds(part.mesh, part.matrix))
    if options.section is not None:
        draw_cutting_line(page.root, list(views.values()), options.section, options.lettering)
    rows = [*overall(low, high, round_body=round_body), *dimensions]
    draw_dimensions(page.root, views, rows, options.lettering, room_of(options.paper))
    return page


def _draw_section(group: Group, view: View, parts: Sequence[SheetPart], plane: Plane, lettering: float) -> None:
    cuts = [cut(p.mesh, plane, p.matrix) for p in parts]
    left = [clipped(p.mesh, plane, p.matrix) for p in parts]
    flat = [c.triangles.reshape(-1, 2) for c in cuts if len(c.triangles)]
    caps = plane.raised(np.concatenate(flat)).reshape(-1, 3, 3) if flat else None
    eye = np.eye(4)
    draw_lines(group, view, visible_lines([(m, eye) for m in left], view.eye, caps), None)
    for c, number in zip(cuts, hatch_numbers(cuts), strict=True):
        draw_cut(group, view, c, number)
    group.text((view.at[0], view.top + lettering * 1.2), "A–A", lettering * 1.4, "middle")


def _views(options: SheetOptions, low: Floats, high: Floats) -> dict[str, View]:
    out = {name: View(name, SEEN_FROM[eye]) for name, eye in (("front", "front"), ("side", "left"), ("top", "top"))}
    if options.section is not None:
        p = options.section
        out["section"] = View("section", Eye(p.across, p.up, p.normal))
    for view in out.values():
        view.fit(low, high)
    return out


def _gap(options: SheetOptions) -> float:
    return 7.5 * options.lettering


def _needs(options: SheetOptions, views: dict[str, View], scale: float) -> tuple[float, float]:
    """Return how much paper the views need at a scale: across and up, dimensions included."""
    section = views["section"].size * scale if "section" in views else np.zeros(2)
    front, side, top = (views[n].size * scale for n in ("front", "side", "top"))
    gap = _gap(options)
    wide = front[0] + max(side[0], section[0]) + 2.4 * gap
    high = front[1] + max(top[1], section[1]) + 2.6 * gap
    return float(wide), float(high)


def _scale(options: SheetOptions, views: dict[str, View]) -> float:
    left, bottom, right, top = room_of(options.paper)
    room = (right - left, top - bottom)

    def fits(scale: float) -> bool:
        wide, high = _needs(options, views, scale)
        return wide <= room[0] and high <= room[1]

    largest = next((s for s in SCALES if fits(s)), None)
    if options.scale is None:
        if largest is None:
            raise ValueProblem("The bodies are too large for a sheet.", field="scale", hint="Draw one part alone.")
        return largest
    if not 1e-4 <= options.scale <= 1000:
        raise ValueProblem("A scale lies between 1 : 10000 and 1000 : 1.", field="scale")
    if not fits(options.scale):
        wide, high = _needs(options, views, options.scale)
        hint = f"{scale_words(largest)} fits." if largest else "Take larger paper."
        raise ValueProblem(f"At {scale_words(options.scale)} the views need {wide:.0f} × {high:.0f} mm; {options.paper} has room for {room[0]:.0f} × {room[1]:.0f}.",
                           field="scale", hint=hint)  # fmt: skip
    return options.scale


def _place(options: SheetOptions, views: dict[str, View], scale: float) -> None:
    left, bottom, right, top = room_of(options.paper)
    wide, high = _needs(options, views, scale)
    gap = _gap(options)
    for v in views.values():
        v.scale = scale
    front, side, plan = views["front"], views["side"], views["top"]
    section = views.get("section")
    first = options.angle == "first"
    second = max(side.paper[0], section.paper[0] if section else 0.0)
    below = max(plan.paper[1], section.paper[1] if section else 0.0)
    x0 = left + (right - left - wide) / 2 + gap
    y1 = top - (top - bottom - high) / 2 - gap * 0.6
    # the columns from the left, the rows from the top
    x_front = x0 if first else x0 + second + gap
    x_other = x0 + front.paper[0] + gap if first else x0
    y_front = y1 if first else y1 - below - gap
    y_other = y1 - front.paper[1] - gap if first else y1
    front.put(x_front, y_front)
    side.put(x_other + (0 if first else second - side.paper[0]), y_front)
    plan.put(x_front, y_other if first else y_other - (below - plan.paper[1]))
    if section is not None:
        section.put(x_other + (second - section.paper[0]) / 2, y_other)
