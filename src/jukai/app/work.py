"""Working a bench's head out, part by part, behind the port of jobs: what is ready, what waits, what was stopped."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection
from contextlib import suppress
from dataclasses import dataclass, field, replace
from threading import Condition

from jukai.app.events import Events
from jukai.app.files import BenchFiles
from jukai.app.ports import BenchStore, JobEngine, JobRow, StoreProblem
from jukai.app.workshop import Workshop
from jukai.core.errors import Cancelled, CoreError, ValueProblem
from jukai.core.json_data import JsonObject
from jukai.core.operators.inputs import Files
from jukai.core.recipe.affected import touched
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import Evaluation
from jukai.core.recipe.resolve import Resolver

__all__ = ["Head", "Work"]

LONG = 0.3
"""Seconds after which work is written down, so that it is found again after a restart."""
_SETTLED = ("ready", "stopped")
_OUR_FAULT = "The server's log has the details. Undo the last edit, or switch its step off."


@dataclass(slots=True)
class _Part:
    """What became of one part: the revision that touched it last, and its view once it is ready."""

    stamp: int
    state: str = "waiting"
    view: JsonObject | None = None
    evaluation: Evaluation | None = None


@dataclass(slots=True)
class Head:
    """The head of a bench as far as it is worked out.

    Attributes
    ----------
    number, bench, resolver : the revision, its document and what works its numbers out.
    parts : what became of each part, by id.
    fresh : ids of parts that the last revision touched; None when all of them must be told.
    curves, numbers : views of curves and numbers, made when asked for.
    """

    number: int
    bench: Bench
    resolver: Resolver
    files: Files
    parts: dict[str, _Part] = field(default_factory=dict)
    fresh: frozenset[str] | None = None
    before: int | None = None
    fresh_curves: frozenset[str] = frozenset()

    def waiting(self) -> list[str]:
        """Return the parts that are not worked out yet."""
        return [i for i, p in self.parts.items() if p.state == "waiting"]

    def stopped(self) -> list[str]:
        """Return the parts whose work was stopped."""
        return [i for i, p in self.parts.items() if p.state == "stopped"]

    def views(self, only: Collection[str] | None = None) -> list[JsonObject]:
        """Return the views of parts that are ready, in order."""
        rows = ((i, self.parts[i].view) for p in self.bench.parts if (i := p.id) in self.parts)
        return [v for i, v in rows if v is not None and (only is None or i in only)]


class Work:
    """Keeps the heads of benches worked out. An edit has only what it touched worked out again."""

    def __init__(self, store: BenchStore, workshop: Workshop, events: Events, engine: JobEngine) -> None:
        self._store, self._workshop, self._events, self._engine = store, workshop, events, engine
        self._heads: dict[str, Head] = {}
        self._changed = Condition()

    # -- following the head -------------------------------------------------------------------
    def advance(self, bench_id: str, number: int, bench: Bench) -> Head:
        """Make a revision the one that is worked out; what it does not touch stays, going on where it is not ready."""
        with self._changed:
            old = self._heads.get(bench_id)
            if old is not None and old.number == number:
                return old
            resolver = Resolver(bench)
            head = Head(number, bench, resolver, BenchFiles(self._store, bench_id))
            if old is not None:
                what = touched(old.resolver, resolver)
                head.fresh, head.before, head.fresh_curves = what.parts, old.number, what.curves
            gone = set(old.parts) if old is not None else set()
            for p in bench.parts:
                kept = None if old is None or head.fresh is None or p.id in head.fresh else old.parts.get(p.id)
                head.parts[p.id] = kept or _Part(number)
                gone.discard(p.id)
            self._heads[bench_id] = head
            if old is None:
                self._recall(bench_id, head)
            begin = [i for i, p in head.parts.items() if p.state == "waiting" and (p.stamp == number)]
            self._changed.notify_all()
        for part in gone:
            self._engine.stop(f"{bench_id}/{part}")
        # the newest begins first: so that the first part of the list does
        for part in reversed(begin):
            self._begin(bench_id, head, part)
        return head

    def _recall(self, bench_id: str, head: Head) -> None:
        """After a restart: what was stopped at this very revision stays so."""
        for job in self._store.jobs(bench_id):
            if job.state == "stopped" and job.revision == head.number and job.part in head.parts:
                head.parts[job.part].state = "stopped"

    def _begin(self, bench_id: str, head: Head, part_id: str) -> None:
        stamp = head.parts[part_id].stamp
        part = head.bench.part(part_id)
        if part is not None and part.hidden:
            self._settle(bench_id, part_id, stamp, self._workshop.hidden(part), None)
            return
        self._engine.submit(f"{bench_id}/{part_id}", lambda stop: self._run(bench_id, head, part_id, stamp, stop))

    def _run(self, bench_id: str, head: Head, part_id: str, stamp: int, stop: Callable[[], bool]) -> None:
        began = time.monotonic()
        job = JobRow(f"{bench_id}/{part_id}", bench_id, stamp, part_id, "running")
        noted = False

        def stopped() -> bool:
            nonlocal noted
            if stop():
                return True
            if not noted and time.monotonic() - began > LONG:
                noted = True
                with suppress(StoreProblem):  # a note for the next start: the body does not depend on it
                    self._note(job)
            return stop()

        def progress(part: str, step: str, fraction: float) -> None:
            self._events.tell(bench_id, {"kind": "progress", "part": part, "step": step, "fraction": fraction})

        try:
            evaluation = self._workshop.evaluate(
                head.bench, part_id, head.files, stop=stopped, progress=progress, resolver=head.resolver
            )
            view, kept = self._workshop.part_view(head.bench, evaluation, head.resolver), evaluation
        except Cancelled:
            return
        except CoreError as e:
            part = head.bench.part(part_id)
            view, kept = self._workshop.hidden(part, error=e) if part is not None else {}, None
        except Exception:
            # nothing may wait for ever: the part says so, the engine writes down what it was
            part = head.bench.part(part_id)
            error = CoreError("A fault of Jukai itself kept this part from being worked out.", hint=_OUR_FAULT)
            if part is not None:
                self._settle(bench_id, part_id, stamp, self._workshop.hidden(part, error=error), None)
            raise
        if self._settle(bench_id, part_id, stamp, view, kept) and noted:
            with suppress(StoreProblem):
                self._store.end_job(job.id)

    def _note(self, job: JobRow) -> None:
        """Keep that work goes on; where it was stopped while this was written, that is what stays written."""
        self._store.keep_job(job)
        with self._changed:
            head = self._heads.get(job.bench)
            row = None if head is None else head.parts.get(job.part)
            stopped = row is not None and row.state == "stopped" and row.stamp == job.revision
            number = 0 if head is None else head.number
        if stopped:
            self._store.keep_job(replace(job, revision=number, state="stopped"))

    def _settle(self, bench_id: str, part_id: str, stamp: int, view: JsonObject, evaluation: Evaluation | None) -> bool:
        """Show what was worked out; false where nobody asks for it any more (touched again, taken off, stopped)."""
        with self._changed:
            head = self._heads.get(bench_id)
            row = None if head is None else head.parts.get(part_id)
            if head is None or row is None or row.stamp != stamp or row.state == "stopped":
                return False
            row.state, row.view, row.evaluation = "ready", view, evaluation
            number = head.number
            self._changed.notify_all()
        self._events.tell(bench_id, {"kind": "bodies", "revision": number, "parts": [part_id]})
        return True

    # -- asking -------------------------------------------------------------------------------
    def wait(
        self, bench_id: str, number: int, seconds: float | None, parts: Collection[str] | None = None
    ) -> Head | None:
        """Wait until parts (all by default) are ready or stopped, or for some seconds; None when another revision came."""
        end = None if seconds is None else time.monotonic() + seconds

        def settled() -> bool:
            head = self._heads.get(bench_id)
            if head is None or head.number != number:
                return True
            rows = head.parts.values() if parts is None else [head.parts[i] for i in parts if i in head.parts]
            return all(r.state in _SETTLED for r in rows)

        with self._changed:
            self._changed.wait_for(settled, None if end is None else max(0.0, end - time.monotonic()))
            head = self._heads.get(bench_id)
            return head if head is not None and head.number == number else None

    def evaluation(self, head: Head, part: str) -> Evaluation | None:
        """Return a part worked out; one that is not shown is worked out for who asks.

        Raises
        ------
        ValueProblem
            When it is still being worked out, or was stopped.
        """
        row, found = head.parts.get(part), head.bench.part(part)
        if row is None or found is None:
            return None
        if row.state == "stopped":
            raise ValueProblem(
                f"'{found.name}' was stopped before its body was there.", field="part", hint="Work it out, or undo."
            )
        if row.state == "waiting":
            raise ValueProblem(f"'{found.name}' is still being worked out.", field="part")
        if found.hidden and row.evaluation is None and row.state == "ready":
            row.evaluation = self._workshop.evaluate(head.bench, part, head.files, resolver=head.resolver)
        return row.evaluation

    # -- stopping -----------------------------------------------------------------------------
    def stop(self, bench_id: str) -> list[str]:
        """Stop what goes on; parts that are ready stay. Return the parts that were stopped."""
        with self._changed:
            head = self._heads.get(bench_id)
            ids = [] if head is None else head.waiting()
            for i in ids:
                assert head is not None  # noqa: S101 - there are none without it
                head.parts[i].state = "stopped"
            number = 0 if head is None else head.number
            self._changed.notify_all()
        for i in ids:
            self._engine.stop(f"{bench_id}/{i}")
            self._store.keep_job(JobRow(f"{bench_id}/{i}", bench_id, number, i, "stopped"))
        if ids:
            self._events.tell(bench_id, {"kind": "bodies", "revision": number, "parts": ids})
        return ids

    def go_on(self, bench_id: str) -> list[str]:
        """Begin again what was stopped."""
        with self._changed:
            head = self._heads.get(bench_id)
            ids = [] if head is None else head.stopped()
            for i in ids:
                assert head is not None  # noqa: S101 - there are none without it
                head.parts[i].state = "waiting"
        for i in reversed(ids):
            self._store.end_job(f"{bench_id}/{i}")
            if head is not None:
                self._begin(bench_id, head, i)
        return ids

    def busy(self) -> bool:
        """Return whether parts are worked out, or wait for it."""
        return self._engine.busy()

    def close(self) -> None:
        """Stop everything, as when the server ends."""
        self._engine.close()
