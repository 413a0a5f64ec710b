"""Another part of the bench, whose body the step takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.inputs import Body
from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, Value, ValueKind, declare
from jukai.core.operators.kinds.relevance import Condition, conditions, holds

__all__ = ["PartKind", "part"]


@dataclass(frozen=True, kw_only=True)
class PartKind(ValueKind[Body]):
    """The id or name of a part.

    ``upto`` is the key of the step up to which its recipe counts. It also counts where it stands with ``placed``, or while
    the values beside it are as ``placed_when`` says, each of them written. ``made_by`` are the operators of which one must
    be in its recipe, where not any part will do. With ``seen`` the body comes as this part sees it, with what its steps tell.
    """

    name: ClassVar[str] = "part"
    refers: ClassVar[str] = "part"
    upto: str = ""
    placed: bool = False
    seen: bool = False
    placed_when: tuple[Condition, ...] = ()
    made_by: tuple[str, ...] = ()

    def describe(self) -> Schema:
        """Return which operators make what it may be."""
        return {"of": list(self.made_by)}

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "string"}

    def resolve(self, raw: object, scope: Scope, where: str) -> Body:
        """Return the part's body, worked out."""
        placed = self.placed or (bool(self.placed_when) and holds(self.placed_when, scope.written))
        return scope.body(
            raw, where, upto=scope.written.get(self.upto) if self.upto else None, placed="seen" if self.seen else placed
        )

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the name is replaced with."""
        return change(Leaf("part", raw, where))

    def key(self, value: Body | None) -> object:
        """Return the body's own key; it holds the placement where that counts."""
        return None if value is None else value.key


def part(
    description: str,
    *,
    upto: str = "",
    placed: bool | str = False,
    otherwise: str = "",
    made_by: Sequence[str] = (),
    chapter: str = "",
    **more: Unpack[Declared],
) -> Value:
    """Declare another part of the bench; it may be left out where ``otherwise`` says what is done then.

    ``placed`` may be a condition, such as ``plane == "bench"``, or ``seen``: where it stands as this part sees it.
    """
    seen = placed == "seen"
    when = conditions(placed) if isinstance(placed, str) and not seen else ()
    kind = PartKind(
        upto=upto,
        placed=placed is True,
        seen=seen,
        placed_when=when,
        otherwise=otherwise,
        chapter=chapter,
        made_by=tuple(made_by),
    )
    return declare(kind, None if otherwise else ..., description, **more)
