"""Kept measures worked out: their elements found again on the bodies, and read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from jukai.core.errors import CoreError, ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.measuring import READINGS, Reading, Thing, readings, thing
from jukai.core.geometry.mesh import Mesh
from jukai.core.recipe.bench import Bench, Measure
from jukai.core.recipe.picks import element_of, resolve_pick

__all__ = ["Body", "Measured", "found_thing", "measured"]

_ONE = {"points": "point", "edges": "edge", "faces": "face"}


@dataclass(frozen=True, slots=True, eq=False)
class Body:
    """A body that is measured on: its mesh and where it stands."""

    mesh: Mesh
    matrix: Floats


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """A kept measure: what it reads now, or why it can't."""

    measure: Measure
    reading: Reading | None
    error: CoreError | None = None


def _literal(raw: Any, **_: Any) -> float:
    if isinstance(raw, bool) or not isinstance(raw, int | float):
        raise ValueProblem("A place is three numbers.", field="at")
    return float(raw)


def found_thing(body: Body, kind: str, element: Mapping[str, Any]) -> tuple[Thing, dict[str, Any]]:
    """Find an element on a body by its lineage and place; return it, and how it is written.

    Raises
    ------
    ValueProblem
        When it is not there any more.
    """
    raw = {"rule": "by_hand", "elements": [dict(element)]}
    picked, _ = resolve_pick(raw, body.mesh, (kind,), _literal, "element")
    which = np.flatnonzero(picked.mask)
    if len(which) == 0:
        raise ValueProblem(
            f"The measured {_ONE[kind]} is not there any more.", field="element", hint="Measure it again."
        )
    one = int(which[0])
    return thing(body.mesh, kind, one, body.matrix), element_of(body.mesh, kind, one)


def measured(bench: Bench, body_of: Callable[[str], Body | None]) -> list[Measured]:
    """Return the bench's kept measures as they read now.

    Parameters
    ----------
    bench : the document.
    body_of : gives the body of a part, None when it has none.
    """
    out = []
    for m in bench.measures:
        try:
            things = []
            for end in m.of:
                part = bench.part(end.part)
                body = body_of(end.part) if part is not None else None
                if body is None:
                    name = part.name if part is not None else end.part
                    raise ValueProblem(
                        f"'{name}' has no body to measure.",
                        field="part",
                        hint="Remove the measure, or bring the part back.",
                    )
                things.append(found_thing(body, end.of, end.element)[0])
            reading = next((r for r in readings(*things) if r.what == m.what), None)
            if reading is None:
                raise ValueProblem(f"There is no {READINGS[m.what][0]} to be read here any more.", field="what")
            out.append(Measured(m, reading))
        except CoreError as e:
            out.append(Measured(m, None, e))
    return out
