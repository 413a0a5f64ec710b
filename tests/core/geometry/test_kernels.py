"""Compiled loops: that they agree with plain ones, what they are kept under, and that what is damaged is made again."""

from __future__ import annotations

import importlib.util
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from jukai.core.geometry.kernels import Kernel, kernel, piece
from tests.common import ROOT

__all__ = ["Kernel", "negative"]

SOURCE = '''
from typing import NamedTuple

from jukai.core.geometry.kernels import kernel, no_wraparound, piece
FACTOR = {factor}
OTHER = 3

class Pair(NamedTuple):
    {fields}

@piece
def third(p):
    return p.one - {piece}

@kernel
def inner(x):
    """{words}"""
    return x * {inner} + third(Pair(x, x))

@kernel
def outer(a):
    """Sums."""  # {words}
    out = 0.0
    for i in range(a.shape[0]):
        out += inner(a[i]) * FACTOR
    return out
'''


MADE = {"factor": 2.0, "words": "One.", "inner": 5.0, "piece": 1.0, "fields": "one: float; two: float"}


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


class Table(NamedTuple):
    """Rows of numbers, and one weight for each."""

    values: np.ndarray
    weight: np.ndarray


class Best(NamedTuple):
    """A row and what it is worth."""

    row: int
    worth: float


@piece
def worth(table: Table, i: int, out: Any) -> Best:
    """Write a row's sum; return it with its worth, none where it is not positive."""
    total = 0.0
    for x in table.values[i]:
        total += x
    out[i] = total
    if total <= 0:
        return Best(i, 0.0)
    return Best(i, total * table.weight[i])


@kernel
def best(table: Table, out: Any) -> Best:
    """Return the row that is worth most."""
    first = Best(-1, 0.0)
    for i in range(table.weight.shape[0]):
        one = worth(table, i, out)
        if one.worth > first.worth:
            first = one
    return first


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

    def test_pieces_and_named_tuples_are_the_same_compiled_and_plain(self) -> None:
        rng = np.random.default_rng(3)
        for rows in (0, 1, 40):
            table = Table(rng.normal(size=(rows, 5)), rng.random(rows))
            one, two = np.zeros(rows), np.zeros(rows)
            found = best(table, one)
            self.assertEqual(tuple(found), tuple(best.plain(table, two)))
            self.assertEqual(one.tolist(), two.tolist())
        self.assertEqual(type(found).__name__, "Best")
        # a piece by itself is a function like any other: nothing is compiled for it
        self.assertEqual(tuple(worth(table, found.row, two)), tuple(found))

    def test_what_is_out_of_bounds_is_found_when_asked_for(self) -> None:
        """An index counts from the end as in Python; in ``make bounds`` one that is too large, or is negative where that is ruled out, is an error."""
        code = (
            "import numpy as np; from jukai.core.geometry.kernels import Kernel, no_wraparound\n"
            "from tests.core.geometry.test_kernels import negative\n"
            "for i in (0, -1, 3):\n"
            "    for k in (Kernel(negative), no_wraparound(Kernel(negative))):\n"
            "        try: print(k.compiled()(np.arange(3.0), i))\n"
            "        except IndexError: print('out of bounds')"
        )
        with tempfile.TemporaryDirectory() as folder:
            environ = dict(os.environ, NUMBA_BOUNDSCHECK="1", JUKAI_KERNELS=folder)
            run = subprocess.run(
                [sys.executable, "-c", code], capture_output=True, text=True, check=True, cwd=ROOT, env=environ
            )
        self.assertEqual(run.stdout.split("\n")[:-1], ["0.0", "0.0", "2.0", *["out of bounds"] * 3])


class Keys(unittest.TestCase):
    def names(self, **changes: Any) -> tuple[str, str]:
        values = MADE | changes
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "made.py"
            file.write_text(SOURCE.format(**values))
            spec = importlib.util.spec_from_file_location("made", file)
            assert spec is not None and spec.loader is not None
            module = importlib.util.module_from_spec(spec)
            spec.loader.exec_module(module)
            inner, outer = module.inner, module.outer
            assert isinstance(outer, Kernel)
            return inner.name, outer.name

    def test_words_do_not_count_and_what_is_computed_does(self) -> None:
        first = self.names()
        self.assertEqual(self.names(words="Something else entirely."), first)
        other = self.names(inner=6.0)
        self.assertNotEqual(other[0], first[0])
        self.assertNotEqual(other[1], first[1])  # what calls it is compiled anew too
        for changed in ({"piece": 2.0}, {"fields": "two: float; one: float"}):  # what is compiled into it counts too
            with self.subTest(changed):
                self.assertNotEqual(self.names(**changed)[0], first[0])
        factor = self.names(factor=3.0)
        self.assertEqual(factor[0], first[0])
        self.assertNotEqual(factor[1], first[1])

    def test_the_stamp_of_the_set_up_follows(self) -> None:
        def stamp(**changes: Any) -> str:
            values = MADE | changes
            with tempfile.TemporaryDirectory() as folder:
                (Path(folder) / "made.py").write_text(SOURCE.format(**values))
                command = [sys.executable, str(ROOT / "scripts" / "kernels_stamp.py"), folder]
                return subprocess.run(command, capture_output=True, text=True, check=True).stdout

        self.assertEqual(stamp(), stamp(words="Other."))
        changed = (stamp(), stamp(factor=3.0), stamp(inner=1.0), stamp(piece=3.0), stamp(fields="one: int; two: float"))
        self.assertEqual(len(set(changed)), 5)


class Damaged(unittest.TestCase):
    def test_a_damaged_cache_is_made_again(self) -> None:
        code = (
            "import numpy as np\nfrom jukai.core.geometry._box import onto_ball\n"
            "p = np.array([[3.0, 0, 0], [0, 0, -2.0]])\nonto_ball(p, 1.0)\nprint(p.tolist())\n"
        )
        with tempfile.TemporaryDirectory() as folder:
            environment = os.environ | {"JUKAI_KERNELS": folder}

            def run() -> str:
                return subprocess.run(
                    [sys.executable, "-c", code], capture_output=True, text=True, check=True, cwd=ROOT, env=environment
                ).stdout

            first = run()
            kept = sorted(Path(folder).glob("__pycache__/*.nb[ci]"))
            self.assertTrue(kept)
            for spoil in (b"", b"\0" * 64, b"not what was compiled at all"):
                for p in kept:
                    p.write_bytes(spoil)
                self.assertEqual(run(), first)
            next(iter(Path(folder).glob("*.sums"))).write_bytes(b"\xff\xfe nonsense")
            self.assertEqual(run(), first)


if __name__ == "__main__":
    unittest.main()
