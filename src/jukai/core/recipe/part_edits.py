"""Edits of whole parts: adding, showing, copying, placing, removing."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from jukai.core.errors import ValueProblem
from jukai.core.operators.registry import get_operator
from jukai.core.recipe.bench import Bench, Part, Placement, Step
from jukai.core.recipe.edit_kinds import (
    AddPart,
    AddStep,
    BringPart,
    CopyPart,
    CopyStep,
    Edit,
    LineUp,
    MovePart,
    MoveStep,
    PlaceParts,
    RemovePart,
    RemoveStep,
    SetExtent,
    SetPart,
    SetPick,
    SetStep,
    SetValue,
    SetZero,
    SpreadParts,
)
from jukai.core.recipe.editing import find, free_name, given, insert, with_curves, with_part
from jukai.core.recipe.references import mapped_step, uses, uses_of

__all__ = ["APPLY", "label", "refuse_changing"]


def _add_part(bench: Bench, e: AddPart) -> Bench:
    get_operator(e.operator)
    part = Part(
        id=e.part,
        name=free_name(bench.parts, e.name),
        finish=e.finish,
        reference=e.reference,
        placement=e.placement or Placement(),
        recipe=[Step(id=e.step, operator=e.operator, values=e.values)],
    )
    drawn = with_curves(bench, [*([] if e.curve is None else [e.curve]), *e.curves])
    for other in e.hides:
        find(bench.parts, other, "Part")
    others = [p.model_copy(update={"hidden": True}) if p.id in e.hides else p for p in bench.parts]
    return drawn.model_copy(update={"parts": [*others, part]})


def _set_part(bench: Bench, e: SetPart) -> Bench:
    update = given(e, "name", "finish", "hidden", "locked", "transparent", "reference", "placement")
    if e.heading is not None:
        update["heading"] = e.heading.strip() or None
    named = bench.part(e.part)
    if e.reference and named is not None and any(uses_of(bench, "part", named.id, named.name)):
        raise ValueProblem("A live copy follows this part.", hint="A reference is followed by nothing.")
    if e.finish is not None and all(f.name != e.finish for f in bench.finishes):
        raise ValueProblem(f"There is no finish '{e.finish}'.", field="finish")
    return with_part(bench, e.part, lambda p: p.model_copy(update=update))


def _remove_part(bench: Bench, e: RemovePart) -> Bench:
    gone = {e.part, *e.others}
    for part in gone:
        find(bench.parts, part, "Part")
    rest = [p for p in bench.parts if p.id not in gone]
    curves = [(u.part, u.name) for u in uses(bench) if u.to == "curve"]
    orphans = {c for part, c in curves if part in gone} - {c for part, c in curves if part not in gone}
    return bench.model_copy(update={"parts": rest, "curves": [c for c in bench.curves if c.id not in orphans]})


def _copy_part(bench: Bench, e: CopyPart) -> Bench:
    part = bench.parts[find(bench.parts, e.part, "Part")]
    copies = [
        c.model_copy(update={"id": e.curve_ids[c.id], "name": f"{c.name}, copy"})
        for c in bench.curves
        if c.id in e.curve_ids
    ]
    curves = [*bench.curves, *copies]
    recipe = [
        mapped_step(s, lambda leaf: e.curve_ids.get(str(leaf.raw), leaf.raw) if leaf.to == "curve" else leaf.raw)
        for s in part.recipe
    ]
    copy = part.model_copy(update={"id": e.copy_id, "name": free_name(bench.parts, part.name), "recipe": recipe,
                                   "placement": e.placement or part.placement, "locked": False})  # fmt: skip
    return bench.model_copy(update={"parts": insert(list(bench.parts), copy, e.part, "Part"), "curves": curves})


def _move_part(bench: Bench, e: MovePart) -> Bench:
    parts = list(bench.parts)
    part = parts.pop(find(parts, e.part, "Part"))
    return bench.model_copy(update={"parts": insert(parts, part, e.after, "Part")})


def _place_parts(bench: Bench, e: PlaceParts) -> Bench:
    for part_id, placement in e.placements.items():
        part = bench.parts[find(bench.parts, part_id, "Part")]
        if part.locked:
            raise ValueProblem(f"'{part.name}' is locked.", field="part", hint="Unlock it in the list of parts first.")
        placed = part.model_copy(update={"placement": placement})
        bench = bench.model_copy(update={"parts": [placed if p.id == part_id else p for p in bench.parts]})
    return bench


def _needs_bodies(_: Bench, e: SetExtent | SetZero | LineUp | SpreadParts | BringPart) -> Bench:
    raise ValueProblem(f"'{e.kind}' must be worked out on the bodies first.")


APPLY: Mapping[str, Callable[[Bench, Any], Bench]] = {
    "add_part": _add_part, "set_part": _set_part, "remove_part": _remove_part, "copy_part": _copy_part, "move_part": _move_part,
    "place_parts": _place_parts, "set_extent": _needs_bodies, "set_zero": _needs_bodies, "line_up": _needs_bodies,
    "spread_parts": _needs_bodies, "bring_part": _needs_bodies,
}  # fmt: skip
_OF_RECIPE = (AddStep, RemoveStep, MoveStep, CopyStep, SetPick, SetValue, SetStep)


def refuse_changing(bench: Bench, edit: Edit) -> None:
    """Refuse what would change a reference, which is only there to fit against; how its file is read may be set right."""
    if not isinstance(edit, _OF_RECIPE):
        return
    part = bench.part(edit.part)
    if part is None or not part.reference:
        return
    if isinstance(edit, SetStep) and edit.on is None:
        return  # a name
    if isinstance(edit, SetValue) and any(s.id == edit.step and s.operator == "imported" for s in part.recipe):
        return
    raise ValueProblem(
        f"'{part.name}' is a reference: it is never changed.", field="part", hint="Make a part of it first."
    )


def label(bench: Bench, e: Edit) -> str:
    """Return what an edit of parts is called in the history."""
    names = {p.id: p.name for p in bench.parts}
    match e:
        case AddPart():
            return f"add {e.name}"
        case SetPart():
            keys = ("name", "finish", "heading", "hidden", "locked", "transparent", "reference", "placement")
            what = next((k for k in keys if getattr(e, k) is not None), "part")
            return f"{what.replace('_', ' ')} of {names[e.part]}"
        case PlaceParts():
            return f"{e.what} of {_named(names, list(e.placements))}"
        case SetExtent():
            return f"{e.side} of {names[e.part]}"
        case SetZero():
            return f"zero point of {names[e.part]}"
        case LineUp() | SpreadParts():
            return f"{'line up' if e.kind == 'line_up' else 'spread'} {_named(names, e.parts)}"
        case BringPart():
            return f"bring {names[e.part]} to {names[e.to]}"
        case RemovePart():
            return f"remove {_named(names, [e.part, *e.others])}"
        case CopyPart() | MovePart():
            return f"{e.kind.split('_')[0]} {names[e.part]}"
        case _:
            return e.kind.replace("_", " ")


def _named(names: Mapping[str, str], parts: list[str]) -> str:
    return names[parts[0]] if len(parts) == 1 else f"{len(parts)} parts"
