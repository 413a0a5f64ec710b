"""Axes and frames."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Floats

__all__ = ["Frame", "frame_along", "sincos"]

_NAMED = {
    "x": ([0, 1, 0], [0, 0, 1], [1, 0, 0]),
    "y": ([0, 0, 1], [1, 0, 0], [0, 1, 0]),
    "z": ([1, 0, 0], [0, 1, 0], [0, 0, 1]),
}


@dataclass(frozen=True, slots=True, eq=False)
class Frame:
    """A point and three unit axes, the rows of ``axes``; the third is the axis of turning."""

    origin: Floats
    axes: Floats

    @property
    def direction(self) -> Floats:
        """The third axis."""
        return np.asarray(self.axes[2])

    @property
    def plain(self) -> bool:
        """Whether this is the bench's own frame."""
        return not self.origin.any() and bool((self.axes == np.eye(3)).all())

    def to_bench(self, local: Floats) -> Floats:
        """Return (n, 3) points given in this frame, in bench space."""
        if self.plain:
            return local
        return local @ self.axes + self.origin


def frame_along(direction: str | Floats, origin: Floats | None = None) -> Frame:
    """Return a right-handed frame whose third axis is ``direction`` ("x", "y", "z" or (3,)).

    The other axes follow from the bench's own by the least turn that lays Z along the direction.
    """
    at = np.zeros(3) if origin is None else np.asarray(origin, dtype=np.float64)
    if isinstance(direction, str):
        return Frame(at, np.array(_NAMED[direction], dtype=np.float64))
    d = np.asarray(direction, dtype=np.float64)
    d = d / np.linalg.norm(d)
    for axes in _NAMED.values():
        if (d == axes[2]).all():
            return Frame(at, np.array(axes, dtype=np.float64))
    x = np.array([1.0, 0, 0])
    if d[2] > -0.999999:
        # Rodrigues' turn from Z to d, applied to X
        v = np.array([-d[1], d[0], 0.0])
        x = x + np.cross(v, x) + np.cross(v, np.cross(v, x)) / (1 + d[2])
    x -= d * (d @ x)
    x /= np.linalg.norm(x)
    return Frame(at, np.array([x, np.cross(d, x), d]))


def sincos(degrees: Floats) -> tuple[Floats, Floats]:
    """Return sine and cosine of angles in degrees, exact at whole quarters and alike by octants."""
    d = np.asarray(degrees, dtype=np.float64)
    quarter = np.round(d / 90.0)
    rest = np.radians(d - 90.0 * quarter)
    s, c = np.sin(rest), np.cos(rest)
    diagonal = np.abs(np.abs(d - 90.0 * quarter) - 45.0) < 1e-12
    if diagonal.any():
        s = np.where(diagonal, np.copysign(np.sqrt(0.5), s), s)
        c = np.where(diagonal, np.sqrt(0.5), c)
    k = quarter.astype(np.int64) % 4
    sine = np.select([k == 0, k == 1, k == 2], [s, c, -s], -c)
    cosine = np.select([k == 0, k == 1, k == 2], [c, -s, -c], s)
    return sine + 0.0, cosine + 0.0
