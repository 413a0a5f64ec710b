"""Bodies from curves in the browser: a path on the board and in the view, profiles joined, rings by a formula."""

from __future__ import annotations

import math
import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any

from PIL import Image
from selenium.webdriver.common.keys import Keys

from tests.browser.harness import Actions
from tests.browser.test_placing import MARK, PlacingTest, bench


class FromCurves(PlacingTest):
    def expected(self, message: str) -> bool:
        return "422" in message or "400" in message

    def add(self, words: str, name: str) -> str:
        """Add an operator to a bench that has little in it; return the new part's id."""
        self.open_bench(bench(MARK, dimensions=[{"name": "n", "value": "5"}]))
        self.settled()
        self.find("find").send_keys(words)
        self.after(lambda: self.find("find").send_keys(Keys.ENTER))
        self.wait(lambda: any(p["name"] == name and p["faces"] for p in self.document()["parts"]))
        found: str = next(p["id"] for p in self.document()["document"]["parts"] if p["name"] == name)
        return found

    def curve(self, curve: str) -> list[list[float]]:
        rows = next(c for c in self.document()["document"]["curves"] if c["id"] == curve)["points"]
        return [p["at"] for p in rows]

    def part(self, part: str) -> dict[str, Any]:
        found: dict[str, Any] = next(p for p in self.document()["parts"] if p["part"] == part)
        return found

    def undo(self) -> None:
        before = self.revision()
        self.click("undo")
        self.wait(lambda: self.revision() != before, "undone")

    def value(self, part: str, step: int, key: str) -> Any:
        recipe = next(p for p in self.document()["document"]["parts"] if p["id"] == part)["recipe"]
        return recipe[step]["values"].get(key)

    def spot(self, across: float, up: float) -> tuple[int, int]:
        """Where a place of the board's plane lies, px from the middle of the drawing."""
        drawing = self.find("board-drawing")
        scale, x, y = (float(drawing.get_attribute(f"data-{k}") or 0) for k in ("scale", "x", "y"))
        return round((across - x) * scale), round((y - up) * scale)

    def test_a_path_is_drawn_in_its_planes_and_dragged_in_the_view(self) -> None:
        part = self.add("sweep", "Sweep")
        self.open_menu(f"chip-{part}/s1/values/path", "Draw Path")
        self.wait(lambda: self.find("plane-xz"))
        start = self.curve("c2")
        self.assertEqual(start, [[0, 0, 0], [0, 0, 20], [20, 0, 20], [20, 16, 20]])
        # on the board, as seen along Y: the third coordinate stays
        self.after(lambda: self.drag(self.still("point-p1"), (-20, 0), (-20, 0)))
        moved = self.curve("c2")
        self.assertLess(moved[0][0], -1)
        self.assertEqual([moved[0][1:], moved[1:]], [start[0][1:], start[1:]])
        # seen from above a point on the last piece is added where the line runs
        self.click("plane-xy")
        self.wait(lambda: float(self.find("board-drawing").get_attribute("data-y") or 0) > 5)
        line = Actions(self.driver).move_to_element_with_offset(self.find("board-drawing"), *self.spot(20, 8))
        self.after(lambda: line.click().perform())
        added = self.curve("c2")
        self.assertEqual((len(added), added[3][2]), (5, 20))
        self.assertAlmostEqual(added[3][1], 8, delta=1)
        # its third coordinate is typed, its corner gets a radius later, both are undone
        new = next(c for c in self.document()["document"]["curves"] if c["id"] == "c2")["points"][3]["id"]
        self.after(lambda: self.type_into(f"curves/c2/{new}/at/2", "30"))
        faces = self.part(part)["faces"]
        self.after(lambda: self.type_into(f"curves/c2/{new}/fillet", "4"))
        self.wait(lambda: self.part(part)["faces"] > faces)
        self.after(lambda: self.open_menu(f"join-{new}", "smooth"))
        self.wait(lambda: "takes no radius" in self.text("recipe"))
        self.click("close-board")
        # in the view a point goes in the plane that faces the eye: one coordinate stays
        grip = self.still(f"grip-curves/c2/{new}/at")
        before = self.curve("c2")[3]
        self.after(lambda: self.drag(grip, (15, -10), (15, -10)))
        after = self.curve("c2")[3]
        self.assertEqual(sum(a == b for a, b in zip(before, after, strict=True)), 1)
        self.assertIsNone(self.part(part)["error"])

    def test_profiles_are_joined_turned_and_sized(self) -> None:
        part = self.add("loft", "Loft")
        at = f"{part}/s1/values"
        volume = self.part(part)["volume"]
        self.after(lambda: self.type_into(f"{at}/turns/1", "90"))
        self.wait(lambda: self.part(part)["volume"] < 0.99 * volume)
        self.after(lambda: self.open_menu(f"chip-{at}/profiles", "Draw a new one"))
        self.wait(lambda: self.find("board-drawing"))
        values = self.document()["document"]["parts"][-1]["recipe"][0]["values"]
        self.assertEqual((values["profiles"], values["turns"]), (["c1", "c2", "c3"], [0, 90]))
        self.after(lambda: self.open_menu(f"chip-{at}/join", "smoothly"))
        self.wait(lambda: self.part(part)["faces"] > 500)
        # along a path: the choice begins one
        self.after(lambda: self.open_menu(f"chip-{at}/along", "along"))
        self.wait(lambda: self.find("plane-xz"))
        self.wait(lambda: self.part(part)["faces"] and not self.part(part)["error"])
        self.click("close-board")
        self.click(f"chip-{at}/size_along")
        self.after(lambda: self.open_menu("graph-shapes", "to a point"))
        self.wait(lambda: self.part(part)["four_sided"] < self.part(part)["faces"])

    def test_a_curve_tells_what_is_wrong_and_is_mended_as_a_whole(self) -> None:
        points = [{"at": [0, 0]}, {"at": [12, 0]}, {"at": [15, 14], "fillet": 3}, {"at": [9, 22]}]
        cup = {
            "id": "p1",
            "name": "Cup",
            "recipe": [{"id": "s1", "operator": "revolve", "values": {"profile": "c1", "sides": 24}}],
        }
        self.open_bench(bench(cup, curves=[{"id": "c1", "name": "Cup profile", "points": points}]))
        self.settled()
        self.driver.execute_script("document.querySelector('[data-testid=step-s1]').click()")
        self.open_menu("chip-p1/s1/values/profile", "Draw Cup profile")
        self.wait(lambda: "36.149" in self.text("curve-facts"))
        before = self.revision()
        self.type_into("curves/c1/p1/at/0", "-6")
        self.wait(lambda: self.revision() > before)
        self.wait(lambda: "lies over the axis" in self.text("curve-facts"))
        self.after(lambda: self.click("off-the-axis"))
        self.assertEqual([p[0] for p in self.curve("c1")], [0, 18, 21, 15])
        volume = self.part("p1")["volume"]
        self.after(lambda: self.open_menu("curve-more", "Run it the other way"))
        self.assertEqual([p[0] for p in self.curve("c1")], [15, 21, 18, 0])
        self.assertAlmostEqual(self.part("p1")["volume"], volume, places=6)
        self.open_menu("curve-more", "Remove the curve")
        self.wait(lambda: "is used in 'Cup'" in self.driver.find_element("tag name", "body").text)

    def test_a_profile_comes_from_a_drawing(self) -> None:
        part = self.add("sweep", "Sweep")
        ring = '<path id="ring" d="M-4 0 a4 4 0 1 1 8 0 a4 4 0 1 1 -8 0 z"/><path id="leaf" d="M0 0 h6 v4 h-6 z"/>'
        for text, ending in (
            (
                f'<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="20mm" viewBox="-10 -10 20 20">{ring}</svg>',
                "svg",
            ),
            ("none", "dxf"),
        ):
            file = self.folder / f"drawing.{ending}"
            file.write_text(text)
            self.open_menu(f"chip-{part}/s1/values/profile", "From a file")
            self.wait(lambda: self.driver.find_elements("css selector", "[data-testid=import-input]"))
            found = self.driver.find_elements("css selector", "[data-testid=import-input]")[-1]
            before = self.revision()
            found.send_keys(str(file))
            if ending == "svg":
                self.wait(lambda before=before: self.revision() > before)
                self.wait(lambda: "2 curves came with drawing.svg" in self.driver.find_element("tag name", "body").text)
        self.wait(lambda: "can't be read as DXF" in self.driver.find_element("tag name", "body").text)
        document = self.document()["document"]
        self.assertEqual([c["name"] for c in document["curves"]][-2:], ["ring", "leaf"])
        taken = document["parts"][-1]["recipe"][0]["values"]["profile"]
        self.assertEqual(next(c["name"] for c in document["curves"] if c["id"] == taken), "ring")
        self.assertIsNone(self.part(part)["error"])

    def test_rings_by_a_formula(self) -> None:
        self.open_bench(bench(MARK, dimensions=[{"name": "n", "value": "5"}]))
        self.settled()
        self.find("find").send_keys("gimbal", Keys.ENTER)
        self.wait(lambda: self.find("placing"))
        self.after(lambda: self.keys(Keys.ENTER))
        part = self.document()["document"]["parts"][-1]["id"]
        self.after(lambda: self.type_into(f"{part}/s1/values/count", "n"))
        self.after(lambda: self.click("instead-tilt"))
        self.after(lambda: self.type_into(f"{part}/s1/values/tilt", "360 / n"))
        self.wait(lambda: self.part(part)["volume"] and not self.part(part)["error"])
        volume = self.part(part)["volume"]
        self.after(lambda: self.type_into("dimensions/n", "3"))
        self.wait(lambda: self.part(part)["volume"] < volume)
        shown = self.part(part)["steps"][0]["shown"]
        self.assertEqual((shown["count"], shown["tilt"]), (3, 120))

    def test_faces_are_turned_about_a_pivot_and_carried_on(self) -> None:
        """An elbow beside its end, hinged on an edge that is clicked, then carried along a path."""
        box = {
            "id": "p1",
            "name": "Duct",
            "recipe": [{"id": "s1", "operator": "box", "values": {"size": [20, 16, 10]}}],
        }
        self.open_bench(bench(box))
        self.settled()
        self.look(-30, 30, 120)
        self.find("find").send_keys("elbow")
        self.after(lambda: self.find("find").send_keys(Keys.ENTER))
        at = "p1/s2/values"
        self.wait(lambda: self.part("p1")["faces"] > 20)
        self.after(lambda: self.type_into(f"{at}/rows", "6"))
        self.after(lambda: self.type_into(f"{at}/bend_radius", "15"))
        # n sin(a / n) times the area times the way of its centre, after Pappus
        self.assertAlmostEqual(self.part("p1")["volume"], 3200 + 6 * math.sin(math.pi / 12) * 320 * 15, places=6)
        # about an edge that is clicked: the axis is drawn before it is taken
        self.after(lambda: self.open_menu(f"chip-{at}/pivot", "an axis of the part"))
        self.wait(lambda: "stays in its own plane" in self.text("recipe"))
        self.open_menu(f"chip-{at}/axis", "one through a point of it")
        layer = self.still("axis-pick")
        self.assertFalse(self.all("axis-drawn"))
        x, y = self.screen(10, 0, 10)
        Actions(self.driver).move_to_element_with_offset(layer, x, y).perform()
        self.wait(lambda: "middle of an edge" in self.text("axis-drawn"))
        self.after(lambda: Actions(self.driver).click().perform())
        self.assertEqual(self.value("p1", 1, "axis"), {"point": [10, 0, 10], "direction": [0, 1, 0]})
        hinged = 3200 + 6 * math.sin(math.pi / 12) * 320 * 10
        self.wait(lambda: abs(self.part("p1")["volume"] - hinged) < 1e-6)
        # a number of the axis is a number like any other
        self.after(lambda: self.type_into(f"{at}/axis/point/0", "10 + 5"))
        self.wait(lambda: abs(self.part("p1")["volume"] - hinged * 1 - 6 * math.sin(math.pi / 12) * 320 * 5) < 1e-6)
        self.open_menu(f"chip-{at}/axis", "one through a point of it")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("axis-pick"))
        # what was moved is picked by its name and carried along a path of its own
        self.find("find").send_keys("spout")
        self.after(lambda: self.find("find").send_keys(Keys.ENTER))
        self.assertEqual(self.value("p1", 2, "pick"), {"rule": "group", "step": "s2", "name": "tops"})
        path = self.value("p1", 2, "path")
        self.assertEqual(self.curve(path)[0], [0, 0, 0])
        self.after(lambda: self.open_menu("chip-p1/s3/values/path_lies", "moved to begin in their middle and turned"))
        self.open_menu("chip-p1/s3/values/path", "Draw Path")
        # a corner without radii is mitred: straight pieces enclose the area times their length
        for point in ("p2", "p3"):
            self.after(lambda point=point: self.type_into(f"curves/{path}/{point}/fillet", "0"))
        self.wait(lambda: self.part("p1")["steps"][2]["faces"] == 30 + 12)
        self.click("close-board")

    def test_points_move_together_snap_and_come_apart(self) -> None:
        """On the board: several, a soft reach, tangents, typed lengths and angles, a piece split, a curve cut, one taken out."""
        points = [{"id": "p1", "at": [-20, 0]}, {"id": "p2", "at": [0, 0], "join": "bezier", "out": [5, 5]}, {"id": "p3", "at": [20, 0], "in": [-5, 5]},
                  {"id": "p4", "at": [30, -10]}, {"id": "p5", "at": [10, -20]}]  # fmt: skip
        curve = {"id": "c1", "name": "Plate", "closed": True, "points": points}
        plate = {
            "id": "p1",
            "name": "Plate",
            "recipe": [{"id": "s1", "operator": "prism", "values": {"profile": "c1", "height": 4}}],
        }
        self.open_bench(bench(plate, curves=[curve]))
        self.settled()
        self.open_menu("chip-p1/s1/values/profile", "Draw Plate")
        self.wait(lambda: self.find("board-drawing"))
        drawing = self.find("board-drawing")

        def at(across: float, up: float) -> Any:
            return Actions(self.driver).move_to_element_with_offset(drawing, *self.spot(across, up))

        # a net over two points, one of them is dragged: both go
        at(27, -1).key_down(Keys.SHIFT).click_and_hold().perform()
        at(35, -15).release().key_up(Keys.SHIFT).perform()
        self.assertIn("chosen", self.attribute("point-p4", "class"))
        Actions(self.driver).move_to_element(self.find("point-p5")).key_down(Keys.SHIFT).click().key_up(
            Keys.SHIFT
        ).perform()
        self.after(lambda: self.drag(self.still("point-p5"), (0, 20), (0, 18)))
        now = self.curve("c1")
        self.assertEqual([p[0] for p in now], [-20, 0, 20, 30, 10])
        self.assertAlmostEqual(now[3][1] + 10, now[4][1] + 20, places=6)
        self.assertLess(now[4][1], -21)
        self.undo()
        # with a soft reach its neighbours go along, less; the reach is dragged and typed
        self.click("soft")
        first = self.text("reach")
        self.click("point-p1")
        grip = self.still("reach-grip")
        self.drag(grip, (60, 0), (20, 0))
        self.assertNotEqual(self.text("reach"), first)
        self.click("reach")
        self.find("field-reach").send_keys("30", Keys.ENTER)
        self.after(lambda: self.drag(self.still("point-p1"), (0, -20), (0, -20)))
        up = [p[1] for p in self.curve("c1")]
        self.assertTrue(up[0] > up[1] > 0 and up[2] == 0, up)
        self.undo()
        self.click("soft")
        self.assertFalse(self.all("reach"))
        # a point goes on the tangent of the piece beside it, level with another point
        self.click("point-p4")
        start = self.spot(30, -10)
        to = self.spot(28, -8.4)
        hold = Actions(self.driver).click_and_hold(self.find("point-p4"))
        hold.move_by_offset(2, 2).move_by_offset(to[0] - start[0] - 2, to[1] - start[1] - 2).perform()
        self.wait(lambda: "tangent" in self.text("board-guide"))
        self.after(lambda: Actions(self.driver).release().perform())
        across, down = self.curve("c1")[3]
        self.assertAlmostEqual(across - 20, -down, places=5)  # from (20, 0) along the handle's way, (1, -1)
        self.undo()
        # length and angle of a piece
        self.click("row-p1")
        self.after(lambda: self.type_into("curves/c1/p1/piece/long/01", "25"))
        self.after(lambda: self.type_into("curves/c1/p1/piece/angle/01", "90"))
        self.assertEqual(self.curve("c1")[1], [-20, 25])
        self.undo()
        self.undo()
        # a Bezier piece in two runs as it did
        volume = self.part("p1")["volume"]
        self.after(lambda: self.open_menu("point-more-p2", "Split the piece"))
        self.assertEqual(self.curve("c1")[2], [10, 3.75])
        self.wait(lambda: abs(self.part("p1")["volume"] / volume - 1) < 2e-3)
        # cut open it is refused with a reason, and closed again
        self.open_menu("point-more-p4", "Cut the curve open")
        self.wait(lambda: "is open" in self.text("recipe"))
        self.assertEqual([self.curve("c1")[k] for k in (0, -1)], [[30, -10], [30, -10]])
        self.open_menu("point-more-p1", "Cut the curve in two")
        self.wait(lambda: len(self.document()["document"]["curves"]) == 2)
        self.assertEqual([c["name"] for c in self.document()["document"]["curves"]], ["Plate", "Plate, rest"])
        self.undo()
        self.undo()
        self.open_menu("curve-more", "Take it out as SVG")
        svg = self.downloaded(".svg").read_text()
        self.assertIn('id="Plate"', svg)

    def test_a_picture_lies_under_the_curve_to_be_drawn_over(self) -> None:
        self.add("prism", "Prism")
        self.open_menu(self.prism_profile(), "Draw Section")
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)
        Image.new("RGB", (300, 150), "#c89a3f").save(folder / "sketch.jpg")
        (folder / "broken.png").write_bytes((folder / "sketch.jpg").read_bytes()[:200])
        for name in ("broken.png", "sketch.jpg"):
            self.open_menu("curve-more", "Lay a picture under it")
            self.driver.find_elements("css selector", "[data-testid=import-input]")[-1].send_keys(str(folder / name))
            if name == "broken.png":
                self.wait(lambda: "The picture can't be read" in self.driver.find_element("tag name", "body").text)
        self.wait(lambda: self.find("traced").get_attribute("href"))
        wide = self.document()["curves"][-1]["traced"]
        self.assertEqual((wide["file"], wide["tall"]), ("sketch.jpg", wide["wide"] / 2))
        # its numbers are numbers like any other; it is drawn as it is
        curve = self.document()["document"]["curves"][-1]["id"]
        self.after(lambda: self.type_into(f"curves/{curve}/traced/wide", "2 * n"))
        scale = float(self.attribute("board-drawing", "data-scale"))
        self.assertAlmostEqual(self.find("traced").rect["width"], 10 * scale, delta=1)
        loaded = "return fetch(arguments[0]).then(r => r.blob()).then(b => createImageBitmap(b)).then(i => i.width)"
        self.assertEqual(self.driver.execute_script(loaded, self.attribute("traced", "href")), 300)
        self.open_menu("curve-more", "Take the picture away")
        self.wait(lambda: not self.all("traced"))

    def prism_profile(self) -> str:
        return str(
            self.driver.find_element(
                "css selector", "[data-testid^=chip-][data-testid$='/s1/values/profile']"
            ).get_attribute("data-testid")
        )


if __name__ == "__main__":
    unittest.main()
