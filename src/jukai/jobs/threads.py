"""Work in threads of this process: compiled loops let go of the lock, so that two of them help each other."""

from __future__ import annotations

import logging
import time
from dataclasses import dataclass, field
from itertools import count
from queue import LifoQueue
from threading import Event, Lock, Thread, current_thread

from jukai.app.ports import Run

__all__ = ["ThreadEngine"]

_PATIENCE = 2.0


@dataclass(slots=True)
class _Job:
    number: int
    run: Run
    told: Event = field(default_factory=Event)


class ThreadEngine:
    """A few threads that take the newest job first. A job of the same id stops the one before it.

    Parameters
    ----------
    threads : how many jobs go on at a time.
    """

    def __init__(self, threads: int = 2) -> None:
        self._waiting: LifoQueue[tuple[str, _Job] | None] = LifoQueue()
        self._jobs: dict[str, _Job] = {}
        self._lock = Lock()
        self._numbers = count()
        self._threads = [Thread(target=self._work, name=f"job {i}", daemon=True) for i in range(threads)]
        for t in self._threads:
            t.start()

    def submit(self, job_id: str, run: Run) -> None:
        """Have the work done soon; older work of the same id stops at its next checkpoint."""
        job = _Job(next(self._numbers), run)
        with self._lock:
            older = self._jobs.get(job_id)
            self._jobs[job_id] = job
        if older is not None:
            older.told.set()
        self._waiting.put((job_id, job))

    def stop(self, job_id: str) -> None:
        """Stop the work of that id, whether it goes on or waits; nothing begins it again."""
        with self._lock:
            job = self._jobs.pop(job_id, None)
        if job is not None:
            job.told.set()

    def busy(self) -> bool:
        """Return whether work goes on or waits."""
        return bool(self._jobs)

    def close(self) -> None:
        """Stop everything and let the threads end; those in the middle of a long loop are not waited for beyond two seconds."""
        with self._lock:
            jobs = list(self._jobs.values())
        for job in jobs:
            job.told.set()
        for _ in self._threads:
            self._waiting.put(None)
        end = time.monotonic() + _PATIENCE
        for t in self._threads:
            if t is not current_thread():
                t.join(max(end - time.monotonic(), 0))

    def _work(self) -> None:
        while (row := self._waiting.get()) is not None:
            job_id, job = row
            if not job.told.is_set():
                try:
                    job.run(job.told.is_set)
                except Exception:
                    if not job.told.is_set():  # else it was told to stop: what it worked on may be gone already
                        logging.getLogger(__name__).exception("the job %s failed", job_id)
            with self._lock:
                if self._jobs.get(job_id) is job:
                    del self._jobs[job_id]
