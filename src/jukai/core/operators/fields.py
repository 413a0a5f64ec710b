"""The values of an operator as a table: keys, kinds, defaults, limits, JSON Schema."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from types import MappingProxyType
from typing import Any

from pydantic import BaseModel, create_model

from jukai.core.errors import ValueProblem
from jukai.core.json_data import JsonObject
from jukai.core.operators.kinds.base import AnyKind, kind_of, limit
from jukai.core.operators.kinds.relevance import holds

__all__ = ["Field", "describe_values", "field_at", "fields_of", "relevant_keys", "written_schema"]


@dataclass(frozen=True, slots=True)
class Field:
    """One value of an operator.

    Attributes
    ----------
    key : as it is written; ``attribute`` as Python names it (``from_`` is written ``from``).
    default : as the operator takes it; None where the value is required.
    of : the values it is one of.
    """

    key: str
    attribute: str
    kind: AnyKind
    default: object
    required: bool
    description: str
    least: float | None
    most: float | None
    of: type[BaseModel]

    def check(self, value: object) -> None:
        """Look at a value by itself.

        Raises
        ------
        ValidationError
            When it is out of its limits.
        """
        _alone(self.of, self.attribute)(**{self.attribute: value})

    @property
    def written_default(self) -> object:
        """The default as it would stand in a file."""
        return None if self.required or self.default is None else self.kind.written(self.default)


@cache
def fields_of(values: type[BaseModel]) -> Mapping[str, Field]:
    """Return the values of an operator by their keys, in order."""
    out = {}
    for attribute, info in values.model_fields.items():
        key = attribute.rstrip("_")
        required = info.is_required()
        out[key] = Field(
            key, attribute, kind_of(info), None if required else info.default, required, info.description or "",
            limit(info, "ge", "gt"), limit(info, "le", "lt"),
            values,
        )  # fmt: skip
    return MappingProxyType(out)


@cache
def _alone(values: type[BaseModel], attribute: str) -> type[BaseModel]:
    """Return a model of one value and no other; made when it is first asked for, as making all takes tenths of a second."""
    info = values.model_fields[attribute]
    field: Any = {attribute: (info.annotation, info)}
    model: type[BaseModel] = create_model(values.__name__, __config__=values.model_config, **field)
    return model


def field_at(values: type[BaseModel], address: str, operator: str) -> tuple[Field, list[str]]:
    """Return the value that an address such as ``size/1`` begins with, and the words that lead on below it.

    Raises
    ------
    ValueProblem
        When the operator has no such value.
    """
    fields = fields_of(values)
    key, *path = address.split("/")
    if key not in fields:
        raise ValueProblem(f"'{operator}' has no value '{key}'.", field=key, hint=f"It has: {', '.join(fields)}.")
    return fields[key], path


def relevant_keys(fields: Mapping[str, Field], written: Mapping[str, object]) -> frozenset[str]:
    """Return the keys of the values that count, by what is written and by the defaults of what is not."""
    now = {k: f.written_default if written.get(k) is None else written[k] for k, f in fields.items()}
    return frozenset(k for k, f in fields.items() if holds(f.kind.relevant, now))


def describe_values(values: type[BaseModel]) -> list[JsonObject]:
    """Return the values of an operator as plain data."""
    return [_described(f) for f in fields_of(values).values()]


def _described(f: Field) -> JsonObject:
    kind = f.kind
    shared = {
        "key": f.key, "kind": kind.name, "unit": kind.unit, "description": f.description, "required": f.required,
        "default": f.written_default, "otherwise": kind.otherwise, "instead_of": kind.instead_of, "follows": kind.follows, "chapter": kind.chapter,
        "relevant": [{"key": c.key, "among": list(c.among), "negated": c.negated} for c in kind.relevant],
        "least": f.least, "most": f.most, "whole": kind.whole, "lowest": kind.lowest, "refers": kind.refers, "choices": [], "of": [], "axes": 0, "beside": "", "plays": False,
    }  # fmt: skip
    return shared | kind.describe()


def written_schema(values: type[BaseModel]) -> JsonObject:
    """Return the JSON Schema of the values as they stand in a bench file."""
    properties = {}
    for key, f in fields_of(values).items():
        schema = f.kind.schema() | {"description": f.description, "x-kind": f.kind.name}
        if f.kind.unit:
            schema["x-unit"] = f.kind.unit
        if f.written_default is not None:
            schema["default"] = f.written_default
        properties[key] = schema
    required = [key for key, f in fields_of(values).items() if f.required and not f.kind.relevant]
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": False}
