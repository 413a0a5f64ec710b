"""How far a part stands from the others, and the number that leaves a distance asked for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jukai.app.caches import ByteCache
from jukai.app.workshop import Workshop
from jukai.core.errors import Cancelled, CoreError, ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.clearance import Clearance, Placed, clearance, place
from jukai.core.geometry.placing import placed_bounds
from jukai.core.json_data import JsonObject
from jukai.core.operators.inputs import Files
from jukai.core.recipe.bench import Bench, Part
from jukai.core.recipe.edits import Edit, apply_edit
from jukai.core.recipe.evaluate import Evaluation
from jukai.core.recipe.solving import Solved, solve, unknown

__all__ = ["Clearances"]

_MOST_OTHERS = 60


@dataclass(frozen=True, slots=True, eq=False)
class _Body:
    part: Part
    evaluation: Evaluation
    box: Floats


class Clearances:
    """Measures bodies against each other; what depends on a body and its place alone is kept."""

    def __init__(self, workshop: Workshop) -> None:
        self._workshop = workshop
        self._placed: ByteCache[Placed] = workshop.memory.cache(lambda p: p.triangles.nbytes + p.boxes.nbytes)

    def between(self, bench: Bench, part_id: str, files: Files, *, only: str | None = None) -> list[JsonObject]:
        """Return the clearances of a part from the shown others, the least first.

        What lies farther off than the third nearest is told by the boxes alone: ``about`` is then true, and the
        distance what it is at least.
        """
        me = self._body(bench, part_id, files)
        if me is None:
            raise ValueProblem(f"There is no body of part '{part_id}'.", field="part")
        others = [p for p in bench.parts if p.id != part_id and (not p.hidden or p.id == only)]
        bodies = [b for p in others if only in (None, p.id) and (b := self._body(bench, p.id, files)) is not None]
        rows = sorted(((_box_gap(me.box, b.box), b) for b in bodies), key=lambda r: r[0])
        out: list[JsonObject] = []
        exact: list[float] = []
        for gap, body in rows[:_MOST_OTHERS]:
            if len(exact) >= 3 and gap > sorted(exact)[2]:
                out.append(_row(body.part, Clearance("apart", gap), about=True))
                continue
            c = clearance(self._ready(me), self._ready(body))
            exact.append(c.signed)
            out.append(_row(body.part, c, about=False))
        return sorted(out, key=lambda r: (r["signed"], r["part"]))

    def least(self, bench: Bench, part_id: str, files: Files, to: str | None) -> float:
        """Return the least clearance of a part from another one, or from all that are shown; less than 0 where they cross."""
        rows = self.between(bench, part_id, files, only=to)
        if not rows:
            raise ValueProblem("There is no other body to measure to.", field="to", hint="Show another part.")
        row = rows[0]
        if row["state"] == "crossing" and row["depth"] is None:
            return -1e-3  # an open body is crossed, by nobody knows how much
        return float(row["signed"])

    def solve(self, bench: Bench, files: Files, *, part: str, address: str, requested: float, to: str | None, largest: bool,
              stop: Callable[[], bool]) -> tuple[Solved, Edit]:  # fmt: skip
        """Return the largest or smallest number at an address that leaves ``requested`` mm, and the edit that sets it."""
        before = self._body(bench, part, files)
        if before is None:
            raise ValueProblem(f"There is no body of part '{part}'.", field="part")
        self.least(bench, part, files, to)  # that there is something to measure to
        number = unknown(bench, address, self._used(before, address))
        size = float((before.box[1] - before.box[0]).max())

        def measure(value: float) -> float:
            if stop():
                raise Cancelled("Stopped.")
            changed = apply_edit(bench, number.edit(value))
            return self.least(changed, part, files, to)

        step = max(abs(number.start) / 8, size / 50 if not number.whole else 1.0)
        solved = solve(number, measure, requested, largest=largest, step=step)
        return solved, number.edit(solved.value)

    @staticmethod
    def _used(body: _Body, address: str) -> object:
        words = address.split("/")
        outcome = next((o for o in body.evaluation.steps if len(words) > 3 and o.step.id == words[1]), None)
        return None if outcome is None else outcome.used.get(words[3])

    def _body(self, bench: Bench, part_id: str, files: Files) -> _Body | None:
        part = next((p for p in bench.parts if p.id == part_id), None)
        if part is None:
            raise ValueProblem(f"Part '{part_id}' is not there any more.", field="part")
        try:
            evaluation = self._workshop.evaluate(bench, part_id, files)
        except Cancelled:
            raise
        except CoreError:
            return None
        if evaluation.mesh is None or evaluation.mesh.n_faces == 0:
            return None
        return _Body(part, evaluation, placed_bounds(evaluation.mesh, evaluation.matrix))

    def _ready(self, body: _Body) -> Placed:
        key = body.evaluation.placed_key
        held = self._placed.get(key)
        if held is None:
            assert body.evaluation.mesh is not None  # noqa: S101 - bodies have one
            held = place(body.evaluation.mesh, body.evaluation.matrix)
            self._placed.put(key, held)
        return held


def _box_gap(a: Floats, b: Floats) -> float:
    gap = np.maximum(np.maximum(a[0] - b[1], b[0] - a[1]), 0.0)
    return float(np.sqrt((gap * gap).sum()))


def _row(part: Part, c: Clearance, *, about: bool) -> JsonObject:
    return {
        "part": part.id, "name": part.name, "state": c.state, "distance": c.distance, "depth": c.depth, "depth_most": c.depth_most,
        "signed": c.signed, "places": [list(p) for p in c.places] if not about else [], "about": about,
    }  # fmt: skip
