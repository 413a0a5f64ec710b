"""Curves as SVG and DXF: what is written is read again as it was, here and by others."""

from __future__ import annotations

import io
import math
import unittest
from typing import Any

import ezdxf.path
import numpy as np
import svgpathtools
from ezdxf.filemanagement import read as dxf_read

from jukai.core.errors import CoreError
from jukai.core.formats.curves_reading import read_curves
from jukai.core.formats.curves_writing import drawing_of
from jukai.core.geometry.paths import path_through
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.resolve import Resolver
from tests.recipes import bench_of

PLATE = [{"at": [0, 0]}, {"at": ["w", 0], "fillet": 5}, {"at": ["w", 20], "chamfer": 4},
         {"at": [10, 20], "join": "bezier", "out": [-5, 5]}, {"at": [0, 10], "in": [0, 5], "fillet": 2}]  # fmt: skip
LOBES = [{"at": [0, 0], "fillet": 3}, {"at": [2, 30], "fillet": 30}, {"at": [4, 0], "fillet": 3}]
WAVE = [{"at": [x, (x * x) % 7], "join": "smooth"} for x in range(8)]
WAY = [{"at": [0, 0, 0]}, {"at": [0, 0, 20], "fillet": 8}, {"at": [30, 0, 20], "join": "smooth"}, {"at": [40, 10, 30]}]


def curves() -> Bench:
    rows: list[dict[str, Any]] = [
        {"id": "c1", "name": "Plate <1>", "closed": True, "points": PLATE},
        {"id": "c2", "name": "Lobes", "closed": True, "points": LOBES},
        {"id": "c3", "name": "Wave", "points": WAVE},
        {"id": "c4", "name": "Way", "kind": "path", "points": WAY},
    ]
    return bench_of({"operator": "box"}, curves=rows, dimensions={"w": 30})


def length_of(bench: Bench, name: str) -> float:
    """Length by Gauss's rule along its exact pieces; fillets of profiles beside curved pieces from samples."""
    shape = Resolver(bench).shape(next(c for c in bench.curves if name in (c.id, c.name)))
    return path_through(shape).long


class CurvesOut(unittest.TestCase):
    def test_read_again_they_are_as_they_were(self) -> None:
        """Lines and cubics to 1e-9; arcs as cubics, within 3e-4 of their radius. Names stay, as far as layers may have them."""
        bench = curves()
        for ending, names in (("svg", ["c1", "c2", "c3"]), ("dxf", ["c1", "c2", "c3", "c4"])):
            rows = read_curves(f"a.{ending}", drawing_of(bench, names, ending))
            self.assertEqual([r["name"].replace("-", "<", 1).replace("-", ">") for r in rows], [next(c.name for c in bench.curves if c.id == n) for n in names])  # fmt: skip
            again = Bench.model_validate(
                {"name": "Again", "parts": [], "curves": [{**r, "id": f"c{i}"} for i, r in enumerate(rows, 1)]}
            )
            for i, name in enumerate(names, 1):
                with self.subTest(f"{ending} {name}"):
                    one, two = bench.curve(name), again.curve(f"c{i}")
                    assert one is not None and two is not None
                    self.assertEqual((one.kind, one.closed), (two.kind, two.closed))
                    mine, theirs = (
                        np.array(r.curve(c.id, "x").sampled.points)
                        for r, c in ((Resolver(bench), one), (Resolver(again), two))
                    )
                    # each point of the one is on the other: between samples that lie closer than the tolerance of both
                    size = Resolver(bench).shape(one).size  # samples are within a 500th of it
                    for p, q in ((mine, theirs), (theirs, mine)):
                        self.assertLess(_apart(p, q, closed=bool(one.closed)), size / 200)
            if ending == "dxf":
                self.assertAlmostEqual(length_of(again, "c4"), length_of(bench, "c4"), delta=2e-3)

    def test_as_other_parsers_read_them(self) -> None:
        """svgpathtools and ezdxf: lengths and bounds of a plate with a round corner in closed form."""
        square = bench_of({"operator": "box"}, curves=[{"id": "c1", "name": "Square", "closed": True, "points": [
            {"at": [0, 0]}, {"at": [20, 0], "fillet": 6}, {"at": [20, 20]}, {"at": [0, 20]}]}])  # fmt: skip
        whole = 80 - 12 + 3 * math.pi
        svg = drawing_of(square, ["Square"], "svg").decode()
        self.assertIn('width="20mm" height="20mm" viewBox="0 -20 20 20"', svg)
        path = svgpathtools.parse_path(svg.split(' d="')[1].split('"')[0])
        self.assertAlmostEqual(path.length(), whole, places=9)
        self.assertTrue(path.isclosed())
        self.assertEqual([type(s).__name__ for s in path], ["Line", "Arc", "Line", "Line", "Line"])
        document = dxf_read(io.StringIO(drawing_of(square, [], "dxf").decode()))
        self.assertEqual(document.header["$INSUNITS"], 4)
        (entity,) = document.modelspace()
        self.assertEqual((entity.dxftype(), entity.dxf.layer, entity.is_closed), ("LWPOLYLINE", "Square", True))  # type: ignore[attr-defined]
        chords = np.array([p.xyz for p in ezdxf.path.make_path(entity).flattening(1e-6)])
        self.assertAlmostEqual(float(np.linalg.norm(np.diff(chords, axis=0), axis=1).sum()), whole, delta=2e-3)
        # in space an arc is an arc
        kinds = [e.dxftype() for e in dxf_read(io.StringIO(drawing_of(curves(), ["Way"], "dxf").decode())).modelspace()]
        self.assertEqual(kinds, ["LINE", "ARC", "LINE", "SPLINE"])

    def test_what_cannot_be_written_is_said(self) -> None:
        for names, ending, text in (
            (["Way"], "svg", "an SVG is flat"),
            (["x"], "svg", "no curve 'x'"),
            ([], "png", "no format"),
        ):
            with self.assertRaisesRegex(CoreError, text):
                drawing_of(curves(), names, ending)
        empty = bench_of(
            {"operator": "box"}, curves=[{"id": "c1", "name": "Dot", "points": [{"at": [1, 1]}, {"at": [1, 1]}]}]
        )
        with self.assertRaisesRegex(CoreError, "has no length"):
            drawing_of(empty, [], "svg")


def _apart(points: np.ndarray, line: np.ndarray, *, closed: bool) -> float:
    """Return how far the worst of some points is from a polyline."""
    a = line if closed else line[:-1]
    b = np.roll(line, -1, axis=0) if closed else line[1:]
    d = b - a
    t = np.clip(((points[:, None] - a) * d).sum(axis=2) / np.maximum((d * d).sum(axis=1), 1e-300), 0, 1)
    return float(np.linalg.norm(points[:, None] - a - t[..., None] * d, axis=2).min(axis=1).max())


if __name__ == "__main__":
    unittest.main()
