"""Small benches made in code, for tests of operators and evaluation."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import Evaluation, evaluate


def bench_of(
    *steps: Mapping[str, Any],
    profile: Sequence[Any] = (),
    closed: bool = False,
    dimensions: Mapping[str, Any] | None = None,
    sampling: Mapping[str, Any] | None = None,
    **other: Any,
) -> Bench:
    """Return a bench of one part; a step is its operator and its values in one mapping."""
    points = [p if isinstance(p, dict) else {"at": list(p)} for p in profile]
    curves = (
        [{"id": "c1", "name": "Profile", "closed": closed, "points": points, "sampling": sampling or {}}]
        if points
        else []
    )
    recipe = [
        {"id": s.get("id", f"s{i}"), "operator": s["operator"], "on": s.get("on", True),
         "values": {k: v for k, v in s.items() if k not in ("operator", "id", "on")}}
        for i, s in enumerate(steps, 1)
    ]  # fmt: skip
    rows = [{"name": k, "value": v} for k, v in (dimensions or {}).items()]
    document = {
        "name": "Test",
        "dimensions": rows,
        "curves": curves,
        "parts": [{"id": "p1", "name": "Part", "recipe": recipe}],
    }
    return Bench.model_validate(document | other)


def built(*steps: Mapping[str, Any], **bench: Any) -> Evaluation:
    """Return the only part of such a bench, worked out; an error of a step is raised."""
    evaluation = evaluate(bench_of(*steps, **bench), "p1")
    if evaluation.error is not None:
        raise evaluation.error
    return evaluation


def body(*steps: Mapping[str, Any], **bench: Any) -> Any:
    """Return the body alone."""
    return built(*steps, **bench).mesh


def turned(**values: Any) -> dict[str, Any]:
    """Return a revolve step on the bench's only profile."""
    return {"operator": "revolve", "profile": "c1"} | values
