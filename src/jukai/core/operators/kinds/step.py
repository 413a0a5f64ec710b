"""A step of the part that another value names."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, ValueKind, declare

__all__ = ["StepKind", "step"]


@dataclass(frozen=True, kw_only=True)
class StepKind(ValueKind[str]):
    """The id of a step; ``beside`` is the key of the value that names its part."""

    name: ClassVar[str] = "step"
    refers: ClassVar[str] = "step"
    beside: str = "part"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "string"}

    def resolve(self, raw: object, scope: Scope, where: str) -> str:
        """Return the id as a text."""
        return str(raw)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the name is replaced with."""
        return change(Leaf("step", raw, where, of=self.beside))

    def describe(self) -> Schema:
        """Return which value names its part."""
        return {"beside": self.beside}


def step(
    description: str, *, otherwise: str, beside: str = "part", chapter: str = "", **more: Unpack[Declared]
) -> str | None:
    """Declare a step of another part."""
    return declare(StepKind(otherwise=otherwise, beside=beside, chapter=chapter), None, description, **more)
