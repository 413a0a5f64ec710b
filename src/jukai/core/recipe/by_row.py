"""What was worked out from a row of a bench, kept by the identity of its model: models never change, and edits change one of many."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

__all__ = ["ByRow"]

R = TypeVar("R")
T = TypeVar("T")
_MOST = 20_000


class ByRow(Generic[R, T]):
    """Keeps what ``work`` makes of a row, for the rows seen last. The row is held too, so that its identity stays its own."""

    def __init__(self, work: Callable[[R], T]) -> None:
        self._work = work
        self._kept: dict[int, tuple[R, T]] = {}

    def __call__(self, row: R) -> T:
        """Return what is made of a row."""
        held = self._kept.get(id(row))
        if held is None or held[0] is not row:
            held = self._kept[id(row)] = (row, self._work(row))
            if len(self._kept) > _MOST:
                # several threads ask: the oldest are listed at once, and one may be gone already
                for old in list(self._kept)[: _MOST // 10]:
                    self._kept.pop(old, None)
        return held[1]
