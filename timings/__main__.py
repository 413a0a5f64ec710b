"""``make timings``: Jukai beside general-purpose libraries, in one run."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

from jukai.core.formats import read_mesh
from jukai.core.formats.common import WriteOptions
from jukai.core.formats.glb import GlbPart, write_glb
from jukai.core.formats.obj import ObjPart, write_obj
from jukai.core.formats.ply import write_ply
from jukai.core.formats.stl import write_stl
from jukai.core.geometry.connectivity import connect
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.memory import keep_freed_memory
from timings.bevels import bevels, elsewhere
from timings.carried import carried
from timings.deforming import deforming
from timings.edits import edits
from timings.fasteners import fasteners
from timings.measure import Row, measure
from timings.meshes import fresh, quads, shuffled, triangles
from timings.shapes import clearances, shapes

ROOT = Path(__file__).parent.parent


def profile(n: int) -> np.ndarray:
    z = np.linspace(0.0, 100.0, n)
    return np.column_stack([20 + 3 * np.sin(z / 5), z])


def revolve() -> None:
    import trimesh

    pts = profile(201)

    def floor(_: Any) -> Any:
        n = 100_000
        tables = [
            np.empty((100_500, 3)),
            np.empty(4 * n, np.int32),
            np.empty(n + 1, np.int32),
            np.empty((4 * n, 2)),
            np.empty(n, np.int32),
        ]
        for t in tables:
            t.fill(1)
        return tables

    measure(Row("revolve, 201 points x 500 sides = 100 000 quads, with texture coordinates, lineage, groups", lambda: None,
                lambda _: turn([Section(pts)], Turning(sides=500, ends="open"), "s"), floor,
                {"trimesh.creation.revolve(process=False)": lambda _: trimesh.creation.revolve(pts, sections=500, process=False)},
                {"trimesh.creation.revolve(process=False)": 0.4, "floor": 6}))  # fmt: skip


def connectivity() -> None:
    import igl
    import trimesh

    mesh = quads(500, 500)
    for name, body, aims in (
        ("in order", mesh, (0.10, 0.7, 20)),
        ("numbered at random", shuffled(mesh), (None, 0.5, None)),
    ):
        tri = triangles(fresh(body))

        def floor(_: Any) -> Any:
            n = 1_000_000
            tables = [
                np.empty((n // 2, 2), np.int32),
                *(np.empty(n, np.int32) for _ in range(4)),
                np.empty(n // 2, np.int32),
                np.empty(n // 4, np.int32),
            ]
            for t in tables:
                t.fill(1)
            return tables

        def three(t: Any, body: Mesh = body) -> Any:
            m = trimesh.Trimesh(body.points, t, process=False)
            return m.edges_unique, m.face_adjacency, m.vertex_faces

        others = {"igl.triangle_triangle_adjacency": lambda _, t=tri: igl.triangle_triangle_adjacency(t)}
        if aims[0]:
            others["trimesh edges_unique + face_adjacency + vertex_faces"] = lambda _, t=tri: three(t)
        measure(Row(f"connectivity of 250 000 quads, {name}", lambda: None, lambda _, b=body: connect(b.corners, b.offsets, b.n_points), floor, others,
                    {k: v for k, v in zip(("trimesh edges_unique + face_adjacency + vertex_faces", "igl.triangle_triangle_adjacency", "floor"), aims, strict=True) if v}))  # fmt: skip


def triangulation() -> None:
    import mapbox_earcut

    rng = np.random.default_rng(3)
    sizes = rng.integers(5, 13, 10_000)
    points, faces, at = [], [], 0
    for k in sizes:
        a = np.sort(rng.uniform(0, 2 * np.pi, k) * 0.02 + np.arange(k) * 2 * np.pi / k)
        r = rng.uniform(0.4, 1, k)
        points.append(np.column_stack([r * np.cos(a), r * np.sin(a), np.zeros(k)]))
        faces.append(np.arange(at, at + k))
        at += k
    mesh = Mesh(
        np.concatenate(points),
        np.concatenate(faces).astype(np.int32),
        np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32),
    )
    flat = [p[:, :2].copy() for p in points]
    rings = [np.array([k], np.uint32) for k in sizes]

    def earcut(_: Any) -> Any:
        return [mapbox_earcut.triangulate_float64(p, r) for p, r in zip(flat, rings, strict=True)]

    measure(Row("triangulation of 10 000 concave faces of 5 to 12 sides", lambda: fresh(mesh), triangulate,
                lambda _: np.zeros((int(sizes.sum()) - 20_000, 3), np.int32), {"mapbox_earcut in a loop": earcut}, {"mapbox_earcut in a loop": 0.3, "floor": 50}))  # fmt: skip


def crossings() -> None:
    mesh = quads(200, 250)
    tri = triangles(fresh(mesh))

    def cgal(_: Any) -> Any:
        from igl.copyleft import cgal

        return cgal.remesh_self_intersections(mesh.points, tri, detect_only=True)

    measure(Row("self-crossings of 100 000 triangles", lambda: fresh(mesh), self_crossings, None,
                {"igl.copyleft.cgal detect_only": cgal}, {"igl.copyleft.cgal detect_only": 0.7}))  # fmt: skip


def glb_write(mesh: Mesh, tri: np.ndarray, body: Mesh, folder: Path) -> None:
    import trimesh

    theirs = trimesh.Trimesh(mesh.points, tri, process=False)

    def with_normals(_: Any) -> None:
        fresh_ = trimesh.Trimesh(mesh.points, tri, process=False)
        (folder / "trimesh.glb").write_bytes(fresh_.export(file_type="glb", include_normals=True))

    ready = fresh(body)
    write_glb([GlbPart("t", ready)], [])
    both = {
        "trimesh export(include_normals=True)": with_normals,
        "trimesh, without normals": lambda _: (folder / "trimesh.glb").write_bytes(theirs.export(file_type="glb")),
    }
    for words, mesh_given, aim in (
        ("GLB write, normals worked out and written", lambda: fresh(body), "trimesh export(include_normals=True)"),
        ("GLB write, normals there already, as after a picture", lambda: ready, "trimesh, without normals"),
    ):
        measure(Row(words, mesh_given, lambda m: (folder / "ours.glb").write_bytes(write_glb([GlbPart("t", m)], [])), None, both, {aim: 1.0}))  # fmt: skip


def files() -> None:
    import trimesh
    import vtk
    from vtk.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray

    mesh = quads(200, 500)
    tri = triangles(fresh(mesh))
    body = Mesh.from_triangles(mesh.points, tri)
    folder = Path(tempfile.mkdtemp())
    options = WriteOptions()

    poly = vtk.vtkPolyData()
    points = vtk.vtkPoints()
    points.SetData(numpy_to_vtk(mesh.points, deep=True))
    cells = vtk.vtkCellArray()
    cells.SetCells(
        len(tri),
        numpy_to_vtkIdTypeArray(np.column_stack([np.full(len(tri), 3), tri]).ravel().astype(np.int64), deep=True),
    )
    poly.SetPoints(points)
    poly.SetPolys(cells)

    def vtk_write(_: Any) -> None:
        w = vtk.vtkOBJWriter()
        w.SetFileName(str(folder / "vtk.obj"))
        w.SetInputData(poly)
        w.Write()

    def vtk_read(_: Any) -> None:
        r = vtk.vtkOBJReader()
        r.SetFileName(str(folder / "ours.obj"))
        r.Update()

    def written(name: str, data: bytes) -> None:
        (folder / name).write_bytes(data)

    def read(name: str) -> Any:
        return read_mesh((folder / name).read_bytes(), name.rsplit(".", 1)[-1])

    given = lambda: fresh(body)  # noqa: E731
    measure(
        Row(
            "OBJ write, 200 000 triangles",
            given,
            lambda m: written("ours.obj", write_obj([ObjPart("t", m, None)], options)),
            None,
            {"vtk": vtk_write},
            {"vtk": 0.5},
        )
    )
    measure(Row("OBJ read", given, lambda _: read("ours.obj"), None, {"vtk": vtk_read}, {"vtk": 0.5}))

    def openstl_write(_: Any) -> None:
        import openstl

        flat = mesh.points[tri].astype(np.float32)
        normals = np.zeros((len(flat), 1, 3), np.float32)
        openstl.write(str(folder / "open.stl"), np.concatenate([normals, flat], axis=1), openstl.format.binary)

    def stl_reader_read(_: Any) -> None:
        import stl_reader

        stl_reader.read(str(folder / "ours.stl"))

    measure(
        Row(
            "STL write",
            given,
            lambda m: written("ours.stl", write_stl(m, options)),
            None,
            {"openstl": openstl_write},
            {"openstl": 1.5},
        )
    )
    measure(
        Row(
            "STL read, merged",
            given,
            lambda _: read("ours.stl"),
            None,
            {"stl-reader": stl_reader_read},
            {"stl-reader": 0.8},
        )
    )

    theirs = trimesh.Trimesh(mesh.points, tri, process=False)

    def trimesh_write(kind: str) -> Any:
        return lambda _: (folder / f"trimesh.{kind}").write_bytes(theirs.export(file_type=kind))

    def trimesh_read(kind: str) -> Any:
        return lambda _: trimesh.load(folder / f"ours.{kind}", process=False)

    measure(
        Row(
            "PLY write, float64 (trimesh: float32)",
            given,
            lambda m: written("ours.ply", write_ply(m, options)),
            None,
            {"trimesh": trimesh_write("ply")},
            {"trimesh": 1.5},
        )
    )
    measure(
        Row("PLY read", given, lambda _: read("ours.ply"), None, {"trimesh": trimesh_read("ply")}, {"trimesh": 1.5})
    )

    glb_write(mesh, tri, body, folder)
    measure(
        Row("GLB read", given, lambda _: read("ours.glb"), None, {"trimesh": trimesh_read("glb")}, {"trimesh": 1.5})
    )


def whole() -> None:
    """A short command, and a change of the last step of a 50 000-face part up to its drawing data."""
    from jukai.app.benches import Benches
    from jukai.app.events import Events
    from jukai.app.workshop import Workshop
    from jukai.jobs import ThreadEngine
    from jukai.store import SqliteStore

    command = [
        sys.executable,
        "-c",
        "from jukai.cli import run; run()",
        "build",
        str(ROOT / "demo" / "example.jukai.json"),
        "--json",
    ]
    seconds = []
    for _ in range(7):
        start = time.perf_counter()
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
        seconds.append(time.perf_counter() - start)
    print(f"jukai build of a small bench, whole process\n    {sorted(seconds)[3] * 1000:.0f} ms (aim 1000)", flush=True)

    store = SqliteStore(Path(tempfile.mkdtemp()) / "t.db")
    benches = Benches(store, Workshop(), Events(), ThreadEngine())
    benches.workshop.warm_up()
    points = [{"at": [0, 0]}, {"at": [20, 0]}, {"at": [20, 100]}, {"at": [0, 100]}]
    document = {"format": "jukai-bench", "version": 1, "name": "t", "unit": "mm", "curves": [{"id": "c1", "name": "c", "points": points}],
                "parts": [{"id": "p1", "name": "p", "recipe": [
                    {"id": "s1", "operator": "revolve", "values": {"profile": "c1", "sides": 200, "rows": 250}},
                    {"id": "s2", "operator": "twist", "values": {"turn": 10}}]}]}  # fmt: skip
    bench = benches.open_file(json.dumps(document).encode(), "t")
    benches.state(bench)
    times = []
    for i in range(15):
        start = time.perf_counter()
        benches.edit(
            bench, i + 1, {"kind": "set_value", "part": "p1", "step": "s2", "key": "turn", "value": 20 + i}, "t"
        )
        state = benches.changes(bench, i + 1)
        times.append(time.perf_counter() - start)
        assert state.parts[0]["mesh"]
    print(
        f"last-step change on {state.parts[0]['faces']} faces, edit received to drawing data ready\n    {sorted(times)[7] * 1000:.1f} ms, first {times[0] * 1000:.1f}, tenth {times[9] * 1000:.1f} (aim 60)",
        flush=True,
    )


def start() -> None:
    """Processor time of importing the core, over NumPy and pydantic with a model of one field."""
    floor = "import numpy, pydantic; type('M', (pydantic.BaseModel,), {'__annotations__': {'a': int}})"
    ours = "from jukai.core import Bench, Mesh, evaluate"
    code = "import time; t = time.process_time(); {}; print(time.process_time() - t)"

    def run(what: str) -> float:
        command = [str(ROOT / ".venv" / "bin" / "python"), "-c", code.format(what)]
        return float(subprocess.run(command, check=True, capture_output=True, text=True).stdout)

    rounds = [(run(ours), run(floor)) for _ in range(9)]
    ratio = sorted(a / b for a, b in rounds)[4]
    print(
        f"import of the core over NumPy and pydantic\n    {ratio:.2f} (aim 1.5, {'met' if ratio <= 1.5 else 'NOT met'})",
        flush=True,
    )


def page() -> None:
    """Dragging a number on the demo pedestal in the browser, measured in the page (the picture not counted)."""
    python = ROOT / ".venv" / "bin" / "python"
    done = subprocess.run([str(python), "-m", "timings.page"], cwd=ROOT, capture_output=True, text=True, check=False)
    print(done.stdout or f"dragging in the page: not measured ({done.stderr.strip().splitlines()[-1:]})", flush=True)


def looking() -> None:
    """Turning the view against the plain way, sections, callouts and sheets, in the browser."""
    python = ROOT / ".venv" / "bin" / "python"
    done = subprocess.run([str(python), "-m", "timings.looking"], cwd=ROOT, capture_output=True, text=True, check=False)
    print(done.stdout or f"turning the view: not measured ({done.stderr.strip().splitlines()[-1:]})", flush=True)


def main() -> None:
    keep_freed_memory()  # as the command and the server do; it serves all libraries of this process alike
    wanted = sys.argv[1:]
    for run in (
        start,
        whole,
        revolve,
        connectivity,
        deforming,
        triangulation,
        crossings,
        files,
        shapes,
        carried,
        edits,
        fasteners,
        clearances,
        bevels,
        elsewhere,
        page,
        looking,
    ):
        if not wanted or run.__name__ in wanted:
            run()


if __name__ == "__main__":
    main()
