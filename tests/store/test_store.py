"""The store: revisions, undo, branches, joins; and that kill -9 loses nothing acknowledged."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

from jukai.app.ports import NotThere, Stale
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.edits import apply_edit, parse_edit, with_point_ids
from jukai.store import SqliteStore, migrations
from tests.common import ROOT
from tests.recipes import bench_of

STREAM = """
import os, sys
from pathlib import Path
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.store import SqliteStore

def stream():
    store = SqliteStore(Path(sys.argv[1]))
    number, document = store.document("b1")
    while True:
        edit = parse_edit({"kind": "set_dimension", "name": "n", "value": number})
        bench = apply_edit(Bench.model_validate(document), edit)
        document = bench.to_json()
        number = store.append("b1", number, edit.model_dump(mode="json"), document, "n", author="a", join=False)
        os.write(1, f"{number}\\n".encode())  # a line of this size arrives whole or not at all

bench = Bench.model_validate_json(sys.argv[2])
apply_edit(bench, parse_edit({"kind": "set_dimension", "name": "n", "value": 0}))
for _ in sys.stdin:
    child = os.fork()
    if not child:
        os.write(1, f"{os.getpid()}\\n".encode())
        stream()
    os.waitpid(child, 0)
    os.write(1, b"end\\n")
"""
"""Loads what it needs once; each line it is sent makes a process that streams edits until it is killed."""


class Clock:
    def __init__(self) -> None:
        self.now = 1000.0

    def __call__(self) -> float:
        return self.now


class StoreTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "deep" / "jukai.db"
        self.clock = Clock()
        self.store = SqliteStore(self.path, self.clock)
        self.addCleanup(lambda: self.store.close())
        self.bench = with_point_ids(bench_of({"operator": "box"}, dimensions={"n": 0}))
        self.head = self.store.create("b1", self.bench.to_json(), "new", author="a")

    def edit(self, value: Any, *, join: bool = False, base: int | None = None, author: str = "a") -> int:
        edit = parse_edit({"kind": "set_dimension", "name": "n", "value": value})
        _, document = self.store.document("b1")
        done = apply_edit(Bench.model_validate(document), edit).to_json()
        self.head = self.store.append(
            "b1", self.head if base is None else base, edit.model_dump(mode="json"), done, "n", author=author, join=join
        )
        return self.head

    def value(self) -> Any:
        return self.store.document("b1")[1]["dimensions"][0]["value"]

    def again(self) -> None:
        self.store.close()
        self.store = SqliteStore(self.path, self.clock)

    def test_a_new_folder_and_its_database_are_for_their_owner_alone(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "data" / "jukai.db"
            for _ in range(2):  # one that others could read is closed to them when it is opened again
                store = SqliteStore(path)
                store.benches()
                self.assertEqual(path.parent.stat().st_mode & 0o777, 0o700)
                for file in path.parent.iterdir():
                    self.assertEqual(file.stat().st_mode & 0o777, 0o600, file.name)
                store.close()
                path.chmod(0o644)

    def test_undo_and_redo_across_restarts(self) -> None:
        for i in range(1, 46):
            self.edit(i)
        for step in range(44, 20, -1):
            if step % 7 == 0:
                self.again()
            self.head = self.store.undo("b1", self.head)
            self.assertEqual(self.value(), step)
        undo, redo = self.store.steps("b1")
        self.assertEqual((undo.number if undo else 0, redo.number if redo else 0), (22, 23))
        self.again()
        for step in range(22, 46):
            self.head = self.store.redo("b1", self.head)
            self.assertEqual(self.value(), step)
        self.assertEqual(self.store.redo("b1", self.head), self.head)
        self.assertIsNone(self.store.steps("b1")[1])

    def test_undo_stops_at_the_first(self) -> None:
        self.assertEqual(self.store.undo("b1", self.head), 1)
        self.assertIsNone(self.store.steps("b1")[0])

    def test_an_older_branch_stays_listed_and_can_be_gone_back_to(self) -> None:
        self.edit(1)
        lost = self.edit(2)
        self.head = self.store.undo("b1", self.head)
        self.edit(3)
        rows = {r.number: r for r in self.store.history("b1")}
        self.assertFalse(rows[lost].on_branch)
        self.head = self.store.go_to("b1", lost)
        self.assertEqual(self.value(), 2)
        self.head = self.store.undo("b1", self.head)
        self.head = self.store.redo("b1", self.head)
        self.assertEqual(self.value(), 2)

    def test_a_stale_edit_is_told_the_newer_head(self) -> None:
        base = self.head
        newer = self.edit(1)
        for act in (
            lambda: self.edit(2, base=base),
            lambda: self.store.undo("b1", base),
            lambda: self.store.redo("b1", base),
        ):
            with self.assertRaises(Stale) as caught:
                act()
            self.assertEqual(caught.exception.head, newer)

    def test_steps_within_a_second_join(self) -> None:
        self.edit(1)
        for i in range(2, 6):
            self.clock.now += 0.5
            self.edit(i, join=True)
        self.assertEqual(len(self.store.history("b1")), 2)
        self.clock.now += 1.5
        self.edit(6, join=True)
        self.edit(7, join=True, author="other")
        self.edit(8)
        self.assertEqual(len(self.store.history("b1")), 5)
        self.again()
        self.assertEqual(self.value(), 8)

    def test_names_list_files_and_baked(self) -> None:
        self.store.name_revision("b1", 1, "first light")
        self.assertEqual(self.store.history("b1")[-1].name, "first light")
        self.store.remove("b1", removed=True)
        self.assertIsNotNone(self.store.row("b1").removed)
        self.store.remove("b1", removed=False)
        self.assertIsNone(self.store.benches()[0].removed)
        self.store.keep_file("b1", "a.obj", b"v")
        ((name, size, digest),) = ((f.name, f.size, f.hash) for f in self.store.file_rows("b1"))
        self.assertEqual((name, size, self.store.blob(digest)), ("a.obj", 1, b"v"))
        first = self.store.keep_baked("b1", "p1", "Part", 1, "k", {"faces": 6}, b"mesh")
        second = self.store.keep_baked("b1", "p1", "Part", 1, "k", {"faces": 6}, b"mesh2")
        self.assertEqual([b.id for b in self.store.baked("b1")], [second])
        self.assertEqual(self.store.baked_mesh("b1", second), b"mesh2")
        with self.assertRaises(NotThere):
            self.store.baked_mesh("b1", first if first != second else 99)
        self.store.remove_baked("b1", second)
        self.assertEqual(self.store.baked("b1"), [])

    def test_not_there(self) -> None:
        for act in (
            lambda: self.store.document("b2"),
            lambda: self.store.go_to("b1", 77),
            lambda: self.store.row("x"),
            lambda: self.store.file_rows("x"),
        ):
            with self.assertRaises(NotThere):
                act()

    def test_tables_are_those_of_the_migrations(self) -> None:
        from alembic.autogenerate import compare_metadata
        from alembic.migration import MigrationContext

        from jukai.store.models import Base

        with self.store._engine.connect() as c:
            self.assertEqual(compare_metadata(MigrationContext.configure(c), Base.metadata), [])
        files = sorted(p.stem.split("_")[0] for p in (ROOT / "src/jukai/store/migrations/versions").glob("0*.py"))
        self.assertEqual(files[-1], migrations.HEAD)

    def test_kill_nine_loses_nothing_acknowledged(self) -> None:
        """Fifty times: a process that streams edits is killed at some moment; all it acknowledged is there."""
        self.store.close()
        rng = random.Random(3)
        acknowledged = 1
        parent = subprocess.Popen(
            [sys.executable, "-c", STREAM, str(self.path), self.bench.model_dump_json(by_alias=True)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, cwd=ROOT, text=True
        )  # fmt: skip
        self.addCleanup(parent.communicate)
        assert parent.stdin is not None and parent.stdout is not None
        for _ in range(50):
            parent.stdin.write("\n")
            parent.stdin.flush()
            child, last = int(parent.stdout.readline()), parent.stdout.readline()
            time.sleep(rng.uniform(0, 0.03))
            os.kill(child, signal.SIGKILL)
            while last != "end\n":
                acknowledged, last = int(last), parent.stdout.readline()
            store = SqliteStore(self.path)
            number, document = store.document("b1")
            store.close()
            self.assertGreaterEqual(number, acknowledged)
            self.assertEqual(document["dimensions"][0]["value"], number - 1)
        self.assertGreater(acknowledged, 50)
        self.store = SqliteStore(self.path)


if __name__ == "__main__":
    unittest.main()
