"""Weights: how much a step acts at each point, 0 to 1; a rule, a graph along an axis, or painted strokes."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar, Unpack

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.kinds.axis import AxisKind
from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, ValueKind, declare
from jukai.core.operators.kinds.graph import graph_schema, mapped_graph, resolve_graph
from jukai.core.picks.form import mapped_pick, pick_schema
from jukai.core.picks.rules import resolve_pick

if TYPE_CHECKING:
    from jukai.core.geometry.masks import Given, Layer

__all__ = ["WeightsKind", "weights"]

MOST_STROKES, MOST_PLACES, MOST_TIMES = 500, 2000, 100
_AXIS = AxisKind()
_HOW = ("to", "by", "even")
_TABLE = 256
"""Values of a mask that a formula is asked for; between them it is straight."""
_FORMS = 'Write {"pick": ...}, {"graph": ..., "along": "z"} or {"strokes": [...]}.'


@dataclass(frozen=True, kw_only=True)
class WeightsKind(ValueKind[object]):
    """A mask over the points of the body that comes to the step.

    Written as ``{"pick": PICK}``, with ``"to"`` for what they are given if not 1; as ``{"graph": [...], "along": AXIS}``,
    with 0 where the body begins along the axis and 1 where it ends; or as ``{"strokes": [...]}``, with ``"base"`` for what
    it is before them, if not 0. Each of the strokes is one of

    - ``{"places": [[x, y, z, nx, ny, nz], ...], "radius": mm, "soft": share, "to" | "by" | "even": NUMBER}``: what a brush leaves
      along places on the body, each with the way that its surface faced, by which it is found again when the body has
      changed (left out, by the nearest place). It brings the mask to a value, up or down by one, or evens it out so many times, and fades
      out over the soft share of its radius, all of it where nothing is said. (``"amount"`` is an older word for ``"by"``.)
    - ``{"pick": PICK, "to" | "by": NUMBER}``: picked points; the number may be a formula of ``mask``, what they had.
    - ``{"graph": [...], "along": AXIS}``: all of it as a graph says; what came before is painted over.
    - ``{"even": TIMES}``: all of it evened out.
    """

    name: ClassVar[str] = "weights"

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        numbers: Schema = dict.fromkeys(_HOW, NUMBER)
        stroke = {"type": "object", "properties": {"places": {"type": "array", "items": {"type": "array", "items": NUMBER, "minItems": 3, "maxItems": 6}, "maxItems": MOST_PLACES},
                  "radius": NUMBER, "soft": NUMBER, "amount": NUMBER, **numbers, "pick": pick_schema(), "graph": graph_schema(), "along": _AXIS.schema()}, "additionalProperties": False}  # fmt: skip
        forms: tuple[tuple[Schema, list[str]], ...] = (
            ({"pick": pick_schema(), "to": NUMBER}, ["pick"]),
            ({"graph": graph_schema(), "along": _AXIS.schema()}, ["graph", "along"]),
            ({"strokes": {"type": "array", "items": stroke, "maxItems": MOST_STROKES}, "base": NUMBER}, ["strokes"]),
        )
        return {
            "oneOf": [
                {"type": "object", "properties": f, "required": wanted, "additionalProperties": False}
                for f, wanted in forms
            ]
        }

    def resolve(self, raw: object, scope: Scope, where: str) -> object:
        """Return (n_points,) weights; the written form where no body comes to the step."""
        mesh = scope.mesh
        if mesh is None:
            return raw
        from jukai.core.geometry.masks import painted  # few steps have a mask

        keys = set(raw) if isinstance(raw, dict) else set()
        if isinstance(raw, dict) and "pick" in keys and keys <= {"pick", "to"}:
            given = self._given(raw, mesh, scope, where)
            scope.show(where, float(np.count_nonzero(given.points)))
            return painted(mesh, [given], 0.0)
        if isinstance(raw, dict) and keys == {"graph", "along"}:
            return self._graphed(raw, mesh, scope, where)
        if (
            isinstance(raw, dict)
            and "strokes" in keys
            and keys <= {"strokes", "base"}
            and isinstance(raw["strokes"], list)
        ):
            rows = raw["strokes"]
            if len(rows) > MOST_STROKES:
                raise ValueProblem(
                    f"A mask has {MOST_STROKES} strokes at most.", field=where, hint="Take some back, or begin anew."
                )
            base = scope.number(raw.get("base", 0), measures="", where=where)
            if not 0 <= base <= 1:
                raise ValueProblem("What a mask is before its strokes is from 0 to 1.", field=where)
            layers = [self._layer(row, i + 1, mesh, scope, where) for i, row in enumerate(rows)]
            return painted(mesh, layers, base)
        raise ValueProblem(f"{where.replace('_', ' ').capitalize()} is no mask.", field=where, hint=_FORMS)

    def _graphed(self, raw: Mapping[str, object], mesh: Mesh, scope: Scope, where: str) -> Floats:
        curve = resolve_graph(raw["graph"], scope, f"{where}/graph", "")
        return np.clip(curve(self._shares(raw["along"], mesh, scope, where)), 0.0, 1.0)

    @staticmethod
    def _shares(raw: object, mesh: Mesh, scope: Scope, where: str) -> Floats:
        frame = _AXIS.resolve(raw, scope, where).frame(mesh)
        along: Floats = (mesh.points - frame.origin) @ frame.direction
        used = along[mesh.used_points]
        low, high = (float(used.min()), float(used.max())) if len(used) else (0.0, 1.0)
        return (along - low) / max(high - low, 1e-300)

    def _layer(self, raw: object, number: int, mesh: Mesh, scope: Scope, where: str) -> Layer:
        from jukai.core.geometry.masks import Evened, Given, Stroke

        name = f"Stroke {number}"
        if not isinstance(raw, dict):
            raise ValueProblem(f"{name} has places and a radius.", field=where)
        row: dict[str, Any] = (
            {"by": raw["amount"], **{k: v for k, v in raw.items() if k != "amount"}} if "amount" in raw else raw
        )
        if set(row) == {"even"}:
            return Evened(self._times(row["even"], name, scope, where))
        if "pick" in row and set(row) <= {"pick", "to", "by"}:
            return self._given(row, mesh, scope, where)
        if set(row) == {"graph", "along"}:
            rows = self._graphed(row, mesh, scope, where)
            key = hashlib.blake2b(rows.tobytes(), digest_size=12).hexdigest()
            return Given(np.ones(mesh.n_points, dtype=bool), lambda _: rows, key)
        good = {"places", "radius"} <= set(row) <= {"places", "radius", "soft", *_HOW}
        if not good or not isinstance(row["places"], list) or not 1 <= len(row["places"]) <= MOST_PLACES:
            raise ValueProblem(f"{name} has places and a radius.", field=where)
        how = [h for h in _HOW if h in row] or ["by"]
        if len(how) > 1:
            raise ValueProblem(f"{name} goes to a value, by one, or evens out: one of these.", field=where)
        places, facing = self._places(row["places"], name, scope, where)
        radius = scope.number(row["radius"], measures="length", where=where)
        soft = scope.number(row.get("soft", 1), measures="", where=where)
        if how[0] == "even":
            amount = float(self._times(row["even"], name, scope, where))
        else:
            amount = scope.number(row.get(how[0], 1), measures="", where=where)
            if not (-1 if how[0] == "by" else 0) <= amount <= 1:
                limits = "by −1 to 1" if how[0] == "by" else "to a value from 0 to 1"
                raise ValueProblem(f"{name}: a mask goes {limits}.", field=where)
        if not radius > 0 or not 0 <= soft <= 1:
            raise ValueProblem(f"{name}: a radius over 0, a softness from 0 to 1.", field=where)
        return Stroke(places, radius, soft, how[0], amount, facing)

    @staticmethod
    def _places(rows: list[Any], name: str, scope: Scope, where: str) -> tuple[Floats, Floats | None]:
        """Return where a stroke runs, and which way the surface faced there, if that is written."""
        wide = {len(p) if isinstance(p, list) else 0 for p in rows}
        if wide not in ({3}, {6}):
            raise ValueProblem(
                f"{name}: each place is a list of three numbers, or of six with the way that it faces.", field=where
            )
        places = np.array([[scope.number(x, measures="length", where=where) for x in p] for p in rows])
        facing = None
        if places.shape[1] == 6:
            size = np.linalg.norm(places[:, 3:], axis=1)
            facing = places[:, 3:] / np.maximum(size, 1e-300)[:, None] if size.all() else None
        return np.ascontiguousarray(places[:, :3]), facing

    @staticmethod
    def _times(raw: object, name: str, scope: Scope, where: str) -> int:
        times = scope.number(raw, measures="", where=where)
        if not 1 <= times <= MOST_TIMES:
            raise ValueProblem(f"{name}: it is evened out 1 to {MOST_TIMES} times.", field=where)
        return round(times)

    @staticmethod
    def _given(raw: Mapping[str, object], mesh: Mesh, scope: Scope, where: str) -> Given:
        from jukai.core.geometry.masks import Given

        pick = raw["pick"]
        pick = {"of": "points", **pick} if isinstance(pick, dict) else pick
        found, notes = resolve_pick(pick, mesh, ("points",), scope.number, where, scope.named)
        for note in notes:
            scope.say(note)
        written, adds = (raw["by"], True) if "by" in raw else (raw.get("to", 1), False)

        def value(had: Floats) -> Floats:
            if not len(had):
                return had
            at, back = np.unique(had, return_inverse=True)
            few = at if len(at) <= _TABLE else np.linspace(0.0, 1.0, _TABLE + 1)
            new = np.array([scope.masked(written, float(m), where=where) for m in few])
            out = np.interp(at, few, new)[back]
            return had + out if adds else out

        probe = [
            scope.masked(written, m, where=where) for m in (0.0, 0.3, 1.0)
        ]  # one that can't be read is told at once
        return Given(found.mask, value, repr((adds, probe, str(written))))

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the mask with each of its leaves replaced; painted places are plain numbers."""
        if not isinstance(raw, dict):
            return raw
        out = self._stroke(raw, change, where)
        if isinstance(raw.get("strokes"), list):
            out["strokes"] = [
                self._stroke(s, change, f"{where}/strokes/{i}") if isinstance(s, dict) else s
                for i, s in enumerate(raw["strokes"])
            ]
        return out

    @staticmethod
    def _stroke(row: Mapping[str, object], change: Change, where: str) -> dict[str, object]:
        speaks = ("mask",) if "pick" in row else ()
        numbers = {"radius": "length", "amount": "", "soft": "", "base": "", **dict.fromkeys(_HOW, "")}
        out = {
            k: change(Leaf("number", v, f"{where}/{k}", numbers[k], speaks_of=speaks)) if k in numbers else v
            for k, v in row.items()
        }
        if "pick" in row:
            out["pick"] = mapped_pick(row["pick"], change, f"{where}/pick")
        if "graph" in row:
            out["graph"] = mapped_graph(row["graph"], change, f"{where}/graph", "")
        if "along" in row:
            out["along"] = _AXIS.mapped(row["along"], change, f"{where}/along")
        return out

    def rule_at(
        self, raw: object, path: Sequence[str], written: Mapping[str, object]
    ) -> tuple[object, tuple[str, ...]] | None:
        """Return the pick of the mask, or that of one of its strokes."""
        if not path or path[-1] != "pick":
            return None
        rule = self.read(raw, path, "mask")
        return ({"of": "points", **rule} if isinstance(rule, dict) else rule), ("points",)

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
