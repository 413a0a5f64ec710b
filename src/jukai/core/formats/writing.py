"""One door for all formats out."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass

from jukai.core.errors import FileProblem
from jukai.core.formats.common import FORMATS, WriteOptions
from jukai.core.formats.glb import GlbMaterial, GlbPart, write_glb
from jukai.core.formats.obj import ObjPart, one_word, write_mtl, write_obj
from jukai.core.formats.ply import write_ply
from jukai.core.formats.stl import write_stl
from jukai.core.geometry.mesh import Mesh, join_meshes

__all__ = ["ExportPart", "write_parts", "write_zip"]


@dataclass(frozen=True, slots=True, eq=False)
class ExportPart:
    """A part to be handed over: its name, its mesh in bench space, its finish."""

    name: str
    mesh: Mesh
    finish: GlbMaterial | None = None


def write_parts(
    parts: Sequence[ExportPart], file_format: str, options: WriteOptions, stem: str = "parts"
) -> dict[str, bytes]:
    """Write parts into one file (OBJ brings its MTL along).

    Returns
    -------
    File names and contents; the mesh file comes first.
    """
    if file_format not in FORMATS:
        raise FileProblem(f"'{file_format}' can't be written.", hint=f"These can: {', '.join(FORMATS.values())}.")
    stem = one_word(stem).replace("/", "_")
    if file_format == "glb":
        materials: list[GlbMaterial] = []
        rows = []
        for p in parts:
            if p.finish is not None and p.finish not in materials:
                materials.append(p.finish)
            rows.append(GlbPart(p.name, p.mesh, materials.index(p.finish) if p.finish is not None else -1))
        return {f"{stem}.glb": write_glb(rows, materials)}
    if file_format == "obj":
        finishes = {p.finish.name: p.finish for p in parts if p.finish is not None}
        mtl = f"{stem}.mtl" if finishes else None
        body = write_obj([ObjPart(p.name, p.mesh, p.finish.name if p.finish else None) for p in parts], options, mtl)
        out = {f"{stem}.obj": body}
        if mtl:
            out[mtl] = write_mtl([(f.name, f.colour, f.metal, f.roughness) for f in finishes.values()])
        return out
    mesh = join_meshes([p.mesh for p in parts])
    writer = write_stl if file_format == "stl" else write_ply
    return {f"{stem}.{file_format}": writer(mesh, options)}


def write_zip(files: dict[str, bytes]) -> bytes:
    """Return the files in one zip, with a fixed date so that the same bench gives the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        for name, body in files.items():
            z.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), body, zipfile.ZIP_DEFLATED)
    return out.getvalue()
