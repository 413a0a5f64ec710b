"""Graphs along, drawn under a helix; springs and stones with their numbers."""

from __future__ import annotations

import unittest
from typing import Any

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.harness import Actions, BrowserTest
from tests.browser.test_placing import bench, part

WIRE = "p1/s1/values/wire_diameter_graph"
HORN: dict[str, Any] = {
    "turns": 3,
    "height": 40,
    "coil_diameter": 40,
    "wire_diameter": 6,
    "rows_per_turn": 24,
    "sides": 12,
}


class Graphs(BrowserTest):
    def expected(self, message: str) -> bool:
        return "422" in message

    def setUp(self) -> None:
        self.open_bench(bench(part(1, "helix", dict(HORN))))
        self.settled()
        self.choose()

    def choose(self) -> None:
        self.driver.execute_script("document.querySelector('[data-testid=step-s1]').click()")

    def values(self) -> dict[str, Any]:
        found: dict[str, Any] = self.document()["document"]["parts"][0]["recipe"][0]["values"]
        return found

    def graph(self) -> list[dict[str, Any]]:
        return list(self.values().get("wire_diameter_graph") or [])

    def spot(self, at: float, value: float) -> tuple[int, int]:
        """Where a place of the graph lies, px from the middle of its drawing."""
        drawing = self.find("graph-drawing")
        wide, high = (int(drawing.rect[k]) for k in ("width", "height"))
        low, top = (float(drawing.get_attribute(f"data-{k}") or 0) for k in ("low", "high"))
        x = 52 + at * (wide - 70)
        y = 16 + (high - 42) * (1 - (value - low) / (top - low))
        return round(x - wide / 2), round(y - high / 2)

    def at(self, place: float, value: float) -> Actions:
        actions = Actions(self.driver)
        actions.move_to_element_with_offset(self.find("graph-drawing"), *self.spot(place, value))
        return actions

    def test_points_are_added_dragged_typed_and_removed(self) -> None:
        self.click(f"chip-{WIRE}")
        self.wait(lambda: self.find("graph-empty"))
        self.after(lambda: self.at(0.5, 1).click().perform())
        self.assertEqual([round(p["at"], 1) for p in self.graph()], [0, 0.5, 1])
        middle = self.graph()[1]["id"]
        # pulled down, and to the right
        fro, to = self.spot(0.5, 1), self.spot(0.6, 0.5)
        faces = self.attribute("stage", "data-shown")
        self.after(lambda: self.drag(self.find(f"graph-point-{middle}"), (0, 0), (to[0] - fro[0], to[1] - fro[1])))
        moved = self.graph()[1]
        self.assertAlmostEqual(moved["at"], 0.6, delta=0.02)
        self.assertAlmostEqual(moved["value"], 0.5, delta=0.03)
        self.wait(lambda: self.attribute("stage", "data-shown") != faces)
        # typed
        self.after(lambda: self.type_into(f"{WIRE}/{middle}/value", "0.25"))
        self.after(lambda: self.type_into(f"{WIRE}/{middle}/at", "40"))
        self.assertEqual((self.graph()[1]["at"], self.graph()[1]["value"]), (0.4, 0.25))
        self.assertIn("1 → 0.25 → 1", self.text(f"chip-{WIRE}"))
        # a drag that is given up leaves nothing
        before = self.revision()
        Actions(self.driver).click_and_hold(self.find(f"graph-point-{middle}")).move_by_offset(30, -30).send_keys(
            Keys.ESCAPE
        ).release().perform()
        self.settled()
        self.assertEqual(self.revision(), before)
        # smooth, then bent by a handle: the other side turns with it
        self.after(lambda: self.open_menu(f"graph-smooth-{middle}", "smooth"))
        self.assertTrue(self.graph()[1]["smooth"])
        self.click(f"graph-point-{middle}")
        self.after(lambda: self.drag(self.wait(lambda: self.find("graph-handle-out")), (0, 0), (10, -20)))
        bent = self.graph()[1]
        self.assertAlmostEqual(bent["in"][1] / bent["in"][0], bent["out"][1] / bent["out"][0], places=3)
        # removed by key and by its cross, and all of it again
        self.click(f"graph-point-{middle}")
        self.after(lambda: self.find("graph-sheet").send_keys(Keys.DELETE))
        self.assertEqual(len(self.graph()), 2)
        self.after(lambda: self.click(f"graph-remove-{self.graph()[1]['id']}"))
        self.assertEqual(len(self.graph()), 1)
        for count in (2, 3):
            self.click("undo")
            self.wait(lambda count=count: len(self.graph()) == count)
            self.settled()
        self.click("close-graph")
        self.wait(lambda: not self.all("graph-sheet"))

    def test_a_horn_runs_to_a_point_and_its_run_is_pointed_at_both_ways(self) -> None:
        self.click(f"chip-{WIRE}")
        self.after(lambda: self.open_menu("graph-shapes", "to a point"))
        self.assertEqual([p["value"] for p in self.graph()], [1, 0])
        self.wait(lambda: "Sound" in self.text("recipe") or self.view()["groups"].get("end_cap") is None)
        self.assertNotIn("end_cap", self.view()["groups"])
        self.at(0.5, 0.5).perform()
        mark = self.wait(lambda: self.find("along-mark"))
        self.assertIn("50 %", self.text("graph-along").replace("49.9", "50").replace("50.1", "50"))
        # on the body where the graph was pointed at: the graph shows that place
        circle = mark.find_element(By.TAG_NAME, "circle")
        canvas = self.find("stage").find_element(By.TAG_NAME, "canvas")
        x, y = (float(circle.get_attribute(k) or 0) for k in ("cx", "cy"))
        Actions(self.driver).move_to_element_with_offset(
            canvas, round(x - canvas.rect["width"] / 2), round(y - canvas.rect["height"] / 2)
        ).perform()
        self.wait(lambda: self.all("graph-along"))
        self.click("close-graph")
        # copied into another graph, and taken away
        self.click("chip-p1/s1/values/coil_diameter_graph")
        self.after(lambda: self.open_menu("graph-copy", "Helix 1, wire diameter"))
        self.assertEqual([p["value"] for p in self.values()["coil_diameter_graph"]], [1, 0])
        self.after(lambda: self.click("graph-level"))
        self.assertIsNone(self.values().get("coil_diameter_graph"))
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("graph-sheet"))

    def view(self) -> dict[str, Any]:
        found: dict[str, Any] = self.document()["parts"][0]
        return found

    def test_a_section_of_its_own_is_drawn_from_the_sentence(self) -> None:
        self.after(lambda: self.open_menu("chip-p1/s1/values/section", "drawn"))
        self.wait(lambda: self.find("board-drawing"))
        self.assertEqual((self.values()["section"], self.values()["profile"]), ("profile", "c1"))
        self.wait(lambda: self.view()["faces"] > 0 and not self.view()["error"])
        volume = self.view()["volume"]
        self.after(lambda: self.type_into("curves/c1/p4/fillet", "0"))
        self.wait(lambda: self.view()["volume"] > volume)
        self.after(lambda: self.open_menu("chip-p1/s1/values/profile", "Draw a new one"))
        self.assertEqual([c["name"] for c in self.document()["document"]["curves"]], ["Section", "Section 2"])
        for _ in range(3):
            before = self.revision()
            self.click("undo")
            self.wait(lambda before=before: self.revision() < before)
        self.assertEqual(self.document()["document"].get("curves", []), [])
        self.assertNotIn("section", self.values())

    def test_turns_that_run_into_each_other_and_the_pitch_that_clears(self) -> None:
        self.after(lambda: self.click("instead-pitch"))
        self.assertAlmostEqual(self.values()["pitch"], 40 / 3, places=3)
        self.after(lambda: self.type_into("p1/s1/values/pitch", "4"))
        self.wait(lambda: "Turns run into each other" in self.text("recipe"))
        self.after(lambda: self.click("solve-pitch"))
        self.assertAlmostEqual(self.values()["pitch"], 6.0, delta=0.1)
        self.wait(lambda: "Turns run into each other" not in self.text("recipe"))
        self.wait(lambda: "Sound" in self.text("soundness"))


class Gems(BrowserTest):
    def expected(self, message: str) -> bool:
        return "422" in message

    def values(self) -> dict[str, Any]:
        found: dict[str, Any] = self.document()["document"]["parts"][0]["recipe"][0]["values"]
        return found

    def test_an_angle_for_a_height_other_proportions_and_what_can_not_be_cut(self) -> None:
        self.open_bench(bench(part(1, "gem", {"diameter": 20})))
        self.settled()
        self.driver.execute_script("document.querySelector('[data-testid=step-s1]').click()")
        self.wait(lambda: "57 facets and 16 of the girdle" in self.text("recipe"))
        self.after(lambda: self.click("instead-crown_angle"))
        self.assertAlmostEqual(self.values()["crown_angle"], 34.5, places=3)
        self.after(lambda: self.type_into("p1/s1/values/crown_angle", "40"))
        self.wait(lambda: "Against Tolkowsky 1919: crown +5.5°" in self.text("recipe"))
        self.after(lambda: self.open_menu("chip-p1/s1/values/proportions", "Eulitz 1972"))
        self.wait(lambda: "table" in self.text("recipe") and self.values().get("crown_angle") is None)
        # what can't be cut stays in its field, with what would work
        before = self.revision()
        self.click("chip-p1/s1/values/table")
        field = self.wait(lambda: self.find("field-p1/s1/values/table"))
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("95", Keys.ENTER)
        self.wait(lambda: "would work" in self.driver.find_element(By.TAG_NAME, "body").text)
        self.assertEqual(self.revision(), before)
        field.send_keys(Keys.ESCAPE)
        self.after(lambda: self.open_menu("chip-p1/s1/values/cut", "a step cut"))
        self.wait(lambda: "49 facets and 8 of the girdle" in self.text("recipe"))

    def test_light_is_followed_through_a_stone_where_a_picture_may_take_its_time(self) -> None:
        """In a picture to keep, whatever draws it; in the view only by a graphics card, which there is none of here."""
        garnet = {
            "name": "Garnet",
            "colour": "#a3224a",
            "metal": 0,
            "roughness": 0.02,
            "clear": 0.8,
            "refraction": 1.78,
        }
        stones = [
            part(1, "gem", {"diameter": 20}, finish="Garnet"),
            part(2, "gem", {"cut": "cabochon"}, finish="Garnet", placement={"move": [30, 0, 0]}),
        ]
        self.open_bench(bench(*stones, finishes=[garnet]))
        self.settled()
        kept, without, after = self.driver.execute_async_script(
            "const done = arguments[0], s = __stage, bytes = async () => (await (await s.picture(120, 90, true)).text());"
            "const traced = () => [...s.bodies.values()].map((b) => 'TRACED' in b.mesh.material.defines);"
            "(async () => { const a = await bytes(), known = [...s.bodies.values()].map((b) => b.facets); for (const b of s.bodies.values()) b.facets = null;"
            "const b = await bytes(); [...s.bodies.values()].forEach((b, i) => { b.facets = known[i] });"
            "done([a, b, [known.map((f) => f?.count ?? 0), traced()]]) })()"
        )  # fmt: skip
        self.assertNotEqual(kept, without)
        counts, traced = after
        self.assertEqual((counts, traced), ([73, 0], [False, False]))


if __name__ == "__main__":
    unittest.main()
