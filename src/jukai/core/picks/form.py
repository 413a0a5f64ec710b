"""How picks are written: the rules there are, what each of them takes, and walking through a written pick."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

from jukai.core.operators.kinds.base import Change, Leaf
from jukai.core.operators.kinds.vector import numbers_schema

__all__ = [
    "ELEMENT",
    "ELEMENTS",
    "GROUP",
    "KINDS",
    "PICK",
    "SHAPE",
    "TAKES",
    "Named",
    "mapped_pick",
    "pick_schema",
]

KINDS = ("points", "edges", "faces")


class Form(Protocol):
    """How one thing that a rule takes is written."""

    def schema(self) -> dict[str, object]:
        """Return its JSON Schema."""

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return it with each of its leaves replaced."""


TAKES: dict[str, Mapping[str, Form]] = {}
"""What each rule takes, by key; filled by ``rules.rule``, their order is that of the schema and of hints."""


@dataclass(frozen=True, slots=True)
class Named:
    """The name of something: a ``step``, a ``finish``, another ``pick``."""

    to: str

    def schema(self) -> dict[str, object]:
        """Return its JSON Schema."""
        return {"type": "string"}

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the name is replaced with."""
        return change(Leaf(self.to, raw, where))


@dataclass(frozen=True, slots=True)
class _Word:
    """A word that names nothing else of the bench."""

    among: tuple[str, ...] = ()

    def schema(self) -> dict[str, object]:
        return {"enum": list(self.among)} if self.among else {"type": "string"}

    def mapped(self, raw: object, change: Change, where: str = "") -> object:  # noqa: ARG002 - a word is no leaf
        return raw


@dataclass(frozen=True, slots=True)
class _Element:
    """An element picked by hand: where it is, which way it faces, where it has come from."""

    def schema(self) -> dict[str, object]:
        trail = {"type": "array", "items": {"type": "array", "items": {"type": "string"}}}
        return {
            "type": "object",
            "properties": {"at": numbers_schema(3), "normal": numbers_schema(3), "lineage": trail},
            "required": ["at"],
        }

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        if not isinstance(raw, dict):
            return raw
        # thousands of elements are plain numbers: only formulas are looked at
        return {
            k: [change(Leaf("number", x, f"{where}/{k}/{i}", "length")) if isinstance(x, str) else x for i, x in enumerate(v)]
            if k in ("at", "normal") and isinstance(v, list)
            else v
            for k, v in raw.items()
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Several:
    """A list of the same."""

    one: Form

    def schema(self) -> dict[str, object]:
        return {"type": "array", "items": self.one.schema()}

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        if not isinstance(raw, list):
            return raw
        return [self.one.mapped(row, change, f"{where}/{i}") for i, row in enumerate(raw)]


@dataclass(frozen=True, slots=True)
class _Inner:
    """A pick within a pick."""

    def schema(self) -> dict[str, object]:
        return {"type": "object"}

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        return mapped_pick(raw, change, where)


PICK = _Inner()
ELEMENT = _Element()
ELEMENTS = _Several(ELEMENT)
GROUP = _Word()
SHAPE = _Word(("box", "ball", "half_space"))


def mapped_pick(raw: object, change: Change, where: str = "") -> object:
    """Return a written pick with each of its leaves replaced; what can't be read comes back as it is."""
    if not isinstance(raw, dict):
        return raw
    if isinstance(raw.get("join"), list):
        return raw | {"join": [_joined(row, change, f"{where}/join/{i}") for i, row in enumerate(raw["join"])]}
    takes = TAKES.get(raw["rule"]) if isinstance(raw.get("rule"), str) else None
    if takes is None:
        return raw
    return {
        k: takes[k].mapped(v, change, f"{where}/{k}") if k in takes and v is not None else v for k, v in raw.items()
    }


def _joined(row: object, change: Change, where: str) -> object:
    if isinstance(row, dict) and len(row) == 1:
        ((how, pick),) = row.items()
        if how in ("and_also", "but_not"):
            return {how: mapped_pick(pick, change, f"{where}/{how}")}
    return mapped_pick(row, change, where)


def pick_schema() -> dict[str, object]:
    """Return the JSON Schema of a written pick: one form for each rule, and that of several joined."""
    of = {"of": {"enum": list(KINDS)}}
    forms: list[dict[str, object]] = [
        {"type": "object", "properties": of | {"rule": {"const": name}} | {k: f.schema() for k, f in takes.items()},
         "required": ["rule"], "additionalProperties": False}
        for name, takes in TAKES.items()
    ]  # fmt: skip
    joined = {"type": "object", "properties": of | {"join": {"type": "array", "minItems": 1, "maxItems": 100, "items": {"type": "object"}}},
              "required": ["join"], "additionalProperties": False}  # fmt: skip
    return {"description": "a rule, or several joined: see docs/file-format.md", "oneOf": [*forms, joined]}
