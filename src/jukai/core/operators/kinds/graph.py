"""A graph: a value that varies from 0 to 1 along a run, given by points that are corners or smooth."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.graphs import Graph
from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, Value, ValueKind, declare
from jukai.core.operators.kinds.vector import numbers_schema

__all__ = ["GraphKind", "graph", "mapped_graph", "resolve_graph"]

MOST_POINTS = 500
_KEYS = {"id", "at", "value", "smooth", "in", "out"}


@dataclass(frozen=True, kw_only=True)
class GraphKind(ValueKind[Graph]):
    """Points in order of their place; ``measured`` is what its values measure."""

    name: ClassVar[str] = "graph"
    measured: str = ""

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return graph_schema()

    def resolve(self, raw: object, scope: Scope, where: str) -> Graph:
        """Return the graph."""
        return resolve_graph(raw, scope, where, self.measured)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the points with each of their numbers replaced."""
        return mapped_graph(raw, change, where, self.measured)

    def key(self, value: Graph) -> object:
        """Return all the numbers of the graph."""
        return graph_key(value)


def graph_schema() -> Schema:
    """Return the JSON Schema of a written graph."""
    two = numbers_schema(2)
    point = {"type": "object", "properties": {"id": {"type": "string"}, "at": NUMBER, "value": NUMBER, "smooth": {"type": "boolean"},
             "in": two, "out": two}, "required": ["at", "value"], "additionalProperties": False}  # fmt: skip
    return {"type": "array", "items": point, "minItems": 1, "maxItems": MOST_POINTS}


def resolve_graph(raw: object, scope: Scope, where: str, measured: str) -> Graph:
    """Return a written graph.

    Raises
    ------
    ValueProblem
        For a point that can't be read, one outside of 0 to 1, or two at one place.
    """
    if not isinstance(raw, list) or not 1 <= len(raw) <= MOST_POINTS:
        raise ValueProblem(
            f"A graph is a list of 1 to {MOST_POINTS} points.", field=where, hint='For example [{"at": 0, "value": 1}].'
        )
    n = len(raw)
    at, value, smooth = np.zeros(n), np.zeros(n), np.zeros(n, dtype=bool)
    into, out = np.full((n, 2), np.nan), np.full((n, 2), np.nan)
    for i, row in enumerate(raw):
        if not isinstance(row, dict) or not {"at", "value"} <= set(row) <= _KEYS:
            raise ValueProblem(f"Point {i + 1} of the graph has a place 'at' and a 'value'.", field=where)
        address = f"{where}/{row.get('id', i)}"
        at[i] = scope.number(row["at"], measures="", where=where)
        value[i] = scope.number(row["value"], measures=measured, where=where)
        smooth[i] = bool(row.get("smooth", False))
        for name, table in (("in", into), ("out", out)):
            if name in row:
                table[i] = _handle(row[name], name, i, scope, where, measured)
        scope.show(f"{address}/at", float(at[i]))
        scope.show(f"{address}/value", float(value[i]))
    if not ((at >= 0) & (at <= 1)).all() or not (np.diff(at) > 0).all():
        bad = int(np.flatnonzero(~((at >= 0) & (at <= 1)) | np.r_[False, np.diff(at) <= 0])[0])
        raise ValueProblem(
            f"Point {bad + 1} of the graph stands at {100 * at[bad]:g} % of the run.",
            field=where,
            hint="Places run from 0 to 100 %, each beyond the one before.",
        )
    return Graph(at, value, smooth, into, out)


def _handle(row: object, name: str, i: int, scope: Scope, where: str, measured: str) -> tuple[float, float]:
    if not isinstance(row, list) or len(row) != 2:
        raise ValueProblem(f"The handle '{name}' of point {i + 1} is a list of two numbers.", field=where)
    return scope.number(row[0], measures="", where=where), scope.number(row[1], measures=measured, where=where)


def mapped_graph(raw: object, change: Change, where: str, measured: str) -> object:
    """Return a written graph with each of its numbers replaced; points are addressed by their ids."""
    if not isinstance(raw, list):
        return raw
    return [
        _mapped(row, change, f"{where}/{row.get('id', i) if isinstance(row, dict) else i}", measured)
        for i, row in enumerate(raw)
    ]


def _mapped(row: object, change: Change, where: str, measured: str) -> object:
    if not isinstance(row, dict):
        return row
    out = dict(row)
    for name, measures in (("at", ""), ("value", measured)):
        if name in row:
            out[name] = change(Leaf("number", row[name], f"{where}/{name}", measures))
    for name in ("in", "out"):
        if isinstance(row.get(name), list):
            two = zip(row[name], ("", measured), strict=False)
            out[name] = [change(Leaf("number", x, f"{where}/{name}/{k}", m)) for k, (x, m) in enumerate(two)]
    return out


def graph_key(g: Graph) -> list[object]:
    """Return all the numbers of a graph; places without a handle are null."""
    handles = [[None if np.isnan(x) else float(x) for x in t.ravel()] for t in (g.into, g.out)]
    return [g.at.tolist(), g.value.tolist(), g.smooth.tolist(), *handles]


def graph(
    description: str, *, measured: str = "", otherwise: str = "", chapter: str = "", **more: Unpack[Declared]
) -> Value:
    """Declare a graph; left out it is what ``otherwise`` says."""
    unit = {"length": "mm", "angle": "°"}.get(measured, "")
    return declare(
        GraphKind(measured=measured, unit=unit, otherwise=otherwise, chapter=chapter), None, description, **more
    )
