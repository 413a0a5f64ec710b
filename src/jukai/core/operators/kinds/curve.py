"""A curve of the bench: a profile or a path, as declared."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Unpack

from jukai.core.operators.inputs import CurveInput
from jukai.core.operators.kinds.base import Change, Declared, Leaf, Schema, Scope, Value, ValueKind, declare

__all__ = ["CurveKind", "curve"]


@dataclass(frozen=True, kw_only=True)
class CurveKind(ValueKind[CurveInput]):
    """The id of a curve; ``of`` says whether it must be a ``profile`` or a ``path``, ``closed`` that it must be that, too."""

    name: ClassVar[str] = "curve"
    refers: ClassVar[str] = "curve"
    of: str = "profile"
    closed: bool = False

    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""
        return {"type": "string"}

    def resolve(self, raw: object, scope: Scope, where: str) -> CurveInput:
        """Return the curve, sampled."""
        return scope.curve(raw, where, of=self.of)

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return what the name is replaced with."""
        return change(Leaf("curve", raw, where))

    def key(self, value: CurveInput) -> object:
        """Return the curve's own key, which holds its points."""
        return value.key

    def describe(self) -> Schema:
        """Return what sort of curve it takes."""
        return {"of": [self.of, "closed"] if self.closed else [self.of]}


def curve(
    description: str,
    *,
    of: str = "profile",
    closed: bool = False,
    chapter: str = "",
    optional: bool = False,
    **more: Unpack[Declared],
) -> Value:
    """Declare a curve of the bench; one that is ``optional`` may be left out, and is None then."""
    return declare(CurveKind(of=of, closed=closed, chapter=chapter), None if optional else ..., description, **more)
