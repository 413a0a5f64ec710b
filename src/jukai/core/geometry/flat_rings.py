"""Closed outlines in a plane: their area, and what lies within them."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Floats

__all__ = ["holds", "ring_area"]


def ring_area(ring: Floats) -> float:
    """Return the area of an outline (n, 2), above 0 where it runs counter-clockwise."""
    x, y = (ring - ring[0]).T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)


def holds(ring: Floats, point: Floats) -> bool:
    """Return whether an outline (n, 2) goes round a place (2,): a line from there to one side crosses it an odd number of times."""
    x, y = ring.T
    x2, y2 = np.roll(x, -1), np.roll(y, -1)
    spans = (y > point[1]) != (y2 > point[1])
    with np.errstate(divide="ignore", invalid="ignore"):
        at = x + (point[1] - y) / (y2 - y) * (x2 - x)
    return bool((spans & (at > point[0])).sum() % 2)
