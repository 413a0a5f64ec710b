"""Nuts and washers against ISO 724, 4032, 4035, 7089, 273, DIN 1587 and 557 (fasteners.json), and nuts on screws."""

from __future__ import annotations

import itertools
import math
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.clearance import clearance, place
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Context
from jukai.core.operators.blanks.nut import STYLES, Values
from jukai.core.operators.blanks.nut import nut as made
from jukai.core.operators.fasteners import SIZES, allowances, for_hole
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import Evaluation, evaluate
from tests.common import reference
from tests.core.operators.blanks.test_screw import H, check_closed, group, meridian, widths_at

TABLES = reference("fasteners.json")


def nut(**values: Any) -> Mesh:
    out: Mesh = made(Values(**values), Context("s1")).mesh
    return out


def fitted(screw: dict[str, Any], nut: dict[str, Any], **placement: Any) -> tuple[Evaluation, Evaluation]:
    """Return a screw and a nut on it, worked out."""
    parts = [
        {"id": "p1", "name": "Screw", "placement": placement, "recipe": [{"id": "s1", "operator": "screw", "values": screw}]},
        {"id": "p2", "name": "Nut", "placement": {"move": [7, 0, 0]}, "recipe": [{"id": "s1", "operator": "nut", "values": {"screw": "p1"} | nut}]},
    ]  # fmt: skip
    bench = Bench.model_validate({"name": "Test", "parts": parts})
    return evaluate(bench, "p1"), evaluate(bench, "p2")


def gap(one: Evaluation, other: Evaluation) -> float:
    return float(clearance(place(one.placed_mesh()), place(other.placed_mesh())).distance)


class Alone(unittest.TestCase):
    def test_every_size_style_detail_and_hand_is_closed(self) -> None:
        for size, style in itertools.product(SIZES, STYLES):
            for detail, hand in (("light", "left"), ("full", "right")):
                with self.subTest(size, style=style, detail=detail):
                    mesh = nut(size=size, style=style, detail=detail, hand=hand, sides=24)
                    check_closed(self, mesh, 0 if style == "domed" else 1)
                    self.assertGreater((mesh.sides == 4).mean(), 0.95)

    def test_nothing_runs_through_itself(self) -> None:
        for size, style in itertools.product(("M1.6", "M5", "M12x1.25", "M64"), STYLES):
            self.assertEqual(len(self_crossings(nut(size=size, style=style, detail="full", sides=36)).places), 0)

    def test_threads_of_every_size_on_a_slice_through_the_axis(self) -> None:
        for size, row in {r["size"]: r for r in TABLES["threads"]["rows"]}.items():
            d, p = row["d"], row["P"]
            mesh = nut(size=size, height=8 * p, detail="full", sides=12)
            profile = meridian(mesh, 1.5 * p, 6.5 * p)
            inside = profile[profile[:, 0] < 0.505 * d]
            self.assertAlmostEqual(2 * inside[:, 0].max(), d, 9)
            self.assertAlmostEqual(2 * inside[:, 0].min(), row["d1"], delta=6e-4)
            np.testing.assert_allclose(widths_at(inside, (d - 0.75 * H * p) / 2), p / 2, atol=1e-9)

    def test_widths_and_heights_of_the_standards(self) -> None:
        other = {r["size"]: r for r in TABLES["square_and_domed_nut"]["rows"]}  # memory, check
        for row in TABLES["hexagon_nut"]["rows"]:  # memory, sure
            for style, height in (("hexagon", row["m_max"]), ("thin", row["m_max_thin"]),
                                  ("square", other.get(row["size"], {}).get("m_square")), ("domed", other.get(row["size"], {}).get("h_domed"))):  # fmt: skip
                if height is None:
                    continue
                with self.subTest(row["size"], style=style):
                    p = nut(size=row["size"], style=style).points
                    self.assertAlmostEqual(np.ptp(p[:, 0]), row["s"], 9)
                    self.assertAlmostEqual(p[:, 2].max(), height, 9)
                    if style == "hexagon":
                        self.assertAlmostEqual(
                            2 * np.hypot(p[:, 0], p[:, 1]).max(), row["s"] / math.cos(math.pi / 6), 9
                        )

    def test_values_that_do_not_go_are_told_with_what_would(self) -> None:
        for values, field in (
            ({"width": 10}, "width"), ({"height": 1}, "height"), ({"style": "domed", "height": 8}, "height"),
            ({"style": "knurled", "width": 12}, "width"),
        ):  # fmt: skip
            with self.subTest(values), self.assertRaises(CoreError) as caught:
                nut(**values)
            self.assertEqual(caught.exception.field, field)
            need = float((caught.exception.hint or "").split(" mm")[0].split()[-1])
            check_closed(
                self, nut(**(values | {field: need}), detail="full"), 0 if values.get("style") == "domed" else 1
            )


class OnAScrew(unittest.TestCase):
    def test_the_least_gap_is_that_of_the_tolerance(self) -> None:
        # ISO 965-1: 6H begins at the basic size, 6g ends es below it; along the flanks' normal that is es / 4 and a little less
        for size in ("M3", "M10", "M16x1.5", "M36"):
            d, p = SIZES[size]
            es = next(row["es_g"] for row in TABLES["tolerance_by_pitch"]["rows"] if row["P"] == p) / -1000
            self.assertEqual(allowances(p)["g"], es)
            screw, own = fitted(
                {"size": size, "length": 5 * d, "thread_length": 5 * d, "detail": "full", "root": "flat"},
                {"detail": "full"},
            )
            self.assertIsNone(own.error)
            least = gap(screw, own)
            self.assertTrue(0 < least <= es / 4 * 1.001, (size, least, es))
            # away from its countersinks the flanks' own points are as far off as the notes say
            mesh = own.placed_mesh()
            flanks = mesh.points[group(mesh, "flanks")]
            low, high = mesh.points[:, 2].min(), mesh.points[:, 2].max()
            flanks = flanks[(flanks[:, 2] > low + 2 * p) & (flanks[:, 2] < high - 2 * p)][:12]
            off = [self.away(screw.placed_mesh(), q) for q in flanks]
            lead = p / (math.pi * (d - 1.25 * H * p))
            self.assertLess(min(off) / (es / 2 / math.sqrt(3) / math.sqrt(4 / 3 + lead**2)), 1.01)
            # (those at its crests have their radial clearance, es / 2)
            for x in off:
                self.assertLess(min(abs(x / (es / 4) - 1), abs(x / (es / 2) - 1)), 0.06)
            told = float(own.steps[0].notes[1].text.split()[1])
            self.assertAlmostEqual(told / 250 / es, 1, delta=0.01)

    @staticmethod
    def away(mesh: Mesh, p: np.ndarray) -> float:
        from tests.core.operators.test_examples import away

        return float(away(mesh, p[None])[0])

    def test_it_meshes_wherever_it_is_and_however_the_screw_stands(self) -> None:
        for distance, hand, starts, style in (
            (3.1, "right", 1, "hexagon"), (7.77, "left", 1, "square"), (11, "right", 2, "thin"), (16.3, "left", 3, "knurled"), (21, "right", 1, "domed"),
        ):  # fmt: skip
            screw = {
                "size": "M8",
                "length": 30,
                "thread_length": 30,
                "hand": hand,
                "starts": starts,
                "detail": "full",
            }
            one, other = fitted(
                screw, {"style": style, "distance": distance, "detail": "full"}, move=[10, -4, 50], turn=[30, 40, 50]
            )
            self.assertIsNone(other.error)
            self.assertGreater(gap(one, other), 0, (distance, style))
            # its face is as far from the head's seat, along the screw
            axis, seat = one.matrix[:3, 2], one.matrix[:3, 3]
            along = (other.placed_mesh().points - seat) @ -axis
            self.assertAlmostEqual(along.min(), distance, 9)

    def test_scaled_and_mirrored_screws_keep_their_nuts(self) -> None:
        for scale in ((2, 2, 2), (1, 1, -1)):
            one, other = fitted(
                {"detail": "full", "length": 40, "thread_length": 40}, {"detail": "full"}, scale=list(scale)
            )
            self.assertIsNone(other.error)
            self.assertGreater(gap(one, other), 0)

    def test_a_nut_goes_on_a_live_copy_of_a_screw_but_not_on_its_mirror_image(self) -> None:
        screw = {
            "id": "s1",
            "operator": "screw",
            "values": {"size": "M6", "length": 20, "thread_length": 20, "detail": "full"},
        }
        for mirrored in (False, True):
            copy = {"id": "s1", "operator": "copy_of", "values": {"part": "p1", "mirrored": mirrored}}
            nut = {"id": "s1", "operator": "nut", "values": {"screw": "p2", "detail": "full", "distance": 8}}
            parts = [{"id": f"p{i}", "name": f"P{i}", "placement": {"move": [i, 30 * i, 0]}, "recipe": [step]} for i, step in enumerate((screw, copy, nut), 1)]  # fmt: skip
            bench = Bench.model_validate({"name": "T", "parts": parts})
            found = evaluate(bench, "p3")
            if mirrored:
                self.assertIn("is no screw", str(found.error))
                continue
            self.assertIsNone(found.error)
            self.assertGreater(gap(evaluate(bench, "p2"), found), 0)

    def test_what_it_says(self) -> None:
        for screw, own, words in (
            ({}, {"detail": "full"}, "'Screw' is light, this nut is full"),
            ({"detail": "full", "tolerance": "none"}, {"detail": "full", "tolerance": "none"}, "touches the thread"),
            ({"length": 60}, {"distance": 5}, "The thread ends 34 mm"),
            ({"length": 60}, {"distance": 58}, "beyond the screw's end"),
            ({"length": 60}, {"distance": 40, "style": "domed"}, "into the closed end"),
            ({}, {}, "each being light"),
            ({"detail": "full", "starts": 3, "sides": 24}, {"detail": "full"}, "72 of 'Screw' would do"),
        ):
            with self.subTest(words):
                _, other = fitted(screw, own)
                self.assertIn(words, " ".join(n.text for n in other.steps[0].notes))
        bench = Bench.model_validate({"name": "T", "parts": [
            {"id": "p1", "name": "Box", "recipe": [{"id": "s1", "operator": "box", "values": {}}]},
            {"id": "p2", "name": "Nut", "recipe": [{"id": "s1", "operator": "nut", "values": {"screw": "p1"}}]},
        ]})  # fmt: skip
        error = evaluate(bench, "p2").error
        assert error is not None
        self.assertIn("is no screw", str(error))


class Holes(unittest.TestCase):
    def test_a_hole_offers_the_largest_size_that_goes_through(self) -> None:
        # ISO 273, memory sure
        for row in TABLES["clearance_hole"]["rows"]:
            for series in ("fine", "medium", "coarse"):
                found = for_hole(row[series])
                assert found is not None
                self.assertTrue(float(found[0][1:]) >= float(row["size"][1:]) or series == "coarse", (row, found))
                if found[0] == row["size"]:
                    self.assertIn(series, found[1])
        self.assertIsNone(for_hole(0.5))
        self.assertIsNone(for_hole(900))


if __name__ == "__main__":
    unittest.main()
