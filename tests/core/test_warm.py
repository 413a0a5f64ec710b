"""Kernels: all are compiled at set-up, and for what they are called with, so that nobody waits for the compiler later."""

from __future__ import annotations

import json
import subprocess
import sys
import unittest

SCRIPT = """
import importlib, json, pkgutil
import jukai.core
from jukai.core.warm import warm_up
for found in pkgutil.walk_packages(jukai.core.__path__, "jukai.core."):
    importlib.import_module(found.name)
from jukai.core.geometry.kernels import known
from jukai.core.formats.bench_file import read_bench
from jukai.core.recipe.evaluate import evaluate
from jukai.main import DEMO

warm_up(rare=True)
kernels = [k for k in known() if not k.inlined]
inner = {id(other) for k in known() for other in k.called().values()}
def forms():
    return {f"{k.plain.__module__}.{k.plain.__name__}": len(getattr(k._compiled, "overloads", ())) for k in kernels if id(k) not in inner}
before = forms()
bench = read_bench(DEMO.read_bytes())
for part in bench.parts:
    evaluate(bench, part.id)
after = forms()
print(json.dumps({"cold": [n for n, c in before.items() if not c], "more": [n for n, c in after.items() if c != before[n]]}))
"""


class Warm(unittest.TestCase):
    def test_nothing_is_left_to_be_compiled(self) -> None:
        run = subprocess.run([sys.executable, "-c", SCRIPT], capture_output=True, text=True, check=False)
        self.assertEqual(run.returncode, 0, run.stderr[-2000:])
        self.assertEqual(json.loads(run.stdout), {"cold": [], "more": []})
