"""When a value counts: conditions on the values beside it."""

from __future__ import annotations

import ast
from collections.abc import Mapping
from dataclasses import dataclass

__all__ = ["Condition", "conditions", "holds"]


@dataclass(frozen=True, slots=True)
class Condition:
    """That the value of ``key`` is one of ``among``, or with ``negated`` none of them.

    Of several values together the keys are parted by commas, and each of ``among`` is a list of as many words.
    """

    key: str
    among: tuple[object, ...]
    negated: bool = False


def conditions(text: str) -> tuple[Condition, ...]:
    """Read ``head == "hexagon" and drive != "none"``; all of them must hold.

    Two values together are written ``(head, drive) not in (("hexagon", "usual"), ("knurled", "usual"))``.

    Raises
    ------
    TypeError
        When an operator's file says something else: ``==``, ``!=``, ``in`` and ``not in`` are known.
    """
    if not text:
        return ()
    tree = ast.parse(text, mode="eval").body
    rows = tree.values if isinstance(tree, ast.BoolOp) and isinstance(tree.op, ast.And) else [tree]
    return tuple(_one(row, text) for row in rows)


def _one(row: ast.expr, text: str) -> Condition:
    if isinstance(row, ast.Compare) and isinstance(row.left, ast.Tuple) and len(row.ops) == 1:
        key = ",".join(x.id for x in row.left.elts if isinstance(x, ast.Name))
        among = tuple(list(x) for x in ast.literal_eval(row.comparators[0]))
        if isinstance(row.ops[0], ast.In | ast.NotIn):
            return Condition(key, among, isinstance(row.ops[0], ast.NotIn))
    if isinstance(row, ast.Compare) and isinstance(row.left, ast.Name) and len(row.ops) == 1:
        sign, value = row.ops[0], ast.literal_eval(row.comparators[0])
        if isinstance(sign, ast.Eq | ast.NotEq):
            return Condition(row.left.id, (value,), isinstance(sign, ast.NotEq))
        if isinstance(sign, ast.In | ast.NotIn):
            return Condition(row.left.id, tuple(value), isinstance(sign, ast.NotIn))
    raise TypeError(f"when a value is relevant can't be read: {text}")


def holds(rows: tuple[Condition, ...], values: Mapping[str, object]) -> bool:
    """Return whether all conditions hold for values as they are written, defaults filled in."""
    return all((_value(c.key, values) in c.among) != c.negated for c in rows)


def _value(key: str, values: Mapping[str, object]) -> object:
    return [values.get(k) for k in key.split(",")] if "," in key else values.get(key)
