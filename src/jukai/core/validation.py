"""What a model of data refuses, in our own words."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from pydantic import ValidationError

__all__ = ["first_error", "in_words"]

Row = Mapping[str, Any]


def _limit(n: int, one: str, many: str, which: str) -> str:
    """Return a limit of counted things: ``2 entries are the most``."""
    return f"{n} {one if n == 1 else many} {'is' if n == 1 else 'are'} the {which}"


_WORDS: dict[str, Callable[[Row], str]] = {
    "missing": lambda _: "it is missing",
    "extra_forbidden": lambda _: "there is no such thing here",
    "too_long": lambda c: _limit(c["max_length"], "entry", "entries", "most"),
    "too_short": lambda c: _limit(c["min_length"], "entry", "entries", "least"),
    "string_too_long": lambda c: _limit(c["max_length"], "character", "characters", "most"),
    "string_too_short": lambda c: _limit(c["min_length"], "character", "characters", "least"),
    "greater_than": lambda c: f"it must be more than {c['gt']:g}",
    "greater_than_equal": lambda c: f"{c['ge']:g} is the least",
    "less_than": lambda c: f"it must be less than {c['lt']:g}",
    "less_than_equal": lambda c: f"{c['le']:g} is the most",
    "literal_error": lambda c: f"it is one of {c['expected']}",
    "enum": lambda c: f"it is one of {c['expected']}",
    "union_tag_invalid": lambda c: f"'{str(c['tag'])[:40]}' is none of {c['expected_tags']}",
    "union_tag_not_found": lambda c: f"{c['discriminator']} is missing",
    "finite_number": lambda _: "a finite number is wanted",
    "string_pattern_mismatch": lambda c: f"it is not of the form {c['pattern']}",
    "string_unicode": lambda _: "half a character can't be kept",
}
"""By the library's own names of errors (pydantic 2), with what it tells of them."""
_KINDS = {
    "string": "a text", "int": "a whole number", "float": "a number", "bool": "true or false", "list": "a list", "dict": "a table",
    "tuple": "a list", "model": "a table", "model_attributes": "a table", "dataclass": "a table", "none_required": "nothing", "set": "a list",
}  # fmt: skip


def in_words(error: Row) -> str:
    """Return what one error of a :class:`pydantic.ValidationError` says, without a full stop."""
    kind, context = str(error["type"]), error.get("ctx") or {}
    if kind in _WORDS:
        return _WORDS[kind](context)
    wanted = kind.removesuffix("_type").removesuffix("_parsing").removesuffix("_from_float")
    if (wanted in _KINDS and wanted != kind) or kind in _KINDS:
        return f"{_KINDS[wanted]} is wanted"
    return str(error["msg"]).removeprefix("Value error, ")


def first_error(e: ValidationError) -> tuple[tuple[int | str, ...], str]:
    """Return where the first error of a document is, and what it says."""
    first = e.errors(include_url=False, include_input=False)[0]
    return first["loc"], in_words(first)
