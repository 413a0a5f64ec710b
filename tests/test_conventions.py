"""What the project promises of itself: generated files are those of the code, operators are complete, names are ours."""

from __future__ import annotations

import importlib
import json
import pkgutil
import unittest

import jukai
from jukai.core.operators.registry import describe, operators
from jukai.main import openapi
from tests.common import ROOT


class Generated(unittest.TestCase):
    def test_openapi_is_checked_in_and_valid(self) -> None:
        from openapi_spec_validator import validate

        doc = openapi()
        self.assertEqual(json.loads((ROOT / "docs" / "openapi.json").read_text()), doc, "run make schema")
        validate(doc)
        self.assertTrue(doc["openapi"].startswith("3.1"))
        ids = [op["operationId"] for path in doc["paths"].values() for op in path.values()]
        self.assertEqual(len(ids), len(set(ids)))
        for path in doc["paths"].values():
            for op in path.values():
                self.assertIn("application/problem+json", op["responses"]["422"]["content"])
                self.assertTrue(op.get("summary") or op.get("description"))


class Operators(unittest.TestCase):
    def test_each_is_complete(self) -> None:
        for op in operators().values():
            with self.subTest(op.id):
                row = describe(op)
                keys = {v["key"] for v in row["values"]}
                told = {
                    k
                    for part in (row["sentence"], row["quiet"])
                    for piece in part.split("{")[1:]
                    for k in piece.split("}")[0].split("|")
                }
                self.assertEqual(told, keys, "every value stands in a sentence")
                self.assertTrue(all(v["description"].endswith(".") for v in row["values"]))
                self.assertTrue(row["description"])
                self.assertTrue((ROOT / "docs" / "guide.md").read_text().count(f"`{op.id}`"), "the guide tells of it")


class Packages(unittest.TestCase):
    def test_all_names_what_is_there(self) -> None:
        for info in pkgutil.walk_packages(jukai.__path__, "jukai."):
            if "migrations" in info.name:
                continue
            module = importlib.import_module(info.name)
            for name in getattr(module, "__all__", []):
                self.assertTrue(hasattr(module, name), f"{info.name}.{name}")


if __name__ == "__main__":
    unittest.main()
