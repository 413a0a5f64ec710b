"""What the stages of a bevel hand on."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.mesh import Mesh

__all__ = ["Follow", "Rounded", "Sectors"]


@dataclass(frozen=True, slots=True, eq=False)
class Rounded:
    """What came out.

    Attributes
    ----------
    mesh : the new body.
    stopped : (e,) bool, edges of the old body whose width was limited; ``width`` (e,) what they have now. Where points
        are cut off, (n,) of its points.
    fits : share of the widths asked for at which no edge would be stopped; more than 1 if none was.
    tapered : places where a strip runs to a point because a hollow corner leaves it no room.
    mitred, patched : how many corners are closed by creases, and how many by a patch.
    turned : places of kept faces that came out the other way round; looked for on small bodies only.
    fresh : (f,) faces of the new body that are new, or have a point that is; all others are as they were.
    searched : whether the new body was looked through for crossings; where strips stop it has none then.
    crosses : places where it crosses itself, if it does.
    never : whether no width was found at which it doesn't.
    kept : (k, 2) points between which the old edges that were to be followed run now, -1 for gone.
    across : (m, n, 2) points that the chords of the sections join that were to be followed, -1 for gone.
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
    searched: bool = True
    never: bool = False
    crosses: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    kept: Ints | None = None
    across: Ints | None = None


class Follow(NamedTuple):
    """What of a body is to be found again once it is bevelled: edges, and the sections where strips end (the corners they leave)."""

    edges: Array
    ends: Array


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
