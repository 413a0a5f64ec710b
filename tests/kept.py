"""Bench files and databases as earlier versions wrote them, and the bodies they gave then."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.mesh import Mesh
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import evaluate
from tests.drawn import drawn

KEPT = Path(__file__).parent / "reference" / "kept"


def mesh_hash(mesh: Mesh | None) -> str | None:
    """Return a hash of all that a body is and of how it is shaded; the lineage counts by its groups."""
    if mesh is None:
        return None
    h = hashlib.blake2b(digest_size=12)
    tables = {"points": mesh.points, "corners": mesh.corners, "offsets": mesh.offsets, "uv": mesh.uv, "finish": mesh.face_finish,
              "pairs": mesh.edge_pairs, **mesh.edge_data, **mesh.point_data}  # fmt: skip
    for name, table in sorted(tables.items()):
        if table is not None:
            h.update(name.encode() + np.ascontiguousarray(table).tobytes())
    h.update(first_layout(mesh))
    h.update(json.dumps([mesh.finishes, sorted(mesh.groups().items())]).encode())
    return h.hexdigest()


def first_layout(mesh: Mesh) -> bytes:
    """Return the drawing data of a mesh in the layout it had when the hashes were taken."""
    d = drawn(mesh)
    lineage = json.dumps(d.lineage).encode()
    names = json.dumps(d.finishes).encode() if d.finishes else b""
    # of large bodies alone it was told whether they are closed
    closed = len(mesh.corners) >= 60_000 and mesh.closed
    head = np.array(
        [0x31564B4A, 1, len(d.position), len(d.triangles), mesh.n_faces, len(d.sharp), len(lineage), len(names), closed, 0, 0, 0],
        "<u4",
    )  # fmt: skip
    tables = (
        head,
        d.origin,
        d.position,
        d.sharp,
        d.triangles,
        d.triangle_face,
        d.face,
        d.face_lineage,
        d.normal,
        d.edge,
    )
    return b"".join([*(t.tobytes() for t in tables), lineage, names, b" " * (-(len(lineage) + len(names)) % 4)])


def bodies_of(bench: Bench, files: dict[str, bytes] | None = None) -> dict[str, str | None]:
    """Return the hash of each part's body; of one that fails, its error."""
    out: dict[str, str | None] = {}
    for part in bench.parts:
        try:
            evaluation = evaluate(bench, part.id, files=files or {})
            out[part.id] = evaluation.error.message if evaluation.error else mesh_hash(evaluation.placed_mesh())
        except CoreError as e:
            out[part.id] = e.message
    return out
