"""What a step has to say about its result."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

__all__ = ["Note"]


@dataclass(frozen=True, slots=True)
class Note:
    """Something a step has to say; ``level`` is ``info`` or ``warning``.

    Attributes
    ----------
    field : the value it is about.
    places : where on the body.
    solve : offers a number that would mend it: the value's key, the number, and words for it.
    lines : both ends of edges it is about, to be drawn as a chain.
    before : steps that would mend it if they stood before this one: operator, values as they are written, words for each.
    """

    level: str
    text: str
    places: tuple[tuple[float, float, float], ...] = ()
    field: str | None = None
    solve: tuple[str, float, str] | None = None
    lines: tuple[tuple[float, ...], ...] = ()
    before: tuple[tuple[str, Mapping[str, object], str], ...] = ()
