"""How far something is moved along X, Y and Z."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.kinds.base import Declared, Value, declare
from jukai.core.operators.kinds.vector import VectorKind

__all__ = ["MoveKind", "move"]


@dataclass(frozen=True, kw_only=True)
class MoveKind(VectorKind):
    """mm along X, Y and Z; below 0 the other way."""

    name: ClassVar[str] = "move"
    lowest: ClassVar[float] = -1e9


def move(
    description: str, *, default: Value = None, otherwise: str = "", chapter: str = "", **more: Unpack[Declared]
) -> Value:
    """Declare lengths along X, Y and Z, of either sign; ``relevant`` says when they count."""
    return declare(MoveKind(otherwise=otherwise, chapter=chapter), default, description, **more)
