"""Filling open borders."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator, three
from jukai.core.operators.crossing import crossing_notes
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.finish import finish
from jukai.core.operators.kinds.pick import AnyPick, pick

if TYPE_CHECKING:
    from jukai.core.geometry.rims import Rim

__all__ = ["Values", "fill_holes"]


class Values(OperatorValues):
    """Open borders that are filled, and with what."""

    pick: AnyPick = pick(
        "The open borders: each is filled that has a picked edge.", of=("edges",), default={"rule": "rim"}
    )  # without a body before it the rule as it is written
    fill: str = choice(
        "What fills a hole.",
        (("four_sided", "a grid of four-sided faces"), ("face", "one face"), ("fan", "a fan about its middle")),
    )
    turn: int = count(
        "By how many points the grid is turned.", default=0, ge=-10_000, le=10_000, relevant='fill == "four_sided"'
    )
    finish: str | None = finish("Finish of the new faces.")


@operator(
    id="fill_holes",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Fill the holes at {pick} with {fill}[, turned by {turn} points]",
    quiet="The new faces' finish is {finish}.",
    groups=("filled",),
    synonyms=("cap", "close holes", "cover", "lid", "patch", "grid fill"),
    example=Example(
        (
            ("cylinder", {"radius": 14, "height": 12, "sides": 24, "ends": "open"}),
            (
                "fill_holes",
                {
                    "pick": {
                        "rule": "inside",
                        "of": "edges",
                        "shape": "half_space",
                        "point": [0, 0, 6],
                        "direction": [0, 0, 1],
                    }
                },
            ),
        ),
        seen_from=(-35, 50),
    ),
)
def fill_holes(mesh: Mesh, values: Values, context: Context) -> Result:
    """Close open borders: with a grid of four-sided faces, one face, or a fan.

    Notes
    -----
    Points of a grid lie between the sides of the hole (Coons 1967); a hole of an odd number of points has one face of three
    sides.
    """
    from jukai.core.geometry.rebuilding import Block, rebuilt
    from jukai.core.geometry.rims import rims_of

    picked = values.pick
    rims = rims_of(mesh, picked.mask, whole=True)
    used: dict[str, object] = {"pick": float(picked.count)}
    closed = [r for r in rims if r.closed]
    notes = []
    if not closed:
        text = "No picked edge is on an open border." if picked.mask.any() else "No edge is picked: nothing is filled."
        return Result(mesh, (Note("info", text, field="pick"),), used=used)
    if len(closed) < len(rims):
        at = next(r for r in rims if not r.closed).points[0]
        text = "A border that does not come back to where it begins can't be filled."
        notes.append(Note("warning", text, field="pick", places=(three(mesh.points[at]),)))
    context.afford(mesh.n_faces + sum(_faces(len(r.points), values.fill) for r in closed), field="fill")
    added: list[Floats] = []
    blocks: list[Block] = []
    first, odd = mesh.n_points, []
    for k, rim in enumerate(closed):
        context.checkpoint(k / len(closed))
        ring = rim.points[::-1]
        points, pieces = _filled(mesh.points[ring], values)
        number = np.concatenate([ring, first + np.arange(len(points))])
        blocks += [Block.of(number[c], "filled", -1, uv, values.finish) for c, uv in pieces if len(c)]
        added.append(points)
        first += len(points)
        if values.fill == "four_sided" and len(ring) % 2:
            odd.append(three(mesh.points[ring[0]]))
    if odd:
        word = "hole has" if len(odd) == 1 else "holes have"
        text = f"{len(odd)} {word} an odd number of points: one face there has three sides."
        notes.append(Note("info", text, field="fill", places=tuple(odd[:50])))
    out = rebuilt(mesh, context.step, added=np.concatenate(added), source=_sources(closed, added), blocks=blocks)
    notes += crossing_notes(out, (context.step, "filled"), "What fills a hole has no room", "fill")
    facts = {"holes": float(len(closed))}
    return Result(out, tuple(notes), used=used, facts=facts)


def _sources(rims: Sequence[Rim], added: list[Floats]) -> Array:
    return np.concatenate([np.full(len(p), r.points[0]) for r, p in zip(rims, added, strict=True)])


def _faces(m: int, fill: str) -> int:
    return {"face": 1, "fan": m}.get(fill, (m // 4 + 1) ** 2)


def _filled(loop: Floats, values: Values) -> tuple[Floats, list[tuple[Array, Floats]]]:
    """Return inner points, and faces by their number of sides with texture coordinates; numbers from ``len(loop)`` are inner ones."""
    from jukai.core.geometry.filling import grid_patch, plane_of

    m = len(loop)
    if m == 3 or (m == 4 and values.fill != "fan") or values.fill == "face":
        return np.zeros((0, 3)), [(np.arange(m)[None], _flat(loop)[None])]
    if values.fill == "fan":
        middle = plane_of(loop)[0]
        uv = _flat(np.concatenate([loop, middle[None]]))
        at = np.arange(m)
        fan = np.stack([at, (at + 1) % m, np.full(m, m)], axis=1)
        return middle[None], [(fan, uv[fan])]
    patch = grid_patch(loop, values.turn)
    out = [(patch.fours, patch.uv)]
    if len(patch.three):
        out.append((patch.three[None], patch.uv_three[None]))
    return patch.points, out


def _flat(loop: Floats) -> Floats:
    """Return texture coordinates in the plane of a loop, 0 to 1 across its larger extent."""
    from jukai.core.geometry.filling import plane_of
    from jukai.core.geometry.frames import frame_along

    centre, normal = plane_of(loop)
    axes = frame_along(normal if normal.any() else np.array([0.0, 0.0, 1.0])).axes
    flat = (loop - centre) @ axes[:2].T
    low, high = flat.min(axis=0), flat.max(axis=0)
    return np.asarray((flat - low) / max(float((high - low).max()), 1e-300))
