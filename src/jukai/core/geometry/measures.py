"""Areas, normals of faces, volume, centroid, dihedral angles."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats, Ints, frozen
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.mesh import Mesh

__all__ = [
    "area",
    "areas_among",
    "edge_turns",
    "face_frames",
    "face_normals",
    "signed_volume",
    "surface_centroid",
    "vector_areas",
]


def vector_areas(mesh: Mesh) -> Floats:
    """Return (f, 3) the vector area of each face: its normal, as long as the area in mm².

    Newell's sum of cross products, taken from the face's first corner so that bodies far from the
    origin keep their digits. Exact for flat faces; for bent ones the mean over all fans.
    """
    return mesh.cached("vector_areas", lambda: _vector_areas(mesh))


def _vector_areas(mesh: Mesh) -> Floats:
    if len(mesh.corners) > FEW:
        return _areas_and_normals(mesh)[0]
    here = mesh.points[mesh.corners]
    first = here[mesh.offsets[:-1]]
    rel = here - np.repeat(first, mesh.sides, axis=0)
    crossed = np.cross(rel, rel[mesh.connectivity.following])
    if mesh.n_faces == 0:
        return np.zeros((0, 3))
    return 0.5 * np.add.reduceat(crossed, mesh.offsets[:-1], axis=0)


def face_frames(mesh: Mesh) -> tuple[Floats, Floats, Floats]:
    """Return vector areas (f, 3), unit normals (f, 3) and corner angles (c,) of a large mesh, in one pass."""
    from jukai.core.geometry._fans import frames_loop  # only large bodies need it

    return mesh.cached("frames", lambda: frames_loop(mesh.points, mesh.corners, mesh.offsets))


def _areas_and_normals(mesh: Mesh) -> tuple[Floats, Floats]:
    """Return vector areas and unit normals of a large mesh: the same, whoever asks first."""
    from jukai.core.geometry._faces import areas_loop

    def compute() -> tuple[Floats, Floats]:
        frames = mesh.known("frames")
        return frames[:2] if frames is not None else areas_loop(mesh.points, mesh.corners, mesh.offsets)

    return mesh.cached("areas and normals", compute)


def face_normals(mesh: Mesh) -> Floats:
    """Return (f, 3) unit normals; zero for faces without an area."""

    def compute() -> Floats:
        if len(mesh.corners) > FEW:
            return _areas_and_normals(mesh)[1]
        va = vector_areas(mesh)
        length = np.sqrt(np.einsum("ij,ij->i", va, va))
        return np.asarray(va / np.where(length > 0, length, 1)[:, None])

    return mesh.cached("face normals", compute)


def areas_among(mesh: Mesh, faces: Array) -> tuple[Floats, Floats]:
    """Return vector areas and unit normals, (f, 3) each, that hold for some faces; of others they may be anything."""
    many = 4 * len(faces) > mesh.n_faces or len(mesh.corners) <= FEW
    names = ("vector_areas", "face normals", "areas and normals", "frames")
    if many or any(mesh.known(name) is not None for name in names):
        return vector_areas(mesh), face_normals(mesh)
    from jukai.core.geometry._faces import areas_of_some

    areas, normals = areas_of_some(mesh.points, mesh.corners, mesh.offsets, faces)
    return areas, normals


def area(mesh: Mesh) -> float:
    """Return the surface area, mm² (of bent faces, the length of their vector area)."""
    va = vector_areas(mesh)
    return float(np.sqrt(np.einsum("ij,ij->i", va, va)).sum())


def signed_volume(mesh: Mesh) -> float:
    """Return the enclosed volume, mm³: positive when the faces look outward.

    The divergence theorem over the triangles that are shown and written, so that bent faces enclose
    what others read of them; measured from the middle of the body so that distance from the origin costs no digits.
    """
    return mesh.cached("signed volume", lambda: _signed_volume(mesh))


def _signed_volume(mesh: Mesh) -> float:
    from jukai.core.geometry.triangulation import triangulate  # it needs the areas from here

    if mesh.n_faces == 0:
        return 0.0
    centre, rows = mesh.bounds.mean(axis=0), triangulate(mesh).points(mesh)
    if len(mesh.corners) > FEW:
        from jukai.core.geometry._faces import volume_loop

        return float(volume_loop(mesh.points, rows, *centre.tolist()) / 6)
    p = mesh.points - centre
    a, b, c = (p[rows[:, i]] for i in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def surface_centroid(mesh: Mesh) -> Floats:
    """Return the (3,) area-weighted middle of the surface; the middle of the bounds if it has no area.

    A coordinate within 1e-9 of the size from 0 is 0, so that a symmetric body gives an exact axis.
    """
    return mesh.cached("surface centroid", lambda: _surface_centroid(mesh))


def _surface_centroid(mesh: Mesh) -> Floats:
    va = vector_areas(mesh)
    weight = np.sqrt(np.einsum("ij,ij->i", va, va))
    total = float(weight.sum())
    low, high = mesh.bounds
    middle = (low + high) / 2
    if not total > 0:
        return np.asarray(middle)
    if len(mesh.corners) > FEW:
        from jukai.core.geometry._faces import weighted_middles

        sums = np.array(weighted_middles(mesh.points, mesh.corners, mesh.offsets, weight, *middle.tolist()))
    else:
        means = np.add.reduceat(mesh.points[mesh.corners] - middle, mesh.offsets[:-1], axis=0) / mesh.sides[:, None]
        sums = (means * weight[:, None]).sum(axis=0)
    centre = middle + sums / total
    return np.where(np.abs(centre) <= 1e-9 * max(mesh.size, 1e-300), 0.0, centre)


def edge_turns(mesh: Mesh, edges: Ints | None = None) -> Floats:
    """Return (e,) the angle in radians by which the surface turns at each edge; π where there is
    not exactly one face on each side.

    atan2 of sine and cosine: arccos would lose half the digits near 0.
    """  # noqa: D205

    def compute() -> Floats:
        con = mesh.connectivity
        normals = face_normals(mesh)
        faces = mesh.corner_faces
        if len(mesh.corners) > FEW:
            from jukai.core.geometry._faces import edge_turns_loop

            return frozen(edge_turns_loop(normals, mesh.corners, faces, con.twins, con.corner_edge, con.n_edges))
        out = np.full(con.n_edges, np.pi)
        one = np.flatnonzero((con.twins > np.arange(len(con.twins))) & ~mesh.same_direction)
        a, b = normals[faces[one]], normals[faces[con.twins[one]]]
        cross = np.cross(a, b)
        sine = np.sqrt(np.einsum("ij,ij->i", cross, cross))
        out[con.corner_edge[one]] = np.arctan2(sine, np.einsum("ij,ij->i", a, b))
        return frozen(out)

    out = mesh.cached("edge turns", compute)
    return out if edges is None else np.asarray(out[edges])
