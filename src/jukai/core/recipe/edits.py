"""What a person can do to a bench, one edit at a time. Things are addressed by their ids."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pydantic import BaseModel, ValidationError

from jukai.core.errors import CoreError, ValueProblem
from jukai.core.formulas import check_name
from jukai.core.json_data import JsonObject
from jukai.core.operators.fields import field_at, fields_of
from jukai.core.operators.registry import get_operator
from jukai.core.recipe import curve_edits, drawing_edits, part_edits
from jukai.core.recipe.bench import Bench, NamedNumber, NamedPick, Part, Step
from jukai.core.recipe.edit_kinds import (
    AddStep,
    CopyStep,
    Edit,
    MoveStep,
    RemoveDimension,
    RemoveStep,
    RenameDimension,
    SetBench,
    SetDimension,
    SetFinish,
    SetPick,
    SetStep,
    SetValue,
    parse_edit,
)  # fmt: skip
from jukai.core.recipe.editing import find, given, insert, with_curves, with_part, with_point_ids
from jukai.core.recipe.references import rename_number, uses_of
from jukai.core.recipe.usable import refuse_unusable
from jukai.core.validation import first_error

__all__ = ["Edit", "apply_edit", "edit_label", "parse_edit", "with_point_ids"]


# -- applying -----------------------------------------------------------------------------------
def apply_edit(bench: Bench, edit: Edit, *, trial: bool = False) -> Bench:
    """Return the bench with an edit done; in a ``trial``, such as a drag, numbers that can't be used are told by their steps.

    Raises
    ------
    ValueProblem, CycleError, TooLarge
        When what it addresses is not there, the result would be no valid bench, or a number can't be used.
    """
    part_edits.refuse_changing(bench, edit)
    changed = _APPLY[edit.kind](bench, edit)
    try:
        done = _checked(bench, changed)
    except ValidationError as e:
        where, text = first_error(e)
        place = f"{where[-1]}: " if where and isinstance(where[-1], str) else ""
        said = f"{place}{text}."
        raise ValueProblem(f"{said[0].upper()}{said[1:]}") from None
    if not trial:
        refuse_unusable(bench, done)
    return done


def _checked(before: Bench, changed: Bench) -> Bench:
    """Return a changed bench once it is known to be valid; what stands in it untouched was checked before."""
    known = {id(row) for name in Bench.model_fields for row in _rows(before, name)}
    fields: JsonObject = {}
    for name in Bench.model_fields:
        value = getattr(changed, name)
        rows = _rows(changed, name)
        fields[name] = [row if id(row) in known else _anew(row) for row in rows] if rows else value
    return Bench.model_validate(fields)


def _rows(bench: Bench, name: str) -> list[BaseModel]:
    value = getattr(bench, name)
    return value if isinstance(value, list) else []


def _anew(row: BaseModel) -> BaseModel:
    return type(row).model_validate(row.model_dump(by_alias=True))


def _with_recipe(bench: Bench, part: str, change: Callable[[list[Step]], list[Step]]) -> Bench:
    """Return the bench with the steps of a part changed, or those of a curve, by its id."""
    curve = bench.curve(part)
    if curve is not None and bench.part(part) is None:
        changed = curve.model_copy(update={"steps": change(list(curve.steps))})
        from jukai.core.recipe.curve_steps import refuse_other

        for step in changed.steps:
            refuse_other(step.operator)
        return bench.model_copy(update={"curves": [changed if c.id == part else c for c in bench.curves]})
    return with_part(bench, part, lambda p: p.model_copy(update={"recipe": change(list(p.recipe))}))


def _with_step(bench: Bench, part: str, step: str, change: Callable[[Step], Step]) -> Bench:
    def recipe(steps: list[Step]) -> list[Step]:
        at = find(steps, step, "Step")
        steps[at] = change(steps[at])
        return steps

    return _with_recipe(bench, part, recipe)


def _set_value(bench: Bench, e: SetValue) -> Bench:
    def change(step: Step) -> Step:
        op = get_operator(step.operator)
        field, path = field_at(op.values, e.key, op.name)
        values = dict(step.values)
        if e.value is None and not path:
            values.pop(field.key, None)
        else:
            whole = next((v for v in (values.get(field.key), e.start, field.written_default) if v is not None), None)
            if path and whole is None:
                raise ValueProblem(
                    f"'{field.key}' is not written yet, so that a part of it can't be changed.", field=field.key,
                    hint="Give all of it, or 'start'.",
                )  # fmt: skip
            values[field.key] = field.kind.edited(whole, path, e.value, field.key)
            values.pop(field.kind.instead_of, None)  # of two keys for one thing the last given stays
        for key, other in fields_of(op.values).items():
            if other.kind.follows == field.key:
                values.pop(key, None)
        return step.model_copy(update={"values": values})

    return _with_step(bench, e.part, e.step, change)


def _set_step(bench: Bench, e: SetStep) -> Bench:
    update = given(e, "on", "name")
    if e.name is not None:
        update["name"] = e.name.strip() or None
    return _with_step(bench, e.part, e.step, lambda s: s.model_copy(update=update))


def _add_step(bench: Bench, e: AddStep) -> Bench:
    get_operator(e.operator)
    step = Step(id=e.step, operator=e.operator, values=e.values)
    return _with_recipe(with_curves(bench, e.curves), e.part, lambda steps: insert(steps, step, e.after, "Step"))


def _remove_step(bench: Bench, e: RemoveStep) -> Bench:
    def change(steps: list[Step]) -> list[Step]:
        del steps[find(steps, e.step, "Step")]
        return steps

    return _with_recipe(bench, e.part, change)


def _move_step(bench: Bench, e: MoveStep) -> Bench:
    def change(steps: list[Step]) -> list[Step]:
        step = steps.pop(find(steps, e.step, "Step"))
        return insert(steps, step, e.after, "Step")

    return _with_recipe(bench, e.part, change)


def _copy_step(bench: Bench, e: CopyStep) -> Bench:
    def change(steps: list[Step]) -> list[Step]:
        step = steps[find(steps, e.step, "Step")]
        return insert(steps, step.model_copy(update={"id": e.copy_id}), e.step, "Step")

    return _with_recipe(bench, e.part, change)


def _set_dimension(bench: Bench, e: SetDimension) -> Bench:
    check_name(e.name)
    rows = list(bench.dimensions)
    new = NamedNumber(name=e.name, value=e.value)
    at = next((i for i, d in enumerate(rows) if d.name == e.name), None)
    if at is None:
        rows.append(new)
    elif e.new:
        raise ValueProblem(
            f"There is a number '{e.name}' already: it is {rows[at].value}.", field="name", hint="Choose another name, or change that one."
        )  # fmt: skip
    else:
        rows[at] = new
    return bench.model_copy(update={"dimensions": rows})


def _rename_dimension(bench: Bench, e: RenameDimension) -> Bench:
    check_name(e.new_name)
    if all(d.name != e.name for d in bench.dimensions):
        raise ValueProblem(f"There is no named number '{e.name}'.")
    if e.new_name != e.name and any(d.name == e.new_name for d in bench.dimensions):
        raise ValueProblem(f"'{e.new_name}' is taken.", hint="Choose another name.")
    return rename_number(bench, e.name, e.new_name)


def _remove_dimension(bench: Bench, e: RemoveDimension) -> Bench:
    if all(d.name != e.name for d in bench.dimensions):
        raise ValueProblem(f"There is no named number '{e.name}'.")
    rest = [d for d in bench.dimensions if d.name != e.name]
    without = bench.model_copy(update={"dimensions": rest})
    use = next(uses_of(without, "number", e.name), None)
    if use is not None:
        raise ValueProblem(f"'{e.name}' is used in '{use.text}'.", hint="Change that formula first.")
    return without


def _set_pick(bench: Bench, e: SetPick) -> Bench:
    def change(part: Part) -> Part:
        rest = [row for row in part.picks if row.name != e.name]
        if e.pick is not None:
            new = NamedPick(name=e.name, pick=e.pick)
            at = next((i for i, row in enumerate(part.picks) if row.name == e.name), len(rest))
            return part.model_copy(update={"picks": [*rest[:at], new, *rest[at:]]})
        if len(rest) == len(part.picks):
            raise ValueProblem(f"There is no pick '{e.name}' in '{part.name}'.")
        without = bench.model_copy(
            update={"parts": [p.model_copy(update={"picks": rest}) if p.id == part.id else p for p in bench.parts]}
        )
        use = next((u for u in uses_of(without, "pick", e.name) if u.part == part.id), None)
        if use is not None:
            inside = use.where.split("/")
            where = f"step {inside[1]}" if inside[1] != "picks" else "another pick"
            raise ValueProblem(f"'{e.name}' is used in {where}.", hint="Choose another rule there first.")
        return part.model_copy(update={"picks": rest})

    return with_part(bench, e.part, change)


def _set_bench(bench: Bench, e: SetBench) -> Bench:
    return bench.model_copy(update=given(e, "name", "floor", "face_limit", "shown"))


def _set_finish(bench: Bench, e: SetFinish) -> Bench:
    rest = [f if f.name != e.finish.name else e.finish for f in bench.finishes]
    return bench.model_copy(update={"finishes": rest if e.finish in rest else [*rest, e.finish]})


_APPLY: dict[str, Callable[[Bench, Any], Bench]] = {
    "set_value": _set_value, "set_step": _set_step, "add_step": _add_step, "remove_step": _remove_step, "move_step": _move_step,
    "copy_step": _copy_step, **curve_edits.APPLY, **part_edits.APPLY, **drawing_edits.APPLY, "set_pick": _set_pick,
    "set_dimension": _set_dimension, "rename_dimension": _rename_dimension, "remove_dimension": _remove_dimension,
    "set_bench": _set_bench, "set_finish": _set_finish,
}  # fmt: skip


# -- naming -------------------------------------------------------------------------------------
def edit_label(bench: Bench, edit: Edit) -> str:
    """Return what an edit is called in the history: ``twist turn``, ``fillet of point 3``."""
    try:
        return _label(bench, edit)
    except (CoreError, StopIteration, KeyError):
        return str(edit.kind).replace("_", " ")


def _step_name(bench: Bench, part: str, step: str) -> str:
    rows = [*((p.id, p.recipe) for p in bench.parts), *((c.id, c.steps) for c in bench.curves)]
    found = next(s for row, steps in rows if row == part for s in steps if s.id == step)
    return found.name or get_operator(found.operator).name.lower()


def _label(bench: Bench, e: Edit) -> str:
    if e.kind in part_edits.APPLY:
        return part_edits.label(bench, e)
    if e.kind in drawing_edits.APPLY:
        return drawing_edits.label(e)
    if isinstance(e, SetValue | SetStep | AddStep | RemoveStep | MoveStep | CopyStep):
        return _step_label(bench, e)
    if e.kind in curve_edits.APPLY:
        return curve_edits.label(bench, e)
    match e:
        case SetPick():
            return f"pick {e.name}" if e.pick is not None else f"remove pick {e.name}"
        case SetDimension():
            return e.name
        case RenameDimension() | RemoveDimension():
            return f"{e.kind.split('_')[0]} {e.name}"
        case SetBench():
            return "bench name" if e.name else "units" if e.shown else "bench limits"
        case SetFinish():
            return f"finish {e.finish.name}"
        case _:
            return e.kind.replace("_", " ")


def _step_label(bench: Bench, e: SetValue | SetStep | AddStep | RemoveStep | MoveStep | CopyStep) -> str:
    match e:
        case SetValue():
            return f"{_step_name(bench, e.part, e.step)} {e.key.split('/')[0].replace('_', ' ')}"
        case SetStep():
            name = _step_name(bench, e.part, e.step)
            return f"name of {name}" if e.on is None else f"{name} {'on' if e.on else 'off'}"
        case AddStep():
            return f"add {get_operator(e.operator).name.lower()}"
        case _:
            return f"{e.kind.split('_')[0]} {_step_name(bench, e.part, e.step)}"
