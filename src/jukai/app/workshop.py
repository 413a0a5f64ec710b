"""Working benches out for the screen: evaluation, drawing data, soundness, Stop."""

from __future__ import annotations

import base64
import math
import time
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from threading import Lock

import numpy as np

from jukai.app.caches import Budget, ByteCache, StepCache
from jukai.app.ports import NotThere
from jukai.app.views import curve_view, hidden_view, measure_view, note_view, placed_view, reading_view, step_view
from jukai.core.errors import Cancelled, CoreError, Estimated, Heavy, TooLarge, ValueProblem
from jukai.core.geometry.elements import element_bytes, many_sided, poles, rows_of
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.measuring import readings
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges
from jukai.core.geometry.outline import outline_bytes
from jukai.core.geometry.placing import matrix_of, placed_bounds
from jukai.core.geometry.round_rims import round_rims
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.strips import strip_bytes
from jukai.core.geometry.subdividing import limit_surface
from jukai.core.geometry.view import View, view_digest, view_of
from jukai.core.json_data import JsonObject
from jukai.core.operators.fields import field_at
from jukai.core.operators.inputs import Files
from jukai.core.operators.registry import get_operator
from jukai.core.picks.offers import looks_like
from jukai.core.picks.rules import resolve_pick
from jukai.core.recipe.bench import Bench, Part, Step
from jukai.core.recipe.evaluate import Asked, Evaluation, evaluate
from jukai.core.recipe.measuring import Body, found_thing, measured
from jukai.core.recipe.report import soundness_report
from jukai.core.recipe.resolve import Inputs, Resolver

__all__ = ["Estimate", "Progress", "Workshop"]

_KINDS = ("faces", "edges", "points")
_MOST_MARKS = 4000
_GIVES_WAY = 0.05
"""Seconds after which warming up looks again whether there is something else to be done."""

_IN_HAND = 1.0
"""Seconds after a preview in which the next is likely to come."""

Progress = Callable[[str, str, float], None]
"""Called with part, step and fraction."""


@dataclass(frozen=True, slots=True)
class Estimate:
    """What a step would make, and what it and those after it would take; None where that is not known yet."""

    faces: int
    seconds: float | None
    bytes: float | None


@dataclass(slots=True)
class _Turns:
    """Which work goes on: previews give way to newer ones, everything to Stop."""

    newest: dict[str, int] = field(default_factory=dict)
    last: float = -math.inf
    lock: Lock = field(default_factory=Lock)

    def take(self, subject: str) -> Callable[[], bool]:
        """Begin work that stops the older work on the same subject."""
        self.stop(subject)
        return self.join(subject)

    def join(self, subject: str) -> Callable[[], bool]:
        """Begin work beside other work on the subject; it stops only when told to."""
        mine = self.newest.setdefault(subject, 0)
        self.last = time.monotonic()
        return lambda: self.newest.get(subject, 0) != mine

    def stop(self, subject: str) -> None:
        with self.lock:
            self.newest[subject] = self.newest.get(subject, 0) + 1


class Workshop:
    """Evaluates parts and keeps what it made by content hash."""

    def __init__(self, memory: Budget | None = None) -> None:
        self.memory = memory or Budget()
        self._steps = StepCache(self.memory)
        self._views: ByteCache[View] = self.memory.cache(lambda view: view.nbytes)
        self._meshes: ByteCache[Mesh] = self.memory.cache(lambda m: m.nbytes + 1000)
        self._hashes: ByteCache[str] = self.memory.cache(lambda _: 200)
        self._turns = _Turns()

    # -- evaluating -----------------------------------------------------------------------------
    def evaluate(
        self,
        bench: Bench,
        part: str,
        files: Files,
        *,
        upto: str | None = None,
        stop: Callable[[], bool] | None = None,
        progress: Progress | None = None,
        resolver: Resolver | None = None,
        asked: Asked | None = None,
    ) -> Evaluation:
        """Work out one part with what is kept."""
        told = time.monotonic() + 0.2  # what is done within 300 ms shows no progress

        def tell(step: str, fraction: float) -> None:
            nonlocal told
            now = time.monotonic()
            if progress is not None and now - told > 0.1:
                told = now
                progress(part, step, fraction)

        return evaluate(
            bench, part, upto=upto, cache=self._steps, files=files, stop=stop, on_progress=tell, resolver=resolver, asked=asked,
        )  # fmt: skip

    def estimate(self, bench: Bench, part: str, step: str, files: Files) -> Estimate | None:
        """Return what a step would make and take, without making it; None where it cannot say.

        Raises
        ------
        TooLarge
            When it is more than a part may have.
        """
        try:
            evaluation = self.evaluate(bench, part, files, upto=step, asked=Asked(estimate=step))
        except Estimated as e:
            return self._estimate(bench, part, step, e.faces)
        if isinstance(evaluation.error, TooLarge):
            raise evaluation.error
        return None

    def _estimate(self, bench: Bench, part: str, step: str, faces: int) -> Estimate:
        found = bench.part(part)
        recipe = found.recipe if found is not None else []
        at = next((i for i, s in enumerate(recipe) if s.id == step), 0)
        rows = [self._steps.costs.of(s.operator, faces) for s in recipe[at:] if s.on]
        known = [r for r in rows if r is not None]
        # what later steps take is told with it, as if they kept the faces
        whole = len(known) == len(rows)
        return Estimate(faces, sum(r[0] for r in known) if whole else None, sum(r[1] for r in known) if whole else None)

    def until_stopped(self, subject: str) -> Callable[[], bool]:
        """Return what asks whether the work on a subject was stopped since now."""
        return self._turns.join(subject)

    def stop(self, subject: str) -> None:
        """Stop the work on a subject."""
        self._turns.stop(subject)

    def stop_all(self, beginning: str) -> None:
        """Stop the work on all subjects whose names begin so."""
        for subject in [s for s in list(self._turns.newest) if s.startswith(beginning)]:
            self._turns.stop(subject)

    def views(self, bench: Bench, files: Files, *, subject: str, progress: Progress | None = None,
              only: Collection[str] | None = None, only_newest: bool = False, preview_limit: int = 100_000_000,
              resolver: Resolver | None = None) -> list[dict[str, object]]:  # fmt: skip
        """Return every part as the screen needs it; ``only`` limits the work to some of them.

        With ``only_newest``, older work on the same subject stops at its next checkpoint.

        Raises
        ------
        Cancelled
            When newer work on the same subject came, or it was stopped.
        """
        stop = self._turns.take(subject) if only_newest else self._turns.join(subject)
        resolver = resolver or Resolver(bench)
        out = []
        for part in bench.parts:
            if part.hidden and only is None:
                out.append(hidden_view(part))
            elif only is None or part.id in only:
                out.append(self._view(bench, part, files, resolver, stop, progress, preview_limit))
        return out

    def _view(self, bench: Bench, part: Part, files: Files, resolver: Resolver,
              stop: Callable[[], bool], progress: Progress | None, preview_limit: int) -> dict[str, object]:  # fmt: skip
        try:
            evaluation = self.evaluate(bench, part.id, files, stop=stop, progress=progress, resolver=resolver,
                                       asked=Asked(preview_limit=preview_limit))  # fmt: skip
        except (Cancelled, Heavy):
            raise
        except CoreError as e:
            return hidden_view(part) | {"error": e.as_dict()}
        return self.part_view(bench, evaluation, resolver)

    @staticmethod
    def hidden(part: Part, error: CoreError | None = None) -> dict[str, object]:
        """Return the view of a part that has no body to be shown."""
        return hidden_view(part) | {"hidden": part.hidden, "error": None if error is None else error.as_dict()}

    def part_view(self, bench: Bench, evaluation: Evaluation, resolver: Resolver | None = None) -> JsonObject:
        """Return one part as plain data; its drawing data waits under the hash given."""
        part, mesh = evaluation.part, evaluation.mesh
        out: dict[str, object] = hidden_view(part) | {"hidden": part.hidden, "steps": [step_view(o) for o in evaluation.steps],
                                               "matrix": evaluation.matrix.ravel().tolist(), "key": evaluation.key,
                                               "placed": None if evaluation.misplaced else placed_view(resolver or Resolver(bench), part),
                                               "error": evaluation.misplaced.as_dict() if evaluation.misplaced else None}  # fmt: skip
        if mesh is None or mesh.n_faces == 0:
            return out
        finish = bench.finish_of(part)
        volume = abs(signed_volume(mesh)) * abs(float(np.linalg.det(evaluation.matrix[:3, :3])))
        sides = mesh.sides
        return out | {
            "mesh": self.keep(mesh, evaluation.key),
            "faces": mesh.n_faces, "points": mesh.n_points, "four_sided": int((sides == 4).sum()),
            "bounds": mesh.bounds.tolist(), "stands": placed_bounds(mesh, evaluation.matrix).tolist(), "volume": volume,
            "mass": volume * finish.density / 1000 if finish else None,
            "groups": mesh.groups(),
        }  # fmt: skip

    def keep(self, mesh: Mesh, key: str) -> str:
        """Keep a mesh's drawing data and return its hash."""
        known = self._hashes.get(key)
        if known is not None and self._views.get(known) is not None:
            return known
        view = view_of(mesh)
        digest = view_digest(mesh)
        self._views.put(digest, view)
        self._meshes.put(digest, mesh)
        self._hashes.put(key, digest)
        return digest

    def view_data(self, digest: str, forms: Collection[str] = ()) -> tuple[bytes, ...] | None:
        """Return the blocks of drawing data by hash; of a body whose form is among those given only where its points are."""
        view = self._views.get(digest)
        if view is None:
            return None
        return (view.places,) if view.form.digest.hex() in forms else view.blocks

    def mesh(self, digest: str) -> Mesh | None:
        """Return a mesh by the hash of its drawing data, if it is still kept."""
        return self._meshes.get(digest)

    def elements(self, digest: str) -> bytes | None:
        """Return points, edges and faces of a mesh for picking, by the hash of its drawing data."""
        mesh = self._meshes.get(digest)
        return None if mesh is None else element_bytes(mesh)

    def strips(self, digest: str) -> bytes | None:
        """Return which faces of a mesh may be drawn as one, by the hash of its drawing data."""
        mesh = self._meshes.get(digest)
        return None if mesh is None else strip_bytes(mesh)

    def outline(self, digest: str) -> bytes | None:
        """Return what the outline of a mesh is found from, by the hash of its drawing data."""
        mesh = self._meshes.get(digest)
        return None if mesh is None else outline_bytes(mesh)

    def subdivided(self, digest: str, *, rounded: bool) -> bytes | None:
        """Return drawing data of a body's limit surface; with ``rounded`` its sharp edges are rounded too."""
        mesh = self._meshes.get(digest)
        if mesh is None:
            return None
        key = f"{digest} limit {rounded}"
        held = self._views.get(key)
        if held is None:
            sharp = np.zeros(mesh.connectivity.n_edges, dtype=bool) if rounded else sharp_edges(mesh)
            held = view_of(limit_surface(mesh, sharp))
            self._views.put(key, held)
        return b"".join(held.blocks)

    def marks(self, digest: str) -> dict[str, object] | None:
        """Return a body's poles and many-sided faces: places with their numbers of edges, borders of the faces."""
        mesh = self._meshes.get(digest)
        if mesh is None:
            return None
        at, valences = poles(mesh)
        lines = many_sided(mesh)
        return {
            "poles": [[*p, float(v)] for p, v in zip(at[:_MOST_MARKS].tolist(), valences[:_MOST_MARKS].tolist(), strict=True)],
            "n_poles": len(at), "lines": lines[:_MOST_MARKS].reshape(-1, 6).tolist(), "n_many": int((mesh.sides > 4).sum()),
        }  # fmt: skip

    def holes(self, digest: str, operator: str, scale: float) -> dict[str, object] | None:
        """Return a body's round holes, and what an operator takes from each; None when the body is not kept any more."""
        mesh = self._meshes.get(digest)
        if mesh is None:
            return None
        placing = get_operator(operator).placing
        if placing is None or placing.hole is None:
            return {"holes": []}
        key, fitting = placing.hole
        rows = []
        for rim in round_rims(mesh)[:_MOST_MARKS]:
            found = fitting(2 * rim.radius * scale)
            rows.append({"centre": rim.centre.tolist(), "normal": rim.normal.tolist(), "radius": rim.radius,
                         "values": {key: found[0]} if found else {}, "words": found[1] if found else "nothing fits"})  # fmt: skip
        return {"holes": rows}

    def pick_view(self, bench: Bench, part: Part, step: Step, key: str, files: Files) -> dict[str, object]:
        """Return what a step picks: on which body, which elements, and the rules they look like.

        Raises
        ------
        ValueProblem
            When the step takes no such pick, or no body comes to it.
        """
        op = get_operator(step.operator)
        field, path = field_at(op.values, key.replace(".", "/"), op.name)
        raw = step.values.get(field.key, field.written_default)
        found = field.kind.rule_at(raw, path, step.values)
        if found is None:
            raise ValueProblem(f"'{op.name}' takes no pick '{key}'.", field=key)
        rule, kinds = found
        evaluation, mesh = self._coming_to(bench, part, step, key, files)
        number, named = Resolver(bench).number, {p.name: p.pick for p in part.picks}
        picked, notes = resolve_pick(rule, mesh, kinds, number, key, named)
        inner = None
        if isinstance(rule, dict) and rule.get("rule") == "belonging_to":
            inner, said = resolve_pick(rule.get("pick"), mesh, _KINDS, number, key, named)
            notes += said
        shown = picked if inner is None else inner
        ruled = isinstance(rule, dict) and rule.get("rule") not in (None, "by_hand")
        offers = [] if ruled else looks_like(mesh, picked)
        return {
            "mesh": self.keep(mesh, evaluation.key), "matrix": evaluation.matrix.ravel().tolist(), "kind": picked.kind, "kinds": list(kinds),
            "of": rows_of(mesh, picked.kind), "picked": np.flatnonzero(picked.mask).tolist(), "notes": [note_view(n) for n in notes],
            "through": None if inner is None else {"kind": shown.kind, "picked": np.flatnonzero(shown.mask).tolist()},
            "groups": [{"step": s, "name": g} for s, g in dict.fromkeys((s, g) for s, g, _ in mesh.lineage.rows)],
            "lineage": [{"step": s, "group": g, "parent": p} for s, g, p in mesh.lineage.rows], "named": [p.name for p in part.picks],
            "offers": [{"words": words, "pick": pick} for words, pick in offers],
        }  # fmt: skip

    def _coming_to(self, bench: Bench, part: Part, step: Step, key: str, files: Files) -> tuple[Evaluation, Mesh]:
        """Return the body that comes to a step; ``key`` is what asks for it."""
        name = get_operator(step.operator).name
        before = [s.id for s in part.recipe[: [s.id for s in part.recipe].index(step.id)] if s.on]
        if not before:
            raise ValueProblem(
                f"No body comes to '{name}': it is the first step.", field=key, hint="Put a blank before it."
            )
        evaluation = self.evaluate(bench, part.id, files, upto=before[-1])
        mesh = evaluation.mesh
        if mesh is None or mesh.n_faces == 0:
            raise ValueProblem(f"No body comes to '{name}'.", field=key, hint="Mend the steps before it.")
        return evaluation, mesh

    def mask_view(self, bench: Bench, part: Part, step: Step, key: str, files: Files) -> dict[str, object]:
        """Return how much a step acts at each point of the body that comes to it, in 255ths.

        Raises
        ------
        ValueProblem
            When the step has no such mask, or no body comes to it.
        """
        op = get_operator(step.operator)
        field, _ = field_at(op.values, key, op.name)
        if field.kind.name != "weights":
            raise ValueProblem(f"'{op.name}' has no mask '{key}'.", field=key)
        evaluation, mesh = self._coming_to(bench, part, step, key, files)
        inputs = Inputs(mesh, {p.name: p.pick for p in part.picks}, files)
        weights = Resolver(bench).value(step, op, field.key, inputs)
        rows = np.ones(mesh.n_points) if weights is None else np.asarray(weights)
        return {
            "mesh": self.keep(mesh, evaluation.key), "matrix": evaluation.matrix.ravel().tolist(), "points": mesh.n_points,
            "weights": base64.b64encode(np.round(255 * rows).astype(np.uint8).tobytes()).decode(),
        }  # fmt: skip

    def soundness(self, digest: str) -> dict[str, object] | None:
        """Return the soundness report of a mesh by the hash of its drawing data."""
        mesh = self._meshes.get(digest)
        return None if mesh is None else soundness_report(soundness(mesh))

    def numbers(self, bench: Bench, resolver: Resolver | None = None) -> list[JsonObject]:
        """Return the named numbers with their values, or what is wrong with them."""
        resolver = resolver or Resolver(bench)
        out = []
        for d in bench.dimensions:
            q, e = resolver.names.get(d.name), resolver.name_errors.get(d.name)
            out.append({"name": d.name, "written": d.value, "value": q.value if q else None, "measures": q.measures if q else None,
                        "error": e.as_dict() if e else None})  # fmt: skip
        return out

    def measures(self, bench: Bench, evaluation_of: Callable[[str], Evaluation | None]) -> list[dict[str, object]]:
        """Return the kept measures as they read now, or what is wrong with them."""

        def body(part: str) -> Body | None:
            evaluation = evaluation_of(part)
            if evaluation is None or evaluation.mesh is None or evaluation.mesh.n_faces == 0:
                return None
            return Body(evaluation.mesh, evaluation.matrix)

        return [measure_view(m) for m in measured(bench, body)] if bench.measures else []

    def read(self, ends: Sequence[tuple[str, Sequence[float], str, Mapping[str, object]]]) -> dict[str, object]:
        """Return all that can be read of one picked element, or between two.

        Parameters
        ----------
        ends : hash of the drawing data, matrix of 16 numbers, kind and element of each.

        Raises
        ------
        NotThere
            When a body's drawing data is not kept any more.
        """
        things, written = [], []
        for digest, matrix, kind, element in ends:
            mesh = self.mesh(digest)
            if mesh is None:
                raise NotThere("such mesh any more")
            one, row = found_thing(Body(mesh, matrix_of(matrix)), kind, element)
            things.append(one)
            written.append(row)
        return {"ends": written, "rows": [reading_view(r) for r in readings(*things)]}

    def curves(
        self, bench: Bench, resolver: Resolver | None = None, only: Collection[str] | None = None
    ) -> list[dict[str, object]]:
        """Return the curves as the drawing board shows them: points worked out, samples, arcs; ``only`` some of them."""
        resolver = resolver or Resolver(bench)
        return [curve_view(resolver, c) for c in bench.curves if only is None or c.id in only]

    def warm_up(self, busy: Callable[[], bool] = lambda: False) -> None:
        """Load and run what would make the first edit slow, as long as nothing else is to be done."""
        from jukai.core.warm import warming

        for _ in warming():
            while busy() or time.monotonic() - self._turns.last < _IN_HAND:
                time.sleep(_GIVES_WAY)
