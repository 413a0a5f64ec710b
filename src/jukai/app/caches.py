"""Bounded memory for results of steps and for meshes: bytes counted, least recently used goes first."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock, local
from time import perf_counter
from typing import Generic, TypeVar

from jukai.core.operators.base import Result

__all__ = ["ByteCache", "Costs", "StepCache"]

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


class StepCache:
    """Results of steps. What is computed from a mesh later is counted as if it were there already.

    A step is worked out between being looked for in vain and being kept: so it is known what each operator takes.
    """

    def __init__(self, limit: int = 1_500_000_000) -> None:
        self._rows: ByteCache[Result] = ByteCache(limit, lambda r: 4 * r.mesh.nbytes + 1000)
        self._began = local()
        self.costs = Costs()

    def get(self, key: str) -> Result | None:
        """Return what is kept under ``key``."""
        found = self._rows.get(key)
        if found is None:
            self._began.at = perf_counter()
        return found

    def put(self, key: str, result: Result, operator: str) -> None:
        """Keep a result, and learn what it took."""
        began = getattr(self._began, "at", None)
        if began is not None:
            self.costs.learn(operator, result.mesh.n_faces, perf_counter() - began, result.mesh.nbytes)
        self._rows.put(key, result)


class Costs:
    """What operators took lately, for each face they made: seconds and bytes."""

    _LATELY = 0.3
    _FEW = 500
    """Faces under which the time is that of starting, not of the faces."""

    def __init__(self) -> None:
        self._rates: dict[str, tuple[float, float]] = {}
        self._lock = Lock()

    def learn(self, operator: str, faces: int, seconds: float, size: int) -> None:
        """Take note of a step that was worked out."""
        if faces < self._FEW:
            return
        new = seconds / faces, size / faces
        with self._lock:
            old = self._rates.get(operator, new)
            share = self._LATELY
            self._rates[operator] = (old[0] + share * (new[0] - old[0]), old[1] + share * (new[1] - old[1]))

    def of(self, operator: str, faces: int) -> tuple[float, float] | None:
        """Return seconds and bytes that so many faces will take, or None where nothing is known of the operator yet."""
        rate = self._rates.get(operator)
        return None if rate is None else (rate[0] * faces, rate[1] * faces)
