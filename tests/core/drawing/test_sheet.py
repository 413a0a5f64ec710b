"""Drawing sheets parsed back: sizes, scale, dimensions, hatching, title block, in SVG and PDF."""

from __future__ import annotations

import re
import unittest
from typing import Any
from xml.etree import ElementTree as ET

import numpy as np

from jukai.core.drawing.dimensions import Dimension, number_text
from jukai.core.drawing.frame import Header
from jukai.core.drawing.options import SheetOptions
from jukai.core.drawing.paper import PAPERS, SCALES, scale_words
from jukai.core.drawing.pdf import pdf_bytes
from jukai.core.drawing.sheet import SheetPart, draw_sheet
from jukai.core.drawing.svg import svg_bytes
from jukai.core.drawing.views import hatched
from jukai.core.errors import ValueProblem
from jukai.core.geometry.placing import placement_matrix
from jukai.core.geometry.section import Plane
from tests.recipes import body

HEADER = Header("Tern Point Observatory", "Foot & ring", "Brass", "12 g", "2026-11-25", "7", "M. Fell")
NS = "{http://www.w3.org/2000/svg}"


def part(operator: str, *move: float, **values: Any) -> SheetPart:
    matrix = placement_matrix(np.array(move or (0, 0, 0), dtype=float), np.zeros(3), np.ones(3))
    return SheetPart(operator.capitalize(), body({"operator": operator, **values}), matrix)


BLOCK = part("box", size=[40, 30, 20])
PIN = part("cylinder", 0, 0, 20, radius=6, height=15, sides=48)
MIDDLE = Plane.through(np.zeros(3), np.array([0, -1.0, 0]))


def parsed(page: Any) -> ET.Element:
    return ET.fromstring(svg_bytes(page))


def numbers(path: ET.Element) -> np.ndarray:
    return np.array([float(x) for x in re.findall(r"-?\d+\.?\d*", path.get("d", ""))]).reshape(-1, 2)


def groups(root: ET.Element, name: str) -> list[ET.Element]:
    return [g for g in root.iter(f"{NS}g") if g.get("class") == name]


class Parsed(unittest.TestCase):
    def test_dimensions_against_the_model(self) -> None:
        for paper in PAPERS:
            root = parsed(draw_sheet([BLOCK, PIN], SheetOptions(paper, section=MIDDLE), HEADER))
            wide, high = PAPERS[paper]
            self.assertEqual((root.get("width"), root.get("height")), (f"{wide}mm", f"{high}mm"))
            scale = float(groups(root, "sheet")[0].get("data-scale", "0"))
            self.assertIn(scale, SCALES)
            found = {}
            for g in groups(root, "dimension"):
                value = float(g.get("data-value", "nan"))
                texts = [t.text for t in g.iter(f"{NS}text")]
                self.assertEqual(texts, [number_text(value)])
                # the dimension line itself is as long as it says, at the scale
                lines = [numbers(p) for p in g.iter(f"{NS}path") if p.get("stroke-width")]
                spans = [float(np.linalg.norm(r[1] - r[0])) for r in lines]
                self.assertTrue(any(abs(s / scale - value) < 1e-3 / scale for s in spans), (paper, g.get("data-name")))
                found[g.get("data-name")] = value
            self.assertEqual(found, {"width": 40, "height": 35, "depth": 30})

    def test_views_are_true_to_scale(self) -> None:
        for scale in (2.0, 1.0, 0.5):
            root = parsed(draw_sheet([BLOCK], SheetOptions("A2", scale=scale), HEADER))
            for name, wide, high in (("front", 40, 20), ("side", 30, 20), ("top", 40, 30)):
                view = next(g for g in groups(root, "view") if g.get("data-name") == name)
                rows = np.concatenate([numbers(p) for g in groups(view, "outline") for p in g.iter(f"{NS}path")])
                np.testing.assert_allclose(np.ptp(rows, axis=0), (wide * scale, high * scale), atol=1e-3)

    def test_first_and_third_angle(self) -> None:
        for angle in ("first", "third"):
            root = parsed(draw_sheet([BLOCK], SheetOptions("A3", angle=angle), HEADER))
            at = {
                g.get("data-name"): [float(x) for x in g.get("data-origin", "").split(",")]
                for g in groups(root, "view")
            }
            sign = 1 if angle == "first" else -1
            self.assertGreater(
                sign * (at["side"][0] - at["front"][0]), 0
            )  # seen from the left: right of the front in first angle
            self.assertLess(sign * (at["top"][1] - at["front"][1]), 0)
            self.assertAlmostEqual(at["side"][1], at["front"][1])
            self.assertAlmostEqual(at["top"][0], at["front"][0])
            cone, ring = (numbers(p)[:, 0].mean() for p in list(groups(root, "projection")[0].iter(f"{NS}path"))[:2])
            self.assertGreater(sign * (ring - cone), 0)

    def test_everything_stays_on_the_paper_and_off_the_title_block(self) -> None:
        for paper, lettering in (("A4", 2.5), ("A3", 3.5), ("A1", 7.0)):
            root = parsed(draw_sheet([BLOCK, PIN], SheetOptions(paper, lettering=lettering, section=MIDDLE), HEADER))
            wide, high = PAPERS[paper]
            for name in ("view", "dimension", "cutting"):
                rows = np.concatenate([numbers(p) for g in groups(root, name) for p in g.iter(f"{NS}path")])
                self.assertGreater(rows[:, 0].min(), 20, (paper, name))
                self.assertLess(rows[:, 0].max(), wide - 10)
                self.assertGreater(rows[:, 1].min(), 10)
                self.assertLess(rows[:, 1].max(), high - 10 - 30)

    def test_the_section_is_hatched_inside_only(self) -> None:
        root = parsed(draw_sheet([BLOCK, PIN], SheetOptions("A3", section=MIDDLE), HEADER))
        view = next(g for g in groups(root, "view") if g.get("data-name") == "section")
        self.assertEqual({g.get("data-number") for g in groups(view, "hatch")}, {"0", "1"})  # neighbours differ
        slopes = []
        for g in groups(view, "hatch"):
            rows = [numbers(p) for p in g.iter(f"{NS}path")]
            self.assertGreater(len(rows), 3)
            d = rows[0][1] - rows[0][0]
            slopes.append(np.sign(d[0] * d[1]))
        self.assertEqual(sorted(slopes), [-1, 1])
        self.assertIn("A–A", [t.text for t in view.iter(f"{NS}text")])
        self.assertEqual([t.text for g in groups(root, "cutting") for t in g.iter(f"{NS}text")], ["A", "A"])

    def test_title_block(self) -> None:
        root = parsed(draw_sheet([BLOCK], SheetOptions("A3", scale=0.5), HEADER))
        cells = {g.get("data-label"): g.get("data-value") for g in groups(root, "cell")}
        self.assertEqual(cells, {"Owner": "Tern Point Observatory", "Title": "Foot & ring", "Finish": "Brass", "Mass": "12 g", "Date": "2026-11-25",
                                 "Revision": "7", "Drawn by": "M. Fell", "Scale": "1 : 2", "Paper": "A3", "Projection": ""})  # fmt: skip

    def test_measures_stand_where_they_lie(self) -> None:
        rows = [
            Dimension("gap", 12.5, "length", np.array([[-20, -15, 5], [-7.5, -15, 5.0]])),
            Dimension("rim", 6, "radius", np.array([[0, 0, 35], [6, 0, 35.0]])),
            Dimension("lean", 30, "note", np.array([[0, 0, 0.0]]), unit="°"),
        ]
        root = parsed(draw_sheet([BLOCK, PIN], SheetOptions("A3"), HEADER, rows))
        by = {g.get("data-name"): g for g in groups(root, "dimension")}
        self.assertEqual([t.text for t in by["gap"].iter(f"{NS}text")], ["12.5"])
        self.assertEqual([t.text for t in by["rim"].iter(f"{NS}text")], ["R 6"])
        self.assertEqual([t.text for g in groups(root, "note") for t in g.iter(f"{NS}text")], ["lean = 30°"])

    def test_a_round_body_has_a_diameter_and_no_depth(self) -> None:
        root = parsed(draw_sheet([PIN], SheetOptions("A4"), HEADER, round_body=True))
        self.assertEqual(
            {g.get("data-name"): g.get("data-kind") for g in groups(root, "dimension")},
            {"width": "diameter", "height": "length"},
        )


class Options(unittest.TestCase):
    def test_the_largest_scale_that_fits(self) -> None:
        for size, paper in ((1, "A4"), (40, "A4"), (400, "A3"), (4000, "A1"), (30_000, "A2")):
            page = draw_sheet([part("box", size=[size, size, size])], SheetOptions(paper), HEADER)
            scale = float(page.root.data["scale"])
            larger = [s for s in SCALES if s > scale]
            if larger:
                with self.assertRaises(ValueProblem) as caught:
                    draw_sheet([part("box", size=[size, size, size])], SheetOptions(paper, scale=larger[-1]), HEADER)
                self.assertIn(scale_words(scale), caught.exception.hint or "")

    def test_wrong_ones_are_named(self) -> None:
        for parts, options, words in (
            ([], SheetOptions(), "no body"),
            ([BLOCK], SheetOptions("B5"), "no paper"),
            ([BLOCK], SheetOptions(lettering=3), "ISO 3098"),
            ([BLOCK], SheetOptions(scale=1e9), "scale"),
            ([part("box", size=[1e7, 1, 1])], SheetOptions(), "too large"),
        ):
            with self.subTest(words), self.assertRaises(ValueProblem) as caught:
                draw_sheet(parts, options, HEADER)
            self.assertIn(words, caught.exception.message)

    def test_scales_in_words(self) -> None:
        self.assertEqual([scale_words(s) for s in (10, 1, 0.5, 0.02)], ["10 : 1", "1 : 1", "1 : 2", "1 : 50"])


class Files(unittest.TestCase):
    def test_pdf_is_true_size_and_the_same_each_time(self) -> None:
        page = draw_sheet([BLOCK, PIN], SheetOptions("A4", section=MIDDLE), HEADER)
        data = pdf_bytes(page)
        self.assertTrue(data.startswith(b"%PDF-"))
        box = re.search(rb"/MediaBox \[ ([\d. ]+) \]", data)
        assert box is not None
        self.assertEqual([round(float(x) / 72 * 25.4, 2) for x in box.group(1).split()], [0, 0, 297, 210])
        self.assertIn(b"/FontFile2", data)
        self.assertEqual(data, pdf_bytes(page))

    def test_svg_says_nothing_that_is_not_in_it(self) -> None:
        text = svg_bytes(draw_sheet([BLOCK], SheetOptions(), HEADER)).decode()
        self.assertNotRegex(text, r"(?:href|src)=|url\((?!data:)")
        self.assertIn("Foot &amp; ring", text)


class Hatching(unittest.TestCase):
    def test_length_is_area_over_spacing(self) -> None:
        # hatch lines h apart in an area A are A / h long together; a ring of two squares
        outer = np.array([[0, 0], [30, 0], [30, 20], [0, 20.0]])
        inner = np.array([[10, 5], [10, 15], [20, 15], [20, 5.0]])
        for degrees in (45, 135):
            total = sum(float(np.linalg.norm(b - a)) for a, b in hatched([outer, inner], degrees, 0.01))
            self.assertAlmostEqual(total * 0.01, 500, delta=0.5)
        self.assertEqual(hatched([], 45, 1), [])
