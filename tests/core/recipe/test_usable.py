"""Numbers that can't be used are refused before anything is kept; what came with a file is not the edit's fault."""

from __future__ import annotations

import json
import random
import unittest
from typing import Any

from jukai.core.errors import CoreError
from jukai.core.formats.bench_file import read_bench
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.core.recipe.evaluate import evaluate

FILE: dict[str, Any] = {
    "format": "jukai-bench", "version": 2, "name": "Lamp", "unit": "mm",
    "dimensions": [{"name": "flutes", "value": 12}, {"name": "height", "value": 40}, {"name": "half", "value": "height / 2"}],
    "curves": [{"id": "c1", "name": "Side", "points": [{"id": "p1", "at": [10, 0]}, {"id": "p2", "at": [12, "half"]}, {"id": "p3", "at": [9, "height"]}]}],
    "parts": [
        {"id": "p1", "name": "Stem", "recipe": [
            {"id": "s1", "operator": "revolve", "values": {"profile": "c1", "sides": "flutes * 2"}},
            {"id": "s2", "operator": "twist", "values": {"turn": 30, "from": "10 %"}},
            {"id": "s3", "operator": "bevel", "values": {"width": 0.5, "pick": {"rule": "sharper_than", "angle": 30}}},
        ]},
        {"id": "p2", "name": "Foot", "recipe": [{"id": "s1", "operator": "box", "values": {"size": [20, 20, "height / 10"], "counts": [1, 2, 3]}}]},
    ],
}  # fmt: skip


def value(part: str, step: str, key: str, raw: object) -> dict[str, object]:
    return {"kind": "set_value", "part": part, "step": step, "key": key, "value": raw}


REFUSED: tuple[tuple[dict[str, object], tuple[str, ...]], ...] = (
    (value("p1", "s1", "sides", "abc"), ("'abc' is no named number", "flutes")),
    (value("p1", "s1", "sides", "flutes +"), ("missing at the end",)),
    (value("p1", "s1", "sides", 0), ("Sides is 0.", "1 is the least")),
    (value("p1", "s1", "sides", "flutes - 12"), ("Sides is 0.",)),
    (value("p1", "s2", "turn", "8 mm"), ("length", "angle")),
    (value("p1", "s2", "from", "x %"), ("'x' is no named number",)),
    (value("p1", "s3", "width", "8 deg"), ("angle", "length")),
    (value("p1", "s3", "width", -1), ("Width is -1",)),
    (value("p1", "s3", "width", [1]), ("a number or a formula",)),
    (value("p1", "s3", "pick/angle", "8 mm"), ("length", "angle")),
    (value("p2", "s1", "size/0", 0), ("The box is 0 mm along X.", "over 0")),
    (value("p2", "s1", "size/2", "1e9 m"), ("most",)),
    (value("p2", "s1", "counts/1", 0), ("0 faces along Y",)),
    (value("p2", "s1", "counts/1", 10**7), ("faces",)),
    ({"kind": "set_dimension", "name": "height", "value": 5, "new": True}, ("a number 'height' already: it is 40", "another name")),
    ({"kind": "set_dimension", "name": "height", "value": "half * 2"}, ("made of each other", "height", "half")),
    ({"kind": "set_dimension", "name": "height", "value": "height"}, ("made of each other",)),
    ({"kind": "set_dimension", "name": "height", "value": "tall"}, ("'tall' is no named number",)),
    ({"kind": "set_dimension", "name": "flutes", "value": 1}, ("'Stem', turn: A whole turn in 2 sides", "3 is the least")),
    ({"kind": "set_dimension", "name": "height", "value": 0}, ("'Foot', box: The box is 0 mm along Z.",)),
    ({"kind": "set_dimension", "name": "flutes", "value": "12 deg"}, ("'Stem'",)),
    ({"kind": "set_point", "curve": "c1", "point": "p1", "at": ["abc", 0]}, ("'abc' is no named number",)),
    ({"kind": "set_point", "curve": "c1", "point": "p1", "fillet": -2}, ("radius at point 1 is -2 mm",)),
    ({"kind": "set_curve", "curve": "c1", "sampling": {"tolerance": 0}}, ("too fine",)),
    ({"kind": "set_part", "part": "p2", "placement": {"move": ["abc", 0, 0]}}, ("'abc' is no named number",)),
    ({"kind": "set_part", "part": "p2", "placement": {"scale": [1, 0, 1]}}, ("scale of 'Foot' is 0",)),
    ({"kind": "set_part", "part": "p2", "placement": {"extents": {"top": "90 deg"}}}, ("angle", "length")),
    ({"kind": "add_step", "part": "p2", "step": "s2", "operator": "twist", "values": {"turn": "abc"}, "after": "s1"}, ("'abc'",)),
    ({"kind": "add_part", "part": "p3", "name": "Ball", "step": "s1", "operator": "sphere", "values": {"radius": -1}}, ("-1",)),
)  # fmt: skip
KEPT = (
    value("p1", "s1", "sides", "flutes * 3"),
    value("p1", "s2", "turn", "1 rad"),
    value("p1", "s2", "from", "flutes %"),
    value("p1", "s2", "from", "half / 10"),
    value("p1", "s3", "width", None),
    value("p2", "s1", "size/0", "1 in"),
    {"kind": "set_dimension", "name": "height", "value": "flutes * 4"},
    {"kind": "set_dimension", "name": "gap", "value": 0.5, "new": True},
    {"kind": "set_point", "curve": "c1", "point": "p1", "at": ["flutes", 0], "fillet": "half / 10"},
    {"kind": "set_point", "curve": "c1", "point": "p1", "at": [9, 50]},  # it crosses itself: told at the step
    {"kind": "add_step", "part": "p2", "step": "s2", "operator": "bevel", "values": {}, "after": "s1"},
    {"kind": "add_part", "part": "p3", "name": "Loose", "step": "s1", "operator": "revolve", "values": {}},
)


def opened(**changes: object) -> Bench:
    return read_bench(json.dumps(FILE | changes).encode())


def outcome(bench: Bench, edit: dict[str, Any]) -> Bench | str:
    try:
        return apply_edit(bench, parse_edit(edit))
    except CoreError as e:
        return e.sentence()


class Refusing(unittest.TestCase):
    def test_what_can_not_be_used_is_refused_with_words(self) -> None:
        for edit, words in REFUSED:
            with self.subTest(edit):
                said = outcome(opened(), edit)
                assert isinstance(said, str), "it was kept"
                for word in words:
                    self.assertIn(word, said)

    def test_what_can_be_used_is_kept(self) -> None:
        for edit in KEPT:
            with self.subTest(edit):
                self.assertIsInstance(outcome(opened(), edit), Bench)

    def test_what_came_with_the_file_stops_no_edit_elsewhere(self) -> None:
        """A bench with wrong numbers is edited, mended, and refuses only what the edit itself writes."""
        parts = json.loads(json.dumps(FILE["parts"]))
        parts[0]["recipe"][0]["values"]["sides"] = "abc"
        parts[1]["recipe"][0]["values"]["size"][0] = -3
        bench = opened(parts=parts)
        self.assertEqual([evaluate(bench, p).failed is None for p in ("p1", "p2")], [False, False])
        for edit in (
            value("p1", "s2", "turn", 40),
            value("p1", "s1", "angle", 90),
            {"kind": "set_dimension", "name": "flutes", "value": 20},
            {"kind": "set_dimension", "name": "height", "value": 50},
            {"kind": "set_part", "part": "p2", "name": "Base"},
            value("p1", "s1", "sides", 30),
            value("p2", "s1", "size/0", 3),
        ):
            with self.subTest(edit):
                self.assertIsInstance(outcome(bench, edit), Bench)
        self.assertIn("'abd'", str(outcome(bench, value("p1", "s1", "sides", "abd"))))

    def test_random_edits_leave_no_number_that_can_not_be_used(self) -> None:
        """400 edits with numbers good and bad: what is kept works as far as numbers go, what is refused changes nothing."""
        chance = random.Random(15)
        bench = opened()
        raws = (
            0,
            1,
            3,
            -2,
            12,
            0.5,
            1e12,
            "flutes",
            "half",
            "height * 2",
            "abc",
            "1 +",
            "2 deg",
            "3 mm",
            "",
            None,
            "50 %",
        )
        refused = 0
        for _ in range(400):
            name = chance.choice(("flutes", "height", "half"))
            raw = chance.choice(raws)
            step, key = chance.choice(
                (("s1", "sides"), ("s1", "angle"), ("s2", "turn"), ("s2", "from"), ("s3", "width"))
            )
            edit = chance.choice((
                {"kind": "set_dimension", "name": name, "value": raw},
                value("p1", step, key, raw),
                value("p2", "s1", f"size/{chance.randrange(3)}", raw),
                {"kind": "set_point", "curve": "c1", "point": "p2", "at": [10, raw]},
            ))  # fmt: skip
            before = bench.to_json()
            found: Bench | str
            try:
                found = outcome(bench, edit)
            except ValueError:
                found = "no edit at all"  # pydantic's own, for what is not of its form
            if isinstance(found, str):
                refused += 1
                self.assertEqual(bench.to_json(), before)
                continue
            bench = found
            for part in ("p1", "p2"):
                first = evaluate(bench, part, upto="s1").error
                fine = first is None or (
                    first.code not in ("formula", "cycle") and "is the least" not in first.sentence()
                )
                self.assertTrue(fine, f"{edit}: {first}")
        self.assertGreater(refused, 80)
        self.assertLess(refused, 350)


if __name__ == "__main__":
    unittest.main()
