"""One door for all formats out."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.common import FORMATS, WriteOptions
from jukai.core.formats.glb import GlbMaterial, GlbPart, write_glb
from jukai.core.formats.obj import ObjPart, one_word, write_mtl, write_obj
from jukai.core.formats.off import write_off
from jukai.core.formats.ply import write_ply
from jukai.core.formats.stl import write_stl
from jukai.core.geometry.mesh import Mesh, join_meshes

__all__ = ["ExportPart", "write_parts", "write_zip"]


@dataclass(frozen=True, slots=True, eq=False)
class ExportPart:
    """A part to be handed over: its name, its mesh in bench space, its finish.

    ``known`` are the looks of the finishes that single faces have; one that is only a name keeps its
    name and looks plain.
    """

    name: str
    mesh: Mesh
    finish: GlbMaterial | None = None
    known: tuple[GlbMaterial, ...] = ()

    def looks(self) -> list[GlbMaterial]:
        """Return the finishes of single faces, in the order of the mesh's names."""
        by_name = {m.name: m for m in self.known}
        return [by_name.get(name) or GlbMaterial(name) for name in self.mesh.finishes]

    def used(self) -> list[GlbMaterial]:
        """Return all finishes that some face has, the part's own first."""
        faces = self.mesh.face_finish
        own = [self.finish] if self.finish is not None and (faces is None or bool((faces < 0).any())) else []
        there = set() if faces is None else set(np.unique(faces).tolist())
        return own + [look for i, look in enumerate(self.looks()) if i in there and look not in own]


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
    if not options.texture:
        parts = [replace(p, mesh=p.mesh.with_changes(uv=None)) for p in parts]
    if file_format in ("glb", "3mf"):
        materials: list[GlbMaterial] = []
        rows = []
        for p in parts:
            looks = p.looks()
            materials += [m for m in dict.fromkeys([*([p.finish] if p.finish else []), *looks]) if m not in materials]
            own = materials.index(p.finish) if p.finish is not None else -1
            rows.append((p.name, p.mesh, own, tuple(materials.index(m) for m in looks)))
        if file_format == "glb":
            return {f"{stem}.glb": write_glb([GlbPart(*row) for row in rows], materials)}
        colours = [(m.name, m.colour) for m in materials]
        from jukai.core.formats.threemf import ThreemfPart, write_threemf

        return {f"{stem}.3mf": write_threemf([ThreemfPart(*row) for row in rows], colours, options)}
    if file_format == "obj":
        finishes = {m.name: m for p in parts for m in p.used()}
        mtl = f"{stem}.mtl" if finishes else None
        body = write_obj([ObjPart(p.name, p.mesh, p.finish.name if p.finish else None) for p in parts], options, mtl)
        out = {f"{stem}.obj": body}
        if mtl:
            out[mtl] = write_mtl([(f.name, f.colour, f.metal, f.roughness) for f in finishes.values()])
        return out
    mesh = join_meshes([p.mesh for p in parts])
    return {f"{stem}.{file_format}": _WRITERS[file_format](mesh, options)}


_WRITERS: dict[str, Callable[[Mesh, WriteOptions], bytes]] = {"stl": write_stl, "ply": write_ply, "off": write_off}


def write_zip(files: dict[str, bytes]) -> bytes:
    """Return the files in one zip, with a fixed date so that the same bench gives the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        for name, body in files.items():
            z.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), body, zipfile.ZIP_DEFLATED)
    return out.getvalue()
