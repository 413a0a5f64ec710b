"""Weights: how much a step acts at each point, 0 to 1; a rule, a graph along an axis, or painted strokes."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Any, ClassVar, Unpack

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.kinds.axis import AxisKind
from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, ValueKind, declare
from jukai.core.operators.kinds.graph import graph_schema, mapped_graph, resolve_graph
from jukai.core.operators.kinds.vector import numbers_schema
from jukai.core.picks.form import mapped_pick, pick_schema
from jukai.core.picks.rules import resolve_pick

__all__ = ["WeightsKind", "weights"]

MOST_STROKES, MOST_PLACES = 500, 2000
_AXIS = AxisKind()


@dataclass(frozen=True, kw_only=True)
class WeightsKind(ValueKind[object]):
    """A mask over the points of the body that comes to the step.

    Written as ``{"pick": PICK}``; as ``{"graph": [...], "along": AXIS}``, with 0 where the body begins along the
    axis and 1 where it ends; or as ``{"strokes": [{"places": [[x, y, z], ...], "radius": mm, "amount": -1 to 1}]}``:
    each stroke adds its amount, which fades to nothing at its radius, in the order they were painted.
    """

    name: ClassVar[str] = "weights"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        stroke = {"type": "object", "properties": {"places": {"type": "array", "items": numbers_schema(3), "maxItems": MOST_PLACES},
                  "radius": NUMBER, "amount": NUMBER}, "required": ["places", "radius"], "additionalProperties": False}  # fmt: skip
        forms = (
            {"pick": pick_schema()},
            {"graph": graph_schema(), "along": _AXIS.schema()},
            {"strokes": {"type": "array", "items": stroke, "maxItems": MOST_STROKES}},
        )
        return {
            "oneOf": [
                {"type": "object", "properties": f, "required": list(f), "additionalProperties": False} for f in forms
            ]
        }

    def resolve(self, raw: object, scope: Scope, where: str) -> object:
        """Return (n_points,) weights; the written form where no body comes to the step."""
        mesh = scope.mesh
        if mesh is None:
            return raw
        if isinstance(raw, dict):
            if set(raw) == {"pick"}:
                picked, notes = resolve_pick({"of": "points", **raw["pick"]} if isinstance(raw["pick"], dict) else raw["pick"],
                                             mesh, ("points",), scope.number, where, scope.named)  # fmt: skip
                for note in notes:
                    scope.say(note)
                scope.show(where, float(picked.count))
                return picked.mask.astype(np.float64)
            if set(raw) == {"graph", "along"}:
                curve = resolve_graph(raw["graph"], scope, f"{where}/graph", "")
                return np.clip(curve(self._shares(raw["along"], mesh, scope, where)), 0.0, 1.0)
            if set(raw) == {"strokes"} and isinstance(raw["strokes"], list) and len(raw["strokes"]) <= MOST_STROKES:
                return self._painted(raw["strokes"], mesh, scope, where)
        raise ValueProblem(
            f"{where.replace('_', ' ').capitalize()} is no mask.", field=where,
            hint='Write {"pick": ...}, {"graph": ..., "along": "z"} or {"strokes": [...]}.',
        )  # fmt: skip

    @staticmethod
    def _shares(raw: object, mesh: Mesh, scope: Scope, where: str) -> Floats:
        frame = _AXIS.resolve(raw, scope, where).frame(mesh)
        along: Floats = (mesh.points - frame.origin) @ frame.direction
        used = along[mesh.used_points]
        low, high = (float(used.min()), float(used.max())) if len(used) else (0.0, 1.0)
        return (along - low) / max(high - low, 1e-300)

    @staticmethod
    def _painted(strokes: list[Any], mesh: Mesh, scope: Scope, where: str) -> Floats:
        """Return the weights that strokes leave; each acts where its nearest place is within its radius."""
        from scipy.spatial import cKDTree

        out = np.zeros(mesh.n_points)
        for i, stroke in enumerate(strokes):
            good = isinstance(stroke, dict) and {"places", "radius"} <= set(stroke) <= {"places", "radius", "amount"}
            if not good or not isinstance(stroke["places"], list) or not 1 <= len(stroke["places"]) <= MOST_PLACES:
                raise ValueProblem(f"Stroke {i + 1} has places and a radius.", field=where)
            if not all(isinstance(p, list) and len(p) == 3 for p in stroke["places"]):
                raise ValueProblem(f"Stroke {i + 1}: each place is a list of three numbers.", field=where)
            places = np.array([[scope.number(x, measures="length", where=where) for x in p] for p in stroke["places"]])
            radius = scope.number(stroke["radius"], measures="length", where=where)
            amount = scope.number(stroke.get("amount", 1), measures="", where=where)
            if not radius > 0 or not -1 <= amount <= 1:
                raise ValueProblem(f"Stroke {i + 1}: a radius over 0, an amount from −1 to 1.", field=where)
            away, _ = cKDTree(places).query(mesh.points, distance_upper_bound=radius)
            near = np.isfinite(away)
            out[near] += amount * (1 - (away[near] / radius) ** 2) ** 2
            out = np.clip(out, 0.0, 1.0)
        return out

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the mask with each of its leaves replaced; painted places are plain numbers."""
        if not isinstance(raw, dict):
            return raw
        out = dict(raw)
        if "pick" in raw:
            out["pick"] = mapped_pick(raw["pick"], change, f"{where}/pick")
        if "graph" in raw:
            out["graph"] = mapped_graph(raw["graph"], change, f"{where}/graph", "")
        if "along" in raw:
            out["along"] = _AXIS.mapped(raw["along"], change, f"{where}/along")
        if isinstance(raw.get("strokes"), list):
            out["strokes"] = [self._stroke(s, change, f"{where}/strokes/{i}") for i, s in enumerate(raw["strokes"])]
        return out

    @staticmethod
    def _stroke(stroke: object, change: Change, where: str) -> object:
        if not isinstance(stroke, dict):
            return stroke
        numbers = {"radius": "length", "amount": ""}
        return {
            k: change(Leaf("number", v, f"{where}/{k}", numbers[k])) if k in numbers else v for k, v in stroke.items()
        }

    def key(self, value: object) -> object:
        """Return a hash of the weights."""
        return (
            hashlib.blake2b(value.tobytes(), digest_size=12).hexdigest()
            if isinstance(value, np.ndarray)
            else repr(value)
        )


def weights(
    description: str, *, otherwise: str = "everywhere alike", chapter: str = "", **more: Unpack[Declared]
) -> Floats | None:
    """Declare a mask over the points; left out, the step acts everywhere alike."""
    return declare(WeightsKind(otherwise=otherwise, chapter=chapter), None, description, **more)
