"""The ready shapes against closed forms and counting; solids.json and fasteners.json name their sources."""

from __future__ import annotations

import itertools
import math
import random
import unittest
from typing import Any, ClassVar
from unittest.mock import patch

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.measures import area, face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.fields import describe_values
from jukai.core.operators.registry import operators
from tests.common import check_sound, reference
from tests.recipes import body, built

SOLIDS = reference("solids.json")


def shape(operator: str, **values: Any) -> Mesh:
    mesh: Mesh = body({"operator": operator, **values})
    return mesh


def smooth(case: dict[str, Any], n: int) -> Mesh | None:
    """Return a round body of the table cut into ``n`` sides, or None where no shape makes it."""
    match case["shape"]:
        case "cone frustum":
            return shape("cone", bottom_radius=case["radius_bottom"], top_radius=case["radius_top"], height=case["height"],
                         sides=n, rows=1)  # fmt: skip
        case "capsule":
            cap = case["cap_height"]
            return shape("capsule", radius=case["radius"], length=case["cylinder_height"] + 2 * cap, cap_height=cap,
                         sides=n, cap_rows=n // 4, rows=1)  # fmt: skip
        case "torus":
            return shape(
                "torus", major_radius=case["ring_radius"], minor_radius=case["tube_radius"], sides=n, minor_sides=n
            )
        case "spheroid" | "ellipsoid":
            half = case.get("half") or [case["radius"], case["radius"], case["half_height"]]
            return shape("superellipsoid", half_sizes=half, exponent_around=1, exponent_up=1, sides=n, rows=n // 2)
        case _:
            return None


class ClosedForms(unittest.TestCase):
    def test_volumes_and_areas_converge_with_the_square_of_the_sides(self) -> None:
        """Bodies of chords: the error falls by 4 when the chords are halved (the midpoint and chord rules, O(h²))."""
        tried = 0
        for case in SOLIDS["round"]["cases"]:
            bodies = [smooth(case, n) for n in (24, 48, 96)]
            if bodies[0] is None:
                continue
            tried += 1
            for measure, exact in ((signed_volume, case["volume"]), (area, case["area"])):
                with self.subTest(case=case, measure=measure.__name__):
                    errors = [abs(measure(m) - exact) for m in bodies if m is not None]
                    self.assertLess(errors[2], 3e-3 * exact)
                    for coarse, fine in itertools.pairwise(errors):
                        self.assertAlmostEqual(coarse / fine, 4, delta=0.25)
        self.assertGreaterEqual(tried, 12)

    def test_faceted_volumes_are_exact(self) -> None:
        tried = set()
        for case in SOLIDS["faceted"]["cases"]:
            n = case["n"]
            match case["shape"].split(",")[0]:
                case "cone frustum":
                    mesh = shape("cone", bottom_radius=case["radius_bottom"], top_radius=case["radius_top"],
                                 height=case["height"], sides=n)  # fmt: skip
                case "sphere":
                    mesh = shape("sphere", radius=case["radius"], sides=n, rows=case["rows"])
                    self.assertEqual((mesh.n_points, mesh.n_faces), (case["V"], case["F"]))
                case "capsule":
                    length = case["cylinder_height"] + 2 * case["cap_height"]
                    mesh = shape("capsule", radius=case["radius"], length=length, cap_height=case["cap_height"], sides=n,
                                 cap_rows=case["rows_per_cap"])  # fmt: skip
                case "torus":
                    mesh = shape("torus", major_radius=case["ring_radius"], minor_radius=case["tube_radius"], sides=n,
                                 minor_sides=case["m"])  # fmt: skip
                    counts = (mesh.n_points, mesh.connectivity.n_edges, mesh.n_faces)
                    self.assertEqual(counts, (case["V"], case["E"], case["F"]))
                case _:
                    continue
            tried.add(case["shape"].split(",")[0])
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), case["volume"], delta=1e-12 * case["volume"])
        self.assertEqual(len(tried), 4)

    def test_superellipsoids_by_the_beta_function(self) -> None:
        """Jaklic, Leonardis & Solina 2000: 2abc e1 e2 B(e1/2 + 1, e1) B(e2/2, e2/2); the table has the values."""
        for case in SOLIDS["superellipsoid"]["cases"]:
            with self.subTest(case=case):
                errors = []
                for n in (48, 96, 192):
                    mesh = shape("superellipsoid", half_sizes=case["half"], exponent_up=case["e1"],
                                 exponent_around=case["e2"], sides=n, rows=n // 2)  # fmt: skip
                    check_sound(self, mesh)
                    errors.append(abs(signed_volume(mesh) - case["volume"]) / case["volume"])
                self.assertLess(errors[2], 1e-3)
                if errors[0] > 1e-12:  # an octahedron is exact
                    self.assertLess(errors[2], errors[0] / 8)

    def test_exponents_at_their_ends(self) -> None:
        box = shape("superellipsoid", half_sizes=[3, 2, 1], exponent_around=0, exponent_up=0, sides=48, rows=24)
        self.assertAlmostEqual(signed_volume(box), 48, places=12)
        octahedron = shape("superellipsoid", half_sizes=[3, 2, 1], exponent_around=2, exponent_up=2, sides=4, rows=2)
        self.assertEqual((octahedron.n_points, octahedron.n_faces), (6, 8))
        self.assertAlmostEqual(signed_volume(octahedron), 8, places=12)

    def test_quad_spheres(self) -> None:
        errors = []
        for n in (4, 8, 16, 32):
            mesh = shape("quad_sphere", radius=2, counts=n)
            check_sound(self, mesh)
            self.assertEqual((mesh.n_points, mesh.n_faces), (6 * n * n + 2, 6 * n * n))  # Euler: E = 2F
            self.assertTrue((mesh.sides == 4).all())
            valence = np.bincount(mesh.corners)
            self.assertEqual(np.bincount(valence).tolist(), [0, 0, 0, 8, 6 * n * n - 6])  # no pole, eight corners
            np.testing.assert_allclose(np.linalg.norm(mesh.points - [0, 0, 2], axis=1), 2, rtol=1e-15)
            errors.append(32 / 3 * math.pi - signed_volume(mesh))
        for coarse, fine in itertools.pairwise(errors):
            self.assertAlmostEqual(coarse / fine, 4, delta=0.35)

    def test_washers_have_the_sizes_of_the_standard(self) -> None:
        for row in reference("fasteners.json")["washer"]["rows"]:
            outcome = built({"operator": "washer", "size": row["size"], "sides": 48}).steps[0]
            mesh = outcome.mesh
            assert mesh is not None
            check_sound(self, mesh)
            np.testing.assert_array_equal(mesh.bounds[1] - mesh.bounds[0], [row["d2"], row["d2"], row["h"]])
            facets = 48 / 2 * math.sin(2 * math.pi / 48)
            exact = facets * (row["d2"] ** 2 - row["d1"] ** 2) / 4 * row["h"]
            self.assertAlmostEqual(signed_volume(mesh), exact, delta=1e-12 * exact)
        own = shape("washer", size="M8", inner=9, thickness=2)
        np.testing.assert_array_equal(own.bounds, [[-8, -8, 0], [8, 8, 2]])
        free = shape("washer", size="own", inner=3, outer=20, thickness=1)
        np.testing.assert_array_equal(free.bounds, [[-10, -10, 0], [10, 10, 1]])
        self.assertGreater(shape("washer", size="own").n_faces, 0)


class Standing(unittest.TestCase):
    def test_bounds_are_exact(self) -> None:
        r = 7.3
        for mesh, size in (
            (shape("sphere", radius=r, sides=16, rows=8), [2 * r, 2 * r, 2 * r]),
            (shape("quad_sphere", radius=r, counts=6), [2 * r, 2 * r, 2 * r]),
            (shape("cone", bottom_radius=r, height=11.1), [2 * r, 2 * r, 11.1]),
            (shape("capsule", radius=r, length=31.7), [2 * r, 2 * r, 31.7]),
            (shape("capsule", radius=r, length=31.7, cap_height=2.9), [2 * r, 2 * r, 31.7]),
            (shape("torus", major_radius=9.1, minor_radius=1.3), [2 * (9.1 + 1.3), 2 * (9.1 + 1.3), 2.6]),
            (shape("superellipsoid", half_sizes=[0.1, 2.3, 9.7]), [0.2, 4.6, 19.4]),
            (shape("sheet", size=[0.1, 2.3], counts=[7, 3]), [0.1, 2.3, 0]),
        ):
            np.testing.assert_array_equal(mesh.bounds[1] - mesh.bounds[0], size)
            np.testing.assert_array_equal(mesh.bounds[0], [-size[0] / 2, -size[1] / 2, 0])

    def test_groups(self) -> None:
        capsule = shape("capsule", radius=2, length=10, sides=16, cap_rows=3, rows=5)
        self.assertEqual(capsule.groups(), {"end_cap": 48, "start_cap": 48, "walls": 80})
        high = capsule.points[capsule.corners[capsule.offsets[:-1]], 2]
        self.assertTrue((high[capsule.group_faces("s1", "end_cap")] >= 8 - 1e-12).all())
        washer = shape("washer", sides=24)
        for group, direction in (("top", 1), ("bottom", -1)):
            np.testing.assert_allclose(face_normals(washer)[washer.group_faces("s1", group), 2], direction)
        self.assertEqual(shape("quad_sphere", counts=3).groups(), dict.fromkeys(
            ("back", "bottom", "front", "left", "right", "top"), 9))  # fmt: skip

    def test_ends_of_a_cone(self) -> None:
        for ends, caps in (("flat_face", 2), ("fan", 24), ("rings", 72), ("open", 0)):
            mesh = shape("cone", bottom_radius=4, top_radius=2, height=5, sides=12, rows=3, ends=ends, end_rings=3)
            self.assertEqual(mesh.n_faces, 36 + caps)
            if ends != "open":
                check_sound(self, mesh)
        for radii in ((0, 3), (3, 0)):
            apex = shape("cone", bottom_radius=radii[0], top_radius=radii[1], height=5, sides=12, rows=2)
            check_sound(self, apex)
            self.assertEqual(apex.n_points, 25)

    def test_a_sheet_looks_up(self) -> None:
        mesh = shape("sheet", size=[6, 4], counts=[3, 2])
        np.testing.assert_allclose(face_normals(mesh), [[0, 0, 1]] * 6)
        self.assertEqual((mesh.n_points, area(mesh)), (12, 24))


class LiveCopies(unittest.TestCase):
    CAPSULE: ClassVar[dict[str, Any]] = {"id": "p1", "name": "Weight", "recipe": [
        {"id": "a", "operator": "capsule", "values": {"radius": "r", "length": 20, "sides": 24}},
        {"id": "b", "operator": "bevel", "values": {"pick": {"rule": "sharper_than", "angle": 89}}}]}  # fmt: skip

    def follow(self, *copies: dict[str, Any], **dimensions: Any) -> Any:
        parts = [{"id": f"p{i}", "name": f"Copy {i}", "placement": {"move": [30, 0, 0]},
                  "recipe": [{"id": "s1", "operator": "copy_of", "values": values}]} for i, values in enumerate(copies, 2)]  # fmt: skip
        from jukai.core.recipe.bench import Bench
        from jukai.core.recipe.evaluate import evaluate

        rows = [{"name": k, "value": v} for k, v in ({"r": 3} | dimensions).items()]
        bench = Bench.model_validate({"name": "T", "dimensions": rows, "parts": [self.CAPSULE, *parts]})
        return [evaluate(bench, p.id) for p in bench.parts]

    def test_a_copy_follows(self) -> None:
        for r in (3, 5):
            first, copy, early = self.follow({"part": "p1"}, {"part": "p1", "up_to_which_step": "a"}, r=r)
            np.testing.assert_array_equal(copy.mesh.points, first.mesh.points)
            self.assertEqual(copy.mesh.groups(), first.mesh.groups())
            self.assertEqual(early.mesh.n_faces, first.steps[0].mesh.n_faces)
        self.assertNotEqual(self.follow({"part": "p1"}, r=3)[1].key, self.follow({"part": "p1"}, r=5)[1].key)

    def test_where_the_first_one_stands_is_its_own_business(self) -> None:
        first = dict(self.CAPSULE, placement={"extents": {"bottom": 3, "top": 2}})
        with patch.object(LiveCopies, "CAPSULE", first):
            broken, copy = self.follow({"part": "p1"})
        self.assertIn("must be the greater", broken.error.sentence())
        self.assertIsNone(copy.error)

    def test_a_mirrored_copy_is_a_body(self) -> None:
        first, copy = self.follow({"part": "p1", "mirrored": True})
        check_sound(self, copy.mesh)
        np.testing.assert_array_equal(np.sort(copy.mesh.points[:, 0]), np.sort(-first.mesh.points[:, 0]))
        self.assertAlmostEqual(signed_volume(copy.mesh), signed_volume(first.mesh), places=9)

    def test_a_mirrored_copy_joined_to_its_part(self) -> None:
        """At X = 0 of the part's own space: what reaches over it is refused with a place, what keeps off stays in two."""
        values = {"part": "p1", "mirrored": True, "joined": True}
        over = self.follow(values)[1]
        self.assertIn("reaches 3 mm over the plane", over.error.sentence())
        horn = {
            "operator": "helix",
            "values": {"turns": 0.2, "height": 20, "coil_diameter": 60, "wire_diameter": 8, "ends": "to_a_point"},
        }
        with patch.object(LiveCopies, "CAPSULE", {"id": "p1", "name": "Horn", "recipe": [{"id": "a", **horn}]}):
            half, whole = self.follow(values)
        check_sound(self, whole.mesh)
        self.assertEqual((int(whole.mesh.pieces.max()) + 1, whole.mesh.n_faces), (2, 2 * half.mesh.n_faces))
        self.assertIn("are not joined", whole.steps[0].notes[0].text)

    def test_a_mirror_image_at_a_plane_of_the_bench_follows_where_the_part_stands(self) -> None:
        """The image of what stands, corner for corner, at each plane, turned, scaled and stretched to a height."""
        for place in (
            {"move": [12, -9, 14], "turn": [20, 0, 35]},
            {"move": [30, 20, 9], "scale": [1, 2, 1], "extents": {"bottom": 5}},
        ):
            with patch.object(LiveCopies, "CAPSULE", self.CAPSULE | {"placement": place}):
                first, *images = self.follow(
                    *({"part": "p1", "mirrored": True, "plane": a} for a in "xyz"), {"part": "p1", "plane": "x"}
                )
            standing = first.placed_mesh()
            for axis, image in enumerate(images[:3]):
                check_sound(self, image.mesh)
                image_points, points = image.mesh.points.copy(), standing.points
                image_points[:, axis] *= -1
                np.testing.assert_allclose(image_points, points, atol=1e-12)
            self.assertEqual(
                images[3].key,
                self.follow({"part": "p1", "plane": "x"})[1].key,
                "where it stands counts for an image alone",
            )

    def test_a_box_beside_a_plane_of_the_bench_is_joined_to_its_image_there(self) -> None:
        for axis, name in enumerate("xyz"):
            move = [4 if axis == k < 2 else 0 for k in range(3)]
            box = {
                "id": "p1",
                "name": "Half",
                "placement": {"move": move},
                "recipe": [{"id": "a", "operator": "box", "values": {"size": [8, 8, 8]}}],
            }
            with patch.object(LiveCopies, "CAPSULE", box):
                both = self.follow({"part": "p1", "mirrored": True, "joined": True, "plane": name})[1]
            check_sound(self, both.mesh)
            self.assertEqual((both.mesh.n_faces, int(both.mesh.pieces.max())), (10, 0))
            self.assertAlmostEqual(signed_volume(both.mesh), 1024.0, places=9)
            np.testing.assert_allclose(np.ptp(both.mesh.points, axis=0)[axis], 16)

    def test_what_cannot_be_followed_is_named(self) -> None:
        for copies, words in (
            (({"part": "p9"},), "no part 'p9'"),
            (({"part": "p2"},), "circle: Copy 2 → Copy 2"),
            (({"part": "p3"}, {"part": "p2"}), "circle: Copy 2 → Copy 3 → Copy 2"),
            (({"part": "p1", "up_to_which_step": "zz"},), "no step 'zz'"),
        ):
            outcome = self.follow(*copies)[1]
            self.assertIn(words, outcome.error.sentence())


NUMBERS: dict[str, tuple[Any, ...]] = {
    "length": (1e-4, 0.3, 5, 1e4), "count": (1, 2, 3, 5, 40), "factor": (0, 0.05, 0.7, 1, 2, 3.5),
    "vector": (0.05, 1, 1e3), "counts": (1, 2, 7),
}  # fmt: skip


class Sweep(unittest.TestCase):
    """Every value of every shape: a closed, manifold, outward body, or an error with a name."""

    def tried(self, operator: str, values: dict[str, Any]) -> bool:
        try:
            mesh = shape(operator, **values)
        except CoreError as e:
            self.assertTrue(e.field or e.code == "too_large", f"{operator} {values}: {e}")
            return False
        self.assertTrue(np.isfinite(mesh.points).all())
        if operator != "sheet" and values.get("ends") != "open":
            with self.subTest(operator=operator, values=values):
                check_sound(self, mesh)
        return True

    def test_each_value_alone_and_by_chance(self) -> None:
        chance = random.Random(4)
        made = asked = 0
        for operator in (
            "box",
            "sheet",
            "cylinder",
            "cone",
            "capsule",
            "sphere",
            "quad_sphere",
            "torus",
            "superellipsoid",
            "washer",
        ):
            specs = describe_values(operators()[operator].values)
            drawn = {}
            for spec in specs:
                if spec["kind"] == "choice":
                    drawn[spec["key"]] = [c["value"] for c in spec["choices"]]
                elif spec["kind"] in ("vector", "counts"):
                    drawn[spec["key"]] = [
                        list(v) for v in itertools.product(NUMBERS[spec["kind"]], repeat=spec["axes"])
                    ]
                else:
                    drawn[spec["key"]] = list(NUMBERS[spec["kind"]])
            rows = [{k: v} for k, values in drawn.items() for v in values]
            rows += [{k: chance.choice(v) for k, v in drawn.items() if chance.random() < 0.7} for _ in range(60)]
            for values in rows:
                asked += 1
                made += self.tried(operator, values)
        self.assertGreater(made, asked / 2)


if __name__ == "__main__":
    unittest.main()
