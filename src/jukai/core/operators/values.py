"""The kinds of values: how each is declared, written in a file, read and described."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import Field
from pydantic.fields import FieldInfo

from jukai.core.operators.base import OperatorValues

__all__ = ["ValueSpec", "along", "angle", "axis", "choice", "count", "curve", "describe_values", "file_name", "finish", "further", "length",
           "part", "part_step", "pick", "share", "spec_of", "switch", "vector", "written_schema"]  # fmt: skip


@dataclass(frozen=True, slots=True)
class ValueSpec:
    """What a value is.

    Attributes
    ----------
    kind : ``length``, ``angle``, ``count``, ``share``, ``choice``, ``switch``, ``vector`` (lengths along the
        axes), ``counts`` (counts along them), ``axis``, ``along``, ``curve``, ``file``, ``part``, ``step`` (of the
        part named beside it), ``pick``, ``finish`` or ``further`` (picks, each with a length).
    unit : as shown behind the number.
    of : what a pick may be of: ``points``, ``edges``, ``faces``; the first is the default.
    choices : (value, words) of a choice; of a switch the sentences for on and off.
    otherwise : in words, what is taken when it is left out.
    instead_of : the other key of a pair of which one is given.
    axes : how many numbers a vector has.
    """

    kind: str
    unit: str = ""
    choices: tuple[tuple[Any, str], ...] = ()
    otherwise: str = ""
    instead_of: str = ""
    of: tuple[str, ...] = ()
    axes: int = 3


@dataclass(frozen=True, slots=True)
class _InSchema:
    """Carries the spec on a pydantic field and writes it into the JSON Schema."""

    spec: ValueSpec

    def __call__(self, schema: dict[str, Any]) -> None:
        schema["x-kind"] = self.spec.kind
        if self.spec.unit:
            schema["x-unit"] = self.spec.unit


def _field(spec: ValueSpec, default: Any, description: str, **limits: Any) -> Any:
    return Field(default, description=description, json_schema_extra=_InSchema(spec), **limits)


def length(
    description: str, *, default: float | None = None, otherwise: str = "", instead_of: str = "", **limits: Any
) -> Any:
    """Declare a length in mm."""
    return _field(ValueSpec("length", "mm", (), otherwise, instead_of), default, description, **limits)


def angle(
    description: str, *, default: float | None = None, otherwise: str = "", instead_of: str = "", **limits: Any
) -> Any:
    """Declare an angle in degrees."""
    return _field(ValueSpec("angle", "°", (), otherwise, instead_of), default, description, **limits)


def count(description: str, *, default: int | None = None, otherwise: str = "", **limits: Any) -> Any:
    """Declare a count."""
    return _field(ValueSpec("count", "", (), otherwise), default, description, **limits)


def share(description: str, *, default: float, **limits: Any) -> Any:
    """Declare a plain number between limits."""
    return _field(ValueSpec("share"), default, description, **limits)


def choice(description: str, choices: Sequence[tuple[str, str]], *, default: str | None = None) -> Any:
    """Declare a choice; the first one is the default unless another is named."""
    return _field(ValueSpec("choice", choices=tuple(choices)), default or choices[0][0], description)


def switch(description: str, *, default: bool, on: str, off: str) -> Any:
    """Declare a switch with a sentence for each state."""
    return _field(ValueSpec("switch", choices=((True, on), (False, off))), default, description)


def vector(description: str, *, counts: bool = False, axes: int = 3, default: Any = None, otherwise: str = "") -> Any:
    """Declare lengths, or counts, along the first ``axes`` axes."""
    kind, unit = ("counts", "") if counts else ("vector", "mm")
    return _field(ValueSpec(kind, unit, (), otherwise, axes=axes), default, description)


def part(description: str) -> Any:
    """Declare another part of the bench, by its id."""
    return _field(ValueSpec("part"), ..., description)


def part_step(description: str, *, otherwise: str) -> Any:
    """Declare a step of the part that another value names."""
    return _field(ValueSpec("step", otherwise=otherwise), None, description)


def axis(description: str, *, default: Any) -> Any:
    """Declare an axis."""
    return _field(ValueSpec("axis"), default, description)


def along(description: str, *, default: Any) -> Any:
    """Declare a place along the axis, in mm or as a share."""
    return _field(ValueSpec("along", "mm"), default, description)


def curve(description: str) -> Any:
    """Declare a profile of the bench."""
    return _field(ValueSpec("curve"), ..., description)


def file_name(description: str) -> Any:
    """Declare an imported file."""
    return _field(ValueSpec("file"), ..., description)


def pick(description: str, *, of: Sequence[str], default: Mapping[str, Any]) -> Any:
    """Declare a pick; its default is a rule as it stands in a file."""
    return _field(ValueSpec("pick", of=tuple(of)), dict(default), description)


def further(description: str, *, of: Sequence[str]) -> Any:
    """Declare further picks of a step, each with a length of its own; there are none by default."""
    return _field(ValueSpec("further", "mm", of=tuple(of)), (), description)


def finish(description: str) -> Any:
    """Declare a finish of the bench, by name; left out, the faces have that of the faces beside them."""
    return _field(ValueSpec("finish", otherwise="as the faces beside them"), None, description)


def spec_of(info: FieldInfo) -> ValueSpec:
    """Return what a declared value is."""
    if not isinstance(info.json_schema_extra, _InSchema):
        raise TypeError("every value of an operator is declared with a function of this module")
    return info.json_schema_extra.spec


def _limit(info: FieldInfo, *names: str) -> float | None:
    for m in info.metadata:
        for name in names:
            if hasattr(m, name):
                return float(getattr(m, name))
    return None


def describe_values(values: type[OperatorValues]) -> list[dict[str, Any]]:
    """Return the values of an operator as plain data."""
    out = []
    for key, info in values.model_fields.items():
        spec = spec_of(info)
        default = None if info.is_required() else _written(info.default)
        out.append(
            {
                "key": key.rstrip("_"),
                "kind": spec.kind,
                "unit": spec.unit,
                "description": info.description or "",
                "required": info.is_required(),
                "default": default,
                "otherwise": spec.otherwise,
                "instead_of": spec.instead_of,
                "least": _limit(info, "ge", "gt"),
                "most": _limit(info, "le", "lt"),
                "choices": [{"value": v, "words": w} for v, w in spec.choices],
                "of": list(spec.of),
                "axes": spec.axes,
            }
        )
    return out


MOST_FURTHER = 12
"""Further picks that a step may have."""
_NUMBER = {"type": ["number", "string"], "description": "a number or a formula"}
_THREE = {"type": "array", "items": _NUMBER, "minItems": 3, "maxItems": 3}
_TWO = {"type": "array", "items": _NUMBER, "minItems": 2, "maxItems": 2}
_PICK: dict[str, Any] = {
    "type": "object",
    "description": "a rule, or several joined: see docs/file-format.md",
    "properties": {
        "of": {"enum": ["points", "edges", "faces"]},
        "rule": {"enum": ["everything", "group", "facing", "sharper_than", "rim", "inside", "finish", "every_nth", "loop_through", "strip_across",
                          "by_hand"]},
        "step": {"type": "string"}, "name": {"type": "string"}, "direction": _THREE, "within": _NUMBER, "angle": _NUMBER,
        "shape": {"enum": ["box", "ball", "half_space"]}, "centre": _THREE, "size": _THREE, "radius": _NUMBER, "point": _THREE,
        "among": {"type": "object"}, "n": _NUMBER, "first": _NUMBER, "start": {"type": "object"},
        "elements": {"type": "array", "items": {"type": "object"}}, "join": {"type": "array"},
    },
    "additionalProperties": False,
}  # fmt: skip
_WRITTEN: dict[str, dict[str, Any]] = {
    "length": _NUMBER, "angle": _NUMBER, "count": _NUMBER, "share": _NUMBER, "along": _NUMBER,
    "vector": _THREE, "counts": _THREE, "switch": {"type": "boolean"}, "curve": {"type": "string"}, "file": {"type": "string"},
    "part": {"type": "string"}, "step": {"type": "string"},
    "finish": {"type": "string"}, "pick": _PICK,
    "further": {"type": "array", "maxItems": MOST_FURTHER,
                "items": {"type": "object", "properties": {"pick": _PICK, "width": _NUMBER}, "required": ["pick", "width"],
                          "additionalProperties": False}},
    "axis": {"oneOf": [{"enum": ["x", "y", "z", "longest"]},
                       {"type": "object", "properties": {"point": _THREE, "direction": _THREE}, "required": ["point", "direction"]}]},
}  # fmt: skip


def written_schema(values: type[OperatorValues]) -> dict[str, Any]:
    """Return the JSON Schema of the values as they stand in a bench file."""
    properties = {}
    for row in describe_values(values):
        schema = (
            {"enum": [c["value"] for c in row["choices"]]} if row["kind"] == "choice" else dict(_WRITTEN[row["kind"]])
        )
        if row["kind"] in ("vector", "counts") and row["axes"] == 2:
            schema = dict(_TWO)
        schema |= {"description": row["description"], "x-kind": row["kind"]}
        if row["unit"]:
            schema["x-unit"] = row["unit"]
        if row["default"] is not None:
            schema["default"] = row["default"]
        properties[row["key"]] = schema
    required = [row["key"] for row in describe_values(values) if row["required"]]
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": False}


def _written(value: Any) -> Any:
    """Return a default as it would stand in a file."""
    if hasattr(value, "share") and hasattr(value, "value"):
        return f"{value.value:g} %" if value.share else value.value
    if hasattr(value, "direction"):
        return value.name or {"point": list(value.point), "direction": list(value.direction)}
    return list(value) if isinstance(value, tuple) else value
