"""What the stages of a bevel hand on."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.mesh import Mesh

__all__ = ["Rounded", "Sectors"]


@dataclass(frozen=True, slots=True, eq=False)
class Rounded:
    """What came out.

    Attributes
    ----------
    mesh : the new body.
    stopped : (e,) bool, edges of the old body whose width was limited; ``width`` (e,) what they have now.
    fits : share of the widths asked for at which no edge would be stopped; more than 1 if none was.
    tapered : places where a strip runs to a point because a hollow corner leaves it no room.
    mitred, patched : how many corners are closed by creases, and how many by a patch.
    turned : places of kept faces that came out the other way round; looked for on small bodies only.
    fresh : (f,) faces of the new body that are new, or have a point that is; all others are as they were.
    """

    mesh: Mesh
    stopped: Bools
    width: Floats
    tapered: Floats
    fresh: Bools
    fits: float = np.inf
    mitred: int = 0
    patched: int = 0
    turned: Floats = field(default_factory=lambda: np.zeros((0, 3)))


class Sectors(NamedTuple):
    """What ``_sectors.sectors`` gives."""

    spots: Floats
    instead: Ints
    share: Floats
    after: Ints
    ahead: Ints
    kind: Ints
    tapered: Bools
    one: Ints
    two: Ints
    directions: Floats
    picks: Ints
