"""Kernels that take no negative index, run in Python with each of their indices looked at."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from types import FunctionType
from typing import Any
from unittest import mock

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.formats import read_mesh
from jukai.core.formats._obj_fast import read_plain_obj
from jukai.core.formats._text_fast import decimals, faces
from jukai.core.formats.common import WriteOptions
from jukai.core.formats.obj import ObjPart, write_obj
from jukai.core.geometry import connectivity, deform, kernels, levels
from jukai.core.geometry._near import least_of_triangles
from jukai.core.geometry.bevel import building, patches, points, profiles, rings
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.points import round_points
from jukai.core.geometry.bevel.rounding import round_edges
from jukai.core.geometry.building import box_mesh
from jukai.core.geometry.clearance import clearance, place
from jukai.core.geometry.deform import bending, stretching, tapering, twisting, waves
from jukai.core.geometry.frames import frame_along
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.kernels import Kernel, kernel, no_wraparound
from jukai.core.geometry.levels import Levels, lines_at, misses
from jukai.core.geometry.masks import Stroke, painted
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.mirroring import with_image
from jukai.core.geometry.noise import cells, smooth_noise
from jukai.core.geometry.pulling import foot_of_faces, pull_to
from tests.common import reference_mesh

MESHES = (
    "mixed_corner_3.obj",
    "saddle_corner_6.obj",
    "open_box.obj",
    "genus_2_plate.obj",
    "pole_sphere.obj",
    "cube.obj",
)
LOOPS = (
    (rings, "_PLAIN"), (building, "_PLAIN"), (points, "_PLAIN"), (profiles, "FEW"), (connectivity, "FEW"),
    (patches, "_MANY"), (deform, "FEW"), (levels, "FEW"),
)  # fmt: skip
"""Where array code takes the place of a loop for a few elements."""


@no_wraparound
@kernel
def _last(table: Any, i: int) -> Any:
    return table[i]


def counted(value: object) -> object:
    """Return an index once it is known not to be counted from the end; too large ones NumPy refuses."""
    if isinstance(value, int | np.integer) and value < 0:
        raise IndexError(f"{value} counts from the end")
    return value


def everywhere() -> list[Kernel]:
    return [k for k in kernels.known() if not k.wraparound]


class Bounds(unittest.TestCase):
    def setUp(self) -> None:
        """Have all kernels run as Python, the marked ones with ``counted`` round each index."""
        self.ran: set[str] = set()
        self.marked = {k.plain.__name__ for k in everywhere()} - {"_last"}
        for k in everywhere():
            names = k.plain.__globals__ | {"_index": counted}
            checked = FunctionType(kernels.unsigned(k.plain), names, k.plain.__name__, k.plain.__defaults__)
            self.enterContext(mock.patch.object(k, "plain", self.noted(checked)))
        self.enterContext(mock.patch.object(Kernel, "__call__", lambda k, *given: k.plain(*given)))
        for module, least in LOOPS:
            self.enterContext(mock.patch.object(module, least, 0))

    def noted(self, function: FunctionType) -> Callable[..., Any]:
        def run(*given: Any) -> Any:
            self.ran.add(function.__name__)
            return function(*given)

        return run

    def test_a_negative_index_is_found(self) -> None:
        self.assertEqual(_last(np.arange(3), 2), 2)
        for wrong in (-1, 3):
            with self.assertRaises(IndexError):
                _last(np.arange(3), wrong)

    def test_no_index_is_negative(self) -> None:
        """Random bevels of edges and points, clearances, OBJ written and read; each marked kernel is run."""
        rng = np.random.default_rng(7)
        textured = box_mesh(np.ones(3), (2, 2, 1), "s1")
        for name, mesh in (("textured", textured), *((name, reference_mesh(name)) for name in MESHES)):
            for i in range(6):
                with self.subTest(name, i=i):
                    self.bevelled(mesh, rng)
        for mesh in (reference_mesh("cube.obj"), reference_mesh("mixed_corner_3.obj")):
            data = bytes(write_obj([ObjPart("a", mesh, None)], WriteOptions()))
            self.assertEqual(read_mesh(data, "obj").mesh.n_faces, mesh.n_faces)
            more = b"v 0.12345678901234567890123 -1e2 +3\nf -1 1 2\n"
            with np.errstate(over="ignore"):  # that bytes are figures is told by their wrapping round
                plain = read_plain_obj(b"# names\no a\n" + data + more)
            assert plain is not None
            self.assertEqual(len(plain.offsets) - 1, mesh.n_faces + 1)
            row = decimals(np.frombuffer(b"v", np.uint8), np.array([[0.5, -12.25, 1e-9]]), 9)
            self.assertEqual(bytes(row), b"v 0.5 -12.25 0.000000001\n")
            corners = np.array([1, 10, 100], np.int32)
            self.assertEqual(bytes(faces(corners, corners, np.array([0, 3], np.int32))), b"f 1/1 10/10 100/100\n")
            for away in (0.0, 0.3, 2.5):
                matrix = np.eye(4)
                matrix[0, 3] = away
                self.assertIsNotNone(clearance(place(mesh), place(mesh, matrix)))
        triangles = rng.normal(size=(2, 3, 3, 3))
        self.assertGreater(least_of_triangles(triangles[0], triangles[1] + 9)[0], 0)
        self.deformed(rng)
        self.edited(rng)
        self.assertEqual(self.marked - self.ran, set())

    def deformed(self, rng: np.random.Generator) -> None:
        """Points through every map, noise and cells about 0 and far away, a stroke on a body and off it."""
        points = rng.uniform(-300, 300, (600, 3))
        weights = rng.uniform(0, 1, len(points))
        along = Graph.straight(np.array([0.0, 1]), np.array([0.2, 1]))
        for frame in (frame_along("x"), frame_along(np.array([1.0, 2, 2]))):
            for carried in (
                twisting(frame, -9, 9, 50, 0.5, along), tapering(frame, -9, 9, (0.5, 0.2), along, along), bending(frame, -9, 9, 40, 1.0, 0.0),
                stretching(frame, -9, 9, 25, keep_volume=True, still=0.0, along=along), stretching(frame, -9, 9, 25, keep_volume=True, still=0.0),
                waves(frame, -9, 9, 2, 3, 0.1), deform.rings(frame, 0, 9, 2, 3, 0.1),
            ):  # fmt: skip
                for amount in (1.0, weights):
                    self.assertEqual(carried(points, amount).shape, points.shape)
        self.assertLess(float(np.abs(smooth_noise(points[:40], 0.7, octaves=2, seed=3)).max()), 1.04)
        self.assertLessEqual(float(cells(points[:40], 0.7, seed=3).max()), 1.0)
        cube = reference_mesh("cube.obj")
        for far in (0.0, 50.0):
            line = Stroke(np.array([[0.0, 0, far]]), 9.0, 0.5, "to", 1.0, np.array([[0.0, 0, 1]]))
            self.assertEqual(len(painted(cube, [line])), cube.n_points)

    def edited(self, rng: np.random.Generator) -> None:
        """Mirror images at planes through bodies and beside them, some faces pulled out, levels along slanting axes."""
        for name in MESHES:
            mesh = reference_mesh(name)
            low, high = mesh.bounds
            for normal, at in (([1.0, 0, 0], high), ([0, 0, -1.0], low), ([0.6, 0.8, 0], (low + high) / 2)):
                for joined in (False, True):
                    out, shared = with_image(mesh, at, np.array(normal), joined=joined, step="s9")
                    self.assertEqual((out.n_points + shared) % 2, 0)
            foot = foot_of_faces(mesh, rng.random(mesh.n_faces) < 0.5)
            if len(foot.columns):
                rows = foot.places[foot.border][None] + [0, 0, mesh.size]
                out = pull_to(foot, rows, foot.places[~foot.border] + [0, 0, mesh.size], "s9")
                self.assertEqual(out.n_faces, mesh.n_faces + len(foot.walls) + int(foot.alone.sum()))
            way = rng.normal(size=3)
            way /= np.linalg.norm(way)
            edges, along = mesh.connectivity.edges, mesh.points @ way
            for share in (-0.5, 0.0, 0.3, 1.0, 1.5):
                level = float(along.min() + share * np.ptp(along))
                far = Levels(mesh, edges, np.zeros(3), way).farthest(level, np.array([1.0, 0, 0]))
                self.assertLessEqual(far @ way, along.max() + 1e-9 * mesh.size)
                self.assertEqual(lines_at(mesh, along, level, mesh.points).shape[1], 6)
            self.assertEqual(misses(mesh.points, 2 * mesh.points, edges, lambda p: 2 * p), 0.0)

    def bevelled(self, mesh: Mesh, rng: np.random.Generator) -> None:
        con = mesh.connectivity
        pick = (rng.random(con.n_edges) < rng.choice([0.4, 1.0])) & (con.edge_sides == 2)
        ends = mesh.points[con.edges]
        long = float(np.median(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)))
        width = long * 10 ** rng.uniform(-1.5, 0.5) * rng.choice([1.0, 0.3], con.n_edges)
        options = Bevel(int(rng.integers(1, 5)), float(rng.choice([-1, 0, 1, 2])), mitre=bool(rng.random() < 0.5))
        try:
            out = round_edges(mesh, pick, width, options, "s9").mesh
            round_points(mesh, rng.random(mesh.n_points) < 0.5, np.full(mesh.n_points, long / 4), options, "s9")
        except MeshProblem:
            return
        self.assertGreater(out.connectivity.n_edges, 0)


if __name__ == "__main__":
    unittest.main()
