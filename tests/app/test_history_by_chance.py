"""Edits, undo, redo and going back by chance, against a plain list of documents; through restarts."""

from __future__ import annotations

import random
import tempfile
import unittest
from pathlib import Path
from typing import Any

from jukai.app.benches import Benches
from jukai.app.events import Events
from jukai.app.ports import Stale
from jukai.app.workshop import Workshop
from jukai.core.errors import CoreError
from jukai.core.formats.bench_file import bench_from
from jukai.core.recipe.bench import Bench
from jukai.jobs import ThreadEngine
from jukai.store import SqliteStore

ROUNDS = 90
DOCUMENT = {
    "format": "jukai-bench", "version": 2, "name": "By chance", "unit": "mm", "dimensions": [{"name": "gap", "value": 2}],
    "curves": [{"id": "c1", "name": "Edge", "points": [{"id": "q1", "at": [3, 0]}, {"id": "q2", "at": [5, 8]}]}],
    "parts": [
        {"id": "p1", "name": "Block", "recipe": [{"id": "s1", "operator": "box", "values": {"size": [4, "gap", 3]}}]},
        {"id": "p2", "name": "Turned", "recipe": [{"id": "s1", "operator": "revolve", "values": {"profile": "c1", "sides": 5}}]},
    ],
}  # fmt: skip


class Told:
    """What the history has to be: documents by number, each with the number it came from, the head and the newest of its branch."""

    def __init__(self, document: dict[str, Any]) -> None:
        self.documents = {1: document}
        self.parent: dict[int, int | None] = {1: None}
        self.head = self.tip = 1

    def line(self) -> list[int]:
        """Return the revisions from the first to the newest of this branch."""
        out = [self.tip]
        while (n := self.parent[out[-1]]) is not None:
            out.append(n)
        return out[::-1]

    def edited(self, number: int, document: dict[str, Any]) -> None:
        self.documents[number], self.parent[number] = document, self.head
        self.head = self.tip = number

    def undone(self) -> None:
        self.head = self.parent[self.head] or self.head

    def redone(self) -> None:
        line = self.line()
        self.head = line[min(line.index(self.head) + 1, len(line) - 1)]

    def gone_to(self, number: int) -> None:
        if number not in self.line():
            self.tip = number
        self.head = number


def edit_by_chance(chance: random.Random, bench: Bench) -> dict[str, Any]:
    """Return an edit of a kind that may or may not be possible on the bench as it is."""
    part = chance.choice(bench.parts) if bench.parts else None
    name = chance.choice([d.name for d in bench.dimensions] or ["none"])
    new = f"n{chance.randint(0, 9)}"
    edits: list[dict[str, Any]] = [
        {"kind": "set_dimension", "name": name, "value": chance.choice([3, "1 + 2", f"{new} + 1"])},
        {"kind": "set_dimension", "name": new, "value": chance.randint(1, 9)},
        {"kind": "rename_dimension", "name": name, "new_name": new},
        {"kind": "remove_dimension", "name": name},
        {"kind": "set_point", "curve": "c1", "point": chance.choice(["q1", "q2", "q9"]), "at": [chance.randint(1, 9), 4]},
        {"kind": "set_bench", "name": f"Bench {chance.randint(0, 9)}"},
    ]  # fmt: skip
    if part is not None:
        step = chance.choice(part.recipe).id if part.recipe else "s9"
        fresh = f"t{chance.randint(0, 99)}"
        edits += [
            {"kind": "set_value", "part": part.id, "step": step, "key": "size/1", "value": chance.choice([7, name])},
            {"kind": "set_value", "part": part.id, "step": step, "key": "sides", "value": chance.randint(3, 9)},
            {"kind": "add_step", "part": part.id, "step": fresh, "operator": "twist", "after": step},
            {"kind": "move_step", "part": part.id, "step": step, "after": None},
            {"kind": "set_step", "part": part.id, "step": step, "on": chance.random() < 0.5},
            {"kind": "remove_step", "part": part.id, "step": step},
            {"kind": "set_part", "part": part.id, "hidden": chance.random() < 0.5},
        ]
    return chance.choice(edits)


class ByChance(unittest.TestCase):
    def open(self, path: Path) -> tuple[SqliteStore, Benches]:
        store = SqliteStore(path)
        self.addCleanup(store.close)
        benches = Benches(store, Workshop(), Events(), ThreadEngine())
        self.addCleanup(benches.work.close)
        return store, benches

    def test_the_history_is_what_a_list_of_documents_is(self) -> None:
        chance = random.Random(5)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "a.db"
        store, benches = self.open(path)
        store.create("b", bench_from(DOCUMENT).to_json(), "new", author="t")
        told = Told(store.document("b")[1])
        refused = edits = 0
        for turn in range(ROUNDS):
            if turn % 30 == 29:  # a restart
                benches.work.close()
                store.close()
                store, benches = self.open(path)
            head = told.head
            what = chance.choice(["edit"] * 5 + ["undo"] * 3 + ["redo", "redo", "go", "stale"])
            with self.subTest(turn, what=what):
                if what == "edit":
                    try:
                        number = benches.edit("b", head, edit_by_chance(chance, bench_from(told.documents[head])), "t")
                    except CoreError:
                        refused += 1  # and nothing has changed
                    else:
                        edits += 1
                        self.assertEqual(number, max(told.documents) + 1)
                        told.edited(number, store.document("b", number)[1])
                elif what == "undo":
                    told.undone()
                    self.assertEqual(benches.move_head("b", "undo", head, "t"), told.head)
                elif what == "redo":
                    told.redone()
                    self.assertEqual(benches.move_head("b", "redo", head, "t"), told.head)
                elif what == "go":
                    number = chance.choice(list(told.documents))
                    told.gone_to(number)
                    self.assertEqual(benches.move_head("b", "go-to", head, "t", number), number)
                else:
                    with self.assertRaises(Stale):
                        benches.edit("b", head + 1000, {"kind": "set_bench", "name": "Late"}, "t")
                number, document = store.document("b")
                self.assertEqual((number, document), (told.head, told.documents[told.head]))
                before, onward = store.steps("b")
                self.assertEqual(before is not None, told.parent[told.head] is not None)
                self.assertEqual(onward is not None, told.head != told.tip)
        self.assertGreater(edits, 20)
        self.assertGreater(refused, 2)
        for number, document in told.documents.items():  # every revision there ever was, stored documents only
            self.assertEqual(store.document("b", number)[1], document)
        self.assertEqual({r.number: r.parent for r in store.history("b")}, told.parent)
        self.assertEqual({r.number for r in store.history("b") if r.on_branch}, set(told.line()))

    def test_changes_told_lead_from_any_revision_to_the_next(self) -> None:
        """What the page is told of an edit, put into what it has, is the document that is stored."""
        chance = random.Random(9)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        store, benches = self.open(Path(folder.name) / "a.db")
        store.create("b", bench_from(DOCUMENT).to_json(), "new", author="t")
        benches.state("b", wait=0)  # a window looks at it
        told = 0
        for _ in range(60):
            head, before = store.document("b")
            try:
                number = benches.edit("b", head, edit_by_chance(chance, bench_from(before)), "t")
            except CoreError:
                continue
            changes = benches.changes("b", head, wait=0)
            told += 1
            self.assertEqual((changes.base, changes.revision), (head, number))
            self.assertEqual(merged(before, changes.document), bench_from(store.document("b")[1]).to_json())
        self.assertGreater(told, 20)


def merged(before: dict[str, Any], change: dict[str, Any]) -> dict[str, Any]:
    """Put changes into a document, as the page does (``shared/changes.ts``)."""
    out = bench_from(before).to_json()
    for name, what in change.items():
        if not isinstance(what, dict):
            out[name] = what
            continue
        key = "id" if name in ("curves", "parts") else "name"
        rows = {row[key]: row for row in out.get(name, [])} | {row[key]: row for row in what["rows"]}
        order = what["order"] if what["order"] is not None else list(rows)
        out[name] = [rows[k] for k in order]
    return bench_from(out).to_json()


if __name__ == "__main__":
    unittest.main()
