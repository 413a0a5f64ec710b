"""History that lasts: databases made before, stored documents, files by hash, a server that is killed while it migrates."""

from __future__ import annotations

import json
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any
from unittest.mock import patch

from jukai.app.files import BenchFiles
from jukai.app.ports import NotThere
from jukai.core.formats.bench_file import bench_from
from jukai.store import SqliteStore
from jukai.store.documents import DEEPEST, decode, encode, text_of
from tests.common import ROOT
from tests.kept import KEPT, bodies_of

KEPT_HISTORY: dict[str, Any] = json.loads((KEPT / "history-1.json").read_text())
BENCH = KEPT_HISTORY["bench"]


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "jukai.db"

    def opened(self) -> SqliteStore:
        store = SqliteStore(self.path)
        self.addCleanup(store.close)
        return store


class MadeBefore(Folder):
    def setUp(self) -> None:
        super().setUp()
        shutil.copy(KEPT / "history-1.db", self.path)

    def test_every_revision_opens_and_gives_the_bodies_it_gave(self) -> None:
        store = self.opened()
        rows = {r.number: [r.parent, r.label, r.name] for r in store.history(BENCH)}
        self.assertEqual(rows, {int(n): row for n, row in KEPT_HISTORY["labels"].items()})
        self.assertEqual(store.row(BENCH).head, KEPT_HISTORY["head"])
        files = BenchFiles(store, BENCH).all()
        for number, bodies in KEPT_HISTORY["bodies"].items():
            with self.subTest(revision=number):
                self.assertEqual(bodies_of(bench_from(store.document(BENCH, int(number))[1]), files), bodies)
        for number in rows:
            self.assertEqual(store.document(BENCH, number)[1]["version"], 2)
        self.assertEqual([b.part for b in store.baked(BENCH)], ["p9"])

    def test_no_edit_is_run_to_open_one(self) -> None:
        self.opened().close()
        with patch("jukai.core.recipe.edits.apply_edit", side_effect=AssertionError("an edit was run")):
            store = self.opened()
            for row in store.history(BENCH):
                store.document(BENCH, row.number)

    def test_undo_and_new_edits_go_on_from_there(self) -> None:
        store = self.opened()
        head = store.undo(BENCH, KEPT_HISTORY["head"])
        _, document = store.document(BENCH, head)
        number = store.append(
            BENCH, head, {"kind": "set_bench", "name": "On"}, document | {"name": "On"}, "name", author="w", join=False
        )
        self.assertEqual(store.document(BENCH, number)[1]["name"], "On")

    def test_killed_while_it_migrates_it_begins_anew(self) -> None:
        """Kills at several moments; each time the database is either as it was or done."""
        code = "import sys\nfrom pathlib import Path\nfrom jukai.store import SqliteStore\nprint('go', flush=True)\nSqliteStore(Path(sys.argv[1]))\n"
        for wait in (0.0, 0.2, 0.35, 0.5, 0.65, 0.8):
            process = subprocess.Popen([sys.executable, "-c", code, str(self.path)], stdout=subprocess.PIPE, cwd=ROOT)
            assert process.stdout is not None
            process.stdout.readline()
            time.sleep(wait)  # nothing is waited for: this is the moment of the kill
            process.send_signal(signal.SIGKILL)
            process.wait()
            process.stdout.close()
            with sqlite3.connect(self.path) as c:
                (version,) = c.execute("SELECT version_num FROM alembic_version").fetchone()
                tables = {row[0] for row in c.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            c.close()
            self.assertEqual("snapshot" in tables, version == "0001")
            self.assertEqual("blob" in tables, version == "0002")
        self.assertEqual(len(self.opened().history(BENCH)), len(KEPT_HISTORY["labels"]))


class Documents(unittest.TestCase):
    def test_any_text_comes_back(self) -> None:
        chance = random.Random(4)
        base: bytes | None = None
        for _ in range(300):
            text = (
                bytes(chance.choices(b"ab", k=chance.randint(0, 40))) if base is None or chance.random() < 0.3 else base
            )
            cut = chance.randint(0, len(text))
            text = (
                text[:cut]
                + bytes(chance.choices(b"abc", k=chance.randint(0, 5)))
                + text[chance.randint(cut, len(text)) :]
            )
            self.assertEqual(decode(encode(text, base), base), text)
            base = text

    def test_a_change_of_one_number_is_small(self) -> None:
        document: dict[str, Any] = {"parts": [{"id": f"p{i}", "size": [i, 2 * i, 3.5]} for i in range(300)]}
        text = text_of(document)
        document["parts"][150]["size"][1] = 7
        self.assertLess(len(encode(text_of(document), text)), 60)

    def test_damage_is_told(self) -> None:
        data = bytearray(encode(b"a" * 500 + b"b", b"a" * 400))
        self.assertRaises(ValueError, decode, bytes(data), b"a" * 399 + b"c")
        self.assertRaises(ValueError, decode, bytes(data), None)


class Stored(Folder):
    def test_long_histories_with_branches(self) -> None:
        """By chance: edits, undo, redo, jumps, joins; a model remembers each document, a store opened anew agrees."""
        chance = random.Random(8)
        store = self.opened()
        document: dict[str, Any] = {"format": "jukai-bench", "version": 2, "name": "T", "unit": "mm", "parts": []}
        store.create("b", document, "new", author="w")
        model = {1: document}
        for i in range(150):
            head, document = store.document("b")
            self.assertEqual(document, model[head])
            roll = chance.random()
            if roll < 0.7:
                document = document | {"name": f"T{i}", "floor": chance.choice([50, 100, 200])}
                edit = {"kind": "set_bench", "name": f"T{i}"}
                join = chance.random() < 0.2
                number = store.append("b", head, edit, document, "name", author="w", join=join)
                model[number] = document
                model = {r.number: model[r.number] for r in store.history("b")}
            elif roll < 0.85:
                store.undo("b", head)
            elif roll < 0.95:
                store.redo("b", head)
            else:
                store.go_to("b", chance.choice(list(model)))
        again = self.opened()
        for number, document in model.items():
            self.assertEqual(again.document("b", number)[1], document)
        with sqlite3.connect(self.path) as c:
            (deepest,) = c.execute("SELECT max(depth) FROM revision").fetchone()
        c.close()
        self.assertLess(deepest, DEEPEST)

    def test_files_stand_once_under_their_hash(self) -> None:
        store = self.opened()
        document = {"name": "T"}
        store.create("a", document, "new", author="w", files={"one.obj": b"1" * 1000, "two.obj": b"1" * 1000})
        store.create("b", document, "copy", author="w", copied_from="a")
        hashes = {f.hash for bench in ("a", "b") for f in store.file_rows(bench)}
        self.assertEqual((len(hashes), len(store.file_rows("b"))), (1, 2))
        self.assertEqual(store.blob(hashes.pop()), b"1" * 1000)
        self.assertRaises(NotThere, store.blob, "nothing")
        with self.assertRaises(Exception):  # noqa: B017 - whatever the database says
            store.create("a", document, "again", author="w", files={"x": b""})
        self.assertNotIn("x", [f.name for f in store.file_rows("a")])


if __name__ == "__main__":
    unittest.main()
