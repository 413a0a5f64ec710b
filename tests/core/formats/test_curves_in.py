"""Curves from SVG and DXF against the standards' own figures (curves.json), another parser, and broken files."""

from __future__ import annotations

import io
import math
import unittest
from typing import Any

import ezdxf.filemanagement
import numpy as np
import svgpathtools

from jukai.core.errors import FileProblem
from jukai.core.formats.curves_reading import read_curves
from jukai.core.geometry.paths import path_through
from jukai.core.recipe.bench import Bench, Curve
from jukai.core.recipe.resolve import Resolver
from tests.common import reference

CURVES = reference("curves.json")
HEAD = 'xmlns="http://www.w3.org/2000/svg"'
RECT = '<rect width="5" height="5"/>'
MM = f'<svg {HEAD} width="100mm" height="100mm" viewBox="0 0 100 100">'


def svg(inner: str, head: str = MM) -> list[Curve]:
    rows = read_curves("a.svg", f"{head}{inner}</svg>".encode())
    return [Curve.model_validate({"id": f"c{i}", **row}) for i, row in enumerate(rows)]


def dxf(draw: Any, unit: int = 4) -> list[Curve]:
    drawing = ezdxf.filemanagement.new()
    drawing.header["$INSUNITS"] = unit
    draw(drawing.modelspace())
    text = io.StringIO()
    drawing.write(text)
    rows = read_curves("a.dxf", text.getvalue().encode())
    return [Curve.model_validate({"id": f"c{i}", **row}) for i, row in enumerate(rows)]


def measured(curve: Curve) -> tuple[float, np.ndarray]:
    """The length of a curve, and fine places on it."""
    found = Resolver(Bench(name="T", curves=[curve])).curve(curve.id)
    path = path_through(found.shape)
    places = path.stations([1500] * len(path.pieces)).points
    return path.long, places if curve.kind == "path" else places[:, [0, 2]]


class Svg(unittest.TestCase):
    def test_arcs_by_the_standard(self) -> None:
        """SVG 2, appendix B.2: centres, radii and turns of arcs, too small radii enlarged. Lengths to 3e-4, places too."""
        for case in CURVES["svg_arc"]["cases"]:
            (curve,) = svg(f'<path d="{case["path"]}"/>')
            a = np.radians(case["start_deg"] + np.linspace(0, 1, 10_001) * case["sweep_deg"])
            turn = math.radians(float(case["path"].split("A")[1].split()[2]))
            u, v = case["rx"] * np.cos(a), case["ry"] * np.sin(a)
            c, s = math.cos(turn), math.sin(turn)
            ring = np.column_stack([case["centre"][0] + c * u - s * v, -(case["centre"][1] + s * u + c * v)])
            ring -= ring.min(axis=0)
            _, places = measured(curve)
            places = places - places.min(axis=0)
            gap = np.linalg.norm(places[:, None] - ring[None], axis=2).min(axis=1).max()
            self.assertLess(gap, 1e-3 * max(case["rx"], case["ry"]), case["path"])

    def test_every_command_and_shape(self) -> None:
        """Relative and absolute, short ones that carry on, several in one: written out they are the same curve."""
        pairs = (
            ("m 5 5 h 10 v 8 H 7 V 6 l 3 2 L 1 1", "M5 5 L15 5 L15 13 L7 13 L7 6 L10 8 L1 1"),
            ("m0 0 c1 2 3 4 5 0 s 4 -4 6 0", "M0 0 C1 2 3 4 5 0 C7 -4 9 -4 11 0"),
            ("M0 0 q 5 5 10 0 t 10 0", "M0 0 Q5 5 10 0 Q15 -5 20 0"),
            ("M0,0-5-5 3.5.5z", "M0 0 L-5 -5 L3.5 0.5 Z"),
        )
        for short, whole in pairs:
            a, b = (svg(f'<path d="{d}"/>')[0] for d in (short, whole))
            np.testing.assert_allclose(
                np.array([p.at for p in a.points], float), np.array([p.at for p in b.points], float), atol=1e-9
            )
            self.assertEqual([p.out for p in a.points], [p.out for p in b.points])
        shapes = svg('<rect x="1" y="2" width="8" height="5"/><circle cx="5" cy="5" r="4"/><ellipse cx="5" cy="5" rx="5" ry="3"/>'
                     '<line x1="0" y1="0" x2="3" y2="4"/><polyline points="0 0 3 0 3 4"/><polygon points="0 0 3 0 3 4"/><text>none</text>')  # fmt: skip
        lengths = [measured(c)[0] for c in shapes]
        ellipse = next(r["value"] for r in CURVES["lengths"] if r["what"].startswith("ellipse a = 5, b = 3"))
        np.testing.assert_allclose(lengths, [26, 8 * math.pi, ellipse, 5, 7, 12], rtol=3e-4)
        self.assertEqual([c.closed for c in shapes], [True, True, True, False, False, True])

    def test_transforms_units_and_holes(self) -> None:
        inner = '<g transform="translate(3 4) rotate(30)"><g transform="scale(2) skewX(0)"><path id="leaf" d="M0 0H10V5H0z M2 2h3v2h-3z"/></g></g>'
        for head, factor in (
            (MM, 1.0),
            (f'<svg {HEAD} width="10cm" height="10cm" viewBox="0 0 50 50">', 2.0),
            (f'<svg {HEAD} width="1in" height="1in" viewBox="0 0 10 10">', 2.54),
            (f"<svg {HEAD}>", 25.4 / 96),
        ):
            outer, hole = svg(inner, head)
            self.assertEqual([outer.name, hole.name], ["leaf, 1", "leaf, 2"])
            np.testing.assert_allclose([measured(outer)[0], measured(hole)[0]], [60 * factor, 20 * factor], rtol=1e-6)
            first = np.subtract(*np.array([p.at for p in outer.points[1::-1]], float))
            np.testing.assert_allclose(
                first / factor, [20 * math.cos(math.pi / 6), -20 * math.sin(math.pi / 6)], rtol=1e-6
            )
            low = np.min(np.array([p.at for p in outer.points], float), axis=0)
            np.testing.assert_allclose(low, 0, atol=1e-9)

    def test_paths_as_another_parser_reads_them(self) -> None:
        """Chance paths of all commands: lengths and places of svgpathtools."""
        rng = np.random.default_rng(12)
        for _ in range(20):
            d, sizes = (
                "M 5 5",
                {
                    "L": 2,
                    "l": 2,
                    "H": 1,
                    "v": 1,
                    "C": 6,
                    "c": 6,
                    "S": 4,
                    "s": 4,
                    "Q": 4,
                    "q": 4,
                    "T": 2,
                    "t": 2,
                    "A": 7,
                    "a": 7,
                },
            )
            for _ in range(int(rng.integers(2, 8))):
                command = str(rng.choice(list(sizes)))
                numbers = [f"{x:.3f}" for x in rng.uniform(-20, 20, sizes[command])]
                if command in "Aa":
                    numbers[:5] = [
                        f"{rng.uniform(3, 20):.3f}",
                        f"{rng.uniform(3, 20):.3f}",
                        "30",
                        str(rng.integers(2)),
                        str(rng.integers(2)),
                    ]
                d += f" {command} {' '.join(numbers)}"
            (curve,) = svg(f'<path d="{d}"/>')
            theirs = svgpathtools.parse_path(d)
            long, places = measured(curve)
            self.assertAlmostEqual(long / theirs.length(), 1, delta=5e-4, msg=d)
            points = np.array([theirs.point(t) for t in np.linspace(0, 1, 60)])
            rows = np.column_stack([points.real, -points.imag])
            shift = np.array(curve.points[0].at, float) - [5, -5]
            gap = np.linalg.norm(places[:, None] - (rows + shift)[None], axis=2).min(axis=0).max()
            self.assertLess(gap, 2e-3 * float(np.ptp(rows, axis=0).max()), d)

    def test_what_can_not_be_read_says_why(self) -> None:
        for data, words in (
            (b"hello", "no SVG"), (b"<svg", "can't be read"), (f"<svg {HEAD}/>".encode(), "has no curve"),
            (b'<!DOCTYPE a [<!ENTITY x "y">]><svg>&x;</svg>', "entities"), (b"\x00\x01<svg", "can't be read"),
            (f'{MM}<path d="M0 0 {"l1 1 " * 3000}"/></svg>'.encode(), "has 3001 points"),
            (f'{MM}{RECT * 250}</svg>'.encode(), "250 curves"),
            (f'{MM}<path d="M0 0 L1e300 1e300"/></svg>'.encode(), "no numbers, or farther"),
        ):  # fmt: skip
            with self.assertRaisesRegex(FileProblem, words):
                read_curves("a.svg", data)
        with self.assertRaisesRegex(FileProblem, "is no drawing"):
            read_curves("a.txt", b"x")


class Dxf(unittest.TestCase):
    def test_bulges(self) -> None:
        """Group code 42: sagitta, radius and length of arcs between points."""
        for case in CURVES["bulge"]["cases"]:
            (curve,) = dxf(lambda m, case=case: m.add_lwpolyline([(0, 0, case["bulge"]), (1, 0, 0)], format="xyb"))
            long, places = measured(curve)
            self.assertAlmostEqual(long / case["for_chord_1"]["length"], 1, delta=3e-4)
            self.assertAlmostEqual(-float(places[:, 1].min()) / case["for_chord_1"]["sagitta"], 1, delta=3e-4)

    def test_pieces_whose_ends_meet_are_one_curve(self) -> None:
        def draw(m: Any) -> None:
            m.add_line((10, 5), (10, 0))
            m.add_line((0, 5), (0, 0))
            m.add_arc((5, 5), 5, 0, 180)
            m.add_line((0, 0), (10, 0))
            m.add_circle((30, 0), 3)
            m.add_ellipse((60, 0), (5, 0), 0.6)
            m.add_line((80, 0), (90, 0))

        slot, circle, ellipse, line = dxf(draw)
        self.assertEqual([slot.closed, circle.closed, ellipse.closed, line.closed], [True, True, True, False])
        self.assertEqual(len(slot.points), 5)
        expected = next(r["value"] for r in CURVES["lengths"] if r["what"].startswith("ellipse a = 5, b = 3"))
        np.testing.assert_allclose(
            [measured(c)[0] for c in (slot, circle, ellipse, line)],
            [20 + 5 * math.pi, 6 * math.pi, expected, 10],
            rtol=3e-4,
        )

    def test_units_and_space(self) -> None:
        for unit, factor in ((1, 25.4), (4, 1.0), (5, 10.0), (6, 1000.0), (0, 1.0)):
            (curve,) = dxf(lambda m: m.add_line((0, 0), (3, 4)), unit)
            self.assertAlmostEqual(measured(curve)[0], 5 * factor, places=6)
        (path,) = dxf(lambda m: m.add_polyline3d([(0, 0, 0), (3, 0, 4), (3, 12, 4)]))
        self.assertEqual((path.kind, round(measured(path)[0], 9)), ("path", 17))
        (spline,) = dxf(lambda m: m.add_open_spline([(0, 0, 0), (1, 2, 0), (3, 3, 0), (4, 0, 0)]))
        case = next(c for c in CURVES["bezier"]["cases"] if c["points"] == [[0, 0], [1, 2], [3, 3], [4, 0]])
        self.assertAlmostEqual(measured(spline)[0], case["length"], places=6)

    def test_many_lines_take_no_longer_than_they_must(self) -> None:
        a = np.radians(np.arange(0, 360, 0.2))
        ring = np.column_stack([np.cos(a), np.sin(a)]) * 50
        rng = np.random.default_rng(1)

        def draw(m: Any) -> None:
            for i in rng.permutation(len(ring)):
                m.add_line(ring[i], ring[(i + 1) % len(ring)])

        (curve,) = dxf(draw)
        self.assertEqual((curve.closed, len(curve.points)), (True, 1800))

    def test_what_can_not_be_read_says_why(self) -> None:
        for data, words in (
            (b" \n", "empty"), (b"hello world", "can't be read as DXF"), (b"0\nSECTION\n", "has no curve"),
            (b"\xff\xfe\x00" * 50, "can't be read as DXF|has no curve"),
        ):  # fmt: skip
            with self.assertRaisesRegex(FileProblem, words):
                read_curves("a.DXF", data)
        for far in (float("nan"), float("inf"), 1e12):
            with self.assertRaisesRegex(FileProblem, "no numbers, or farther|can't be read"):
                dxf(lambda m, far=far: (m.add_line((0, 0), (far, 1)), m.add_line((far, 1), (2, 2))))


if __name__ == "__main__":
    unittest.main()
