"""Sections that are carried along a path: what operators that do so share."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.crossings import polyline_crossing
from jukai.core.operators.inputs import CurveInput

__all__ = ["drawn_section", "reach_of", "square_section"]


def square_section(sides: int) -> Floats:
    """Return a square (n, 2) of half width 1, counter-clockwise, each of its sides in as many pieces; ``sides`` is rounded to fours."""
    each = max(1, round(sides / 4))
    t = np.arange(each) / each * 2 - 1
    one = np.ones(each)
    return np.concatenate([np.column_stack(p) for p in ((one, t), (-t, one), (-one, -t), (t, -one))])


def drawn_section(profile: CurveInput | None, field: str) -> Floats:
    """Return a closed profile (n, 2) about its centre of area, counter-clockwise, its widest extent 2.

    Raises
    ------
    ValueProblem
        When there is none, or it is open, crosses itself or has no area.
    """
    if profile is None:
        raise ValueProblem("No profile is chosen.", field=field, hint="Draw a closed one, or take a round section.")
    points, name = profile.sampled.points, profile.name
    if not profile.sampled.closed or len(points) < 3:
        raise ValueProblem(f"The profile '{name}' is open.", field=field, hint="Close it on the drawing board.")
    crossing = polyline_crossing(points, closed=True)
    if crossing is not None:
        x, y = crossing[2]
        raise ValueProblem(
            f"The profile '{name}' crosses itself at ({x:.4g}, {y:.4g}).",
            field=field,
            hint="Move the points there apart.",
        )
    p, q = points - points[0], np.roll(points, -1, axis=0) - points[0]
    cross = p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]
    area, extent = float(cross.sum()) / 2, float(np.ptp(points, axis=0).max())
    if not abs(area) > 1e-12 * extent**2:
        raise ValueProblem(f"The profile '{name}' encloses no area.", field=field, hint="Move its points apart.")
    centre = points[0] + ((p + q) * cross[:, None]).sum(axis=0) / (6 * area)
    section = np.asarray((points - centre) * (2 / extent))
    return section if area > 0 else section[::-1]


def reach_of(section: Floats, angle: Floats) -> Floats:
    """Return how far a section reaches in directions given in radians: its support function."""
    out = np.full(np.shape(angle), -np.inf)
    for x, y in section:
        np.maximum(out, np.cos(angle) * x + np.sin(angle) * y, out=out)
    return out
