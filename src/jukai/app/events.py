"""Who wants to hear what: one queue per listening window."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from queue import Empty, Full, Queue
from threading import Lock

from jukai.core.json_data import JsonObject

__all__ = ["Events", "Listener"]

MOST_LISTENERS = 40


class Listener:
    """The news for one window."""

    def __init__(self, bench: str | None) -> None:
        self.bench = bench
        self.queue: Queue[tuple[int, JsonObject]] = Queue(maxsize=200)

    def next(self, timeout: float) -> tuple[int, JsonObject] | None:
        """Return the next event, or None after ``timeout`` seconds."""
        try:
            return self.queue.get(timeout=timeout)
        except Empty:
            return None


class Events:
    """Tells all listeners of a bench what happened to it."""

    def __init__(self) -> None:
        self._listeners: set[Listener] = set()
        self._lock = Lock()
        self._count = 0

    def tell(self, bench: str | None, event: JsonObject) -> None:
        """Tell those who listen to a bench; an event of no bench goes to all."""
        with self._lock:
            self._count += 1
            number = self._count
            listeners = list(self._listeners)
        for listener in listeners:
            if bench is None or listener.bench in (bench, None):
                try:
                    listener.queue.put_nowait((number, event))
                except Full:
                    continue  # it reads too slowly; it will ask for the state when it comes back

    @contextmanager
    def listening(self, bench: str | None) -> Iterator[Listener]:
        """Listen as long as the block runs."""
        listener = Listener(bench)
        with self._lock:
            self._listeners.add(listener)
        try:
            yield listener
        finally:
            with self._lock:
                self._listeners.discard(listener)

    def crowded(self) -> bool:
        """Return whether no more listeners are wanted."""
        return len(self._listeners) >= MOST_LISTENERS
