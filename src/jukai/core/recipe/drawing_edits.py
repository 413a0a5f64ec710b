"""Edits of what a drawing keeps beside the parts: measures and ways to look."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from jukai.core.errors import ValueProblem
from jukai.core.formulas import check_name
from jukai.core.recipe.bench import Bench, KeptView, Measure
from jukai.core.recipe.edit_kinds import (
    AddMeasure,
    Edit,
    HideMeasure,
    KeepView,
    RemoveMeasure,
    RemoveView,
    RenameMeasure,
    RenameView,
)
from jukai.core.recipe.editing import find

__all__ = ["APPLY", "label"]


def _free(bench: Bench, name: str) -> None:
    check_name(name)
    if name in {*(d.name for d in bench.dimensions), *(m.name for m in bench.measures)}:
        raise ValueProblem(f"'{name}' is taken.", field="name", hint="Choose another name.")


def _add_measure(bench: Bench, e: AddMeasure) -> Bench:
    _free(bench, e.measure.name)
    for end in e.measure.of:
        find(bench.parts, end.part, "Part")
    return bench.model_copy(update={"measures": [*bench.measures, e.measure]})


def _known(rows: Sequence[Measure | KeptView], name: str, what: str) -> None:
    if all(row.name != name for row in rows):
        raise ValueProblem(f"There is no {what} '{name}'.", hint="It may have been removed in another window.")


def _rename_measure(bench: Bench, e: RenameMeasure) -> Bench:
    _known(bench.measures, e.name, "measure")
    if e.new_name != e.name:
        _free(bench, e.new_name)
    rows = [m.model_copy(update={"name": e.new_name}) if m.name == e.name else m for m in bench.measures]
    return bench.model_copy(update={"measures": rows})


def _hide_measure(bench: Bench, e: HideMeasure) -> Bench:
    _known(bench.measures, e.name, "measure")
    rows = [m.model_copy(update={"hidden": e.hidden}) if m.name == e.name else m for m in bench.measures]
    return bench.model_copy(update={"measures": rows})


def _remove_measure(bench: Bench, e: RemoveMeasure) -> Bench:
    _known(bench.measures, e.name, "measure")
    return bench.model_copy(update={"measures": [m for m in bench.measures if m.name != e.name]})


def _keep_view(bench: Bench, e: KeepView) -> Bench:
    rows = [v for v in bench.views if v.name != e.view.name]
    at = next((i for i, v in enumerate(bench.views) if v.name == e.view.name), len(rows))
    rows.insert(at, e.view)
    return bench.model_copy(update={"views": rows})


def _rename_view(bench: Bench, e: RenameView) -> Bench:
    _known(bench.views, e.name, "kept view")
    if e.new_name != e.name and any(v.name == e.new_name for v in bench.views):
        raise ValueProblem(f"'{e.new_name}' is taken.", field="name", hint="Choose another name.")
    rows = [v.model_copy(update={"name": e.new_name}) if v.name == e.name else v for v in bench.views]
    return bench.model_copy(update={"views": rows})


def _remove_view(bench: Bench, e: RemoveView) -> Bench:
    _known(bench.views, e.name, "kept view")
    return bench.model_copy(update={"views": [v for v in bench.views if v.name != e.name]})


APPLY: Mapping[str, Callable[[Bench, Any], Bench]] = {
    "add_measure": _add_measure, "rename_measure": _rename_measure, "hide_measure": _hide_measure, "remove_measure": _remove_measure,
    "keep_view": _keep_view, "rename_view": _rename_view, "remove_view": _remove_view,
}  # fmt: skip


def label(e: Edit) -> str:
    """Return what such an edit is called in the history."""
    match e:
        case AddMeasure():
            return f"measure {e.measure.name}"
        case HideMeasure() if not e.hidden:
            return f"show {e.name}"
        case KeepView():
            return f"view {e.view.name}"
        case RenameMeasure() | HideMeasure() | RemoveMeasure() | RenameView() | RemoveView():
            return f"{e.kind.split('_')[0]} {e.name}"
        case _:
            return e.kind.replace("_", " ")
