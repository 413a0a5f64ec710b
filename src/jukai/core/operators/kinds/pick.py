"""A pick: a rule that says which points, edges or faces a step acts on."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, TypeAlias, Unpack

from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, ValueKind, declare
from jukai.core.picks.form import mapped_pick, pick_schema
from jukai.core.picks.picked import Picked
from jukai.core.picks.rules import resolve_pick

__all__ = ["AnyPick", "PickKind", "mask_key", "pick"]

AnyPick: TypeAlias = Any
"""What a change takes for a pick: ``Picked``, but the rule as it is written where no body comes before it."""


def mask_key(picked: Picked) -> str:
    """Return a hash of which elements are picked."""
    return hashlib.blake2b(picked.mask.tobytes() + picked.kind.encode(), digest_size=12).hexdigest()


@dataclass(frozen=True, kw_only=True)
class PickKind(ValueKind[object]):
    """A rule.

    Attributes
    ----------
    of : what it may be of: ``points``, ``edges``, ``faces``; the first where it does not say.
    on : the key of the value whose body it is of; else that which comes to the step.
    """

    name: ClassVar[str] = "pick"
    of: tuple[str, ...] = ("faces",)
    on: str = ""

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return pick_schema()

    def resolve(self, raw: object, scope: Scope, where: str) -> object:
        """Return what is picked; the rule as it is where no body comes to the step."""
        mesh = self._mesh(scope)
        if mesh is None:
            return raw
        named = {} if self.on else scope.named
        picked, notes = resolve_pick(raw, mesh, self.of, scope.number, where, named)
        for note in notes:
            scope.say(note)
        scope.show(where, float(picked.count))
        return picked

    def _mesh(self, scope: Scope) -> Mesh | None:
        if not self.on:
            return scope.mesh
        body = scope.done.get(self.on)
        return None if body is None else body.mesh

    def default(self, raw: object, scope: Scope, where: str) -> object:
        """Return what the default rule picks."""
        return self.resolve(raw, scope, where)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the rule with each of its leaves replaced; its steps are those of the body it is of."""

        def of_that_body(leaf: Leaf) -> object:
            step = leaf.to == "step" and self.on
            return change(Leaf("step", leaf.raw, leaf.where, of=self.on) if step else leaf)

        return mapped_pick(raw, of_that_body if self.on else change, where)

    def key(self, value: object) -> object:
        """Return a hash of which elements are picked."""
        return mask_key(value) if isinstance(value, Picked) else repr(value)

    def rule_at(
        self, raw: object, path: Sequence[str], written: Mapping[str, object]
    ) -> tuple[object, tuple[str, ...]] | None:
        """Return the rule itself."""
        return None if path else (raw, self.of)

    def describe(self) -> Schema:
        """Return what it may be of."""
        return {"of": list(self.of), "beside": self.on}


def pick(
    description: str,
    *,
    of: Sequence[str],
    default: Mapping[str, object],
    on: str = "",
    chapter: str = "",
    **more: Unpack[Declared],
) -> Picked:
    """Declare a pick; its default is a rule as it stands in a file."""
    return declare(PickKind(of=tuple(of), on=on, chapter=chapter), dict(default), description, **more)
