"""Caches, events, Stop, and meshes as bytes."""

from __future__ import annotations

import json
import random
import tempfile
import threading
import unittest
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import numpy as np

from jukai.app.benches import Benches
from jukai.app.caches import Budget, ByteCache, blocks_of, size_of
from jukai.app.events import Events
from jukai.app.meshes_kept import mesh_from_bytes, mesh_to_bytes
from jukai.app.ports import NotThere
from jukai.app.workshop import Workshop
from jukai.core.geometry.elements import element_bytes
from jukai.core.geometry.view import view_digest
from jukai.jobs import ThreadEngine
from jukai.store import SqliteStore
from tests.common import EXAMPLE
from tests.recipes import bench_of, body


class Caches(unittest.TestCase):
    def test_the_least_used_goes_first(self) -> None:
        memory = Budget(1000)
        cache, other = memory.cache(len), memory.cache(len)
        cache.put("a", bytes(400))
        other.put("b", bytes(400))
        cache.get("a")
        cache.put("c", bytes(400))
        self.assertEqual([cache.get(k) is not None for k in "ac"], [True, True])
        self.assertIsNone(other.get("b"))  # one limit for both
        self.assertEqual(memory.held, 800)
        cache.put("huge", bytes(9900))
        self.assertEqual((len(cache), len(other), memory.held), (1, 0, 9900))
        cache.put("huge", bytes(1))
        self.assertEqual(memory.held, 1)

    def test_a_guess_that_is_too_high_pushes_nothing_out(self) -> None:
        memory = Budget(10_000)
        cache: ByteCache[object] = memory.cache(lambda _: 6000)
        table = np.arange(100, dtype=np.float64)
        cache.put("a", {"points": table, "view": table[10:], "bytes": table.data.cast("B")})
        cache.put("b", [table, table.reshape(10, 10)])  # the same array again
        self.assertEqual(len(cache), 2)
        self.assertEqual(memory.held, 6000 + 800 + 64)  # the older one is weighed, the newer one guessed
        self.assertIsNotNone(cache.get("a"))  # it may grow: it is guessed again
        cache.put("c", b"")
        self.assertEqual(len(cache), 3)
        self.assertEqual(memory.held, 6000 + 800 + 64)

    def test_what_is_held_is_what_was_used_last_whatever_is_done(self) -> None:
        """Against a model: everything is weighed, and the least lately used goes while that is too much."""
        chance = random.Random(4)
        memory = Budget(50_000)
        caches: list[ByteCache[bytes]] = [memory.cache(lambda row: 2 * len(row)) for _ in range(3)]
        used: list[tuple[int, str]] = []
        sizes: dict[tuple[int, str], int] = {}
        for _ in range(3000):
            key = chance.randrange(3), str(chance.randrange(40))
            if chance.random() < 0.5:
                found = caches[key[0]].get(key[1])
                if found is not None:
                    self.assertEqual(len(found), sizes[key])
            else:
                sizes[key] = chance.randrange(1, 9000)
                caches[key[0]].put(key[1], bytes(sizes[key]))
                found = b""
            if found is not None:
                used = [k for k in used if k != key] + [key]
            there = [k for k in used if caches[k[0]]._budget._rows.get((caches[k[0]]._number, k[1])) is not None]
            # what is gone was used before all that is there
            self.assertEqual(there, used[len(used) - len(there) :])
            used = there
            self.assertLessEqual(sum(sizes[k] for k in used[:-1]), 50_000)
            self.assertEqual(sum(map(len, caches)), len(used))

    def test_many_edits_level_off(self) -> None:
        """Meshes and what is made from them later: what is kept stays under the limit, weighed really."""
        memory = Budget(3_000_000)
        no_files: Any = {}
        workshop = Workshop(memory)
        held = []
        for k in range(40):
            bench = bench_of({"operator": "torus", "sides": 60, "minor_sides": 40, "major_radius": 20 + k})
            views = workshop.views(bench, no_files, subject="b")
            mesh = workshop.mesh(str(views[0]["mesh"]))
            assert mesh is not None
            element_bytes(mesh)
            rows = [row.value for row in memory._rows.values()]
            held.append(sum(size_of(block) for block in blocks_of(rows).values()))
        self.assertLess(max(held), 1.2 * 3_000_000)
        self.assertGreater(held[-1], 0.3 * 3_000_000)


class News(unittest.TestCase):
    def test_listeners_hear_of_their_bench_and_of_what_concerns_all(self) -> None:
        events = Events()
        with events.listening("b1") as one, events.listening("b2") as two, events.listening(None) as all_:
            events.tell("b1", {"kind": "head"})
            events.tell(None, {"kind": "benches"})
            both = [(1, {"kind": "head", "bench": "b1"}), (2, {"kind": "benches"})]
            self.assertEqual([one.next(0), one.next(0)], both)
            self.assertEqual((two.next(0), two.next(0)), (both[1], None))
            self.assertEqual([all_.next(0), all_.next(0)], both)
            for _ in range(500):
                events.tell("b1", {"kind": "head"})  # one that does not read holds nobody up
        self.assertFalse(events.crowded())

    def test_where_very_many_listen_all_hear_the_newest_head_and_of_each_body(self) -> None:
        events = Events()
        with ExitStack() as stack:
            windows = [stack.enter_context(events.listening("b1")) for _ in range(30)]
            for n in range(1, 9):
                events.tell("b1", {"kind": "head", "revision": n})
                events.tell("b1", {"kind": "bodies", "revision": n, "parts": [f"p{n}"]})
            for window in (windows[0], windows[29]):
                heard: list[Any] = []
                last = {"kind": "head", "revision": 8, "bench": "b1"}
                while sum(e["kind"] == "bodies" for e in heard) < 8 or last not in heard:
                    news = window.next(5)
                    assert news is not None, heard
                    heard.append(news[1])
                self.assertEqual(
                    [e["parts"][0] for e in heard if e["kind"] == "bodies"], [f"p{n}" for n in range(1, 9)]
                )

    def test_one_whose_window_is_gone_is_woken(self) -> None:
        events = Events()
        counts: list[int] = []
        events.on_listening(counts.append)
        with events.listening("b1", lambda: True) as one:
            self.assertIsNone(one.next(10))
            self.assertTrue(one.left)
        self.assertEqual(counts, [1, 0])


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
