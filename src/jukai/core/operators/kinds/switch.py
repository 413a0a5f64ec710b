"""A switch: on or off, with a sentence for each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.errors import ValueProblem
from jukai.core.operators.kinds.base import Declared, Schema, Scope, ValueKind, declare

__all__ = ["SwitchKind", "switch"]


@dataclass(frozen=True, kw_only=True)
class SwitchKind(ValueKind[bool]):
    """On or off."""

    name: ClassVar[str] = "switch"
    on: str = ""
    off: str = ""

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "boolean"}

    def resolve(self, raw: object, scope: Scope, where: str) -> bool:
        """Return whether it is on."""
        if not isinstance(raw, bool):
            raise ValueProblem(f"{where.capitalize()} is on or off: true or false.", field=where)
        return raw

    def describe(self) -> Schema:
        """Return the two sentences."""
        return {"choices": [{"value": True, "words": self.on}, {"value": False, "words": self.off}]}


def switch(description: str, *, default: bool, on: str, off: str, chapter: str = "", **more: Unpack[Declared]) -> bool:
    """Declare a switch with a sentence for each state."""
    return declare(SwitchKind(on=on, off=off, chapter=chapter), default, description, **more)
