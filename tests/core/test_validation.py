"""What models refuse is said in our own words: none of the library's reaches a person."""

from __future__ import annotations

import json
import re
import unittest
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from jukai.core.errors import CoreError
from jukai.core.formats.bench_file import read_bench
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.core.validation import in_words
from tests.common import EXAMPLE

LIBRARY = re.compile(r"Input|should|valid |after validation|Extra inputs|Field required|pydantic", re.IGNORECASE)


class Model(BaseModel):
    model_config = ConfigDict(extra="forbid")

    text: str = Field("ab", min_length=2, max_length=3, pattern="^[a-z]+$")
    whole: int = Field(5, ge=1, lt=9)
    number: float = Field(0.5, gt=0, le=2, allow_inf_nan=False)
    rows: list[int] = Field([1], min_length=1, max_length=2)
    choice: Literal["left", "right"] = "left"
    on: bool = True
    inner: Annotated[dict[str, float], Field()] = {}


class Words(unittest.TestCase):
    def test_each_kind_of_error(self) -> None:
        for change, words in (
            ({"text": "a"}, "2 characters are the least"), ({"text": "abcd"}, "3 characters are the most"), ({"text": "A1"}, "not of the form"), ({"text": 5}, "a text is wanted"),
            ({"whole": 0}, "1 is the least"), ({"whole": 9}, "less than 9"), ({"whole": "x"}, "a whole number is wanted"), ({"whole": 1.5}, "a whole number is wanted"),
            ({"number": 0}, "more than 0"), ({"number": 3}, "2 is the most"), ({"number": []}, "a number is wanted"), ({"number": float("nan")}, "a finite number"),
            ({"rows": []}, "1 entry is the least"), ({"rows": [1, 2, 3]}, "2 entries are the most"), ({"rows": 3}, "a list is wanted"), ({"inner": 3}, "a table is wanted"),
            ({"choice": "up"}, "one of 'left' or 'right'"), ({"on": 7}, "true or false is wanted"), ({"more": 1}, "no such thing here"),
        ):  # fmt: skip
            with self.subTest(change):
                with self.assertRaises(ValidationError) as caught:
                    Model.model_validate(change)
                said = in_words(caught.exception.errors()[0])
                self.assertIn(words, said)
                self.assertNotRegex(said, LIBRARY)

    def test_files_and_edits(self) -> None:
        whole = json.loads(EXAMPLE.read_text())

        def file(**changes: object) -> Any:
            return read_bench(json.dumps(whole | changes).encode())

        part = whole["parts"][0]
        for act, words in (
            (lambda: file(parts=[part | {"id": f"p{i}", "name": f"P{i}"} for i in range(501)]), "At parts: 500 entries are the most"),
            (lambda: file(name=5), "At name: a text is wanted"),
            (lambda: file(parts=[{"id": "p1"}]), "name: it is missing"),
            (lambda: file(colour="red"), "At colour: there is no such thing here"),
            (lambda: apply_edit(file(), parse_edit({"kind": "set_part", "part": "p1", "name": "a" * 300})), "200 characters are the most"),
            (lambda: apply_edit(file(), parse_edit({"kind": "dance"})), "'dance' is none of"),
            (lambda: apply_edit(file(), parse_edit({"kind": "set_bench", "floor": -1})), "floor"),
        ):  # fmt: skip
            with self.subTest(words):
                with self.assertRaises(CoreError) as caught:
                    act()
                self.assertIn(words.lower(), caught.exception.sentence().lower())
                self.assertNotRegex(caught.exception.sentence(), LIBRARY)


class Names(unittest.TestCase):
    def test_control_characters_in_a_file_become_spaces(self) -> None:
        whole = json.loads(EXAMPLE.read_text())
        for name, kept in (("Dome\x00\x07 two", "Dome  two"), (" \tDome\r\n", "Dome"), ("D\x85\x9fe", "D e")):
            bench = read_bench(json.dumps(whole | {"name": name}).encode())
            self.assertEqual(bench.name, kept)
            again = apply_edit(bench, parse_edit({"kind": "set_part", "part": "p1", "name": name}))
            self.assertEqual(again.parts[0].name, kept)
        with self.assertRaises(CoreError) as caught:
            read_bench(json.dumps(whole | {"name": "\x00\x01"}).encode())
        self.assertIn("At name:", caught.exception.sentence())


if __name__ == "__main__":
    unittest.main()
