"""What an edit may not leave behind: numbers that can't be read, that measure something else, or lie out of their limits.

Only what can be told without working a body out is looked at, and of that only what the edit
changed: a bench that came with a wrong number still opens, shows its error and can be edited.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from typing import Any, NoReturn

from pydantic import ValidationError

from jukai.core.errors import CoreError, Estimated, FormulaError, TooLarge, ValueProblem
from jukai.core.formulas import Quantity
from jukai.core.operators.base import Context, Kind, Operator
from jukai.core.operators.fields import Field, fields_of, relevant_keys
from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.registry import operators
from jukai.core.recipe.affected import Touched, touched
from jukai.core.recipe.bench import Bench, Curve, Part, Step
from jukai.core.recipe.evaluate import placement_numbers
from jukai.core.recipe.resolve import Resolver, value_problem

__all__ = ["refuse_unusable"]


def refuse_unusable(before: Bench, after: Bench) -> None:
    """Refuse an edit that leaves a number behind which can't be used.

    Raises
    ------
    ValueProblem, CycleError, TooLarge
        Of the first such number that could be used before, or was written by the edit.
    """
    old, new = Resolver(before), Resolver(after)
    what = touched(old, new)
    # a curve goes through shapes that nothing can be made from while it is drawn: values are looked at with that of before
    new = Resolver(after, {c.id: shape for c in before.curves if c.id in what.curves and (shape := _curve(c, old))})
    for name in sorted(what.numbers & new.name_errors.keys(), key=lambda n: _written(before, n) == _written(after, n)):
        if name not in old.name_errors or _written(before, name) != _written(after, name):
            raise new.name_errors[name]
    there: dict[str, _Cell] | None = None
    for cell in _cells(after, what, before):
        error = _error(cell, new)
        if error is None:
            continue
        if there is None:
            there = {c.where: c for c in _cells(before, what)}
        was = there.get(cell.where)
        stands = was is not None and was.raw == cell.raw
        earlier = None if was is None else _error(was, old)
        if earlier is not None and (stands or earlier.message == error.message):
            continue
        raise _placed(error, cell) if stands else error


def _written(bench: Bench, name: str) -> object:
    return next((d.value for d in bench.dimensions if d.name == name), None)


def _placed(error: CoreError, cell: _Cell) -> ValueProblem:
    """Return an error of something that the edit did not touch itself, with where that is."""
    text = f"{cell.name}: {error.message}"
    if isinstance(error, FormulaError):
        return FormulaError(text, position=error.position, field=error.field, hint=error.hint)
    return ValueProblem(text, field=error.field, hint=error.hint)


# -- what is looked at ----------------------------------------------------------------------------
@dataclass(frozen=True, slots=True)
class _Cell:
    """Something written in a bench, how it is looked at, and what it is called where it is not what was edited."""

    where: str
    raw: object
    name: str
    check: Callable[[Resolver], object]


def _error(cell: _Cell, resolver: Resolver) -> CoreError | None:
    try:
        cell.check(resolver)
    except (ValueProblem, TooLarge) as e:
        return e
    return None


def _cells(bench: Bench, what: Touched, before: Bench | None = None) -> Iterator[_Cell]:
    """Yield what is to be looked at in what an edit touched, but for what stands as it did in the bench ``before``."""
    for curve in bench.curves:
        if curve.id in what.curves:
            yield _Cell(f"curves/{curve.id}", curve, f"Curve '{curve.name}'", partial(_shape, curve))
    for part in bench.parts:
        if part.id not in what.parts:
            continue
        old = None if before is None or what.numbers else before.part(part.id)
        same = [] if old is None else [old.placement, *old.recipe]
        if part.placement not in same:
            yield _Cell(f"{part.id}/placement", part.placement, f"'{part.name}'", partial(_placement, part))
        for step in part.recipe:
            op = operators().get(step.operator)
            if op is not None and step not in same:
                yield from _cells_of(bench, part, step, op)


def _curve(curve: Curve, resolver: Resolver) -> CurveInput | None:
    with suppress(CoreError):
        return resolver.drawn(curve.id)
    return None


def _shape(curve: Curve, resolver: Resolver) -> None:
    resolver.shape(curve)


def _placement(part: Part, resolver: Resolver) -> None:
    if not placement_numbers(part, resolver)["scale"].all():
        raise ValueProblem(
            f"The scale of '{part.name}' is 0 along an axis.", field="scale", hint="1 leaves the size as it is."
        )
    for side, raw in part.placement.extents.items():
        resolver.number(raw, measures="length", where=side)


def _cells_of(bench: Bench, part: Part, step: Step, op: Operator) -> Iterator[_Cell]:
    fields = fields_of(op.values)
    name = f"'{part.name}', {step.name or op.name.lower()}"
    where = f"{part.id}/{step.id}/values"
    for key, raw in step.values.items():
        if raw is not None and key in fields:
            yield _Cell(f"{where}/{key}", raw, name, partial(_value, op, fields, key, step.values))
    relevant = relevant_keys(fields, step.values)
    given = all(step.values.get(k) is not None for k, f in fields.items() if f.required and k in relevant)
    named = [r for k, f in fields.items() for r in f.kind.references(step.values.get(k)) if r.to != "number"]
    if op.kind is Kind.BLANK and given and all(r.to == "curve" for r in named):
        yield _Cell(where, step.values, name, partial(_blank, bench, op, step))


class _NeedsMore(Exception):
    """It can't be told without working something out."""


@dataclass(slots=True)
class _Alone:
    """What a value is worked out with where nothing but the bench's numbers is there."""

    resolver: Resolver
    written: Mapping[str, object]
    done: dict[str, Any]
    taken: dict[str, Any] = field(default_factory=dict)

    def number(self, raw: object, *, measures: str, where: str) -> float:
        return self.resolver.number(raw, measures=measures, where=where)

    def each(self, raw: object, count: int, *, measures: str, where: str) -> tuple[float, ...]:
        return self.resolver.each(raw, count, measures=measures, where=where)

    def fitted(self, raw: object, fit: float, *, where: str) -> float:
        return self.resolver.fitted(raw, fit, where=where)

    def masked(self, raw: object, mask: float, *, where: str) -> float:
        return self.resolver.masked(raw, mask, where=where)

    def show(self, where: str, number: float) -> None:
        pass

    def say(self, note: object) -> None:
        pass

    @property
    def mesh(self) -> NoReturn:
        raise _NeedsMore

    @property
    def named(self) -> NoReturn:
        raise _NeedsMore

    def more(self, *_: object, **__: object) -> NoReturn:
        raise _NeedsMore

    curve = body = file = finish = more


def _value(
    op: Operator, fields: Mapping[str, Field], key: str, written: Mapping[str, object], resolver: Resolver
) -> None:
    """Look at one value; of a kind that needs a body at its numbers alone."""
    f, raw = fields[key], written[key]
    try:
        value = f.kind.resolve(raw, _Alone(resolver, written, {}), key)
    except _NeedsMore:
        for leaf in f.kind.leaves(raw, key):
            if leaf.to == "number":
                plain = leaf.raw.rstrip().removesuffix("%") if isinstance(leaf.raw, str) else leaf.raw
                more = {name: Quantity(1.0) for name in leaf.speaks_of}
                resolver.number(plain, measures="" if plain != leaf.raw else leaf.measures, where=key, more=more)
        return
    try:
        f.check(value)
    except ValidationError as e:
        raise value_problem(op, fields, e) from None


def _blank(bench: Bench, op: Operator, step: Step, resolver: Resolver) -> None:
    """Have a step that begins a body look at its values, and stop before the work."""
    context = Context(step.id, bench.floor / 5, bench.face_limit, estimate=True)
    with suppress(Estimated):
        op.apply(resolver.step(step, op).values, context)
