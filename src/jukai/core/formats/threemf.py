"""3MF (3MF Consortium, core specification 1.3): a zip with a model of triangles, units and materials."""

from __future__ import annotations

import io
import math
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jukai.core.formats.common import WriteOptions
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.core.xml import attribute

__all__ = ["CORE", "MODEL_TYPE", "ThreemfPart", "write_threemf"]

CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
MODEL_TYPE = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"
_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"
_CONTENT = "http://schemas.openxmlformats.org/package/2006/content-types"
_UNIT_NAMES = {"mm": "millimeter", "cm": "centimeter", "m": "meter", "in": "inch"}


@dataclass(frozen=True, slots=True, eq=False)
class ThreemfPart:
    """A part to be written: its mesh on the bench, the finish of its own and those of single faces, as numbers."""

    name: str
    mesh: Mesh
    finish: int = -1
    finishes: tuple[int, ...] = ()


def write_threemf(parts: Sequence[ThreemfPart], finishes: Sequence[tuple[str, str]], options: WriteOptions) -> bytes:
    """Write parts as objects of one model; ``finishes`` are (name, ``#rrggbb``). The same parts give the same bytes."""
    out = [f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="{_UNIT_NAMES[options.unit]}" xml:lang="en-GB" xmlns="{CORE}">\n',
           '<metadata name="Application">Jukai</metadata>\n<resources>\n']  # fmt: skip
    if finishes:
        bases = "".join(f'<base name={attribute(name)} displaycolor="{colour.upper()}"/>' for name, colour in finishes)
        out.append(f'<basematerials id="1">{bases}</basematerials>\n')
    for i, part in enumerate(parts, 2):
        out += _written(part, i, options)
    items = "".join(f'<item objectid="{i}"/>' for i in range(2, len(parts) + 2))
    out.append(f"</resources>\n<build>{items}</build>\n</model>\n")
    return _package("".join(out).encode())


def _written(part: ThreemfPart, number: int, options: WriteOptions) -> list[str]:
    mesh = part.mesh
    tri = triangulate(mesh)
    points = options.transform(mesh.points)
    looks = np.array([*part.finishes, part.finish], dtype=np.int64)
    rows = None if mesh.face_finish is None else looks[mesh.face_finish][tri.faces]
    own = f' pid="1" pindex="{part.finish}"' if part.finish >= 0 else ""
    if rows is not None and part.finish < 0 and (rows >= 0).any():
        own = f' pid="1" pindex="{int(rows[rows >= 0][0])}"'
    vertices = [f'<vertex x="{_text(x)}" y="{_text(y)}" z="{_text(z)}"/>\n' for x, y, z in points.tolist()]
    corners = np.asarray(tri.points(mesh)).reshape(-1, 3).tolist()
    if rows is None:
        faces = [f'<triangle v1="{a}" v2="{b}" v3="{c}"/>\n' for a, b, c in corners]
    else:
        faces = [_triangle(a, b, c, k) for (a, b, c), k in zip(corners, rows.tolist(), strict=True)]
    return [f'<object id="{number}" type="model" name={attribute(part.name)}{own}><mesh>\n<vertices>\n', *vertices, "</vertices>\n<triangles>\n",
            *faces, "</triangles>\n</mesh></object>\n"]  # fmt: skip


def _triangle(a: int, b: int, c: int, finish: int) -> str:
    look = f' pid="1" p1="{finish}"' if finish >= 0 else ""
    return f'<triangle v1="{a}" v2="{b}" v3="{c}"{look}/>\n'


def _text(x: float) -> str:
    return str(int(x)) if x == math.floor(x) and abs(x) < 1e15 else repr(x)


def _package(model: bytes) -> bytes:
    head = '<?xml version="1.0" encoding="UTF-8"?>\n'
    types = (
        f'{head}<Types xmlns="{_CONTENT}"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
    )
    relations = f'{head}<Relationships xmlns="{_RELATIONS}"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="{MODEL_TYPE}"/></Relationships>'
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        for name, body in (
            ("[Content_Types].xml", types.encode()),
            ("_rels/.rels", relations.encode()),
            ("3D/3dmodel.model", model),
        ):
            z.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), body, zipfile.ZIP_DEFLATED)
    return out.getvalue()
