"""Caches, events, Stop, and meshes as bytes."""

from __future__ import annotations

import json
import tempfile
import threading
import unittest
from pathlib import Path

import numpy as np

from jukai.app.benches import Benches
from jukai.app.caches import ByteCache
from jukai.app.events import Events
from jukai.app.meshes_kept import mesh_from_bytes, mesh_to_bytes
from jukai.app.ports import NotThere
from jukai.app.workshop import Workshop
from jukai.core.geometry.view import view_digest
from jukai.jobs import ThreadEngine
from jukai.store import SqliteStore
from tests.common import EXAMPLE
from tests.recipes import body


class Caches(unittest.TestCase):
    def test_the_least_used_goes_first(self) -> None:
        cache: ByteCache[bytes] = ByteCache(10, len)
        for key, size in (("a", 4), ("b", 4)):
            cache.put(key, b"x" * size)
        cache.get("a")
        cache.put("c", b"xxxx")
        self.assertEqual([cache.get(k) is not None for k in "abc"], [True, False, True])
        self.assertEqual(cache.held, 8)
        cache.put("huge", b"x" * 99)
        self.assertEqual((len(cache), cache.held), (1, 99))
        cache.put("huge", b"x")
        self.assertEqual(cache.held, 1)


class News(unittest.TestCase):
    def test_listeners_hear_of_their_bench_and_of_what_concerns_all(self) -> None:
        events = Events()
        with events.listening("b1") as one, events.listening("b2") as two:
            events.tell("b1", {"kind": "head"})
            events.tell(None, {"kind": "benches"})
            self.assertEqual([one.next(0), one.next(0)], [(1, {"kind": "head"}), (2, {"kind": "benches"})])
            self.assertEqual((two.next(0), two.next(0)), ((2, {"kind": "benches"}), None))
            for _ in range(500):
                events.tell("b1", {"kind": "head"})  # one that does not read holds nobody up
        self.assertFalse(events.crowded())


class Kept(unittest.TestCase):
    def test_a_mesh_comes_back_from_bytes(self) -> None:
        mesh = body({"operator": "cylinder", "sides": 12}).with_changes(
            edge_pairs=np.array([[0, 1]], np.int32), edge_data={"sharp": np.array([True])}
        )
        again = mesh_from_bytes(mesh_to_bytes(mesh))
        self.assertEqual(again.digest(), mesh.digest())
        self.assertEqual(view_digest(again), view_digest(mesh))


class Work(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = SqliteStore(Path(folder.name) / "a.db")
        self.addCleanup(self.store.close)
        self.benches = Benches(self.store, Workshop(), Events(), ThreadEngine())
        self.bench = self.benches.open_file(EXAMPLE.read_bytes(), "t")

    def test_stop_ends_the_work_and_a_newer_preview_the_older(self) -> None:
        workshop = self.benches.workshop
        asked = workshop.until_stopped("x/head")
        self.assertFalse(asked())
        self.assertFalse(workshop.until_stopped("x/head")())  # beside it, not in its place
        self.assertFalse(asked())
        workshop.stop("x/head")
        self.assertTrue(asked())

    def test_the_same_body_has_the_same_hash_and_another_one_another(self) -> None:
        first = self.benches.state(self.bench).parts[0]["mesh"]
        edit = {"kind": "set_value", "part": "p1", "step": "s2", "key": "turn", "value": 31}
        self.benches.edit(self.bench, 1, edit, "t")
        other = self.benches.state(self.bench).parts[0]["mesh"]
        self.benches.move_head(self.bench, "undo", 2, "t")
        back = self.benches.state(self.bench).parts[0]["mesh"]
        self.assertEqual(first, back)
        self.assertNotEqual(first, other)
        blocks = self.benches.workshop.view_data(first) or ()
        self.assertEqual([b[:4] for b in blocks], [b"JKV2", b"JKP2"])

    def test_edits_from_many_windows_at_once_are_all_kept(self) -> None:
        """Each tries again upon the newer head, as the page does; none is lost and none is done twice."""
        from jukai.app.ports import Stale

        def add(i: int) -> None:
            base = 1
            while True:
                try:
                    self.benches.edit(self.bench, base, {"kind": "set_dimension", "name": f"n{i}", "value": i}, f"w{i}")
                except Stale as e:
                    base = e.head
                else:
                    return

        threads = [threading.Thread(target=add, args=(i,)) for i in range(8)]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        number, document = self.store.document(self.bench)
        self.assertEqual(number, 9)
        self.assertEqual({d["name"] for d in document["dimensions"]}, {"flutes", *(f"n{i}" for i in range(8))})

    def test_a_duplicate_stands_by_itself(self) -> None:
        copy = self.benches.duplicate(self.bench, "t")
        self.benches.edit(copy, 1, {"kind": "set_bench", "name": "Twin"}, "t")
        self.assertEqual(self.store.document(self.bench)[1]["name"], "Example")
        self.assertEqual(json.loads(self.benches.file(copy)[1])["name"], "Twin")

    def test_what_is_not_there(self) -> None:
        with self.assertRaises(NotThere):
            self.benches.state("nowhere")


if __name__ == "__main__":
    unittest.main()
