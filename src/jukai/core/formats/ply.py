"""PLY (Turk 1994), written: binary, polygons and texture coordinates kept."""

from __future__ import annotations

import numpy as np

from jukai.core.formats.common import WriteOptions
from jukai.core.geometry.arrays import Array, concatenated_ranges
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["write_ply"]


def write_ply(mesh: Mesh, options: WriteOptions) -> bytes:
    """Write a binary little-endian PLY file in double precision; texture coordinates as a list of each face, in single."""
    points = np.ascontiguousarray(options.transform(mesh.points), dtype="<f8")
    tri = triangulate(mesh) if options.triangles else None
    if tri is not None:
        corners, sizes = tri.points(mesh).ravel(), np.full(len(tri.faces), 3)
    else:
        corners, sizes = np.asarray(mesh.corners), mesh.sides
    uv = None
    if mesh.uv is not None and options.texture:
        uv = np.asarray(mesh.uv if tri is None else mesh.uv[tri.corners.ravel()])
    small = int(sizes.max(initial=0)) < (256 if uv is None else 128)
    count = "uchar" if small else "int"
    head = (
        "ply\nformat binary_little_endian 1.0\n"
        f"comment {options.unit}, {options.up.upper()} up, written by Jukai\n"
        f"element vertex {len(points)}\nproperty double x\nproperty double y\nproperty double z\n"
        f"element face {len(sizes)}\nproperty list {count} int vertex_indices\n"
        f"{'' if uv is None else f'property list {count} float texcoord{chr(10)}'}end_header\n"
    )
    return head.encode() + points.tobytes() + _face_rows(corners, sizes, uv, "u1" if small else "<i4")


def _face_rows(corners: Array, sizes: Array, uv: Array | None, count_type: str) -> bytes:
    """Return the faces as they are written: a count and points, and a count and texture coordinates where there are any."""
    values = [np.asarray(corners).astype("<i4")] + ([] if uv is None else [uv.astype("<f4").reshape(-1)])
    if len(sizes) and (sizes == sizes[0]).all():
        k = int(sizes[0])
        lists = [("<i4", k), ("<f4", 2 * k)][: len(values)]
        fields = [row for i, (t, n) in enumerate(lists) for row in ((f"n{i}", count_type), (f"list{i}", t, (n,)))]
        rows = np.zeros(len(sizes), np.dtype(fields))
        for i, (_, n) in enumerate(lists):
            rows[f"n{i}"], rows[f"list{i}"] = n, values[i].reshape(-1, n)
        return rows.tobytes()
    width = np.dtype(count_type).itemsize
    many = [np.asarray(sizes, np.int64) * (i + 1) for i in range(len(values))]
    starts = np.concatenate([[0], np.cumsum(sum(4 * count + width for count in many))])
    out = np.zeros(int(starts[-1]), np.uint8)
    at = starts[:-1]
    for count, table in zip(many, values, strict=True):
        out[concatenated_ranges(at, np.full(len(count), width))] = np.frombuffer(
            count.astype(count_type).tobytes(), np.uint8
        )
        out[concatenated_ranges(at + width, 4 * count)] = np.frombuffer(table.tobytes(), np.uint8)
        at = at + width + 4 * count
    return out.tobytes()
