"""Bounded memory for results of steps and for meshes: bytes counted, least recently used goes first."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Generic, TypeVar

from jukai.core.operators.base import Result

__all__ = ["ByteCache", "StepCache"]

T = TypeVar("T")


class ByteCache(Generic[T]):
    """Keeps values until their sizes add up to more than ``limit`` bytes."""

    def __init__(self, limit: int, size: Callable[[T], int]) -> None:
        self._limit = limit
        self._size = size
        self._rows: OrderedDict[str, tuple[T, int]] = OrderedDict()
        self._held = 0
        self._lock = Lock()

    def get(self, key: str) -> T | None:
        """Return what is kept under ``key``, which then counts as used."""
        with self._lock:
            row = self._rows.get(key)
            if row is None:
                return None
            self._rows.move_to_end(key)
            return row[0]

    def put(self, key: str, value: T) -> None:
        """Keep a value; the newest one always stays."""
        size = self._size(value)
        with self._lock:
            old = self._rows.pop(key, None)
            self._held += size - (old[1] if old else 0)
            self._rows[key] = (value, size)
            while self._held > self._limit and len(self._rows) > 1:
                _, (_, gone) = self._rows.popitem(last=False)
                self._held -= gone

    @property
    def held(self) -> int:
        """Bytes kept."""
        return self._held

    def __len__(self) -> int:
        return len(self._rows)


class StepCache(ByteCache[Result]):
    """Results of steps. What is computed from a mesh later is counted as if it were there already."""

    def __init__(self, limit: int = 1_500_000_000) -> None:
        super().__init__(limit, lambda r: 4 * r.mesh.nbytes + 1000)
