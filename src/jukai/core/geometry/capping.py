"""Open borders in a plane closed: each outline with its holes."""

from __future__ import annotations

import mapbox_earcut
import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.flat_rings import holds, ring_area
from jukai.core.geometry.frames import frame_along
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.rebuilding import Block, rebuilt
from jukai.core.geometry.rims import rims_of

__all__ = ["capped"]


def capped(mesh: Mesh, on: Array, normal: Floats, step: str, group: str, finish: str | None = None) -> Mesh:
    """Close the open borders whose points are all among ``on`` (n,), which lie in a plane that the body is behind of.

    Outlines without holes become one face each; those with holes are cut into pieces.
    """
    con = mesh.connectivity
    within = on[con.edges].all(axis=1) & (con.edge_sides == 1)
    rims = [r for r in rims_of(mesh, within) if r.closed]
    if not rims:
        return mesh
    axes = frame_along(normal).axes
    loops = [r.points[::-1] for r in rims]
    flat = [mesh.points[loop] @ axes[:2].T for loop in loops]
    areas = [ring_area(f) for f in flat]
    outer = sorted((i for i, a in enumerate(areas) if a > 0), key=lambda i: areas[i])
    holes: dict[int, list[int]] = {i: [] for i in outer}
    for i, a in enumerate(areas):
        if a < 0:
            home = next((o for o in outer if areas[o] > -a and holds(flat[o], flat[i][0])), None)
            if home is not None:
                holes[home].append(i)
    blocks = []
    for o, inner in holes.items():
        if not inner:
            blocks.append(Block.of(loops[o][None], group, -1, _texture(flat[o])[None], finish))
            continue
        rows = [o, *inner]
        ids = np.concatenate([loops[i] for i in rows])
        places = np.concatenate([flat[i] for i in rows])
        ends = np.cumsum([len(loops[i]) for i in rows]).astype(np.uint32)
        cut = np.asarray(mapbox_earcut.triangulate_float64(np.ascontiguousarray(places), ends), dtype=np.int64).reshape(
            -1, 3
        )
        blocks += _pieces(ids, cut, _texture(places), group, finish)
    return rebuilt(mesh, step, blocks=blocks)


def _pieces(ids: Array, cut: Array, uv: Floats, group: str, finish: str | None) -> list[Block]:
    """Return triangles grown together to as few faces without holes as can be."""
    from jukai.core.geometry.booleans import grown

    local, sides, _ = grown(cut, np.zeros(len(cut), dtype=np.int64))
    return [Block(ids[local], sides, group, np.full(len(sides), -1), uv[local], finish)]


def _texture(flat: Floats) -> Floats:
    low, high = flat.min(axis=0), flat.max(axis=0)
    return np.asarray((flat - low) / max(float((high - low).max()), 1e-300))
