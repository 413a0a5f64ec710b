"""Sections that are carried along a path: what operators that do so share."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.crossings import polyline_crossing
from jukai.core.geometry.graphs import Graph
from jukai.core.notes import Note
from jukai.core.operators.base import Callout, CalloutForm
from jukai.core.operators.inputs import CurveInput

if TYPE_CHECKING:
    from jukai.core.geometry.carrying import Tight
    from jukai.core.geometry.paths import Stations

__all__ = [
    "closed_section",
    "drawn_section",
    "path_points",
    "reach_of",
    "shared_out",
    "sizes_along",
    "square_section",
    "tight_note",
]


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
    section, centre = closed_section(profile, field)
    extent = float(np.ptp(profile.sampled.points, axis=0).max())
    return np.asarray((section - centre) * (2 / extent))


def closed_section(profile: CurveInput, field: str) -> tuple[Floats, Floats]:
    """Return a closed profile (n, 2) counter-clockwise, mm, and its centre of area.

    Raises
    ------
    ValueProblem
        When it is open, crosses itself or has no area.
    """
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
    return (points if area > 0 else points[::-1]), np.asarray(centre)


def shared_out(lengths: Floats, total: int) -> np.ndarray:
    """Share out ``total`` rows over pieces by their lengths, at least one each (largest remainder)."""
    cuts = np.ones(len(lengths), dtype=np.int64)
    left = total - len(lengths)
    if left > 0:
        ideal = lengths / lengths.sum() * total
        extra = np.maximum(ideal - 1, 0)
        extra = extra / max(float(extra.sum()), 1e-300) * left
        cuts += np.floor(extra).astype(np.int64)
        rest = total - int(cuts.sum())
        cuts[np.argsort(-(extra - np.floor(extra)), kind="stable")[:rest]] += 1
    return cuts


def sizes_along(size: Graph | None, share: Floats, *, closed: bool) -> Floats:
    """Return the size at each station of a run; only the ends of an open one may be 0, where it runs out to a point.

    Raises
    ------
    ValueProblem
        When it falls to nothing anywhere else, with the place.
    """
    if size is None:
        return np.ones(len(share))
    places = np.union1d(np.linspace(0.0, 1.0, 1001), share)
    found = size(places)
    inner = np.ones(len(places), bool) if closed else (places > 0) & (places < 1)
    bad = (found < 0) | (inner & (found <= 1e-9))
    if bad.any():
        at = int(np.argmin(np.where(bad, found, np.inf)))
        raise ValueProblem(
            f"The size falls to {found[at]:.3g} at {100 * places[at]:.3g} % of the way.", field="size_along",
            hint="Only the ends of what is open may run to 0, in a point.",
        )  # fmt: skip
    return size(share)


def tight_note(stations: Stations, tight: Tight, what: str, field: str) -> Note:
    """Return the warning that a section is carried through itself, with the place and how much smaller it would pass."""
    spot = stations.points[tight.station]
    where = ", ".join(f"{x:.4g}" for x in spot)
    text = f"{what} at ({where}): {100 * tight.share:.3g} % of the size would pass there."
    return Note("warning", text, ((float(spot[0]), float(spot[1]), float(spot[2])),), field=field)


def path_points(path: CurveInput, stations: Floats, edge: Floats) -> Iterator[Callout]:
    """Yield a handle for each point of a path, in the part's own space; each is held by the body beside it.

    ``stations`` (k, 3) are places along the path, ``edge`` (k, 3) a point of the body at each.
    """
    flat = path.shape.at.shape[1] == 2
    for point, at in zip(path.point_ids, path.shape.at, strict=True):
        spot = (float(at[0]), 0.0, float(at[1])) if flat else (float(at[0]), float(at[1]), float(at[2]))
        x, y, z = edge[int(((stations - spot) ** 2).sum(axis=1).argmin())]
        second = (0.0, 0.0, 1.0) if flat else (0.0, 1.0, 0.0)
        yield Callout(
            f"curves/{path.id}/{point}/at",
            CalloutForm.POINT,
            spot,
            spot,
            (1, 0, 0),
            1.0,
            second,
            grip=(float(x), float(y), float(z)),
        )


def reach_of(section: Floats, angle: Floats) -> Floats:
    """Return how far a section reaches in directions given in radians: its support function."""
    out = np.full(np.shape(angle), -np.inf)
    for x, y in section:
        np.maximum(out, np.cos(angle) * x + np.sin(angle) * y, out=out)
    return out
