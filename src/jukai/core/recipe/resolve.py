"""From what stands in the bench to what an operator takes: formulas, curves, axes, choices."""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from pydantic import ValidationError

from jukai.core.errors import CoreError, FormulaError, ValueProblem
from jukai.core.geometry.curves import CurveShape, sample
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Along, AxisSpec, Further, Note, Operator, OperatorValues, Picked, ProfileCurve
from jukai.core.operators.values import MOST_FURTHER, ValueSpec, spec_of
from jukai.core.recipe.bench import MAX_COORDINATE, Bench, Curve, CurvePoint, Step
from jukai.core.recipe.formulas import Quantity, evaluate_formula, resolve_names

__all__ = ["Resolved", "Resolver", "point_ids"]

_MEASURES = {
    "length": "length",
    "vector": "length",
    "along": "length",
    "angle": "angle",
    "count": "",
    "counts": "",
    "share": "",
}


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
    """Works out numbers and curves of one bench."""

    bench: Bench
    names: Mapping[str, Quantity] = field(init=False)
    name_errors: Mapping[str, CoreError] = field(init=False)
    _curves: dict[str, ProfileCurve] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.names, self.name_errors = resolve_names({d.name: _as_text(d.value) for d in self.bench.dimensions})

    def number(self, raw: Any, *, measures: str, where: str) -> float:
        """Return a number, or the value of a formula.

        Raises
        ------
        FormulaError, ValueProblem
            Naming ``where``.
        """
        if isinstance(raw, bool) or not isinstance(raw, int | float | str):
            raise ValueProblem(f"{where.capitalize()}: a number or a formula is wanted.", field=where)
        if isinstance(raw, str):
            try:
                value = evaluate_formula(raw, self.names, measures=measures)
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

    # -- curves ---------------------------------------------------------------------------------
    def curve(self, curve_id: Any) -> ProfileCurve:
        """Return a profile of the bench, sampled."""
        curve = self.bench.curve(curve_id) if isinstance(curve_id, str) else None
        if curve is None:
            known = ", ".join(f"{c.id} ({c.name})" for c in self.bench.curves[:8]) or "none"
            raise ValueProblem(f"There is no curve '{curve_id}'.", field="profile", hint=f"There is: {known}.")
        if curve.id not in self._curves:
            self._curves[curve.id] = self._sampled(curve)
        return self._curves[curve.id]

    def _sampled(self, curve: Curve) -> ProfileCurve:
        ids = point_ids(curve)
        try:
            shape = self._shape(curve)
        except CoreError as e:
            if isinstance(e, FormulaError):
                raise FormulaError(
                    f"Curve '{curve.name}', {e.field}: {e.message}", position=e.position, field="profile", hint=e.hint
                ) from None
            raise ValueProblem(f"Curve '{curve.name}': {e.message}", field="profile", hint=e.hint) from None
        body = json.dumps([curve.id, curve.closed, shape.at.tolist(), shape.fillet.tolist(), shape.join, shape.out.tolist(),
                           shape.into.tolist(), shape.tolerance, shape.count, ids])  # fmt: skip
        return ProfileCurve(
            curve.id,
            curve.name,
            shape,
            sample(shape),
            ids,
            key=hashlib.blake2b(body.encode(), digest_size=12).hexdigest(),
        )

    def _shape(self, curve: Curve) -> CurveShape:
        n = len(curve.points)
        at, out, into = np.zeros((n, 2)), np.zeros((n, 2)), np.zeros((n, 2))
        fillet = np.zeros(n)
        for i, p in enumerate(curve.points):
            at[i] = [self.number(v, measures="length", where=f"point {i + 1}") for v in p.at]
            fillet[i] = self._fillet(p, i)
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
        return CurveShape(at, fillet, tuple(p.join for p in curve.points), out, into, curve.closed, tolerance, count)

    def _fillet(self, point: CurvePoint, i: int) -> float:
        radius = self.number(point.fillet, measures="length", where=f"point {i + 1}")
        if radius < 0:
            raise ValueProblem(f"The radius at point {i + 1} is {radius:g} mm.", hint="0 leaves the corner sharp.")
        return radius

    # -- steps ----------------------------------------------------------------------------------
    def step(
        self, step: Step, op: Operator, mesh: Mesh | None = None, named: Mapping[str, Any] | None = None
    ) -> Resolved:
        """Return the values of a step; picks are worked out on ``mesh``, the body that comes to it.

        ``named`` are the picks of the part by their names.

        Raises
        ------
        ValueProblem
            For an unknown key, a wrong kind, or a number out of its limits.
        """
        fields = {name.rstrip("_"): (name, info) for name, info in op.values.model_fields.items()}
        shown: dict[str, float] = {}
        notes: list[Note] = []
        values: dict[str, Any] = {}
        key: dict[str, Any] = {}
        for name, raw in step.values.items():
            if name not in fields:
                raise ValueProblem(
                    f"'{op.id}' has no value '{name}'.", field=name, hint=f"It has: {', '.join(fields)}."
                )
            if raw is None:
                continue
            attribute, info = fields[name]
            spec = spec_of(info)
            values[attribute] = self._value(spec, raw, name, shown, notes)
            resolved = values[attribute]
            key[name] = resolved.key if isinstance(resolved, ProfileCurve) else repr(resolved)
        for name, (attribute, info) in fields.items():
            spec = spec_of(info)
            if spec.kind == "pick" and mesh is not None:
                from jukai.core.recipe.picks import resolve_pick  # most steps have none

                raw = values.get(attribute, info.default)
                values[attribute], said = resolve_pick(raw, mesh, spec.of, self.number, name, named)
                notes += said
                shown[name] = float(values[attribute].count)
                key[name] = _pick_key(values[attribute])
            if spec.kind == "further" and values.get(attribute) and mesh is not None:
                main = next((v for v in values.values() if isinstance(v, Picked)), None)
                kind = main.kind if main else spec.of[0]
                rows = self._further(values[attribute], mesh, kind, name, shown, notes, named)
                values[attribute] = rows
                key[name] = [(_pick_key(row.pick), row.width) for row in rows]
        try:
            checked = op.values(**values)
        except ValidationError as e:
            raise _value_problem(e, op) from None
        return Resolved(checked, shown, json.dumps(key, sort_keys=True), tuple(notes))

    def _further(
        self,
        raw: list[Any],
        mesh: Mesh,
        kind: str,
        name: str,
        shown: dict[str, float],
        notes: list[Note],
        named: Mapping[str, Any] | None,
    ) -> tuple[Further, ...]:
        """Return further picks of the kind that the step picks."""
        from jukai.core.recipe.picks import resolve_pick

        out = []
        for i, row in enumerate(raw):
            pick = {"of": kind, **row["pick"]} if isinstance(row["pick"], dict) else row["pick"]
            picked, said = resolve_pick(pick, mesh, (kind,), self.number, name, named)
            width = self.number(row["width"], measures="length", where=name)
            if width < 0:
                raise ValueProblem(
                    f"The width of further pick {i + 1} is {width:g} mm.", field=name, hint="0 leaves its edges sharp."
                )
            shown[f"{name}/{i}"], shown[f"{name}/{i}/pick"] = width, float(picked.count)
            notes += said
            out.append(Further(picked, width))
        return tuple(out)

    def _value(self, spec: ValueSpec, raw: Any, name: str, shown: dict[str, float], notes: list[Note]) -> Any:
        if spec.kind in ("length", "angle", "share", "count"):
            value = self.number(raw, measures=_MEASURES[spec.kind], where=name)
            if spec.kind == "count":
                value = _whole(value, name, notes)
            shown[name] = value
            return value
        if spec.kind in ("vector", "counts"):
            return self._vector(spec, raw, name, shown, notes)
        if spec.kind in ("choice", "switch"):
            return _chosen(spec, raw, name)
        if spec.kind == "axis":
            return self._axis(raw, name)
        if spec.kind == "along":
            return self._along(raw, name, shown)
        if spec.kind == "curve":
            return self.curve(raw)
        if spec.kind == "pick":
            return raw
        if spec.kind == "further":
            return _rows(raw, name)
        if spec.kind == "finish":
            return self._finish(raw, name)
        if spec.kind == "part":
            return self._part(raw, name)
        if spec.kind == "step":
            return str(raw)
        if not isinstance(raw, str) or not raw or "/" in raw or "\\" in raw or raw.startswith("."):
            raise ValueProblem("A file is named without a folder.", field=name, hint="Put it beside the bench file.")
        return raw

    def _vector(
        self, spec: ValueSpec, raw: Any, name: str, shown: dict[str, float], notes: list[Note]
    ) -> tuple[float, ...]:
        if not isinstance(raw, list) or len(raw) != spec.axes:
            words = "two" if spec.axes == 2 else "three"
            raise ValueProblem(
                f"{name.replace('_', ' ').capitalize()} is a list of {words} numbers.",
                field=name,
                hint=f"For example {[20] * spec.axes}.",
            )
        out = []
        for i, part in enumerate(raw):
            value = self.number(part, measures=_MEASURES[spec.kind], where=name)
            if spec.kind == "counts":
                value = _whole(value, name, notes)
            shown[f"{name}/{i}"] = value
            out.append(value)
        return tuple(out)

    def _axis(self, raw: Any, name: str) -> AxisSpec:
        if isinstance(raw, str) and raw in ("x", "y", "z", "longest"):
            return AxisSpec(raw)
        if isinstance(raw, dict) and set(raw) == {"point", "direction"}:
            rows = []
            for key in ("point", "direction"):
                if not isinstance(raw[key], list) or len(raw[key]) != 3:
                    raise ValueProblem(f"The {key} of an axis is a list of three numbers.", field=name)
                rows.append(tuple(self.number(v, measures="length", where=name) for v in raw[key]))
            if not any(rows[1]):
                raise ValueProblem(
                    "The axis has no direction: all three numbers are 0.", field=name, hint="For example [0, 0, 1]."
                )
            return AxisSpec(None, rows[0], rows[1])  # type: ignore[arg-type]
        raise ValueProblem(
            f"{name.capitalize()} is no axis.",
            field=name,
            hint='Write "x", "y", "z", "longest", or a point and a direction.',
        )

    def _finish(self, raw: Any, name: str) -> str:
        known = [f.name for f in self.bench.finishes]
        if raw not in known:
            raise ValueProblem(
                f"There is no finish '{str(raw)[:60]}'.", field=name, hint=f"There is: {', '.join(known) or 'none'}."
            )
        return str(raw)

    def _part(self, raw: Any, name: str) -> str:
        part = self.bench.part(raw) if isinstance(raw, str) else None
        if part is None:
            known = ", ".join(f"{p.id} ({p.name})" for p in self.bench.parts[:8])
            raise ValueProblem(f"There is no part '{str(raw)[:60]}' any more.", field=name, hint=f"There is: {known}.")
        return part.id

    def _along(self, raw: Any, name: str, shown: dict[str, float]) -> Along:
        if isinstance(raw, str) and raw.rstrip().endswith("%"):
            return Along(self.number(raw.rstrip()[:-1], measures="", where=name), share=True)
        value = self.number(raw, measures="length", where=name)
        shown[name] = value
        return Along(value)


def _chosen(spec: ValueSpec, raw: Any, name: str) -> Any:
    """Return a choice or the state of a switch, if it is one."""
    if spec.kind == "switch":
        if not isinstance(raw, bool):
            raise ValueProblem(f"{name.capitalize()} is on or off: true or false.", field=name)
        return raw
    words = [v for v, _ in spec.choices]
    if raw not in words:
        raise ValueProblem(
            f"{name.capitalize()}: '{raw}' is no choice.", field=name, hint=f"There is: {', '.join(words)}."
        )
    return raw


def _rows(raw: Any, name: str) -> list[dict[str, Any]]:
    """Return further picks as they are written, if they are."""
    good = isinstance(raw, list) and len(raw) <= MOST_FURTHER
    if not good or any(not isinstance(row, dict) or set(row) != {"pick", "width"} for row in raw):
        raise ValueProblem(
            f"Further picks are a list of up to {MOST_FURTHER}, each with a pick and a width.",
            field=name,
            hint='For example [{"pick": {"rule": "rim"}, "width": 2}].',
        )
    return list(raw)


def _pick_key(picked: Picked) -> str:
    return hashlib.blake2b(picked.mask.tobytes() + picked.kind.encode(), digest_size=12).hexdigest()


def _as_text(value: Any) -> str:
    return value if isinstance(value, str) else repr(value)


def _whole(value: float, name: str, notes: list[Note]) -> int:
    whole = math.floor(value + 0.5)
    if whole != value:
        notes.append(
            Note("info", f"{name.replace('_', ' ').capitalize()} {value:g} is rounded to {whole}.", field=name)
        )
    return whole


def _value_problem(e: ValidationError, op: Operator) -> ValueProblem:
    first = e.errors(include_url=False, include_context=True)[0]
    key = str(first["loc"][0]).rstrip("_") if first["loc"] else None
    label = (key or op.name).replace("_", " ").capitalize()
    limits = first.get("ctx", {})
    words = {"greater_than_equal": ("ge", "is the least"), "less_than_equal": ("le", "is the most"),
             "greater_than": ("gt", "is too little; it must be more"), "less_than": ("lt", "is too much")}  # fmt: skip
    if first["type"] in words:
        name, text = words[first["type"]]
        return ValueProblem(f"{label} is {first['input']:g}.", field=key, hint=f"{limits[name]:g} {text}.")
    if first["type"] == "missing":
        return ValueProblem(f"{label} is not given.", field=key, hint="Choose one.")
    text = str(first["msg"]).removeprefix("Value error, ")
    return ValueProblem(f"{text[:1].upper()}{text[1:]}.", field=key)
