"""Edits of curves: drawing one, its points, how it runs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from jukai.core.errors import ValueProblem
from jukai.core.operators.fields import field_at, fields_of
from jukai.core.operators.registry import get_operator
from jukai.core.recipe.bench import Bench, Curve, CurvePoint, Part
from jukai.core.recipe.edit_kinds import AddCurve, AddPoint, Edit, RemoveCurve, RemovePoint, SetCurve, SetPoint
from jukai.core.recipe.editing import find, given, insert, with_curves, with_part
from jukai.core.recipe.references import uses_of

__all__ = ["APPLY", "label"]


def _add_curve(bench: Bench, e: AddCurve) -> Bench:
    curve = e.curve
    drawn = with_curves(bench, (curve, *e.others))
    if e.taken_by is None:
        return drawn
    to = e.taken_by

    def taken(part: Part) -> Part:
        at = find(part.recipe, to.step, "Step")
        step = part.recipe[at]
        op = get_operator(step.operator)
        field = fields_of(op.values).get(to.key)
        if field is None or field.kind.refers != "curve":
            raise ValueProblem(f"'{op.name}' takes no curve as '{to.key}'.", field="key")
        now = step.values.get(to.key)
        value: object = [*now, curve.id] if field.kind.name == "curves" and isinstance(now, list) else curve.id
        value = [value] if field.kind.name == "curves" and isinstance(value, str) else value
        besides = {field_at(op.values, key, op.name)[0].key: other for key, other in to.besides.items()}
        changed = step.model_copy(update={"values": {**step.values, **besides, to.key: value}})
        return part.model_copy(update={"recipe": [changed if s.id == step.id else s for s in part.recipe]})

    return with_part(drawn, to.part, taken)


def _with_curve(bench: Bench, curve: str, change: Callable[[Curve], Curve]) -> Bench:
    at = find(bench.curves, curve, "Curve")
    curves = list(bench.curves)
    curves[at] = change(curves[at])
    return bench.model_copy(update={"curves": curves})


def _with_point(bench: Bench, curve: str, change: Callable[[list[CurvePoint]], list[CurvePoint]]) -> Bench:
    return _with_curve(bench, curve, lambda c: c.model_copy(update={"points": change(list(c.points))}))


def _set_point(bench: Bench, e: SetPoint) -> Bench:
    def change(points: list[CurvePoint]) -> list[CurvePoint]:
        at = find(points, e.point, "Point")
        points[at] = points[at].model_copy(update=given(e, "at", "fillet", "chamfer", "join", "out", "into"))
        # a corner has one of them: the last given stays
        for key, other in (("fillet", "chamfer"), ("chamfer", "fillet")):
            if getattr(e, key) not in (None, 0) and getattr(e, other) is None:
                points[at] = points[at].model_copy(update={other: 0})
        if e.join == "bezier":
            _give_handles(points, at)
        return points

    return _with_point(bench, e.curve, change)


def _give_handles(points: list[CurvePoint], at: int) -> None:
    """Give a piece that becomes a Bezier curve handles that leave its shape as it was."""
    there = (at + 1) % len(points)
    p, q = points[at], points[there]
    if not all(isinstance(v, int | float) for v in (*p.at, *q.at)):
        return
    third = [round((float(b) - float(a)) / 3, 6) for a, b in zip(p.at, q.at, strict=True)]
    if p.out is None:
        points[at] = p.model_copy(update={"out": third})
    if q.into is None:
        points[there] = points[there].model_copy(update={"into": [-v for v in third]})


def _add_point(bench: Bench, e: AddPoint) -> Bench:
    return _with_point(bench, e.curve, lambda pts: insert(pts, CurvePoint(id=e.point, at=e.at), e.after, "Point"))


def _remove_point(bench: Bench, e: RemovePoint) -> Bench:
    def change(points: list[CurvePoint]) -> list[CurvePoint]:
        if len(points) <= 2:
            raise ValueProblem("A curve needs two points.", hint="Move the point instead.")
        del points[find(points, e.point, "Point")]
        return points

    return _with_point(bench, e.curve, change)


def _set_curve(bench: Bench, e: SetCurve) -> Bench:
    update = given(e, "name", "closed", "sampling", "points", "traced")
    if e.untraced:
        update["traced"] = None
    done = _with_curve(bench, e.curve, lambda c: c.model_copy(update=update))
    return done if e.points is None and not e.others else with_curves(done, e.others)


def _remove_curve(bench: Bench, e: RemoveCurve) -> Bench:
    curve = bench.curves[find(bench.curves, e.curve, "Curve")]
    use = next(uses_of(bench, "curve", e.curve), None)
    if use is not None:
        part = bench.part(use.part) if use.part else None
        raise ValueProblem(
            f"'{curve.name}' is used in '{part.name if part else use.where}'.",
            hint="Choose another curve there first, or remove that part.",
        )
    return bench.model_copy(update={"curves": [c for c in bench.curves if c.id != e.curve]})


APPLY: Mapping[str, Callable[[Bench, Any], Bench]] = {
    "add_curve": _add_curve, "set_point": _set_point, "add_point": _add_point, "remove_point": _remove_point, "set_curve": _set_curve, "remove_curve": _remove_curve,
}  # fmt: skip


def label(bench: Bench, e: Edit) -> str:
    """Return what an edit of curves is called in the history."""
    match e:
        case SetPoint():
            curve = next(c for c in bench.curves if c.id == e.curve)
            number = next(i for i, p in enumerate(curve.points, 1) if p.id == e.point)
            bends = e.join or e.out or e.into
            what = (
                "fillet of point"
                if e.fillet is not None
                else "chamfer of point"
                if e.chamfer is not None
                else "bend after point"
                if bends
                else "point"
            )
            return f"{what} {number}"
        case SetCurve():
            what = (
                e.what
                if e.points is not None
                else "name"
                if e.name
                else "closing"
                if e.closed is not None
                else "sampling"
            )
            return f"curve {what}"
        case RemoveCurve():
            return f"remove {next(c.name for c in bench.curves if c.id == e.curve)}"
        case AddCurve():
            return f"draw {e.curve.name}"
        case _:
            return e.kind.replace("_", " a ")
