"""Round rims of a body: where a hole meets the face that it goes into."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jukai.core.geometry._slices import follow_chains
from jukai.core.geometry.arrays import Bools, Floats, Ints
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges

__all__ = ["RoundRim", "round_rims"]

_OFF = 2e-3
"""How far, of its radius, a rim's points may be off a circle and off its plane."""
_LEAST = 8
"""Points that a rim must have to be round."""
_SAME = 2000
"""Steps of a normal's coordinates within which faces lie in one plane."""


@dataclass(frozen=True, slots=True)
class RoundRim:
    """A round rim of a hole.

    Attributes
    ----------
    centre : (3,) mm.
    normal : (3,) out of the hole.
    radius : mm, of the circle through its points.
    """

    centre: Floats
    normal: Floats
    radius: float


def round_rims(mesh: Mesh) -> tuple[RoundRim, ...]:
    """Return the round rims of holes, in the order of their lowest corner.

    A rim is a closed loop of sharp edges, or of open ones, whose points lie on a circle round their middle; the faces on
    one side of it lie in the circle's plane, outside the circle.
    """
    return mesh.cached("round rims", lambda: _found(mesh))


def _found(mesh: Mesh) -> tuple[RoundRim, ...]:
    con = mesh.connectivity
    edges = sharp_edges(mesh) | (con.edge_sides == 1)
    corner = np.flatnonzero(edges[con.corner_edge]).astype(np.int32)
    if not len(corner):
        return ()
    # edges are followed along faces that lie in one plane: those around the mouth of a hole do
    normal = face_normals(mesh)[mesh.corner_faces[corner]]
    _, plane = np.unique(np.rint(normal * _SAME), axis=0, return_inverse=True)
    keys = np.stack([mesh.corners[corner], mesh.corners[con.following[corner]]]).astype(np.int64)
    known, nodes = np.unique(keys + plane.ravel() * mesh.n_points, return_inverse=True)
    start, end = nodes.reshape(keys.shape)
    alone = np.bincount(start, minlength=len(known))[start] == 1
    alone &= _goes_in(mesh, corner, normal)
    chain, offsets, closed = follow_chains(start[alone], end[alone], len(known))
    way = np.zeros((len(known), 3))
    way[start] = normal
    out = []
    for k in np.flatnonzero(closed):
        run = chain[offsets[k] : offsets[k + 1]]
        found = _circle(mesh.points[known[run] % mesh.n_points], way[run[0]])
        if found is not None:
            out.append(found)
    return tuple(out)


def _goes_in(mesh: Mesh, corner: Ints, normal: Floats) -> Bools:
    """Return whether the face across each edge goes into the body; what stands out of it has no hole."""
    con = mesh.connectivity
    twin = con.twins[corner]
    beyond = mesh.points[mesh.corners[con.following[con.following[np.maximum(twin, 0)]]]]
    rise = np.einsum("ij,ij->i", beyond - mesh.points[mesh.corners[corner]], normal)
    return np.asarray((twin < 0) | (rise < 0))


def _circle(ring: Floats, normal: Floats) -> RoundRim | None:
    """Return the circle through points that run round a hole, clockwise seen from outside; None where they do not."""
    if len(ring) < _LEAST:
        return None
    middle = ring.mean(axis=0)
    off = ring - middle
    turning = np.cross(off, np.roll(off, -1, axis=0)).sum(axis=0) @ normal
    radii = np.linalg.norm(off, axis=1)
    radius = float(radii.mean())
    if turning >= 0 or np.ptp(radii) > _OFF * radius or np.abs(off @ normal).max() > _OFF * radius:
        return None
    return RoundRim(middle, normal, radius)
