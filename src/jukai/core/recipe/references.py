"""What a bench's values speak of: named numbers, curves, parts, steps, files, finishes, picks; and renaming them.

Formulas stand wherever a model of the bench has a :data:`~jukai.core.recipe.bench.Number`, and in the
values of steps and picks, where each value's kind knows its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, TypeVar, get_args, get_origin

from pydantic import BaseModel

from jukai.core.formulas import rename_in_formula
from jukai.core.operators.fields import fields_of
from jukai.core.operators.kinds.base import Change, Leaf, names_in
from jukai.core.operators.registry import operators
from jukai.core.picks.form import mapped_pick
from jukai.core.recipe.bench import IS_NUMBER, Bench, Curve, Part, Step

__all__ = ["Use", "mapped_step", "mapped_values", "rename_number", "uses", "uses_in", "uses_of"]


@dataclass(frozen=True, slots=True)
class Use:
    """That something of the bench is spoken of at an address, in a formula or by its name.

    ``part`` is the part it stands in, if it stands in one; of a step ``of`` is the part it belongs to.
    """

    to: str
    name: str
    where: str
    text: str
    part: str | None = None
    of: str | None = None


def uses(bench: Bench) -> Iterator[Use]:
    """Yield all that the bench's values speak of, in order of the document."""
    return _as_uses(_leaves(bench))


def _as_uses(leaves: list[tuple[str | None, Leaf]]) -> Iterator[Use]:
    for part, leaf in leaves:
        if leaf.to != "number":
            if isinstance(leaf.raw, str):
                yield Use(leaf.to, leaf.raw, leaf.where, leaf.raw, part, leaf.of)
        elif isinstance(leaf.raw, str):
            for name in sorted(names_in(leaf.raw)):
                yield Use("number", name, leaf.where, leaf.raw, part)


def uses_in(row: Part | Curve) -> list[Use]:
    """Return all that one part or one curve speaks of."""
    out: list[tuple[str | None, Leaf]] = []

    def note(leaf: Leaf) -> object:
        out.append((row.id if isinstance(row, Part) else None, leaf))
        return leaf.raw

    if isinstance(row, Part):
        _mapped_part(row, note)
    else:
        _mapped_curve(row, note)
    return list(_as_uses(out))


def uses_of(bench: Bench, to: str, *names: str) -> Iterator[Use]:
    """Yield where one thing is spoken of; a part by its id or its name."""
    return (u for u in uses(bench) if u.to == to and u.name in names)


def rename_number(bench: Bench, old: str, new: str) -> Bench:
    """Return the bench with a named number called otherwise, in every formula too."""

    def change(leaf: Leaf) -> object:
        if leaf.to != "number" or not isinstance(leaf.raw, str):
            return leaf.raw
        return rename_in_formula(leaf.raw, old, new)

    renamed = [d.model_copy(update={"name": new}) if d.name == old else d for d in bench.dimensions]
    return _mapped_bench(bench.model_copy(update={"dimensions": renamed}), lambda _: change)


def mapped_values(operator: str, values: Mapping[str, object], change: Change, where: str = "") -> dict[str, object]:
    """Return a step's written values with each leaf replaced; of an operator there is none of they stay as they are."""
    op = operators().get(operator)
    if op is None:
        return dict(values)
    fields = fields_of(op.values)
    out = {}
    for key, raw in values.items():
        f = fields.get(key)
        out[key] = raw if f is None or raw is None else f.kind.mapped(raw, change, f"{where}{key}")
    return out


def mapped_step(step: Step, change: Change, where: str = "") -> Step:
    """Return a step with each leaf of its values replaced."""
    return step.model_copy(update={"values": mapped_values(step.operator, step.values, change, where)})


# -- walking ------------------------------------------------------------------------------------
def _leaves(bench: Bench) -> list[tuple[str | None, Leaf]]:
    out: list[tuple[str | None, Leaf]] = []

    def noting(part: str | None) -> Change:
        def note(leaf: Leaf) -> object:
            out.append((part, leaf))
            return leaf.raw

        return note

    _mapped_bench(bench, noting)
    return out


def _mapped_bench(bench: Bench, change_in: Callable[[str | None], Change]) -> Bench:
    """Return the bench with each leaf replaced; ``change_in`` gives what replaces those of a part, or of none."""
    change = change_in(None)
    return bench.model_copy(
        update={
            "dimensions": [_mapped_model(d, change, f"dimensions/{d.name}") for d in bench.dimensions],
            "curves": [_mapped_curve(c, change) for c in bench.curves],
            "parts": [_mapped_part(p, change_in(p.id)) for p in bench.parts],
        }
    )


def _mapped_part(part: Part, change: Change) -> Part:
    finish = None if part.finish is None else change(Leaf("finish", part.finish, f"{part.id}/finish"))
    return part.model_copy(
        update={
            "finish": finish,
            "placement": _mapped_model(part.placement, change, f"{part.id}/placement"),
            "picks": [
                row.model_copy(update={"pick": mapped_pick(row.pick, change, f"{part.id}/picks/{row.name}")})
                for row in part.picks
            ],
            "recipe": [mapped_step(s, change, f"{part.id}/{s.id}/values/") for s in part.recipe],
        }
    )


def _mapped_curve(curve: Curve, change: Change) -> Curve:
    bare = curve if not curve.steps else curve.model_copy(update={"steps": []})
    done = _mapped_model(bare, change, f"curves/{curve.id}")
    if not curve.steps:
        return done
    steps = [mapped_step(s, change, f"{curve.id}/{s.id}/values/") for s in curve.steps]
    return done.model_copy(update={"steps": steps})


M = TypeVar("M", bound=BaseModel)


def _mapped_model(model: M, change: Change, where: str) -> M:
    """Return a model with each of its numbers replaced, those of models within it too."""
    update: dict[str, object] = {}
    for name in type(model).model_fields:
        value = getattr(model, name)
        if name in _number_fields(type(model)):
            if value is not None:
                update[name] = _mapped_number(value, change, f"{where}/{name}")
        elif isinstance(value, BaseModel):
            update[name] = _mapped_model(value, change, f"{where}/{name}")
        elif isinstance(value, list) and value and isinstance(value[0], BaseModel):
            update[name] = [
                _mapped_model(v, change, f"{where}/{getattr(v, 'id', None) or i}") for i, v in enumerate(value)
            ]
    return model.model_copy(update=update)


def _mapped_number(value: object, change: Change, where: str) -> object:
    if isinstance(value, list):
        return [_mapped_number(v, change, f"{where}/{i}") for i, v in enumerate(value)]
    if isinstance(value, dict):
        return {k: _mapped_number(v, change, f"{where}/{k}") for k, v in value.items()}
    return change(Leaf("number", value, where))


@cache
def _number_fields(model: type[BaseModel]) -> frozenset[str]:
    """Return the fields of a model that hold numbers or formulas: one, a list, or one for each key."""
    return frozenset(
        n for n, info in model.model_fields.items() if IS_NUMBER in info.metadata or _marked(info.annotation)
    )


def _marked(annotation: Any) -> bool:
    if get_origin(annotation) is Annotated and IS_NUMBER in annotation.__metadata__:
        return True
    return any(_marked(a) for a in get_args(annotation))
