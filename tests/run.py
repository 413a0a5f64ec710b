"""Runs everything: lint, types, the import contract, front end, unit and browser tests.

The last line is ``N passed, N failed``. ``python -m tests.run core.geometry browser`` runs the unit tests
of some folders alone.
"""

from __future__ import annotations

import faulthandler
import os
import subprocess
import sys
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


def main(folders: list[str]) -> int:
    """Run all, or the unit tests of some folders."""
    os.chdir(ROOT)
    passed, failed = (0, 0) if folders else run_checks()
    warnings.simplefilter("error")
    loader = unittest.TestLoader()
    suite = unittest.TestSuite()
    for folder in folders or ["core", "app", "store", "web", "test_cli", "test_conventions", "browser"]:
        path = ROOT / "tests" / folder.replace(".", "/")
        if path.is_dir():
            suite.addTests(loader.discover(str(path), top_level_dir=str(ROOT)))
        else:
            suite.addTests(loader.loadTestsFromName(f"tests.{folder}"))
    runner = unittest.TextTestRunner(resultclass=Result, verbosity=1, warnings="error")
    result: Result = runner.run(suite)  # type: ignore[assignment]
    for name, seconds in sorted(result.seconds.items(), key=lambda r: -r[1])[:8]:
        print(f"{seconds:7.1f} s  {name}")  # noqa: T201
    passed += result.passed
    failed += len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    print(f"{passed} passed, {failed} failed")  # noqa: T201
    return 0 if failed == 0 else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
