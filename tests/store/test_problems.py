"""Databases that can't be used, in words: full, damaged, newer, none, a folder; odd names of folders; room given back."""

from __future__ import annotations

import sqlite3
import tempfile
import unittest
from pathlib import Path

from sqlalchemy import event

from jukai.app.ports import NotThere, StoreProblem
from jukai.main import make
from jukai.store import SqliteStore
from jukai.store.problems import named
from tests.common import REFERENCE, command

DOCUMENT = {"name": "Dome", "parts": []}


class Places(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "jukai.db"

    def opened(self, path: Path | None = None) -> SqliteStore:
        store = SqliteStore(path or self.path)
        self.addCleanup(store.close)
        return store

    def problem(self, path: Path | None = None) -> StoreProblem:
        with self.assertRaises(StoreProblem) as caught:
            SqliteStore(path or self.path)
        self.assertTrue(caught.exception.hint)
        return caught.exception

    def test_folders_may_have_any_name(self) -> None:
        for name in ("what? #1", "50 % & more", "ä b+c;d", "q?mode=memory&cache=shared"):
            with self.subTest(name):
                store = self.opened(self.folder / name / "jukai.db")
                store.create("b", DOCUMENT, "new", author="a")
                self.assertTrue((self.folder / name / "jukai.db").stat().st_size > 0)
                self.assertEqual([r.id for r in self.opened(self.folder / name / "jukai.db").benches()], ["b"])

    def test_what_stands_in_the_way(self) -> None:
        self.path.mkdir()
        self.assertEqual((self.problem().kind, "is a folder" in self.problem().message), ("can_not_open", True))
        file = self.folder / "file"
        file.write_text("text")
        self.assertIn("is a file, not a folder", self.problem(file / "jukai.db").message)
        none = self.folder / "none.db"
        none.write_bytes(b"no database at all, though it is long enough to be looked at" * 40)
        self.assertEqual(self.problem(none).kind, "damaged")

    def test_a_newer_and_a_damaged_database(self) -> None:
        self.opened().create("b", DOCUMENT | {"text": "x" * 200_000}, "new", author="a")
        for store in (self.opened(),):
            store.close()
        raw = sqlite3.connect(self.path)
        raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        raw.execute("UPDATE alembic_version SET version_num = '0907'")
        raw.commit()
        raw.close()
        problem = self.problem()
        self.assertEqual(problem.kind, "newer")
        self.assertIn("0907", problem.message)
        raw = sqlite3.connect(self.path)
        raw.execute("UPDATE alembic_version SET version_num = '0002'")
        raw.commit()
        raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        raw.close()
        data = bytearray(self.path.read_bytes())
        for page in range(2, len(data) // 4096, 3):
            data[page * 4096 : page * 4096 + 600] = b"\xa5" * 600
        self.path.write_bytes(data)
        self.assertEqual(self.problem().kind, "damaged")
        code, out, error = command("serve", "--data", str(self.folder), "--port", "0")
        self.assertEqual((code, out), (2, ""))
        self.assertIn("is damaged", error)
        self.assertEqual(error.count("\n"), 1)

    def test_a_full_disk_is_told_and_nothing_is_lost(self) -> None:
        """SQLite says that the disk is full when it may take no more pages: a real refusal, with 507 over the API."""
        app = make(self.folder, checked=True)
        benches = app.extensions["jukai"]
        self.addCleanup(benches.store.close)
        client = app.test_client()
        bench = client.post("/api/benches", json={"name": "Dome"}).get_json()["id"]
        cube = (REFERENCE / "meshes" / "cube.obj").read_bytes()
        limit = [10**6]
        engine = benches.store._engine
        event.listen(
            engine, "checkout", lambda connection, *_: connection.execute(f"PRAGMA max_page_count = {limit[0]}")
        )
        with engine.connect() as c:
            limit[0] = int(c.exec_driver_sql("PRAGMA page_count").scalar() or 0)
        answer = client.post(f"/api/benches/{bench}/uploads?name=big.obj", data=cube + b"# padding\n" * 40_000)
        self.assertEqual((answer.status_code, answer.get_json()["code"]), (507, "store_full"))
        self.assertIn("The disk is full", answer.get_json()["title"])
        limit[0] = 10**6
        edit = {"base": 1, "edit": {"kind": "set_bench", "name": "Later"}}
        self.assertEqual(client.post(f"/api/benches/{bench}/edits", json=edit).get_json()["revision"], 2)

    def test_what_sqlite_says_is_named(self) -> None:
        for code, kind in (
            (sqlite3.SQLITE_READONLY, "read_only"),
            (sqlite3.SQLITE_IOERR | 3 << 8, "unreadable"),
            (sqlite3.SQLITE_BUSY, "busy"),
        ):
            error = sqlite3.OperationalError("as SQLite says it")
            error.sqlite_errorcode = code
            with self.assertRaises(StoreProblem) as caught, named():
                raise error
            self.assertEqual(caught.exception.kind, kind)
        with self.assertRaises(sqlite3.OperationalError), named():
            raise sqlite3.OperationalError("no such table: a fault of our own")

    def test_removed_benches_can_be_deleted_for_good(self) -> None:
        """Files stand once whoever has them; what only removed benches had goes, and the disk has its room again."""
        store = self.opened()
        big, own = bytes(range(256)) * 8000, b"of one alone" * 100_000
        store.create("kept", DOCUMENT, "new", author="a", files={"big.stl": big})
        store.create("gone", DOCUMENT, "new", author="a", files={"same.stl": big, "own.stl": own})
        with store._session() as s:
            self.assertEqual(s.connection().exec_driver_sql("SELECT count(*) FROM blob").scalar(), 2)
        store.document("gone")
        self.assertEqual(store.empty_removed()[0], 0)
        store.remove("gone", removed=True)
        count, room = store.empty_removed()
        self.assertEqual(count, 1)
        self.assertGreater(room, len(own))
        self.assertEqual([r.id for r in store.benches()], ["kept"])
        with self.assertRaises(NotThere):
            store.document("gone")
        self.assertEqual(store.blob(store.file_rows("kept")[0].hash), big)
        store.remove("kept", removed=True)
        store.close()
        code, out, _ = command("compact", "--empty", "--data", str(self.folder))
        self.assertEqual(code, 0)
        self.assertRegex(out, r"^1 removed bench deleted, 2\.\d MB given back; 0\.\d MB are left\.$")
        self.assertEqual(command("compact", "--data", str(self.folder / "nowhere"))[0], 2)


if __name__ == "__main__":
    unittest.main()
