"""Points cut off: truncations and rectifications of the Platonic solids, limits, rims."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.points import round_points
from jukai.core.geometry.bevel.rounding import round_edges
from jukai.core.geometry.measures import edge_turns, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.soundness import soundness
from tests.common import check_sound, cube, reference, reference_mesh
from tests.solids import PLATONIC, platonic


def cut(mesh: Mesh, width: float, pick: Any = None, **options: Any) -> tuple[Mesh, Any]:
    picked = np.ones(mesh.n_points, bool) if pick is None else np.asarray(pick)
    out = round_points(mesh, picked, np.full(mesh.n_points, width), Bevel(**options), "s9")
    body, stopped = out.mesh, out.stopped
    return body, stopped


class Platonic(unittest.TestCase):
    def test_solids_themselves(self) -> None:
        for row in reference("solids.json")["platonic"]["cases"]:
            mesh = platonic(row["name"])
            s = soundness(mesh)
            self.assertEqual((s.points, s.edges, s.faces), (row["V"], row["E"], row["F"]))
            self.assertAlmostEqual(signed_volume(mesh), row["volume"], places=12)

    def test_points_cut(self) -> None:
        """solids.json, points_cut: counts, edges and volumes; to the middle the cuboctahedron and the icosidodecahedron."""
        for case in reference("solids.json")["points_cut"]["cases"]:
            with self.subTest(case["name"], share=case["cut_as_share_of_edge"]):
                body, stopped = cut(platonic(case["name"]), case["cut_as_share_of_edge"], segments=1)
                s = soundness(body)
                self.assertEqual((s.points, s.edges, s.faces), (case["V"], case["E"], case["F"]))
                self.assertAlmostEqual(signed_volume(body), case["volume"], places=8)
                self.assertTrue(s.sound)
                self.assertFalse(stopped.any())

    def test_no_farther_than_the_middle(self) -> None:
        body, stopped = cut(cube(), 3, segments=1)
        self.assertTrue(stopped.all())
        self.assertEqual((body.n_points, body.n_faces), (12, 14))
        body, stopped = cut(cube(), 3, np.arange(8) == 3, segments=1)  # one point alone may take the whole of its edges
        self.assertEqual(soundness(body).closed, True)

    def test_edges_of_all_of_them(self) -> None:
        """All edges in one segment: 2E points, 4E edges, F + E + V faces; rounded, they converge to Steiner (solids.json)."""
        for row in reference("solids.json")["rounded_platonic"]["cases"]:
            solid = platonic(row["name"])
            turn = float(edge_turns(solid)[0])
            # a solid of inner edge 1 swept by a ball: the outer solid is larger by r / inradius
            inradius = float((solid.points[solid.corners[:3]].mean(axis=0) @ np.cross(*np.diff(solid.points[solid.corners[:3]], axis=0)))
                             / np.linalg.norm(np.cross(*np.diff(solid.points[solid.corners[:3]], axis=0))))  # fmt: skip
            outer = solid.with_points(solid.points * (1 + row["radius"] / inradius))
            n = outer.connectivity.n_edges
            leg = row["radius"] * np.tan(turn / 2)
            errors = []
            for segments in (4, 8, 16):
                out = round_edges(outer, np.ones(n, bool), np.full(n, leg), Bevel(segments), "s9")
                self.assertFalse(out.stopped.any())
                check_sound(self, out.mesh)
                errors.append(abs(signed_volume(out.mesh) - row["volume"]))
            self.assertLess(errors[2], errors[0] / 12, row["name"])
            self.assertLess(errors[2], 1e-3 * row["volume"])
            one = soundness(round_edges(outer, np.ones(n, bool), np.full(n, leg), Bevel(1), "s9").mesh)
            self.assertEqual((one.points, one.edges, one.faces), (2 * n, 4 * n, solid.n_faces + n + solid.n_points))


class Conway(unittest.TestCase):
    def test_counts_of_an_open_package(self) -> None:
        """conway.json: bevels and cuts of Platonic solids have the counts of the operators they are (names there)."""
        names = {name[0].upper(): name for name in PLATONIC}
        for case in reference("conway.json")["cases"]:
            options, seed = case["letters"]
            solid = platonic(names[seed])
            edges = np.ones(solid.connectivity.n_edges, bool)
            middle, _ = cut(solid, 0.5, segments=1)
            made = {
                "e": lambda s=solid, e=edges: round_edges(s, e, np.full(len(e), 0.1), Bevel(1), "s9").mesh,
                "t": lambda s=solid: cut(s, 0.3, segments=1)[0],
                "a": lambda m=middle: m,
                "b": lambda m=middle: cut(m, 0.2, segments=1)[0],
            }[options]()
            s = soundness(made)
            self.assertEqual((s.points, s.edges, s.faces), (case["V"], case["E"], case["F"]), case["letters"])
            self.assertTrue(s.sound)


class Shapes(unittest.TestCase):
    def test_rounded_points_of_every_closed_mesh(self) -> None:
        for row in reference("meshes/table.json")["rows"]:
            if not (row["closed"] and row["manifold"] and row["oriented"]):
                continue
            mesh = reference_mesh(row["file"])
            ends = mesh.points[mesh.connectivity.edges]
            width = 0.2 * float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).min())
            for segments in (1, 2, 3):
                body, _ = cut(mesh, width, segments=segments)
                con = body.connectivity
                self.assertTrue((con.edge_sides == 2).all() and not con.same_direction(body.corners).any(), row["file"])
                self.assertTrue(np.isfinite(body.points).all())

    def test_rims_are_cut_and_run_on(self) -> None:
        mesh = reference_mesh("open_box.obj")
        body, _ = cut(mesh, 0.2, segments=3)
        s = soundness(body)
        self.assertTrue(s.manifold and s.oriented and not s.closed)

    def test_a_point_between_two_faces(self) -> None:
        mesh = reference_mesh("collinear_points.obj")
        body, _ = cut(mesh, 0.1, segments=4)
        check_sound(self, body)


if __name__ == "__main__":
    unittest.main()
