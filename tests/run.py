"""Runs everything: lint, types, the import contract, front end, unit and browser tests.

The last line is ``N passed, N failed``. Those of the core run in two processes side by side.
``python -m tests.run core.geometry browser`` runs the unit tests of some folders alone.
"""

from __future__ import annotations

import faulthandler
import os
import re
import subprocess
import sys
import tempfile
import time
import unittest
import warnings
from collections.abc import Sequence
from pathlib import Path

ROOT = Path(__file__).parent.parent
BIN = ROOT / ".venv" / "bin"
CHECKS: dict[str, Sequence[object]] = {
    "ruff, rules": [BIN / "ruff", "check", "-q", "src", "tests", "timings"],
    "ruff, form": [BIN / "ruff", "format", "-q", "--check", "src", "tests", "timings"],
    "mypy": [BIN / "mypy", "--no-error-summary"],
    "import contract": [BIN / "lint-imports"],
    "front end, API types": ["npm", "--prefix", "frontend", "run", "-s", "api:check"],
    "front end, types": ["npm", "--prefix", "frontend", "run", "-s", "types"],
    "front end, lint": ["npm", "--prefix", "frontend", "run", "-s", "lint"],
    "front end, tests": ["npm", "--prefix", "frontend", "run", "-s", "test"],
}


class Result(unittest.TextTestResult):
    """Counts what passed, and how long each module took."""

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.passed = 0
        self.seconds: dict[str, float] = {}
        self._started = 0.0

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        super().startTest(test)
        self._started = time.monotonic()
        faulthandler.dump_traceback_later(240, exit=True)  # a hung test names its frame

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        faulthandler.cancel_dump_traceback_later()
        name = type(test).__module__
        self.seconds[name] = self.seconds.get(name, 0.0) + time.monotonic() - self._started
        super().stopTest(test)

    def addSuccess(self, test: unittest.TestCase) -> None:  # noqa: N802
        super().addSuccess(test)
        self.passed += 1


def run_checks() -> tuple[int, int]:
    """Run the tools side by side, two at a time; show what those that fail have to say."""
    passed = failed = 0
    waiting = list(CHECKS.items())
    running: list[tuple[str, subprocess.Popen[str]]] = []
    while waiting or running:
        while waiting and len(running) < 2:
            name, command = waiting.pop(0)
            process = subprocess.Popen(
                [str(c) for c in command], cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
            )
            running.append((name, process))
        name, process = running.pop(0)
        out, _ = process.communicate()
        good = process.returncode == 0
        print(f"{'ok  ' if good else 'FAIL'} {name}", flush=True)  # noqa: T201
        if not good:
            print(out[-6000:], flush=True)  # noqa: T201
        passed, failed = passed + good, failed + (not good)
    return passed, failed


TOGETHER = "core"
"""A folder whose tests do nothing but compute: half of it runs beside the other half."""
BESIDE = "geometry"
ALONE = ["app", "store", "web", "test_cli", "test_conventions", "browser"]
"""Those that wait for servers and browsers have the machine to themselves."""


def run_tests(folders: Sequence[str]) -> tuple[int, int]:
    """Run the unit tests of some folders and modules."""
    warnings.simplefilter("error")
    loader = unittest.TestLoader()
    suite = unittest.TestSuite()
    for folder in folders:
        path = ROOT / "tests" / folder.replace(".", "/")
        if path.is_dir():
            suite.addTests(loader.discover(str(path), top_level_dir=str(ROOT)))
        else:
            suite.addTests(loader.loadTestsFromName(f"tests.{folder}"))
    runner = unittest.TextTestRunner(resultclass=Result, verbosity=1, warnings="error")
    result: Result = runner.run(suite)  # type: ignore[assignment]
    for name, seconds in sorted(result.seconds.items(), key=lambda r: -r[1])[:8]:
        print(f"{seconds:7.1f} s  {name}")  # noqa: T201
    return result.passed, len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)


def run_all() -> tuple[int, int]:
    """Run the tools, the core in two processes, then the rest; the second process is told of at the end."""
    passed, failed = run_checks()
    inside = sorted(p.stem for p in (ROOT / "tests" / TOGETHER).iterdir() if p.name.startswith("test_") or p.is_dir())
    others = [f"{TOGETHER}.{name}" for name in inside if name not in (BESIDE, "__pycache__")]
    with tempfile.TemporaryFile("w+") as told:
        second = subprocess.Popen(
            [sys.executable, "-m", "tests.run", *others], cwd=ROOT, stdout=told, stderr=subprocess.STDOUT
        )
        try:
            counts = [run_tests([f"{TOGETHER}.{BESIDE}"])]
            second.wait()
        finally:
            second.kill()
        told.seek(0)
        words = told.read()
    counts.append(run_tests(ALONE))
    print(words, flush=True)  # noqa: T201
    found = re.search(r"(\d+) passed, (\d+) failed\s*\Z", words)
    # one that ended before it had counted failed, whatever it had to say
    counts.append((int(found[1]), int(found[2])) if found else (0, 1))
    return passed + sum(n for n, _ in counts), failed + sum(n for _, n in counts)


def main(folders: list[str]) -> int:
    """Run all, or the unit tests of some folders."""
    os.chdir(ROOT)
    passed, failed = run_tests(folders) if folders else run_all()
    print(f"{passed} passed, {failed} failed")  # noqa: T201
    return 0 if failed == 0 else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
