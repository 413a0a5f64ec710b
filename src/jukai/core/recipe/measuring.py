"""Kept measures worked out: their elements found again on the bodies, and read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from jukai.core.errors import CoreError, ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.elements import centres, rows_of
from jukai.core.geometry.measuring import READINGS, Reading, Thing, readings, thing
from jukai.core.geometry.mesh import Mesh
from jukai.core.json_data import JsonObject
from jukai.core.picks.finding import alike_in_history, element_of
from jukai.core.picks.rules import resolve_pick
from jukai.core.recipe.bench import Bench, Measure

__all__ = ["Body", "Measured", "found_thing", "measured"]

_SAME = 1e-6
"""Share within which a place is the same."""
_REACH = 0.2
"""Share of the body's size within which the nearest element is taken for the one that was measured."""
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


def _literal(raw: object, **_: object) -> float:
    if isinstance(raw, bool) or not isinstance(raw, int | float):
        raise ValueProblem("A place is three numbers.", field="at")
    return float(raw)


def found_thing(
    body: Body, kind: str, element: Mapping[str, object], *, written: bool = True
) -> tuple[Thing, JsonObject]:
    """Find an element on a body by its lineage and place; return it, and how it is ``written``.

    Raises
    ------
    ValueProblem
        When it is not there any more.
    """
    one = _by_share(body.mesh, kind, element)
    if one is None:
        raw = {"rule": "by_hand", "elements": [{k: v for k, v in element.items() if k != "share"}]}
        picked, _ = resolve_pick(raw, body.mesh, (kind,), _literal, "element")
        which = np.flatnonzero(picked.mask)
        one = int(which[0]) if len(which) else None
    if one is None:
        raise ValueProblem(
            f"The measured {_ONE[kind]} is not there any more.", field="element", hint="Measure it again."
        )
    if not written:
        return thing(body.mesh, kind, one, body.matrix), {}
    at = centres(body.mesh, kind)[one]
    row = element_of(body.mesh, kind, one) | {"share": [float(f"{x:.9g}") for x in _shares(body.mesh, at)]}
    return thing(body.mesh, kind, one, body.matrix), row


def _shares(mesh: Mesh, at: Floats) -> Floats:
    """Return where places lie between the bounds of a body, 0 to 1 along each axis; 0 where it is flat."""
    low, high = mesh.bounds
    size = high - low
    return np.asarray(np.where(size > 0, (at - low) / np.where(size > 0, size, 1.0), 0.0))


def _by_share(mesh: Mesh, kind: str, element: Mapping[str, object]) -> int | None:
    """Find an element by where it lies between the bounds of its body: it follows when the body grows or shrinks.

    One that stands just where it stood by its share comes first, then one at the very same place, then the nearest by
    share; the history and the way of facing must be the same.
    """
    share = element.get("share")
    if not isinstance(share, list) or len(share) != 3 or rows_of(mesh, kind) == 0:
        return None
    at_first = element.get("at")
    written = at_first if isinstance(at_first, list | tuple) else ()
    requested, here = np.array([_literal(x) for x in share]), np.array([_literal(x) for x in written])
    if here.shape != (3,):
        return None
    at = centres(mesh, kind)
    fits = alike_in_history(mesh, kind, element)
    if not fits.any():
        return None
    rows = np.flatnonzero(fits)
    at = at[rows]
    gap = _shares(mesh, at) - requested
    off = np.sqrt(np.einsum("ij,ij->i", gap, gap))
    best = int(np.argmin(off))
    if off[best] > _SAME:
        moved = at - here
        still = np.sqrt(np.einsum("ij,ij->i", moved, moved))
        if still.min() <= _SAME * max(mesh.size, 1e-300):
            return int(rows[np.argmin(still)])
    return int(rows[best]) if off[best] <= _REACH else None


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
                things.append(found_thing(body, end.of, end.element, written=False)[0])
            reading = next((r for r in readings(*things, only=m.what) if r.what == m.what), None)
            if reading is None:
                raise ValueProblem(f"There is no {READINGS[m.what][0]} to be read here any more.", field="what")
            out.append(Measured(m, reading))
        except CoreError as e:
            out.append(Measured(m, None, e))
    return out
