"""Another part of the bench, whose body the step takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.inputs import Body
from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, ValueKind, declare
from jukai.core.operators.kinds.relevance import Condition, conditions, holds

__all__ = ["PartKind", "part"]


@dataclass(frozen=True, kw_only=True)
class PartKind(ValueKind[Body]):
    """The id or name of a part.

    ``upto`` is the key of the step up to which its recipe counts. It also counts where it stands with ``placed``, or while
    the values beside it are as ``placed_when`` says, each of them written.
    """

    name: ClassVar[str] = "part"
    refers: ClassVar[str] = "part"
    upto: str = ""
    placed: bool = False
    placed_when: tuple[Condition, ...] = ()

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "string"}

    def resolve(self, raw: object, scope: Scope, where: str) -> Body:
        """Return the part's body, worked out."""
        placed = self.placed or (bool(self.placed_when) and holds(self.placed_when, scope.written))
        return scope.body(raw, where, upto=scope.written.get(self.upto) if self.upto else None, placed=placed)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the name is replaced with."""
        return change(Leaf("part", raw, where))

    def key(self, value: Body) -> object:
        """Return the body's own key; it holds the placement where that counts."""
        return value.key


def part(
    description: str, *, upto: str = "", placed: bool | str = False, chapter: str = "", **more: Unpack[Declared]
) -> Body:
    """Declare another part of the bench; ``placed`` may be a condition, such as ``plane == "bench"``."""
    when = conditions(placed) if isinstance(placed, str) else ()
    return declare(
        PartKind(upto=upto, placed=placed is True, placed_when=when, chapter=chapter), ..., description, **more
    )
