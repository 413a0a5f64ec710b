"""Bodies cut by planes, for the screen: caps, outlines, areas and gaps."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jukai.app.ports import NotThere
from jukai.app.workshop import Workshop
from jukai.core.drawing.views import hatch_numbers
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import matrix_of
from jukai.core.geometry.section import Cut, Plane, cut, gap_between
from jukai.core.json_data import JsonObject

__all__ = ["Shown", "section"]

_MOST_GAPS = 3


@dataclass(frozen=True, slots=True)
class Shown:
    """A body as it is shown: its part, the hash of its drawing data, and where it stands."""

    part: str
    mesh: str
    matrix: Sequence[float]


def section(workshop: Workshop, planes: Sequence[tuple[Sequence[float], Sequence[float]]], bodies: Sequence[Shown],
            chosen: str | None) -> JsonObject:  # fmt: skip
    """Cut shown bodies by one plane, or by two that take a corner away.

    Every cut is told by the part and plane it belongs to: triangles and lines as base64 of little endian float32,
    relative to ``origin``; the area; a number for its hatching that differs between neighbours (ISO 128-50). The
    gaps are those of the chosen part to its nearest neighbours in each plane.

    Raises
    ------
    NotThere
        When a body's drawing data is not kept any more.
    ValueProblem
        When a plane has no direction.
    """
    cutting = [Plane.through(np.asarray(p, dtype=np.float64), np.asarray(n, dtype=np.float64)) for p, n in planes]
    if len(cutting) > 1 and _same(*cutting):
        cutting = cutting[:1]
    origin = cutting[0].point if cutting else np.zeros(3)
    rows: list[JsonObject] = []
    gaps: list[JsonObject] = []
    for number, plane in enumerate(cutting):
        whole = [(b, cut(_mesh(workshop, b.mesh), plane, matrix_of(b.matrix))) for b in bodies]
        met = [(b, c) for b, c in whole if not c.empty]
        if len(cutting) > 1:  # each plane's cut shows where the other one takes away
            other = cutting[1 - number]
            met = [(b, k) for b, c in met if not (k := c.kept(other, ahead=True)).empty]
        hatches = hatch_numbers([c for _, c in met])
        for (b, c), hatch in zip(met, hatches, strict=True):
            rows.append({
                "part": b.part, "plane": number, "area": c.area, "perimeter": c.perimeter, "loops": len(c.loops), "hatch": hatch,
                "cap": _packed(plane, c.triangles, origin), "lines": _packed(plane, c.segments(), origin),
            })  # fmt: skip
        gaps += _gaps(met, chosen, number)
    return {"origin": origin.tolist(), "rows": rows, "gaps": gaps}


def _same(a: Plane, b: Plane) -> bool:
    apart = abs(float((b.point - a.point) @ a.normal))
    return bool(a.normal @ b.normal > 1 - 1e-12) and apart <= 1e-9 * (1 + float(np.abs(a.point).max()))


def _mesh(workshop: Workshop, digest: str) -> Mesh:
    mesh = workshop.mesh(digest)
    if mesh is None:
        raise NotThere("such mesh any more")
    return mesh


def _packed(plane: Plane, flat: Floats, origin: Floats) -> str:
    rows = plane.raised(flat.reshape(-1, 2)) - origin
    return base64.b64encode(rows.astype("<f4").tobytes()).decode()


def _gaps(met: Sequence[tuple[Shown, Cut]], chosen: str | None, plane: int) -> list[JsonObject]:
    mine = next((c for b, c in met if b.part == chosen), None)
    if mine is None:
        return []
    out: list[JsonObject] = []
    for b, c in met:
        if b.part == chosen:
            continue
        gap = gap_between(mine, c)
        if gap is not None:
            out.append({"plane": plane, "part": chosen, "other": b.part, "distance": gap.distance, "crossing": gap.crossing,
                        "places": [list(p) for p in gap.places]})  # fmt: skip
    return sorted(out, key=lambda g: g["distance"])[:_MOST_GAPS]
