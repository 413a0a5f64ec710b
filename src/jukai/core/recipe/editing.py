"""What all edits are made with: finding things by their ids, putting them in, handing changes up."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import TypeVar

from pydantic import BaseModel

from jukai.core.errors import ValueProblem
from jukai.core.json_data import JsonObject
from jukai.core.recipe.bench import Bench, Curve, CurvePoint, Part, Step
from jukai.core.recipe.resolve import point_ids

__all__ = ["find", "free_name", "given", "insert", "with_curves", "with_part", "with_point_ids"]

T = TypeVar("T", Part, Step, Curve, CurvePoint)


def with_point_ids(bench: Bench) -> Bench:
    """Return the bench with an id on every point of its curves, so that edits can address them."""
    curves = []
    for c in bench.curves:
        points = [p.model_copy(update={"id": i}) for p, i in zip(c.points, point_ids(c), strict=True)]
        curves.append(c.model_copy(update={"points": points}))
    return bench.model_copy(update={"curves": curves})


def with_curves(bench: Bench, rows: Sequence[Curve]) -> Bench:
    """Return the bench with further curves; one whose name is taken gets another."""
    curves = list(bench.curves)
    for row in rows:
        if any(c.id == row.id for c in curves):
            raise ValueProblem(f"Curve '{row.id}' is there already.")
        curves.append(row.model_copy(update={"name": free_name(curves, row.name)}))
    return with_point_ids(bench.model_copy(update={"curves": curves}))


def find(rows: Sequence[T], requested: str, what: str) -> int:
    """Return the number of the row with an id."""
    for i, row in enumerate(rows):
        if row.id == requested:
            return i
    raise ValueProblem(
        f"{what} '{requested}' is not there any more.", hint="It may have been removed in another window."
    )


def with_part(bench: Bench, part: str, change: Callable[[Part], Part]) -> Bench:
    """Return the bench with one part changed."""
    at = find(bench.parts, part, "Part")
    parts = list(bench.parts)
    parts[at] = change(parts[at])
    return bench.model_copy(update={"parts": parts})


def free_name(rows: Sequence[Part] | Sequence[Curve], name: str) -> str:
    """Return a name that none of the rows has: the same with the next number behind it."""
    taken = {row.name for row in rows}
    if name not in taken:
        return name
    counted = re.fullmatch(r"(.*\S) (\d{1,6})", name)
    stem, n = (counted[1], int(counted[2])) if counted else (name, 1)
    while f"{stem} {n}" in taken or n == 1:
        n += 1
    return f"{stem} {n}"


def insert(rows: list[T], row: T, after: str | None, what: str) -> list[T]:
    """Put a row behind the one with the id ``after``, or first."""
    if any(r.id == row.id for r in rows):
        raise ValueProblem(f"{what} '{row.id}' is there already.")
    rows.insert(0 if after is None else find(rows, after, what) + 1, row)
    return rows


def given(edit: BaseModel, *names: str) -> JsonObject:
    """Return what of an edit was given."""
    return {n: getattr(edit, n) for n in names if getattr(edit, n) is not None}
