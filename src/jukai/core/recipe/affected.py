"""Which parts an edit touches: those whose recipe, place, numbers, curves, finishes or other parts it changed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from jukai.core.formulas import Quantity
from jukai.core.recipe.bench import Bench, Curve, Part
from jukai.core.recipe.by_row import ByRow
from jukai.core.recipe.references import Use, uses_in
from jukai.core.recipe.resolve import Resolver

__all__ = ["Touched", "touched"]


@dataclass(frozen=True, slots=True)
class Touched:
    """What became of a bench from one document to another.

    Attributes
    ----------
    parts : ids of parts that must be worked out again, new ones among them.
    curves : ids of curves that must be.
    numbers : names of numbers whose value or definition changed, or that came or went.
    """

    parts: frozenset[str]
    curves: frozenset[str]
    numbers: frozenset[str]


_uses_of_row: ByRow[Part | Curve, tuple[Use, ...]] = ByRow(lambda row: tuple(uses_in(row)))
"""What a part or curve speaks of."""


def touched(before: Resolver, after: Resolver) -> Touched:
    """Return what must be worked out again; what is the same object in both benches, and all it uses, is not.

    Costs a look at each row; a row is walked only the first time it is seen.
    """
    old, new = before.bench, after.bench
    numbers = _numbers(before, after)
    finishes = _changed(old.finishes, new.finishes, "name")
    curves = {
        c.id for c in new.curves
        if c.id in _changed(old.curves, new.curves, "id") or any(u.to == "number" and u.name in numbers for u in _uses_of_row(c))
    }  # fmt: skip
    everything = (old.floor, old.face_limit) != (new.floor, new.face_limit)
    parts = _ids(new.parts) if everything else _changed(old.parts, new.parts, "id") & _ids(new.parts)
    named = {"number": numbers, "finish": finishes, "curve": curves | (_ids(old.curves) ^ _ids(new.curves))}
    for p in new.parts:
        if p.id not in parts and any(u.name in named.get(u.to, ()) for u in _uses_of_row(p)):
            parts.add(p.id)
    return Touched(frozenset(_with_followers(old, new, parts)), frozenset(curves), frozenset(numbers))


def _with_followers(old: Bench, new: Bench, parts: set[str]) -> set[str]:
    """Add the parts that follow those; a part is named by its id or its name."""
    gone = {p.id for p in old.parts} - {p.id for p in new.parts}
    names = {p.id: {p.id, p.name} for p in (*old.parts, *new.parts)}
    follows = [(p.id, {u.name for u in _uses_of_row(p) if u.to == "part"}) for p in new.parts]
    follows = [row for row in follows if row[1]]
    waiting = parts | gone
    while waiting:
        spoken = set().union(*(names[i] for i in waiting))
        waiting = {i for i, named in follows if i not in parts and named & spoken}
        parts |= waiting
    return parts


def _numbers(before: Resolver, after: Resolver) -> set[str]:
    old, new = before.names, after.names
    names = {d.name for d in (*before.bench.dimensions, *after.bench.dimensions)}
    written = _changed(before.bench.dimensions, after.bench.dimensions, "name")
    return {n for n in names if n in written or _differs(old, new, n)}


def _differs(old: Mapping[str, Quantity], new: Mapping[str, Quantity], name: str) -> bool:
    return old.get(name) != new.get(name)


def _changed(old: Sequence[object], new: Sequence[object], key: str) -> set[str]:
    """Return the keys of rows that are not the same objects in both lists."""
    there = {getattr(row, key): row for row in old}
    here = {getattr(row, key): row for row in new}
    return {k for k in {**there, **here} if there.get(k) is not here.get(k) and there.get(k) != here.get(k)}


def _ids(rows: Sequence[Part | Curve]) -> set[str]:
    return {row.id for row in rows}
