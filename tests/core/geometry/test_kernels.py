"""Compiled loops: what an index means in them."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import unittest
from typing import Any

import numpy as np

from jukai.core.geometry.kernels import Kernel, kernel
from tests.common import ROOT

__all__ = ["Kernel", "negative"]


@kernel
def picked(values: Any, at: Any, mask: Any) -> float:
    """Return the sum of the value at each place, the last of all, and those that a mask leaves."""
    total = values[-1] + values[mask].sum()
    for i in at:
        total += values[i]
    return total


@kernel
def twice(values: Any, table: Any) -> Any:
    """Add what another kernel finds to a table, in place."""
    for i in range(table.shape[0]):
        table[i, i % table.shape[1]] += picked(values, np.arange(values.shape[0]), values > 1.5)
    return table


def negative(values: Any, i: int) -> float:
    """Ask for a place counted from the end."""
    return float(values[i])


class Indices(unittest.TestCase):
    def test_compiled_and_plain_agree(self) -> None:
        values = np.linspace(1.0, 2.0, 9)
        for at in (np.array([0, 3, 8], np.int32), np.arange(9)[::-1], np.arange(9, dtype=np.uint8)):
            with self.subTest(at.dtype):
                mask = np.arange(9) % 2 == 0
                self.assertEqual(picked(values, at, mask), picked.plain(values, at, mask))
        table = np.zeros((4, 2))
        self.assertEqual(twice(values, table.copy()).tolist(), twice.plain(values, table.copy()).tolist())

    def test_what_is_out_of_bounds_is_found_when_asked_for(self) -> None:
        """A negative index that was worked out is an error in ``make bounds``, and one that is too large."""
        code = (
            "import numpy as np; from tests.core.geometry.test_kernels import Kernel, negative\n"
            "for i in (0, -1, 3):\n"
            "    try: print(Kernel(negative).compiled()(np.arange(3.0), i))\n"
            "    except IndexError: print('out of bounds')"
        )
        with tempfile.TemporaryDirectory() as folder:
            environ = dict(os.environ, NUMBA_BOUNDSCHECK="1", NUMBA_CACHE_DIR=folder)
            run = subprocess.run(
                [sys.executable, "-c", code], capture_output=True, text=True, check=True, cwd=ROOT, env=environ
            )
        self.assertEqual(run.stdout.split("\n")[:-1], ["0.0", "out of bounds", "out of bounds"])


if __name__ == "__main__":
    unittest.main()
