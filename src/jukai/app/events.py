"""Who wants to hear what: one queue per listening window."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from queue import Empty, Full, Queue
from threading import Lock, Thread
from time import sleep

from jukai.core.json_data import JsonObject

__all__ = ["Events", "Listener"]

MOST_LISTENERS = 600


LOOK_SECONDS = 1.0
_REPLACED = ("head", "benches")
"""Kinds of events of which the newest says all."""
_AT_ONCE, _EACH = 20, 2e-3
"""Listeners that are told at once, and seconds of pause for each where there are more."""


class Listener:
    """The news for one window; ``gone`` tells whether the window is still there."""

    def __init__(self, bench: str | None, gone: Callable[[], bool] | None = None) -> None:
        self.bench, self.gone = bench, gone
        self.queue: Queue[tuple[int, JsonObject] | None] = Queue(maxsize=200)
        self.left = False

    def next(self, timeout: float) -> tuple[int, JsonObject] | None:
        """Return the next event; None after ``timeout`` seconds, or as soon as the window is gone (``left``)."""
        try:
            return self.queue.get(timeout=timeout)
        except Empty:
            return None


def _put(listeners: list[Listener], news: tuple[int, JsonObject]) -> None:
    for listener in listeners:
        with suppress(Full):  # it reads too slowly; it will ask for the state when it comes back
            listener.queue.put_nowait(news)


class Events:
    """Tells all listeners of a bench what happened to it."""

    def __init__(self) -> None:
        self._listeners: set[Listener] = set()
        self._lock = Lock()
        self._count = 0
        self._changed: Callable[[int], None] = lambda _: None
        self._watching = self._telling = False
        self._late: dict[tuple[str | None, str], tuple[int, JsonObject]] = {}

    def on_listening(self, changed: Callable[[int], None]) -> None:
        """Have ``changed`` called with the number of listeners whenever it is another one."""
        self._changed = changed

    def tell(self, bench: str | None, event: JsonObject) -> None:
        """Tell those who listen to a bench, and those who listen to all; an event of no bench goes to everyone.

        Where very many listen they are told a little later, and of the newest head alone: who caused it does not wait for them.
        """
        with self._lock:
            self._count += 1
            news = (self._count, event if bench is None else {**event, "bench": bench})
            listeners = [x for x in self._listeners if bench is None or x.bench in (bench, None)]
            later, start = len(listeners) > _AT_ONCE, False
            if later:
                kind = str(event.get("kind"))
                key = (bench, kind if kind in _REPLACED else f"{kind} {self._count}")
                self._late.pop(key, None)
                self._late[key] = news
                start, self._telling = not self._telling, True
        if not later:
            _put(listeners, news)
        elif start:
            Thread(target=self._tell_late, name="news", daemon=True).start()

    def _tell_late(self) -> None:
        """Tell what is waiting, with a pause as long as many take, until nothing is."""
        while True:
            with self._lock:
                late, self._late = self._late, {}
                listeners = list(self._listeners)
                if not late:
                    self._telling = False
                    return
            for (bench, _), news in late.items():
                _put([x for x in listeners if bench is None or x.bench in (bench, None)], news)
            sleep(min(_EACH * len(listeners), 2.0))

    @contextmanager
    def listening(self, bench: str | None, gone: Callable[[], bool] | None = None) -> Iterator[Listener]:
        """Listen as long as the block runs; whether a window is ``gone`` is looked at every second, for all by one thread."""
        listener = Listener(bench, gone)
        with self._lock:
            self._listeners.add(listener)
            self._changed(len(self._listeners))
            watch = gone is not None and not self._watching
            self._watching = self._watching or watch
        if watch:
            Thread(target=self._watch, name="windows", daemon=True).start()
        try:
            yield listener
        finally:
            with self._lock:
                self._listeners.discard(listener)
                self._changed(len(self._listeners))

    def _watch(self) -> None:
        """Wake those whose window is gone, until nobody listens."""
        while True:
            sleep(LOOK_SECONDS)
            with self._lock:
                listeners = list(self._listeners)
                if not listeners:
                    self._watching = False
                    return
            for listener in listeners:
                if listener.gone is not None and not listener.left and listener.gone():
                    listener.left = True
                    with suppress(Full):
                        listener.queue.put_nowait(None)

    def crowded(self) -> bool:
        """Return whether no more listeners are wanted."""
        return len(self._listeners) >= MOST_LISTENERS
