"""Drawings of a bench: outlines for the small views, sheets to give away."""

from __future__ import annotations

import base64
import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from jukai.app.caches import ByteCache
from jukai.app.ports import NotThere
from jukai.app.sections import Shown
from jukai.app.workshop import Workshop
from jukai.core.drawing.dimensions import Dimension
from jukai.core.drawing.examples import example_drawing
from jukai.core.drawing.frame import Header
from jukai.core.drawing.options import SheetOptions
from jukai.core.drawing.pdf import pdf_bytes
from jukai.core.drawing.sheet import SheetPart, draw_sheet
from jukai.core.drawing.svg import svg_bytes
from jukai.core.errors import CoreError, ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.hidden_lines import SEEN_FROM, visible_lines
from jukai.core.geometry.placing import matrix_of, placed_bounds
from jukai.core.geometry.section import Plane
from jukai.core.json_data import JsonObject
from jukai.core.operators.inputs import Files
from jukai.core.operators.registry import operators
from jukai.core.recipe.bench import Bench, Part
from jukai.core.recipe.evaluate import Evaluation
from jukai.core.recipe.measuring import Body, measured

__all__ = ["Drawings", "SheetAsked", "plane_of"]

_KINDS: JsonObject = {
    "distance": "length",
    "between": "length",
    "centres": "length",
    "length": "length",
    "radius": "radius",
}
_UNITS = {"angle": "°", "area": "mm²"}


@dataclass(frozen=True, slots=True)
class SheetAsked:
    """What a sheet is to show: parts by id (none means all that are shown), options, a step whose numbers are drawn."""

    options: SheetOptions
    parts: Sequence[str] = ()
    step: str | None = None
    drawn: str = ""
    as_pdf: bool = False


def plane_of(text: str) -> Plane | None:
    """Return a cutting plane written as a direction and an offset along it, with commas; nothing is no plane.

    Raises
    ------
    ValueProblem
        When it can't be read.
    """
    if not text:
        return None
    try:
        x, y, z, offset = (float(t) for t in text.split(","))
    except ValueError:
        raise ValueProblem(
            "'section' is four numbers with commas: a direction and an offset.", field="section"
        ) from None
    plane = Plane.through(np.zeros(3), np.array([x, y, z]))
    return Plane.through(plane.normal * offset, plane.normal)


class Drawings:
    """Makes outlines and sheets; outlines are kept by what they are made from."""

    def __init__(self, workshop: Workshop) -> None:
        self._examples: dict[tuple[str, str], str] = {}
        self._workshop = workshop
        self._outlines: ByteCache[JsonObject] = workshop.memory.cache(
            lambda row: len(row["outline"]) + len(row["edge"]) + 200
        )

    def example(self, operator: str, look: str) -> str:
        """Return a small drawing of what an operator does, as SVG.

        Raises
        ------
        NotThere
            For an operator that there is none of, or that has no example.
        """
        op = operators().get(operator)
        if op is None or op.example is None:
            raise NotThere(f"drawing of '{operator[:60]}'")
        key = (operator, look)
        if key not in self._examples:
            self._examples[key] = example_drawing(op, look)
        return self._examples[key]

    def outlines(self, bodies: Sequence[Shown], views: Sequence[str]) -> list[JsonObject]:
        """Return the visible lines of shown bodies from some sides, as base64 of little endian float32 (across, up) pairs.

        Raises
        ------
        NotThere
            When a body's drawing data is not kept any more.
        """
        out = []
        for view in views:
            key = repr((view, [(b.mesh, tuple(b.matrix)) for b in bodies]))
            held = self._outlines.get(key)
            if held is None:
                held = self._outline(bodies, view)
                self._outlines.put(key, held)
            out.append(held)
        return out

    def _outline(self, bodies: Sequence[Shown], view: str) -> JsonObject:
        rows = []
        for b in bodies:
            mesh = self._workshop.mesh(b.mesh)
            if mesh is None:
                raise NotThere("such mesh any more")
            rows.append((mesh, matrix_of(b.matrix)))
        lines = visible_lines(rows, SEEN_FROM[view])
        return {
            "view": view,
            "outline": _packed(lines.pieces[lines.outline]),
            "edge": _packed(lines.pieces[~lines.outline]),
        }

    def sheet(self, bench: Bench, files: Files, asked: SheetAsked, revision: int) -> tuple[str, bytes]:
        """Return a drawing sheet: its file name and bytes.

        Raises
        ------
        ValueProblem
            When there is nothing to draw, or the options don't fit.
        """
        chosen = [p for p in bench.parts if (p.id in asked.parts if asked.parts else not (p.hidden or p.reference))]
        unknown = sorted(set(asked.parts) - {p.id for p in bench.parts})
        if unknown:
            raise ValueProblem(f"There is no part '{unknown[0]}'.", field="parts")
        drawn = []
        for p in chosen:
            try:
                e = self._workshop.evaluate(bench, p.id, files)
            except CoreError:
                if asked.parts:
                    raise
                continue  # of all that are shown, what can't be worked out is left out
            if e.mesh is not None and e.mesh.n_faces:
                drawn.append((p, e))
        parts = [SheetPart(p.name, e.mesh, e.matrix, _axis(e)) for p, e in drawn if e.mesh is not None]
        ids = {p.id for p, _ in drawn}
        dimensions = self._measures(bench, files, ids) + _step_numbers(drawn, asked.step)
        page = draw_sheet(
            parts, asked.options, self._header(bench, drawn, asked, revision), dimensions, round_body=_is_round(drawn)
        )
        stem = "".join(c if c.isalnum() or c in "-_ " else "_" for c in page.title).strip() or "drawing"
        return (f"{stem}.pdf", pdf_bytes(page)) if asked.as_pdf else (f"{stem}.svg", svg_bytes(page))

    def _header(
        self, bench: Bench, drawn: Sequence[tuple[Part, Evaluation]], asked: SheetAsked, revision: int
    ) -> Header:
        finishes = list(dict.fromkeys(p.finish for p, _ in drawn if p.finish))
        grams = [self._workshop.part_view(bench, e)["mass"] for _, e in drawn]
        mass = (
            ""
            if not grams or None in grams
            else f"{sum(grams) / 1000:.4g} kg"
            if sum(grams) >= 1000
            else f"{sum(grams):.4g} g"
        )
        title = drawn[0][0].name if len(drawn) == 1 else bench.name
        return Header(owner=bench.name, title=title, finish=", ".join(finishes), mass=mass, revision=str(revision), drawn=asked.drawn,
                      date=time.strftime("%Y-%m-%d"))  # fmt: skip

    def _measures(self, bench: Bench, files: Files, shown: set[str]) -> list[Dimension]:
        def body(part: str) -> Body | None:
            e = self._workshop.evaluate(bench, part, files)
            return None if e.mesh is None else Body(e.mesh, e.matrix)

        out = []
        for m in measured(bench, body):
            if m.reading is None or m.measure.hidden or not {e.part for e in m.measure.of} <= shown:
                continue
            kind = _KINDS.get(m.measure.what, "note")
            out.append(
                Dimension(
                    m.measure.name,
                    m.reading.value,
                    kind,
                    np.array(m.reading.places),
                    unit=_UNITS.get(m.measure.what, "mm"),
                )
            )
        return out


def _packed(pieces: Floats) -> str:
    return base64.b64encode(pieces.astype("<f4").tobytes()).decode()


def _axis(e: Evaluation) -> tuple[Floats, Floats] | None:
    axes = [o.result.axis for o in e.steps if o.result is not None and o.result.axis is not None]
    return axes[0] if axes else None


def _is_round(drawn: Sequence[tuple[Part, Evaluation]]) -> bool:
    """Whether the only body is one of turning about the vertical, and still as deep as wide after its later steps."""
    if len(drawn) != 1:
        return False
    e = drawn[0][1]
    first = next((o.result for o in e.steps if o.result is not None), None)
    if e.mesh is None or first is None or not first.turned or first.axis is None:
        return False
    direction = e.matrix[:3, :3] @ first.axis[1]
    low, high = placed_bounds(e.mesh, e.matrix)
    wide, deep = (high - low)[:2]
    upright = abs(direction[2]) > (1 - 1e-9) * float(np.linalg.norm(direction))
    return bool(upright and abs(wide - deep) <= 1e-6 * max(wide, deep))


def _step_numbers(drawn: Sequence[tuple[Part, Evaluation]], step: str | None) -> list[Dimension]:
    """Return the lengths that a step shows on its body, where what is drawn is the number itself."""
    out: list[Dimension] = []
    for part, e in drawn:
        outcome = next((o for o in e.steps if f"{part.id}/{o.step.id}" == step), None)
        for c in outcome.result.callouts if outcome is not None and outcome.result is not None else ():
            key = c.target.removeprefix("values/")
            value = outcome.shown.get(key, outcome.used.get(key)) if outcome is not None else None
            ends = np.array([c.at, c.to]) @ e.matrix[:3, :3].T + e.matrix[:3, 3]
            long = float(np.linalg.norm(ends[1] - ends[0]))
            if (
                c.form in ("length", "diameter", "radius")
                and isinstance(value, float | int)
                and abs(long - value) <= 1e-6 * max(long, 1.0)
            ):
                kind: Literal["length", "radius", "diameter"] = (
                    "radius" if c.form == "radius" else "diameter" if c.form == "diameter" else "length"
                )
                out.append(Dimension(c.target.split("/")[-1], long, kind, ends))
    return out
