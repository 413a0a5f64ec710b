"""Further picks of a step, each with a length of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.errors import ValueProblem
from jukai.core.operators.inputs import Further
from jukai.core.operators.kinds.base import NUMBER, Change, Declared, Leaf, Schema, Scope, ValueKind, declare
from jukai.core.operators.kinds.pick import mask_key
from jukai.core.picks.form import mapped_pick, pick_schema
from jukai.core.picks.picked import Picked
from jukai.core.picks.rules import resolve_pick

__all__ = ["MOST_FURTHER", "FurtherKind", "further"]

MOST_FURTHER = 12
"""Further picks that a step may have."""


@dataclass(frozen=True, kw_only=True)
class FurtherKind(ValueKind[object]):
    """Rows of a pick and a width; ``like`` is the key of the step's first pick, whose kind of elements they are of."""

    name: ClassVar[str] = "further"
    measures: ClassVar[str] = "length"
    lowest: ClassVar[float] = 0.0
    unit: str = "mm"
    like: str = "pick"
    of: tuple[str, ...] = ("edges", "points")

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        row = {"type": "object", "properties": {"pick": pick_schema(), "width": NUMBER}, "required": ["pick", "width"],
               "additionalProperties": False}  # fmt: skip
        return {"type": "array", "maxItems": MOST_FURTHER, "items": row}

    def resolve(self, raw: object, scope: Scope, where: str) -> object:
        """Return what each row picks, and its width."""
        rows = raw if isinstance(raw, list) and len(raw) <= MOST_FURTHER else [None]
        if any(not isinstance(row, dict) or set(row) != {"pick", "width"} for row in rows):
            raise ValueProblem(
                f"Further picks are a list of up to {MOST_FURTHER}, each with a pick and a width.",
                field=where,
                hint='For example [{"pick": {"rule": "rim"}, "width": 2}].',
            )
        first = scope.done.get(self.like)
        if scope.mesh is None or not isinstance(first, Picked):
            return raw
        return tuple(self._row(row, i, first.kind, scope, where) for i, row in enumerate(rows))

    def _row(self, row: Schema, i: int, kind: str, scope: Scope, where: str) -> Further:
        assert scope.mesh is not None  # noqa: S101 - asked for by the caller
        rule = {"of": kind, **row["pick"]} if isinstance(row["pick"], dict) else row["pick"]
        picked, notes = resolve_pick(rule, scope.mesh, (kind,), scope.number, where, scope.named)
        width = scope.number(row["width"], measures="length", where=where)
        if width < 0:
            raise ValueProblem(
                f"The width of further pick {i + 1} is {width:g} mm.", field=where, hint="0 leaves its edges sharp."
            )
        scope.show(f"{where}/{i}/width", width)
        scope.show(f"{where}/{i}/pick", float(picked.count))
        for note in notes:
            scope.say(note)
        return Further(picked, width)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the rows with each of their leaves replaced."""
        if not isinstance(raw, list):
            return raw
        return [self._mapped(row, change, f"{where}/{i}") for i, row in enumerate(raw)]

    @staticmethod
    def _mapped(row: object, change: Change, where: str) -> object:
        if not isinstance(row, dict):
            return row
        out = dict(row)
        if "pick" in row:
            out["pick"] = mapped_pick(row["pick"], change, f"{where}/pick")
        if "width" in row:
            out["width"] = change(Leaf("number", row["width"], f"{where}/width", "length"))
        return out

    def key(self, value: object) -> object:
        """Return hashes of what is picked, and the widths."""
        rows = value if isinstance(value, tuple) else ()
        return [(mask_key(row.pick), row.width) for row in rows if isinstance(row, Further)]

    def rule_at(
        self, raw: object, path: Sequence[str], written: Mapping[str, object]
    ) -> tuple[object, tuple[str, ...]] | None:
        """Return the pick of a row, of the kind of elements that the step's first pick is of."""
        if len(path) != 1 or not path[0].isdigit() or not isinstance(raw, list | tuple) or int(path[0]) >= len(raw):
            return None
        row = raw[int(path[0])]
        first = written.get(self.like)
        kind = first.get("of", self.of[0]) if isinstance(first, dict) else self.of[0]
        rule = row.get("pick") if isinstance(row, dict) else None
        return ({"of": kind, **rule} if isinstance(rule, dict) else rule), (kind,)

    def describe(self) -> Schema:
        """Return whose kind of elements they are of."""
        return {"of": list(self.of), "beside": self.like}


def further(
    description: str, *, of: Sequence[str], like: str = "pick", chapter: str = "", **more: Unpack[Declared]
) -> tuple[Further, ...]:
    """Declare further picks of a step; there are none by default."""
    return declare(FurtherKind(of=tuple(of), like=like, chapter=chapter), (), description, **more)
