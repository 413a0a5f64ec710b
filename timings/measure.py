"""Side by side: rounds interleaved, one thread each, medians, ratios of the same round."""

from __future__ import annotations

import gc
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

ROUNDS = 7
MOST_SECONDS = 60.0


@dataclass
class Row:
    """One line of the table.

    ``make`` gives a fresh input for each round, so that nothing is taken from a cache; ``ours``, ``floor`` and the
    libraries take it. ``aims`` are the most that ours may be of each: ``{"trimesh": 0.4, "floor": 6}``.
    """

    name: str
    make: Callable[[], Any]
    ours: Callable[[Any], Any]
    floor: Callable[[Any], Any] | None = None
    others: dict[str, Callable[[Any], Any]] = field(default_factory=dict)
    aims: dict[str, float] = field(default_factory=dict)


def timed(call: Callable[[Any], Any], given: Any) -> float:
    """Return the seconds a call takes, the collector of garbage left out."""
    gc.collect()
    gc.disable()
    start = time.perf_counter()
    call(given)
    seconds = time.perf_counter() - start
    gc.enable()
    return seconds


def measure(row: Row) -> None:
    """Run a line and print it."""
    sides: dict[str, Callable[[Any], Any]] = {
        "ours": row.ours,
        **({"floor": row.floor} if row.floor else {}),
        **row.others,
    }
    times: dict[str, list[float]] = {name: [] for name in sides}
    broken: dict[str, str] = {}
    for name, call in sides.items():  # once to load and compile
        try:
            call(row.make())
        except Exception as e:
            if name == "ours":
                raise
            broken[name] = f"{type(e).__name__}: {e}"[:80]
    start = time.perf_counter()
    for _ in range(ROUNDS):
        for name, call in sides.items():
            if name not in broken:
                times[name].append(timed(call, row.make()))
        if time.perf_counter() - start > MOST_SECONDS:
            break
    ours = times["ours"]
    cells = [f"ours {statistics.median(ours) * 1000:9.2f} ms"]
    for name in sides:
        if name == "ours":
            continue
        if name in broken:
            cells.append(f"{name}: {broken[name]}")
            continue
        ratio = statistics.median(a / b for a, b in zip(ours, times[name], strict=True))
        aim = row.aims.get(name)
        told = "" if aim is None else f" (aim {aim:g}, {'met' if ratio <= aim else 'NOT met'})"
        cells.append(f"{name} {statistics.median(times[name]) * 1000:9.2f} ms: {ratio:.3f}{told}")
    print(f"{row.name}\n    " + "\n    ".join(cells), flush=True)
