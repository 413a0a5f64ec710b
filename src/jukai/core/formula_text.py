"""The text of a formula, cut into numbers, names and signs."""

from __future__ import annotations

import re
from dataclasses import dataclass

from jukai.core.errors import FormulaError

__all__ = ["Token", "tokens_of"]

_TOKEN = re.compile(
    r"\s*(?:(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)|(?P<name>[A-Za-z_]\w*|[\"'″′”’])|(?P<sign>\*\*|[-+*/(),]))"
)
_MARKS = {'"': "in", "″": "in", "”": "in", "'": "ft", "′": "ft", "’": "ft"}
"""Marks of feet and inches."""
_LOOKALIKE = {"×": "*", "·": "*", "÷": "/", "−": "-", "–": "-", "^": "**", "°": "deg"}


@dataclass(frozen=True, slots=True)
class Token:
    """A number, a name, a sign or the end, and where it stands; marks of feet and inches are their names."""

    kind: str
    text: str
    position: int
    end: int

    @property
    def whole(self) -> bool:
        """Whether it is a number of figures alone."""
        return self.kind == "number" and self.text.isdigit()


def tokens_of(text: str) -> list[Token]:
    """Cut a text up; the last token is its end.

    Raises
    ------
    FormulaError
        At a character that can't stand in a formula.
    """
    out: list[Token] = []
    at = 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None:
            rest = text[at:]
            if not rest.strip():
                break
            at += len(rest) - len(rest.lstrip())
            bad = text[at]
            hint = f"Write {_LOOKALIKE[bad]}." if bad in _LOOKALIKE else None
            if bad in "<>=!&|?":
                hint = "Formulas don't compare; min and max can limit a number."
            raise FormulaError(f"'{bad}' can't stand in a formula, at character {at + 1}.", position=at, hint=hint)
        kind = str(match.lastgroup)
        word = match.group(kind)
        out.append(Token(kind, _MARKS.get(word, word), match.start(kind), match.end(kind)))
        at = match.end()
    out.append(Token("end", "", len(text), len(text)))
    return out
