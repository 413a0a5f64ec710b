"""What is kept with rows: worked out once for each, by identity, and no more than so many."""

from __future__ import annotations

import unittest
from unittest.mock import patch

from jukai.core.recipe import by_row
from jukai.core.recipe.bench import Finish
from jukai.core.recipe.by_row import ByRow


class Kept(unittest.TestCase):
    def test_once_for_each_row_and_only_the_last(self) -> None:
        seen: list[str] = []

        def work(row: Finish) -> str:
            seen.append(row.name)
            return row.name

        keep = ByRow(work)
        rows = [Finish(name=f"Brass {i}", colour="#c89a3f") for i in range(30)]
        with patch.object(by_row, "_MOST", 20):
            for row in [*rows[:20], *rows[:20]]:
                self.assertEqual(keep(row), row.name)
            self.assertEqual(seen, [r.name for r in rows[:20]])
            # an equal row is another row; the oldest two make room for it
            self.assertEqual(keep(rows[19].model_copy()), rows[19].name)
            self.assertEqual(len(seen), 21)
            keep(rows[19])
            self.assertEqual(len(seen), 21)
            keep(rows[0])
            self.assertEqual(seen[-1], "Brass 0")


if __name__ == "__main__":
    unittest.main()
