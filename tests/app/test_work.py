"""Work behind its port: acknowledged at once, told when it is ready, stopped for good, found again after a restart."""

from __future__ import annotations

import tempfile
import threading
import time
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from unittest.mock import patch

from jukai.app.benches import Benches, document_changes
from jukai.app.events import Events
from jukai.app.ports import JobRow, Stale
from jukai.app.workshop import Workshop
from jukai.core.formats.bench_file import bench_from, write_bench
from jukai.core.operators.base import Context, Kind, OperatorValues, Result
from jukai.core.operators.kinds.count import count
from jukai.core.recipe.affected import touched
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.core.recipe.evaluate import evaluate
from jukai.core.recipe.resolve import Resolver
from jukai.jobs import InlineEngine, ThreadEngine
from jukai.store import SqliteStore
from tests.core.operators.kinds.test_kinds import operator_of


def part(i: str, *steps: dict[str, Any], **more: Any) -> dict[str, Any]:
    recipe = [
        {"id": f"s{k}", "operator": s["operator"], "values": {n: v for n, v in s.items() if n != "operator"}}
        for k, s in enumerate(steps, 1)
    ]
    return {"id": i, "name": i.upper(), "recipe": recipe, **more}


def box(size: Any = 4) -> dict[str, Any]:
    return {"operator": "box", "size": [size, 4, 4]}


def bench_of_parts(*parts: dict[str, Any], **more: Any) -> Bench:
    return bench_from({"format": "jukai-bench", "version": 2, "name": "T", "unit": "mm", "parts": list(parts), **more})


class Waits(OperatorValues):
    """A step that takes as long as it is let."""

    sides: int = count("Anything.", default=3)


class Gate:
    """Holds a slow step until it is opened; it asks whether to stop, as long work does."""

    def __init__(self) -> None:
        self.open, self.inside, self.runs = threading.Event(), threading.Event(), 0
        self.fault: Exception | None = None

    def apply(self, mesh: Any, values: Waits, context: Context) -> Result:
        self.runs += 1
        self.inside.set()
        if self.fault is not None:
            raise self.fault
        end = time.monotonic() + 20
        while not self.open.wait(0.005) and time.monotonic() < end:
            context.checkpoint(0.5)
        return Result(mesh)


class WorkTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.db"
        self.gate = Gate()
        self.addCleanup(self.gate.open.set)
        held = operator_of(Waits, self.gate.apply, Kind.CHANGE)
        self.slow = held.__enter__()
        self.addCleanup(held.__exit__, None, None, None)
        self.start()

    def start(self) -> None:
        self.store = SqliteStore(self.path)
        self.addCleanup(self.store.close)
        self.benches = Benches(self.store, Workshop(), Events(), ThreadEngine())
        self.addCleanup(self.benches.work.close)

    def kept(self, bench: Bench, files: dict[str, bytes] | None = None) -> str:
        self.store.create("b", bench.to_json(), "new", author="t", files=files)
        return "b"

    def set(self, part_id: str, key: str, value: Any, step: str = "s1") -> int:
        edit = {"kind": "set_value", "part": part_id, "step": step, "key": key, "value": value}
        return self.benches.edit("b", self.store.row("b").head, edit, "t")

    def eventually(self, what: Callable[[], bool]) -> None:
        end = time.monotonic() + 20
        while not what():
            self.assertLess(time.monotonic(), end, "it took too long")
            time.sleep(0.005)


class Edits(WorkTest):
    def test_an_edit_is_acknowledged_without_its_body(self) -> None:
        self.kept(bench_of_parts(part("p1", box(), {"operator": self.slow}), part("p2", box())))
        self.eventually(lambda: self.benches.state("b", wait=0).waiting == ["p1"])
        state = self.benches.state("b", wait=0)
        self.assertEqual((state.waiting, [p["part"] for p in state.parts]), (["p1"], ["p2"]))
        number = self.set("p2", "size/0", 9)
        changes = self.benches.changes("b", number - 1, wait=5)
        self.assertEqual([p["part"] for p in changes.parts], ["p2"])
        self.assertEqual(changes.waiting, ["p1"])
        self.gate.open.set()
        self.eventually(lambda: not self.benches.state("b", wait=0).waiting)
        self.assertEqual(self.gate.runs, 1)  # what the edit did not touch went on

    def test_a_bench_is_begun_when_it_is_made_and_warming_up_gives_way(self) -> None:
        self.benches.open_file(write_bench(bench_of_parts(part("p1", box(), {"operator": self.slow}))), "t")
        self.assertTrue(self.gate.inside.wait(10))  # nobody has looked at it yet
        went: list[bool] = []

        def pieces() -> Iterator[None]:
            for _ in range(3):
                yield
                went.append(self.benches.work.busy())

        with patch("jukai.core.warm.warming", pieces):
            warming = threading.Thread(target=self.benches.workshop.warm_up, args=(self.benches.work.busy,))
            warming.start()
            self.gate.open.set()
            warming.join(10)
        self.assertEqual(went, [False] * 3)

    def test_newer_work_on_a_part_takes_the_place_of_older(self) -> None:
        self.kept(bench_of_parts(part("p1", box(), {"operator": self.slow})))
        self.benches.state("b", wait=0)
        self.gate.inside.wait(10)
        self.gate.inside.clear()
        self.set("p1", "size/0", 8)
        self.assertTrue(self.gate.inside.wait(10))
        self.gate.open.set()
        state = self.benches.state("b", wait=10)
        self.assertEqual(state.parts[0]["bounds"][1][0], 4)

    def test_an_edit_that_takes_the_place_of_the_one_before_is_told_as_what_changed(self) -> None:
        """A run of arrow keys within a second is one revision; each answer is still one upon what the window shows."""
        self.kept(bench_of_parts(part("p1", box())))
        self.benches.state("b", wait=5)
        head = self.store.row("b").head
        for size in (5, 6, 7):
            edit = {"kind": "set_value", "part": "p1", "step": "s1", "key": "size/0", "value": size}
            before, head = head, self.benches.edit("b", head, edit, "t", join=True)
            changes = self.benches.changes("b", before, wait=5)
            self.assertEqual((changes.base, changes.revision, changes.waiting), (before, head, []))
            self.assertEqual(changes.parts[0]["bounds"][1][0] - changes.parts[0]["bounds"][0][0], size)
        self.assertEqual(self.benches.move_head("b", "undo", head, "t"), 1)
        # a window that shows what is remembered no more is told all
        self.benches._read.clear()
        with self.assertRaises(Stale):
            self.benches.changes("b", before, wait=5)

    def test_a_fault_of_ours_is_said_and_nothing_waits_for_ever(self) -> None:
        self.gate.fault = ZeroDivisionError()
        with self.assertLogs("jukai.jobs.threads", "ERROR"):
            self.kept(bench_of_parts(part("p1", box(), {"operator": self.slow}), part("p2", box())))
            state = self.benches.state("b", wait=10)
        self.assertEqual((state.waiting, len(state.parts)), ([], 2))
        self.assertIn("fault of Jukai", state.parts[0]["error"]["message"])
        self.assertIsNone(state.parts[1]["error"])

    def test_bodies_are_told_of(self) -> None:
        self.kept(bench_of_parts(part("p1", box(), {"operator": self.slow})))
        with self.benches.events.listening("b") as listener:
            self.benches.state("b", wait=0)
            self.gate.inside.wait(10)
            self.gate.open.set()
            news = []
            while (found := listener.next(5)) is not None:
                news.append(found[1])
                if found[1]["kind"] == "bodies":
                    break
        self.assertEqual(news[-1], {"kind": "bodies", "revision": 1, "parts": ["p1"], "bench": "b"})

    def test_only_what_changed_is_told(self) -> None:
        parts = [part(f"p{i}", box()) for i in range(300)]
        self.kept(bench_of_parts(*parts, dimensions=[{"name": "w", "value": 3}]))
        self.benches.state("b")
        number = self.set("p7", "size/1", "w")
        changes = self.benches.changes("b", number - 1)
        self.assertEqual([p["part"] for p in changes.parts], ["p7"])
        self.assertEqual([r["id"] for r in changes.document["parts"]["rows"]], ["p7"])
        self.assertIsNone(changes.document["parts"]["order"])
        self.assertEqual((changes.numbers, changes.curves, changes.measures), (None, [], None))
        number = self.benches.edit("b", number, {"kind": "set_dimension", "name": "w", "value": 5}, "t")
        self.assertEqual([p["part"] for p in self.benches.changes("b", number - 1).parts], ["p7"])
        self.assertRaises(Stale, self.benches.changes, "b", 1)


class Stopping(WorkTest):
    def test_stop_ends_it_and_nothing_begins_it_again(self) -> None:
        self.kept(bench_of_parts(part("p2", box()), part("p1", box(), {"operator": self.slow})))
        self.eventually(lambda: self.benches.state("b", wait=0).waiting == ["p1"])
        self.gate.inside.wait(10)
        self.benches.stop("b")
        for _ in range(3):
            state = self.benches.state("b", wait=10)
            self.assertEqual((state.stopped, [p["part"] for p in state.parts]), (["p1"], ["p2"]))
        self.set("p2", "size/0", 7)
        self.assertEqual(self.benches.state("b", wait=10).stopped, ["p1"])
        self.assertEqual(self.gate.runs, 1)
        # another edit of the part begins it, as being asked to go on does
        self.gate.open.set()
        self.benches.go_on("b")
        self.assertEqual(self.benches.state("b", wait=10).stopped, [])
        self.assertEqual(self.gate.runs, 2)

    def test_a_measure_says_why_it_cannot_be_read(self) -> None:
        end = {"part": "p1", "of": "points", "element": {"at": [2, 2, 2], "share": [1, 1, 1]}}
        other = {"part": "p2", "of": "points", "element": {"at": [-2, 2, 2], "share": [0, 1, 1]}}
        measure = {"name": "gap", "what": "distance", "of": [end, other]}
        self.kept(bench_of_parts(part("p1", box(), {"operator": self.slow}), part("p2", box()), measures=[measure]))
        self.gate.inside.wait(10)

        def said() -> str:
            row: Any = self.benches.state("b", wait=0).measures[0]
            return str(row["value"]) if row["error"] is None else str(row["error"]["message"])

        self.assertEqual(said(), "'P1' is still being worked out.")
        self.benches.stop("b")
        self.assertEqual(said(), "'P1' was stopped before its body was there.")
        self.gate.open.set()
        self.benches.go_on("b")
        self.assertEqual(self.benches.state("b", wait=10).waiting, [])
        self.assertEqual(said(), "4.0")

    def test_it_stays_stopped_after_a_restart(self) -> None:
        self.kept(bench_of_parts(part("p1", box(), {"operator": self.slow})))
        self.benches.state("b", wait=0)
        self.gate.inside.wait(10)
        self.benches.stop("b")
        self.start()
        self.assertEqual(self.benches.state("b", wait=5).stopped, ["p1"])
        self.assertEqual(self.gate.runs, 1)

    def test_stopping_while_it_is_noted_that_it_goes_on_is_what_stays(self) -> None:
        """The row of a job is written by its own thread: it may come after that of the stop."""
        self.kept(bench_of_parts(part("p1", box(), {"operator": self.slow})))
        keep, noting, stopped = self.store.keep_job, threading.Event(), threading.Event()

        def slowly(job: JobRow) -> None:
            if job.state == "running":
                noting.set()
                stopped.wait(10)
            keep(job)

        with patch.object(self.store, "keep_job", slowly):
            self.benches.state("b", wait=0)
            self.assertTrue(noting.wait(10))
            self.benches.stop("b")
            stopped.set()
            self.eventually(lambda: not self.benches.work.busy() and self.store.jobs()[0].state == "stopped")
        self.start()
        self.assertEqual(self.benches.state("b", wait=5).stopped, ["p1"])

    def test_work_is_found_and_goes_on_after_a_restart(self) -> None:
        """The row of a job is there while it takes long; a server that starts on it does it."""
        self.kept(bench_of_parts(part("p1", box(), {"operator": self.slow})))
        self.benches.state("b", wait=0)
        self.eventually(lambda: [j.state for j in self.store.jobs()] == ["running"])
        runs = self.gate.runs
        self.start()  # the server before has gone without a word
        self.benches.resume()
        self.eventually(lambda: self.gate.runs > runs)
        self.gate.open.set()
        self.assertEqual(self.benches.state("b", wait=10).waiting, [])
        self.eventually(lambda: not self.store.jobs())


class Files(WorkTest):
    def test_no_request_reads_a_file_that_it_does_not_need(self) -> None:
        self.kept(bench_of_parts(part("p1", box())), {"large.stl": b"0" * 50_000_000})
        with patch.object(self.store, "blob", side_effect=AssertionError("a file was read")):
            self.benches.state("b")
            edit = {"kind": "set_value", "part": "p1", "step": "s1", "key": "size/0", "value": 7}
            self.benches.preview("b", 1, edit, "t", ["p1"])
            number = self.benches.edit("b", 1, edit, "t")
            self.benches.changes("b", number - 1)
            self.benches.move_head("b", "undo", number, "t")
            self.benches.clearances.between(self.benches._bench("b")[1], "p1", self.benches._files("b"))


class Engines(unittest.TestCase):
    """What any engine must do."""

    def test_each_job_runs_once_and_is_asked_to_stop(self) -> None:
        for engine in (InlineEngine(), ThreadEngine(2)):
            with self.subTest(type(engine).__name__):
                ran: list[int] = []
                done = threading.Event()

                def work(i: int, stop: Callable[[], bool], ran: list[int] = ran, done: threading.Event = done) -> None:
                    ran.append(i)
                    if len(ran) == 20:
                        done.set()

                for i in range(20):
                    engine.submit(f"j{i}", lambda stop, i=i: work(i, stop))
                self.assertTrue(done.wait(10))
                self.assertEqual(sorted(ran), list(range(20)))
                engine.stop("nothing")
                engine.close()

    def test_stopping_what_waits_and_what_goes_on(self) -> None:
        engine = ThreadEngine(1)
        inside, ended, later = threading.Event(), threading.Event(), []

        def long(stop: Callable[[], bool]) -> None:
            inside.set()
            while not stop():
                time.sleep(0.002)
            ended.set()

        engine.submit("a", long)
        inside.wait(5)
        engine.submit("b", lambda _: later.append("b"))
        engine.stop("b")
        engine.stop("a")
        self.assertTrue(ended.wait(5))
        done = threading.Event()
        engine.submit("c", lambda _: done.set())
        self.assertTrue(done.wait(5))
        self.assertEqual(later, [])
        engine.close()

    def test_a_job_that_fails_harms_no_other(self) -> None:
        engine = ThreadEngine(1)
        done = threading.Event()
        with self.assertLogs("jukai.jobs.threads", "ERROR"):
            engine.submit("a", lambda _: dict[str, Any]()["nothing"])
            engine.submit("b", lambda _: done.set())
            self.assertTrue(done.wait(5))
        engine.close()


class Touching(unittest.TestCase):
    """What is said to be untouched is worked out to the same; what an edit names is touched."""

    def bench(self) -> Bench:
        return bench_of_parts(
            part("p1", box("w")), part("p2", box(5)), part("p3", {"operator": "copy_of", "part": "P1"}),
            part("p4", {"operator": "copy_of", "part": "p3"}, finish="Brass"),
            part("p5", {"operator": "revolve", "profile": "c1"}, placement={"move": ["v", 0, 0]}),
            dimensions=[{"name": "w", "value": 3}, {"name": "v", "value": "w * 2"}, {"name": "u", "value": 1}],
            finishes=[{"name": "Brass"}], curves=[{"id": "c1", "name": "C", "points": [{"at": [0, 0]}, {"at": ["u + 4", 0]}, {"at": [0, 5]}]}],
        )  # fmt: skip

    def test_each_edit(self) -> None:
        rows: list[tuple[dict[str, Any], set[str]]] = [
            ({"kind": "set_value", "part": "p2", "step": "s1", "key": "size/0", "value": 6}, {"p2"}),
            ({"kind": "set_value", "part": "p1", "step": "s1", "key": "size/1", "value": 6}, {"p1", "p3", "p4"}),
            ({"kind": "set_dimension", "name": "w", "value": 4}, {"p1", "p3", "p4", "p5"}),
            ({"kind": "set_dimension", "name": "u", "value": 4}, {"p5"}),
            ({"kind": "set_dimension", "name": "new", "value": 4}, set()),
            ({"kind": "rename_dimension", "name": "u", "new_name": "t"}, {"p5"}),
            ({"kind": "set_point", "curve": "c1", "point": "p3", "at": [0, 9]}, {"p5"}),
            ({"kind": "set_finish", "finish": {"name": "Brass", "density": 9}}, {"p4"}),
            ({"kind": "set_bench", "floor": 50}, {"p1", "p2", "p3", "p4", "p5"}),
            ({"kind": "set_bench", "name": "Other"}, set()),
            ({"kind": "move_part", "part": "p5", "after": None}, set()),
            ({"kind": "remove_part", "part": "p1"}, {"p3", "p4"}),
        ]  # fmt: skip
        from jukai.core.recipe.editing import with_point_ids

        before = with_point_ids(self.bench())
        for edit, expected in rows:
            with self.subTest(edit):
                after = apply_edit(before, parse_edit(edit))
                what = touched(Resolver(before), Resolver(after))
                self.assertEqual(set(what.parts), expected)
                for p in after.parts:
                    if p.id not in what.parts:
                        self.assertEqual(evaluate(before, p.id).placed_key, evaluate(after, p.id).placed_key)
                # a document read anew says the same
                again = bench_from(after.to_json())
                self.assertEqual(set(touched(Resolver(before), Resolver(again)).parts), expected)

    def test_changes_of_a_document_lead_to_it(self) -> None:
        before = self.bench()
        after = apply_edit(before, parse_edit({"kind": "remove_part", "part": "p2"}))
        after = apply_edit(after, parse_edit({"kind": "set_bench", "name": "Other"}))
        change = document_changes(before, after)
        self.assertEqual(change, {"name": "Other", "parts": {"rows": [], "order": ["p1", "p3", "p4", "p5"]}})
        self.assertEqual(document_changes(before, before), {})


class Jobs(unittest.TestCase):
    def test_rows(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            store = SqliteStore(Path(folder) / "a.db")
            store.create("b", {"name": "T"}, "new", author="t")
            store.keep_job(JobRow("b/p1", "b", 1, "p1", "running"))
            store.keep_job(JobRow("b/p1", "b", 2, "p1", "stopped"))
            store.keep_job(JobRow("x/p1", "nowhere", 1, "p1", "running"))
            self.assertEqual(store.jobs(), [JobRow("b/p1", "b", 2, "p1", "stopped")])
            self.assertEqual(store.jobs("c"), [])
            store.end_job("b/p1")
            self.assertEqual(store.jobs(), [])
            store.close()


if __name__ == "__main__":
    unittest.main()
