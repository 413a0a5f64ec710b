"""What the tests share: where the reference values are, tiny named meshes, checks on meshes."""

from __future__ import annotations

import contextlib
import io
import json
from pathlib import Path
from typing import Any

import numpy as np

from jukai.cli import main
from jukai.core.formats import read_mesh
from jukai.core.formats.common import WriteOptions
from jukai.core.formats.stl import write_stl
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.soundness import soundness

ROOT = Path(__file__).parent.parent
REFERENCE = Path(__file__).parent / "reference"
EXAMPLE = Path(__file__).parent / "turned.jukai.json"


def reference(name: str) -> Any:
    """Return a file of reference values."""
    return json.loads((REFERENCE / name).read_text(encoding="utf-8"))


def command(*arguments: str) -> tuple[int, str, str]:
    """Run the command line in this process: exit status, standard output, standard error."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        status = main(arguments)
    return status, out.getvalue(), err.getvalue()


def reference_mesh(name: str) -> Mesh:
    """Return one of the small nasty meshes."""
    return read_mesh((REFERENCE / "meshes" / name).read_bytes(), "obj").mesh


def cube() -> Mesh:
    return reference_mesh("cube.obj")


def written_volume(mesh: Mesh) -> float:
    """The volume of the triangles that an STL file of a body holds, by the divergence theorem; single precision."""
    body = np.frombuffer(write_stl(mesh, WriteOptions()), np.uint8)[84:].reshape(-1, 50)[:, 12:48]
    p = np.ascontiguousarray(body).view("<f4").reshape(-1, 3, 3).astype(np.float64)
    return float(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6)


def check_sound(case: Any, mesh: Mesh | None) -> None:
    """Assert that a body is closed, manifold, oriented, outward and free of NaN, and that Euler and Poincaré agree."""
    assert mesh is not None
    s = soundness(mesh)
    failures = [f.text for f in s.findings if f.level == "failure"]
    case.assertTrue(s.sound, failures)
    case.assertTrue(np.isfinite(mesh.points).all())
    assert s.genus is not None
    case.assertEqual(s.euler, 2 * s.bodies - 2 * s.genus)
    if mesh.uv is not None:
        case.assertTrue(((mesh.uv >= -1e-12) & (mesh.uv <= 1 + 1e-12)).all())
