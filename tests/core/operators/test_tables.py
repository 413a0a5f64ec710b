"""Tables of standards as data files."""

from __future__ import annotations

import json
import unittest
from importlib.resources import files

from jukai.core.operators.tables import table


class Tables(unittest.TestCase):
    def test_each_names_its_source_and_has_whole_rows(self) -> None:
        names = [
            f.name.removesuffix(".json")
            for f in files("jukai.core.operators.tables").iterdir()
            if f.name.endswith(".json")
        ]
        self.assertIn("washers", names)
        for name in names:
            data = json.loads((files("jukai.core.operators.tables") / f"{name}.json").read_text("utf-8"))
            self.assertTrue(data["source"] and data["unit"], name)
            self.assertEqual({len(row) for row in table(name).values()}, {len(data["columns"])}, name)


if __name__ == "__main__":
    unittest.main()
