"""From what stands in the bench to what an operator takes: formulas, curves, axes, choices."""

from __future__ import annotations

import hashlib
import json
import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from pydantic import ValidationError

from jukai.core.errors import CoreError, FormulaError, ValueProblem
from jukai.core.formulas import Quantity, evaluate_formula, resolve_names
from jukai.core.geometry.curve_pieces import CurveShape, Sampled
from jukai.core.geometry.curves import sample
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Operator, OperatorValues
from jukai.core.operators.fields import Field, field_at, fields_of, relevant_keys
from jukai.core.operators.inputs import Body, CurveInput, FileInput, Files, HeldFiles
from jukai.core.recipe.bench import MAX_COORDINATE, Bench, Curve, CurvePoint, Step
from jukai.core.validation import in_words

__all__ = ["Inputs", "Resolved", "Resolver", "point_ids", "value_problem"]


_SAMPLED: dict[str, Sampled] = {}
"""Curves sampled lately by all their numbers: while one number is dragged, most curves stay what they are."""
_MOST_SAMPLED = 256


def point_ids(curve: Curve) -> tuple[str, ...]:
    """Return the ids of a curve's points; those without one are counted: p1, p2 ..."""
    taken = {p.id for p in curve.points if p.id}
    out = []
    for i, p in enumerate(curve.points, 1):
        name = p.id or f"p{i}"
        while not p.id and name in taken:
            name += "_"
        out.append(name)
    return tuple(out)


def _in_space(shape: CurveShape) -> Sampled:
    """Return a path as a polyline in space."""
    from jukai.core.geometry.paths import path_through

    path = path_through(shape)
    if not path.pieces:
        return Sampled(shape.at, np.ones(len(shape.at), bool), np.zeros(len(shape.at), np.int32), shape.closed)
    tolerance = shape.tolerance if shape.tolerance is not None else max(path.size / 500, 1e-12)
    stations = path.stations(path.steps(tolerance))
    return Sampled(stations.points, stations.corner, np.zeros(len(stations.points), np.int32), path.closed)


@dataclass(frozen=True, slots=True)
class Resolved:
    """The values of one step, ready for its operator.

    Attributes
    ----------
    values : what the operator takes.
    shown : plain numbers for the screen, by address (``sides``, ``size/0``), of what was written.
    key : text that is the same whenever the values are.
    """

    values: OperatorValues
    shown: dict[str, float]
    key: str
    notes: tuple[Note, ...] = ()


@dataclass(slots=True)
class Resolver:
    """Works out numbers and curves of one bench; ``parts`` holds those that others follow, worked out (``evaluate``)."""

    bench: Bench
    names: Mapping[str, Quantity] = field(init=False)
    name_errors: Mapping[str, CoreError] = field(init=False)
    _curves: dict[str, CurveInput] = field(default_factory=dict)
    _deformed: dict[str, CurveInput] = field(default_factory=dict)
    parts: dict[tuple[str, str | None], Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.names, self.name_errors = resolve_names({d.name: _as_text(d.value) for d in self.bench.dimensions})

    def number(self, raw: object, *, measures: str, where: str, more: Mapping[str, Quantity] | None = None) -> float:
        """Return a number, or the value of a formula; ``more`` are names that it may speak of besides the bench's.

        Raises
        ------
        FormulaError, ValueProblem
            Naming ``where``.
        """
        if isinstance(raw, bool) or not isinstance(raw, int | float | str):
            raise ValueProblem(f"{where.capitalize()}: a number or a formula is wanted.", field=where)
        if isinstance(raw, str):
            try:
                value = evaluate_formula(raw, {**self.names, **more} if more else self.names, measures=measures)
            except FormulaError as e:
                broken = next((n for n in self.name_errors if n in raw), None)
                hint = self.name_errors[broken].sentence() if broken else e.hint
                raise FormulaError(f"{e.message}", position=e.position, field=where, hint=hint) from None
        else:
            value = float(raw)
        if not math.isfinite(value):
            raise ValueProblem(f"{where.capitalize()} is not a finite number.", field=where)
        if measures == "length" and abs(value) > MAX_COORDINATE:
            raise ValueProblem(f"{where.capitalize()} is {value:g} mm; {MAX_COORDINATE:g} mm is the most.", field=where)
        return value

    def each(self, raw: object, count: int, *, measures: str, where: str) -> tuple[float, ...]:
        """Return a number for each of some copies; a formula may speak of ``copy`` (from 0) and ``copies``."""
        if not isinstance(raw, str) or not re.search(r"\b(copy|copies)\b", raw):
            return (self.number(raw, measures=measures, where=where),) * count
        every = Quantity(float(count))
        return tuple(
            self.number(raw, measures=measures, where=where, more={"copy": Quantity(float(k)), "copies": every})
            for k in range(count)
        )

    def fitted(self, raw: object, fit: float, *, where: str) -> float:
        """Return a length whose formula may speak of ``fit``, mm."""
        return self.number(raw, measures="length", where=where, more={"fit": Quantity(fit, "length")})

    def masked(self, raw: object, mask: float, *, where: str) -> float:
        """Return a number whose formula may speak of ``mask``, what a point of a mask had before."""
        return self.number(raw, measures="", where=where, more={"mask": Quantity(mask)})

    # -- curves ---------------------------------------------------------------------------------
    def curve(self, curve_id: object, where: str = "profile") -> CurveInput:
        """Return a curve of the bench as it is used, sampled: it has gone through its steps. ``where`` is the value that names it."""
        drawn = self.drawn(curve_id, where)
        curve = self.bench.curve(drawn.id)
        if curve is None or not any(s.on for s in curve.steps):
            return drawn
        if curve.id not in self._deformed:
            from jukai.core.recipe.curve_steps import deformed_curve  # few curves have steps

            shape, steps = deformed_curve(curve, drawn.shape, self)
            failed = next((s for s in steps if s.error is not None), None)
            if failed is not None and failed.error is not None:
                number = [s.id for s in curve.steps].index(failed.id) + 1
                raise ValueProblem(
                    f"Curve '{curve.name}', step {number}: {failed.error.message}", field=where, hint=failed.error.hint
                )
            self._deformed[curve.id] = self._input(curve, shape, ("",) * len(shape.at))
        return self._deformed[curve.id]

    def drawn(self, curve_id: object, where: str = "profile") -> CurveInput:
        """Return a curve of the bench as it is drawn, sampled."""
        curve = self.bench.curve(curve_id) if isinstance(curve_id, str) else None
        if curve is None:
            known = ", ".join(f"{c.id} ({c.name})" for c in self.bench.curves[:8]) or "none"
            raise ValueProblem(f"There is no curve '{str(curve_id)[:60]}'.", field=where, hint=f"There is: {known}.")
        if curve.id not in self._curves:
            self._curves[curve.id] = self._sampled(curve, where)
        return self._curves[curve.id]

    def _sampled(self, curve: Curve, where: str) -> CurveInput:
        ids = point_ids(curve)
        try:
            shape = self.shape(curve)
        except CoreError as e:
            if isinstance(e, FormulaError):
                raise FormulaError(
                    f"Curve '{curve.name}', {e.field}: {e.message}", position=e.position, field=where, hint=e.hint
                ) from None
            raise ValueProblem(f"Curve '{curve.name}': {e.message}", field=where, hint=e.hint) from None
        return self._input(curve, shape, ids)

    @staticmethod
    def _input(curve: Curve, shape: CurveShape, ids: tuple[str, ...]) -> CurveInput:
        body = json.dumps([curve.id, curve.kind, curve.closed, shape.at.tolist(), shape.fillet.tolist(), shape.join, shape.out.tolist(),
                           shape.into.tolist(), shape.tolerance, shape.count, ids, shape.legs.tolist()])  # fmt: skip
        key = hashlib.blake2b(body.encode(), digest_size=12).hexdigest()
        sampled = _SAMPLED.get(key)
        if sampled is None:
            sampled = _SAMPLED[key] = sample(shape) if curve.kind == "profile" else _in_space(shape)
            while len(_SAMPLED) > _MOST_SAMPLED:
                del _SAMPLED[next(iter(_SAMPLED))]
        return CurveInput(curve.id, curve.name, shape, sampled, ids, key=key, kind=curve.kind)

    def shape(self, curve: Curve) -> CurveShape:
        """Return a curve with its numbers worked out.

        Raises
        ------
        ValueProblem
            Of the first that can't be, or that no curve can have.
        """
        n = len(curve.points)
        at, out, into = (np.zeros((n, curve.across)) for _ in range(3))
        fillet, chamfer = np.zeros(n), np.zeros(n)
        for i, p in enumerate(curve.points):
            at[i] = [self.number(v, measures="length", where=f"point {i + 1}") for v in p.at]
            fillet[i], chamfer[i] = self._corner(p, i)
            for handle, target in ((p.out, out), (p.into, into)):
                if handle is not None:
                    target[i] = [self.number(v, measures="length", where=f"point {i + 1}") for v in handle]
        tolerance = count = None
        if curve.sampling.tolerance is not None:
            tolerance = self.number(curve.sampling.tolerance, measures="length", where="tolerance")
            least = max(float(np.ptp(at, axis=0).max()) if n else 0.0, 1e-12) / 1e6
            if tolerance < least:
                raise ValueProblem(
                    f"A tolerance of {tolerance:g} mm is too fine for this curve.", hint=f"{least:.2g} mm is the least."
                )
        if curve.sampling.count is not None:
            count = round(self.number(curve.sampling.count, measures="", where="count"))
            if not 1 <= count <= 10_000:
                raise ValueProblem(f"{count} chords a piece.", hint="1 to 10 000 are possible.")
        return CurveShape(at, fillet, tuple(p.join for p in curve.points), out, into, curve.closed, tolerance, count,
                          chamfer if chamfer.any() else None)  # fmt: skip

    def _corner(self, point: CurvePoint, i: int) -> tuple[float, float]:
        radius, leg = (
            self.number(raw, measures="length", where=f"point {i + 1}") for raw in (point.fillet, point.chamfer)
        )
        for what, size in (("radius", radius), ("chamfer", leg)):
            if size < 0:
                raise ValueProblem(f"The {what} at point {i + 1} is {size:g} mm.", hint="0 leaves the corner sharp.")
        if radius and leg:
            raise ValueProblem(
                f"Point {i + 1} has a radius and a chamfer.", hint="A corner has one of them: make the other 0."
            )
        return radius, leg

    # -- steps ----------------------------------------------------------------------------------
    def value(self, step: Step, op: Operator, key: str, inputs: Inputs) -> object:
        """Return one value of a step by itself; None where it is left out."""
        raw = step.values.get(key)
        field_ = fields_of(op.values)[key]
        return None if raw is None else field_.kind.resolve(raw, _StepScope(self, inputs, step.values), key)

    def step(self, step: Step, op: Operator, inputs: Inputs | None = None) -> Resolved:
        """Return the values of a step.

        Raises
        ------
        ValueProblem
            For an unknown key, a wrong kind, or a number out of its limits.
        """
        fields = fields_of(op.values)
        for name in step.values:
            field_at(op.values, name, op.id)
        relevant = relevant_keys(fields, step.values)
        scope = _StepScope(self, inputs or Inputs(), step.values)
        for name, f in fields.items():
            raw = step.values.get(name)
            if raw is not None and name in relevant:
                scope.done[name] = f.kind.resolve(raw, scope, name)
                scope.keys[name] = f.kind.key(scope.done[name])
            elif f.required and name not in relevant:
                scope.done[name] = None
            elif not f.required:
                # what a default comes to may depend on the body, as a rule does
                found = scope.taken[name] = f.kind.default(f.default, scope, name)
                if found is not f.default:
                    scope.done[name] = found
                    scope.keys[name] = f.kind.key(found)
        try:
            checked = op.values(**{fields[k].attribute: v for k, v in scope.done.items()})
        except ValidationError as e:
            raise value_problem(op, fields, e) from None
        return Resolved(checked, scope.shown, json.dumps(scope.keys, sort_keys=True), tuple(scope.notes))


@dataclass(frozen=True, slots=True)
class Inputs:
    """What a step is given besides its own values.

    Attributes
    ----------
    mesh : the body that comes to it.
    named : the picks of its part by their names.
    files : the files beside the bench.
    body : works another part out: ``body(part, upto, placed, where)``.
    """

    mesh: Mesh | None = None
    named: Mapping[str, object] = field(default_factory=dict)
    files: Files = field(default_factory=HeldFiles)
    body: Callable[[str, object, bool | str, str], Body] | None = None


@dataclass(slots=True)
class _StepScope:
    """What the values of one step are worked out with."""

    resolver: Resolver
    inputs: Inputs
    written: Mapping[str, object]
    done: dict[str, object] = field(default_factory=dict)
    taken: dict[str, object] = field(default_factory=dict)
    keys: dict[str, object] = field(default_factory=dict)
    shown: dict[str, float] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)

    @property
    def mesh(self) -> Mesh | None:
        return self.inputs.mesh

    @property
    def named(self) -> Mapping[str, object]:
        return self.inputs.named

    def number(self, raw: object, *, measures: str, where: str) -> float:
        return self.resolver.number(raw, measures=measures, where=where)

    def each(self, raw: object, count: int, *, measures: str, where: str) -> tuple[float, ...]:
        return self.resolver.each(raw, count, measures=measures, where=where)

    def fitted(self, raw: object, fit: float, *, where: str) -> float:
        return self.resolver.fitted(raw, fit, where=where)

    def masked(self, raw: object, mask: float, *, where: str) -> float:
        return self.resolver.masked(raw, mask, where=where)

    def show(self, where: str, number: float) -> None:
        self.shown[where] = number

    def say(self, note: Note) -> None:
        self.notes.append(note)

    def curve(self, raw: object, where: str, *, of: str = "profile") -> CurveInput:
        found = self.resolver.curve(raw, where)
        if of == "profile" and found.kind == "path":
            raise ValueProblem(
                f"'{found.name}' is a path in space; a profile is wanted here.",
                field=where,
                hint="Choose one, or draw a new one.",
            )
        return found

    def body(self, raw: object, where: str, *, upto: object, placed: bool | str) -> Body:
        bench = self.resolver.bench
        part = bench.part(raw) if isinstance(raw, str) else None
        if part is None:
            known = ", ".join(f"{p.id} ({p.name})" for p in bench.parts[:8])
            raise ValueProblem(f"There is no part '{str(raw)[:60]}' any more.", field=where, hint=f"There is: {known}.")
        if self.inputs.body is None:
            return Body(part.id, part.name, None, np.eye(4), part.id)
        return self.inputs.body(part.id, upto, placed, where)

    def file(self, raw: object, where: str) -> FileInput:
        if not isinstance(raw, str) or not raw or "/" in raw or "\\" in raw or raw.startswith("."):
            raise ValueProblem("A file is named without a folder.", field=where, hint="Put it beside the bench file.")
        found = self.inputs.files.hash_of(raw)
        if found is None:
            raise ValueProblem(
                f"The file '{raw[:80]}' is not there.", field=where, hint="Put it beside the bench file, or upload it."
            )
        return FileInput(raw, found, self.inputs.files)

    def finish(self, raw: object, where: str) -> str:
        known = [f.name for f in self.resolver.bench.finishes]
        if raw not in known:
            raise ValueProblem(
                f"There is no finish '{str(raw)[:60]}'.", field=where, hint=f"There is: {', '.join(known) or 'none'}."
            )
        return str(raw)


def _as_text(value: object) -> str:
    return value if isinstance(value, str) else repr(value)


def value_problem(op: Operator, fields: Mapping[str, Field], e: ValidationError) -> ValueProblem:
    """Return what is wrong with a value of a step, in its words."""
    first = e.errors(include_url=False, include_context=True)[0]
    key = str(first["loc"][0]).rstrip("_") if first["loc"] else None
    label = (key or op.name).replace("_", " ").capitalize()
    limits = first.get("ctx", {})
    kind = fields[key].kind if key is not None and key in fields else None
    words = {"greater_than_equal": ("ge", "is the least"), "less_than_equal": ("le", "is the most"),
             "greater_than": ("gt", "is too little; it must be more"), "less_than": ("lt", "is too much")}  # fmt: skip
    if first["type"] in words:
        name, text = words[first["type"]]
        given, bound = (f"{x:g}" if kind is None else kind.words(x) for x in (first["input"], limits[name]))
        return ValueProblem(f"{label} is {given}.", field=key, hint=f"{bound} {text}.")
    if first["type"] == "missing":
        return ValueProblem(f"{label} is not given.", field=key, hint="Choose one.")
    text = in_words(first)
    return ValueProblem(f"{text[:1].upper()}{text[1:]}.", field=key)
