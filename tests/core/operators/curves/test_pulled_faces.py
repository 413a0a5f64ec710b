"""Faces and rims turned and carried out of their body: against Pappus, another library's topology, and by chance."""

from __future__ import annotations

import math
import unittest
from typing import Any

import manifold3d
import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.core.recipe.evaluate import Evaluation
from tests.common import check_sound
from tests.recipes import built

BOX = {"operator": "box", "size": [20, 16, 10]}
TOP = {"rule": "group", "step": "s1", "name": "top"}
ALL = {"rule": "everything"}
RIM = {"rule": "rim", "of": "edges"}
STRAIGHT = [{"at": [0, 0, 0]}, {"at": [0, 0, 30]}, {"at": [30, 0, 30]}, {"at": [30, 20, 30]}]


def pulled(*steps: Any, path: Any = STRAIGHT) -> Evaluation:
    curves = [{"id": "c1", "name": "Way", "kind": "path", "points": path},
              {"id": "c2", "name": "Ring", "kind": "path", "closed": True, "points": STRAIGHT}]  # fmt: skip
    return built(*steps, curves=curves)


def body(evaluation: Evaluation) -> Mesh:
    assert evaluation.mesh is not None
    return evaluation.mesh


def elbow(rows: int, degrees: float, area: float, arm: float) -> float:
    """Return n sin(a / n) A r: the volume that Pappus' tends to as rows are added."""
    return rows * math.sin(math.radians(degrees) / rows) * area * arm


class Turned(unittest.TestCase):
    def test_elbows_have_the_volume_of_pappus(self) -> None:
        """Of n rows n sin(a / n) times area times the way of its centre, to 1e-12; it goes to a A r with the square of n."""
        for degrees in (30, 90, 180, 270):
            for rows in (4, 8, 64):
                values = {"angle": degrees, "rows": rows, "bend_radius": 25, "toward": 17}
                mesh = body(pulled(BOX, {"operator": "revolve_faces", "pick": TOP, **values}))
                check_sound(self, mesh)
                self.assertAlmostEqual(signed_volume(mesh) / (3200 + elbow(rows, degrees, 320, 25)), 1, delta=1e-12)
                self.assertEqual(mesh.n_faces, 6 + 4 * rows)
            smooth = elbow(64, degrees, 320, 25) / (math.radians(degrees) * 320 * 25)
            self.assertLess(1 - smooth, math.radians(degrees) ** 2 / (6 * 64**2))

    def test_one_elbow_after_another(self) -> None:
        """What was moved is `tops` of its step: turned on the other way. Pipes and their bores, faces of many sides, far from zero."""
        second = {
            "operator": "revolve_faces",
            "pick": {"rule": "group", "step": "s2", "name": "tops"},
            "toward": 180,
            "bend_radius": 30,
            "rows": 8,
        }
        for first, group, area in (
            (BOX, "top", 320.0),
            ({"operator": "cylinder", "radius": 8, "sides": 24, "height": 10}, "end_cap", 12 * 64 * math.sin(math.pi / 12)),
            ({"operator": "washer", "inner": 8, "outer": 16, "sides": 24, "thickness": 2}, "end_cap", 12 * (64 - 16) * math.sin(math.pi / 12)),
        ):  # fmt: skip
            pick: dict[str, Any] = {"rule": "group", "step": "s1", "name": group}
            if first["operator"] == "washer":
                pick = {"rule": "facing", "direction": [0, 0, 1], "within": 5}
            bend = {"operator": "revolve_faces", "pick": pick, "bend_radius": 30, "rows": 8}
            before = signed_volume(body(pulled(first)))
            mesh = body(pulled(first, bend, second))
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), before + 2 * elbow(8, 90, area, 30), delta=1e-9 * 1e4)
            # its ends face alike again
            low, high = mesh.bounds
            self.assertGreater(high[0] - low[0], 60)

    def test_an_edge_on_the_axis_is_a_hinge(self) -> None:
        axis = {"point": [10, 0, 10], "direction": [0, 1, 0]}
        mesh = body(pulled(BOX, {"operator": "revolve_faces", "pick": TOP, "pivot": "axis", "axis": axis, "rows": 6}))
        check_sound(self, mesh)
        self.assertEqual((mesh.n_points, mesh.n_faces), (8 + 2 * 6, 6 + 3 * 6))
        self.assertAlmostEqual(signed_volume(mesh), 3200 + elbow(6, 90, 320, 10), places=9)
        self.assertEqual(sorted(set(mesh.sides.tolist())), [3, 4])

    def test_a_sheet_alone_becomes_a_body(self) -> None:
        """Whichever way it is turned its faces look outward; a whole turn closes on itself (genus 1 for manifold3d)."""
        sheet = {"operator": "sheet", "size": [20, 16], "counts": [3, 2]}
        axis = {"point": [30, 0, 0], "direction": [0, 1, 0]}
        for degrees in (90, -90, 360, -360, 500):
            evaluation = pulled(sheet, {"operator": "revolve_faces", "pick": ALL, "pivot": "axis", "axis": axis, "angle": degrees, "rows": 12})  # fmt: skip
            mesh = body(evaluation)
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), elbow(12, min(abs(degrees), 360), 320, 30), places=8)
            tri = triangulate(mesh).points(mesh).astype(np.uint64)
            other = manifold3d.Manifold(manifold3d.Mesh64(np.array(mesh.points), tri))
            self.assertEqual((other.status(), other.genus()), (manifold3d.Error.NoError, int(abs(degrees) >= 360)))
            told = [n.text for s in evaluation.steps for n in s.notes if n.level == "warning"]
            self.assertEqual(any("run into themselves" in t for t in told), abs(degrees) > 360)
        open_ = body(pulled(sheet, {"operator": "revolve_faces", "pick": ALL, "behind": "open", "bend_radius": 30}))
        self.assertEqual(int((open_.connectivity.edge_sides == 1).sum()), 10)

    def test_a_rim_is_turned_on(self) -> None:
        """Walls run on from an open border, the body stays open there."""
        tube = {"operator": "cylinder", "radius": 8, "sides": 24, "height": 10, "ends": "open"}
        above = {
            "join": [
                RIM,
                {
                    "but_not": {
                        "rule": "inside",
                        "of": "edges",
                        "shape": "half_space",
                        "point": [0, 0, 5],
                        "direction": [0, 0, -1],
                    }
                },
            ],
            "of": "edges",
        }
        mesh = body(pulled(tube, {"operator": "revolve_faces", "pick": above, "bend_radius": 20, "rows": 6}))
        self.assertEqual(mesh.n_faces, 24 + 24 * 6)
        self.assertEqual((len(mesh.against), int((mesh.connectivity.edge_sides == 1).sum())), (0, 48))
        self.assertGreater(float(mesh.bounds[1, 0]), 19)

    def test_what_the_faces_carry_goes_along(self) -> None:
        """Moved faces keep their names and texture, walls are of the faces beside them; marks of edges and masks go along."""
        steps = [BOX, {"operator": "bevel", "width": 1, "shading": "strips_stand_apart", "pick": {"rule": "facing", "direction": [0, 0, 1], "of": "edges", "within": 60}},
                 {"operator": "revolve_faces", "pick": TOP, "bend_radius": 30, "rows": 4}]  # fmt: skip
        mesh = body(pulled(*steps))
        check_sound(self, mesh)
        groups = mesh.groups()
        self.assertEqual((groups["top"], groups["tops"], groups["walls"]), (1, 1, 16))
        assert mesh.uv is not None and mesh.edge_pairs is not None
        self.assertTrue(((mesh.uv >= 0) & (mesh.uv <= 1)).all())
        moved = mesh.group_faces("s3", "tops")
        corners = set(mesh.corners[np.repeat(moved, mesh.sides)].tolist())
        # the border of the strips at the old place, and at the new one
        self.assertEqual(sum(set(p) <= corners for p in mesh.edge_pairs.tolist()), 4)


class Carried(unittest.TestCase):
    def test_along_straight_pieces_volumes_are_exact(self) -> None:
        """Area times length, corners mitred (Pappus and Guldinus), however the path lies; the size by the frustum's formula."""
        for path_lies in ("moved", "moved_and_turned", "as_drawn"):
            mesh = body(pulled(BOX, {"operator": "sweep_faces", "pick": TOP, "path": "c1", "path_lies": path_lies}, path=[{**p, "at": [p["at"][0], p["at"][1], p["at"][2] + 10]} for p in STRAIGHT]))  # fmt: skip
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), 3200 + 320 * 80, places=8)
        size = [{"at": 0, "value": 2}, {"at": 1, "value": 1}]
        mesh = body(pulled(BOX, {"operator": "sweep_faces", "pick": TOP, "path": "c1", "size_along": size, "rows": 7}, path=STRAIGHT[:2]))  # fmt: skip
        check_sound(self, mesh)
        self.assertAlmostEqual(signed_volume(mesh), 3200 + 30 / 3 * 320 * (1 + 0.5 + 0.25), places=8)

    def test_several_faces_that_touch_in_a_point_each_go_by_themselves(self) -> None:
        grid = {"operator": "box", "size": [20, 20, 10], "counts": [2, 2, 1]}
        pick = {
            "rule": "by_hand",
            "of": "faces",
            "elements": [{"at": [s * 5, s * 5, 10], "normal": [0, 0, 1]} for s in (1, -1)],
        }
        mesh = body(pulled(grid, {"operator": "sweep_faces", "pick": pick, "path": "c1"}, path=STRAIGHT[:2]))
        check_sound(self, mesh)
        self.assertAlmostEqual(signed_volume(mesh), 4000 + 2 * 100 * 30, places=8)

    def test_what_cannot_be_is_said_with_its_place(self) -> None:
        turn, carry = {"operator": "revolve_faces", "pick": TOP}, {"operator": "sweep_faces", "pick": TOP, "path": "c1"}
        axis = {"point": [0, 0, 10], "direction": [0, 1, 0]}
        rows: list[tuple[dict[str, Any], str]] = [
            ({**turn, "angle": 0}, "stay where they are"),
            ({**turn, "angle": 360}, "come back to the body"),
            ({**turn, "pick": ALL}, "All faces of a closed body"),
            ({**turn, "pick": {"rule": "sharper_than", "of": "edges"}}, "None of the picked edges"),
            ({**turn, "pivot": "axis", "axis": axis}, "runs through what is picked"),
            ({**turn, "pivot": "axis"}, "stays in its own plane"),
            ({**turn, "bend_radius": 3}, "runs through what is picked"),
            ({**turn, "angle": 270, "rows": 1}, "would turn by 270°"),
            ({**carry, "path": "c2"}, "is closed"),
            ({**carry, "size_along": [{"at": 0, "value": 1}, {"at": 1, "value": 0}]}, "size falls to 0"),
            ({**carry, "upright": "fixed"}, "straight up or down"),
        ]
        for step, text in rows:
            with self.subTest(text), self.assertRaisesRegex(CoreError, text):
                pulled(BOX, step)
        tight = pulled(BOX, carry, path=[{"at": [0, 0, 0]}, {"at": [0, 0, 30], "fillet": 4}, {"at": [40, 0, 30]}])
        self.assertTrue(any("more tightly than the faces reach" in n.text for n in tight.steps[1].notes))

    def test_by_chance(self) -> None:
        """Faces of bodies at random, turned and carried at random: closed, outward and larger by Pappus, or said why not."""
        rng = np.random.default_rng(17)
        done = 0
        for trial in range(60):
            scale = 10.0 ** rng.integers(-2, 5)
            size = scale * rng.uniform(0.5, 2, 3)
            counts = rng.integers(1, 4, 3).tolist()
            blank = {"operator": "box", "size": size.tolist(), "counts": counts}
            way = {"rule": "facing", "direction": rng.normal(size=3).tolist(), "within": 50}
            if trial % 2:
                step: dict[str, Any] = {"operator": "revolve_faces", "angle": float(rng.uniform(-350, 350)), "rows": int(rng.integers(3, 20)),
                                        "toward": float(rng.uniform(0, 360)), "bend_radius": float(3 * scale)}  # fmt: skip
            else:
                step = {
                    "operator": "sweep_faces",
                    "path": "c1",
                    "path_lies": "moved_and_turned",
                    "turn": float(rng.uniform(-90, 90)),
                }
            path = [
                {"at": (scale * p).tolist(), "join": "smooth"} for p in np.cumsum(rng.normal(size=(4, 3)) * 3, axis=0)
            ]
            try:
                evaluation = pulled(blank, {**step, "pick": way}, path=path)
            except CoreError as e:
                self.assertRegex(str(e), "runs through what is picked|turns back by|All faces")
                continue
            mesh = body(evaluation)
            told = {n.text for s in evaluation.steps for n in s.notes}
            self.assertTrue(mesh.closed, trial)
            if not told & {t for t in told if "tightly" in t or "go into" in t or "No face" in t}:
                self.assertGreater(signed_volume(mesh), float(np.prod(size)) * 0.999, (trial, told))
                done += 1
        self.assertGreater(done, 25)


if __name__ == "__main__":
    unittest.main()
