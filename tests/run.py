"""Runs everything: lint, types, the import contract, front end, unit and browser tests.

The last line is ``N passed, N failed``. Two processes share the tests that wait for nothing.
``python -m tests.run core.geometry browser`` runs the unit tests of some folders alone.
"""

from __future__ import annotations

import faulthandler
import multiprocessing
import os
import subprocess
import sys
import tempfile
import time
import unittest
import warnings
from collections.abc import Iterator, Sequence
from multiprocessing import Queue
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


FIRST = ["core.geometry.bevel.test_rounding", "browser.test_path.MainPath", "browser.test_judging.Judging"]
"""What takes longest is taken first, so that it is not what is waited for."""
ALONE = "web.test_server"
"""Looks at how long others take: it has the machine to itself."""


def tests_of(name: str) -> unittest.TestSuite:
    """Return the tests of a folder or a module, by its name within ``tests``."""
    loader = unittest.TestLoader()
    path = ROOT / "tests" / name.replace(".", "/")
    if path.is_dir():
        return loader.discover(str(path), top_level_dir=str(ROOT))
    return loader.loadTestsFromName(f"tests.{name}")


def tests_in(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """Return the single tests of a suite."""
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from tests_in(test)
        else:
            yield test


class Taken(unittest.TestSuite):
    """The tests of modules that are taken from a queue while they run."""

    _cleanup = False  # they are in no list that they could be removed from

    def __init__(self, queue: Queue[str | None]) -> None:
        super().__init__()
        self.queue = queue

    def __iter__(self) -> Iterator[unittest.TestSuite]:
        while name := self.queue.get():
            yield tests_of(name)


def run_suite(suite: unittest.TestSuite) -> tuple[int, int]:
    """Run unit tests; return how many passed and how many failed."""
    warnings.simplefilter("error")
    runner = unittest.TextTestRunner(resultclass=Result, verbosity=1, warnings="error")
    result: Result = runner.run(suite)  # type: ignore[assignment]
    for name, seconds in sorted(result.seconds.items(), key=lambda r: -r[1])[:8]:
        print(f"{seconds:7.1f} s  {name}")  # noqa: T201
    return result.passed, len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)


def run_beside(queue: Queue[str | None], file: str, counts: Queue[tuple[int, int]]) -> None:
    """Run what is left in the queue in a process of its own; what it prints goes to a file."""
    with Path(file).open("w") as told:
        for stream in (1, 2):
            os.dup2(told.fileno(), stream)
        counts.put(run_suite(Taken(queue)))
        sys.stdout.flush()


def run_in_two(names: Sequence[str]) -> tuple[int, int]:
    """Run modules or classes of tests in two processes; what the second one prints comes at the end."""
    context = multiprocessing.get_context("spawn")
    queue, counts = context.Queue(), context.Queue()
    # those that start threads come behind the core's, some of which look at what this process takes
    for name in [*sorted(names, key=lambda n: (n not in FIRST, not n.startswith("core."), n)), None, None]:
        queue.put(name)
    with tempfile.TemporaryDirectory() as told:
        file = Path(told) / "told"
        second = context.Process(target=run_beside, args=(queue, str(file), counts))
        second.start()
        try:
            here = run_suite(Taken(queue))
            second.join()
        finally:
            second.kill()
        print(file.read_text(), flush=True)  # noqa: T201
    # one that ended before it had counted failed, whatever it had to say
    there = counts.get() if second.exitcode == 0 else (0, 1)
    return here[0] + there[0], here[1] + there[1]


def run_all() -> tuple[int, int]:
    """Run the tools, then the tests: what waits for a browser after what does not."""
    files = [p.relative_to(ROOT / "tests").with_suffix("") for p in (ROOT / "tests").rglob("test_*.py")]
    names = [".".join(p.parts) for p in files]
    browser = [n for n in names if n.startswith("browser.")]
    # each class of them has a page of its own, and a part of a module may go on beside another
    classes = {f"{n}.{type(t).__name__}" for n in browser for t in tests_in(tests_of(n))}
    counts = [
        run_checks(),
        run_in_two([n for n in names if n not in browser and n != ALONE]),
        run_in_two(sorted(classes)),
        run_suite(tests_of(ALONE)),
    ]
    return sum(n for n, _ in counts), sum(n for _, n in counts)


def main(folders: list[str]) -> int:
    """Run all, or the unit tests of some folders."""
    os.chdir(ROOT)
    passed, failed = run_suite(unittest.TestSuite(map(tests_of, folders))) if folders else run_all()
    print(f"{passed} passed, {failed} failed")  # noqa: T201
    return 0 if failed == 0 else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
