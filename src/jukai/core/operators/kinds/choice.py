"""A choice: one of a few words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.errors import ValueProblem
from jukai.core.operators.kinds.base import Declared, Schema, Scope, ValueKind, declare

__all__ = ["ChoiceKind", "choice"]


@dataclass(frozen=True, kw_only=True)
class ChoiceKind(ValueKind[str]):
    """One of ``choices``, each a word as it is written and words for the screen."""

    name: ClassVar[str] = "choice"
    choices: tuple[tuple[str, str], ...] = ()

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"enum": [word for word, _ in self.choices]}

    def resolve(self, raw: object, scope: Scope, where: str) -> str:
        """Return the word, if it is a choice."""
        known = [word for word, _ in self.choices]
        if raw not in known:
            raise ValueProblem(
                f"{where.capitalize()}: '{raw}' is no choice.", field=where, hint=f"There is: {', '.join(known)}."
            )
        return raw

    def describe(self) -> Schema:
        """Return the choices."""
        return {"choices": [{"value": word, "words": words} for word, words in self.choices]}


def choice(
    description: str,
    choices: Sequence[tuple[str, str]],
    *,
    default: str | None = None,
    chapter: str = "",
    **more: Unpack[Declared],
) -> str:
    """Declare a choice; the first one is the default unless another is named."""
    kind = ChoiceKind(choices=tuple(choices), chapter=chapter)
    return declare(kind, default or choices[0][0], description, **more)
