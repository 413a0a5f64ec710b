"""Finds the operators: every file in the folders beside this one."""

from __future__ import annotations

import importlib
import pkgutil
import re
from collections.abc import Mapping
from dataclasses import fields
from functools import cache
from pathlib import Path
from types import MappingProxyType

from jukai.core.errors import ValueProblem
from jukai.core.json_data import JsonObject
from jukai.core.operators.base import CHAPTERS, Operator, Placing, found
from jukai.core.operators.fields import describe_values, fields_of, written_schema

__all__ = ["describe", "first_values", "get_operator", "operators"]


@cache
def operators() -> Mapping[str, Operator]:
    """Return all operators by id."""
    here = Path(__file__).parent
    for folder in CHAPTERS:
        for module in pkgutil.iter_modules([str(here / folder)]):
            importlib.import_module(f"jukai.core.operators.{folder}.{module.name}")
    return MappingProxyType(dict(found()))


def get_operator(operator_id: str) -> Operator:
    """Return one operator.

    Raises
    ------
    ValueProblem
        When there is none of that id.
    """
    try:
        return operators()[operator_id]
    except KeyError:
        known = ", ".join(sorted(operators()))
        raise ValueProblem(f"There is no operator '{operator_id}'.", hint=f"There is: {known}.") from None


def first_values(op: Operator) -> list[str]:
    """Return the keys of the numbers in the first sentence, which a new step is written with; not of those that follow a choice."""
    fields = fields_of(op.values)
    keys = [key for group in re.findall(r"{([^}]+)}", op.sentence) for key in group.split("|")]
    return [k for k in keys if fields[k].kind.begins and not fields[k].kind.follows]


def describe(op: Operator) -> JsonObject:
    """Return an operator as plain data: what chips, callouts and menus are made from."""
    return {
        "id": op.id,
        "kind": op.kind.value,
        "name": op.name,
        "chapter": op.chapter,
        "has_drawing": op.example is not None,
        "description": op.description,
        "sentence": op.sentence,
        "quiet": op.quiet,
        "groups": list(op.groups),
        "synonyms": list(op.synonyms),
        "version": op.version,
        "placing": None if op.placing is None else _placing(op.placing),
        "values": describe_values(op.values),
        "schema": written_schema(op.values),
    }


def _placing(p: Placing) -> JsonObject:
    rows = {f.name: getattr(p, f.name) for f in fields(p) if f.name != "hole"}
    out: JsonObject = {name: None if row is None else {"target": row[0], "gain": row[1]} for name, row in rows.items()}
    return out | {"hole": p.hole is not None}
