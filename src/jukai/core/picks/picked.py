"""What a pick comes to on a body."""

from __future__ import annotations

from dataclasses import dataclass

from jukai.core.geometry.arrays import Bools

__all__ = ["Picked"]


@dataclass(frozen=True, slots=True, eq=False)
class Picked:
    """A pick worked out on the body that comes to a step: what kind of element, and which of them."""

    kind: str
    mask: Bools

    @property
    def count(self) -> int:
        """How many are picked."""
        return int(self.mask.sum())
