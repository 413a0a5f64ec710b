"""Bounded memory for results of steps, meshes and drawing data: bytes counted, least recently used goes first."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterable, Mapping
from dataclasses import fields, is_dataclass
from threading import Lock, local
from time import perf_counter
from typing import Generic, TypeVar

import numpy as np

from jukai.core.operators.base import Result

__all__ = ["Budget", "ByteCache", "Costs", "StepCache"]

T = TypeVar("T")
LIMIT = 1_000_000_000
"""Bytes that all caches of a server hold together."""
_HEADER = 64
"""Bytes of an object beside what it holds, roughly."""


class _Row:
    """A kept value: what it is thought to take until it is weighed, and the memory it holds once it is."""

    __slots__ = ("blocks", "guess", "value")

    def __init__(self, value: object, guess: int) -> None:
        self.value, self.guess = value, guess
        self.blocks: dict[int, object] | None = None


class Budget:
    """One limit for all caches: what was used least lately goes first, whichever cache it is in.

    A new value counts by a guess. Before it would go it is weighed: what it holds really, and arrays that several
    values hold are counted once. So a guess that is too high pushes out nothing.
    """

    def __init__(self, limit: int = LIMIT) -> None:
        self._limit = limit
        self._rows: OrderedDict[tuple[int, str], _Row] = OrderedDict()
        self._shared: dict[int, list[int]] = {}
        self._guessed = self._weighed = self._caches = 0
        self._lock = Lock()

    def cache(self, guess: Callable[[T], int]) -> ByteCache[T]:
        """Return a new cache within this limit; ``guess`` says what a value takes at most, all that is made from it later included."""
        self._caches += 1
        return ByteCache(self, self._caches, guess)

    @property
    def held(self) -> int:
        """Bytes that are counted as kept."""
        return self._guessed + self._weighed

    def get(self, key: tuple[int, str]) -> object:
        """Return what is kept under ``key``, which then counts as used, or None."""
        with self._lock:
            row = self._rows.get(key)
            if row is None:
                return None
            self._rows.move_to_end(key)
            if row.blocks is not None:  # it may grow again
                self._forget(row)
                self._guessed += row.guess
            return row.value

    def put(self, key: tuple[int, str], value: object, guess: int) -> None:
        """Keep a value; the newest one always stays."""
        with self._lock:
            old = self._rows.pop(key, None)
            if old is not None:
                self._drop(old)
            self._rows[key] = _Row(value, guess)
            self._guessed += guess
            self._make_room()

    def count(self, cache: int) -> int:
        """Return how many values of a cache are kept."""
        with self._lock:
            return sum(1 for number, _ in self._rows if number == cache)

    def _make_room(self) -> None:
        """Weigh what was used least lately first, as much as must be; let go of it where all is too much even so."""
        for act in (self._weigh, self._let_go):
            if self.held <= self._limit:
                return
            for key in list(self._rows)[:-1]:
                act(key)
                if self.held <= self._limit:
                    return

    def _let_go(self, key: tuple[int, str]) -> None:
        self._drop(self._rows.pop(key))

    def _weigh(self, key: tuple[int, str]) -> None:
        row = self._rows[key]
        if row.blocks is not None:
            return
        self._guessed -= row.guess
        row.blocks = blocks_of(row.value)
        for name, block in row.blocks.items():
            found = self._shared.get(name)
            if found is None:
                size = size_of(block)
                self._shared[name] = [1, size]
                self._weighed += size
            else:
                found[0] += 1

    def _drop(self, row: _Row) -> None:
        if row.blocks is None:
            self._guessed -= row.guess
        else:
            self._forget(row)

    def _forget(self, row: _Row) -> None:
        for name in row.blocks or ():
            found = self._shared[name]
            found[0] -= 1
            if found[0] == 0:
                self._weighed -= found[1]
                del self._shared[name]
        row.blocks = None


def size_of(block: object) -> int:
    """Return the bytes of an array or a string of bytes or letters."""
    return _HEADER + int(getattr(block, "nbytes", 0) or len(block))  # type: ignore[arg-type]


def blocks_of(value: object) -> dict[int, object]:
    """Return the arrays, bytes and texts that a value holds, however deep, each once, by their identity.

    A view of an array holds the whole of it.
    """
    out: dict[int, object] = {}
    seen: set[int] = set()
    stack = [value]
    while stack:
        x = stack.pop()
        if x is None or isinstance(x, int | float | type) or id(x) in seen:
            continue
        seen.add(id(x))
        if isinstance(x, bytes | bytearray | str):
            out[id(x)] = x
        elif isinstance(x, np.ndarray):
            base: object = x.base
            if isinstance(base, np.ndarray | bytes | bytearray | memoryview):
                stack.append(base)
            else:  # memory that compiled code asked for belongs to an object that says nothing of its size
                out[id(x if base is None else base)] = x
        else:
            stack.extend(_held_by(x))
    return out


def _held_by(x: object) -> Iterable[object]:
    if isinstance(x, memoryview):
        return (x.obj,)
    if isinstance(x, Mapping):
        return x.values()
    if isinstance(x, list | tuple):
        # places are rows of numbers, of which a note may have thousands
        return () if x and isinstance(x[0], float) and isinstance(x[-1], float) else x
    if isinstance(x, set | frozenset):
        return x
    return [getattr(x, f.name, None) for f in fields(x)] if is_dataclass(x) else ()


class ByteCache(Generic[T]):
    """Values under names, for as long as there is room within a :class:`Budget`."""

    def __init__(self, budget: Budget, number: int, guess: Callable[[T], int]) -> None:
        self._budget, self._number, self._guess = budget, number, guess

    def get(self, key: str) -> T | None:
        """Return what is kept under ``key``, which then counts as used."""
        return self._budget.get((self._number, key))  # type: ignore[return-value]

    def put(self, key: str, value: T) -> None:
        """Keep a value; the newest one always stays."""
        self._budget.put((self._number, key), value, self._guess(value))

    def __len__(self) -> int:
        return self._budget.count(self._number)


class StepCache:
    """Results of steps. What is computed from a mesh later is counted as if it were there already.

    A step is worked out between being looked for in vain and being kept: so it is known what each operator takes.
    """

    def __init__(self, budget: Budget | None = None) -> None:
        self._rows: ByteCache[Result] = (budget or Budget()).cache(lambda r: 4 * r.mesh.nbytes + 1000)
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
