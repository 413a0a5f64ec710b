"""Sections carried along paths and joined to each other, beside another library and the writing of their arrays."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.operators.base import Context
from jukai.core.operators.registry import get_operator
from jukai.core.recipe.bench import Bench, Step
from jukai.core.recipe.resolve import Resolver
from jukai.memory import keep_freed_memory
from timings.bevels import floor
from timings.measure import Row, measure


def _values(operator: str, curves: list[dict[str, Any]], **values: Any) -> Any:
    bench = Bench.model_validate({"name": "T", "curves": curves})
    op = get_operator(operator)
    return Resolver(bench).step(Step(id="s1", operator=operator, values=values), op).values


def _ring(n: int, radius: float, wave: float = 0.0) -> list[dict[str, Any]]:
    a = 2 * np.pi * np.arange(n) / n
    r = radius + wave * np.cos(5 * a)
    return [{"at": row} for row in np.column_stack([r * np.cos(a), r * np.sin(a)]).tolist()]


def carried() -> None:
    """A sweep of 64 points along 1 000 rows, a loft of 500 rows round 200 points."""
    import trimesh
    from shapely.geometry import Polygon

    t = np.linspace(0, 6 * np.pi, 120)
    way = np.column_stack([40 * np.cos(t), 40 * np.sin(t), 6 * t])
    section = _ring(64, 4)
    path = {"id": "c2", "name": "P", "kind": "path", "points": [{"at": row, "join": "smooth"} for row in way.tolist()]}
    curves = [{"id": "c1", "name": "S", "closed": True, "points": section}, path]
    sweep = get_operator("sweep")
    values = _values("sweep", curves, profile="c1", path="c2", rows=1000)
    fine = values.path.path.stations([9] * 118 + [8]).points
    ring = Polygon([p["at"] for p in section])
    measure(
        Row("sweep, 64 points x 1 000 rows", lambda: None, lambda _: sweep.apply(values, Context("s1")), floor(64_000, 64_064),
            {"trimesh sweep_polygon": lambda _: trimesh.creation.sweep_polygon(ring, fine)}, {"trimesh sweep_polygon": 0.15})
    )  # fmt: skip
    loft = get_operator("loft")
    two = [{"id": f"c{i}", "name": "S", "closed": True, "points": _ring(200, 6 + i, 0.3 * i)} for i in (1, 2)]
    joined = _values("loft", two, profiles=["c1", "c2"], rows=500, height=60)
    measure(
        Row(
            "loft, 500 rows x 200 points",
            lambda: None,
            lambda _: loft.apply(joined, Context("s1")),
            floor(100_000, 100_200),
            {},
            {"floor": 6},
        )
    )


if __name__ == "__main__":
    keep_freed_memory()  # as the command and the server do
    carried()
