"""Picks and the bevel through the real interface: click, loop, box, rule, offer, width dragged until it stops, order, undo."""

from __future__ import annotations

import json
import unittest
from typing import Any

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.harness import Actions, BrowserTest

PICK, WIDTH = "p1/s2/values/pick", "p1/s2/values/width"
BENCH = {
    "format": "jukai-bench", "version": 1, "name": "Foot", "unit": "mm", "finishes": [{"name": "Brass", "colour": "#c9a24b", "metal": 1}],
    "parts": [{"id": "p1", "name": "Foot", "finish": "Brass", "recipe": [
        {"id": "s1", "operator": "box", "values": {"size": [40, 30, 20], "counts": [4, 3, 2]}},
        {"id": "s2", "operator": "bevel", "values": {"width": 2, "segments": 2}}]}],
}  # fmt: skip
PROJECT = """const s = __stage, T = s.camera.position.constructor, p = s.project(new T(...arguments[0]))
const r = s.canvas.getBoundingClientRect(); return [p.x - r.width / 2, p.y - r.height / 2]"""


class Picking(BrowserTest):
    def setUp(self) -> None:
        self.open_bench(BENCH)
        self.click("step-s2")

    def expected(self, message: str) -> bool:
        return "/edits" in message and "422" in message  # an edit that is refused, and told

    # -- helpers --------------------------------------------------------------------------------
    def pick(self) -> Any:
        step = next(s for s in self.document()["document"]["parts"][0]["recipe"] if s["id"] == "s2")
        return step["values"].get("pick")

    def open_pick(self) -> None:
        self.click(f"chip-{PICK}")
        self.picked()

    def picked(self, count: int | None = None) -> int:
        def told() -> str:
            text = self.find("pick-panel").get_attribute("data-picked") or ""
            return text if text and (count is None or int(text) == count) else ""

        return int(self.wait(told, f"{count} picked"))

    def over(self, *place: float) -> ActionChains:
        """Move the pointer over a place of the bench."""
        canvas = self.find("stage").find_element(By.TAG_NAME, "canvas")
        x, y = self.driver.execute_script(PROJECT, place)
        return Actions(self.driver, duration=20).move_to_element_with_offset(canvas, round(x), round(y))

    def menu(self, trigger: str, words: str) -> None:
        self.open_menu(trigger, words)

    # -- tests ----------------------------------------------------------------------------------
    def test_edges_are_put_in_and_taken_out_and_the_rule_is_offered(self) -> None:
        self.assertEqual(self.text(f"chip-{PICK}"), "36 edges")
        self.open_pick()
        self.picked(36)
        # one out by a click, and in again: the rule stands as it was
        self.after(lambda: self.over(5, -15, 20).click().perform())
        self.picked(35)
        self.assertEqual(list(self.pick()["join"][1]), ["but_not"])
        self.after(lambda: self.over(5, -15, 20).click().perform())
        self.picked(36)
        self.assertEqual(self.pick(), {"rule": "sharper_than", "angle": 30})
        # by hand, from none: a loop of the top by a double click
        self.after(lambda: self.menu("pick-rule", "by hand"))
        self.picked(0)
        self.after(lambda: self.over(5, 5, 20).double_click().perform())
        self.wait(lambda: self.pick()["rule"] == "loop_through")
        self.assertGreater(self.picked(), 2)
        # everything by a box, and the rule that this looks like
        self.after(lambda: self.menu("pick-rule", "by hand"))
        self.picked(0)
        self.click("box-through")
        canvas = self.find("stage").find_element(By.TAG_NAME, "canvas")
        w, h = canvas.size["width"], canvas.size["height"]
        box = Actions(self.driver, duration=40).move_to_element_with_offset(canvas, -w // 2 + 30, -h // 2 + 90)
        box.key_down(Keys.SHIFT).click_and_hold().move_by_offset(w - 300, h - 200).move_by_offset(60, 40)
        self.after(lambda: box.release().key_up(Keys.SHIFT).perform())
        self.picked(104)
        self.wait(lambda: self.all("offer"))
        self.assertIn("These are all 104 edges", self.text("offer"))
        self.after(lambda: self.click("use-rule"))
        self.assertEqual(self.pick(), {"rule": "everything"})
        self.after(lambda: self.click("pick-invert"))
        self.picked(0)
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("pick-panel"))
        # all of it is undone
        while self.revision() > 1:
            before = self.revision()
            self.keys(Keys.CONTROL + "z" + Keys.NULL)
            self.wait(lambda b=before: self.revision() < b, "undone")
            self.settled()
        self.wait(lambda: self.text(f"chip-{PICK}") == "36 edges")
        self.assertIsNone(self.pick())

    def test_the_angle_of_the_rule_is_a_number_like_any_other(self) -> None:
        self.open_pick()
        self.after(lambda: self.type_into(f"{PICK}/angle", "100"))
        self.picked(0)
        self.assertIn("0 edges", self.text(f"chip-{PICK}"))

    def test_the_width_is_dragged_until_it_stops(self) -> None:
        self.assertEqual(self.all("note-s2"), [])
        label = self.wait(lambda: self.find(f"callout-{WIDTH}").find_element(By.TAG_NAME, "text"))
        self.assertIn("2\u2009mm", label.text)
        self.after(lambda: self.type_into(WIDTH, "12"))
        self.assertIn("stopped, the narrowest at 10 mm", self.wait(lambda: self.text("note-s2")))
        # the limit stands at the number, and the stopped edges are drawn
        self.wait(lambda: "12\u2009mm, stops at 10" in self.find(f"callout-{WIDTH}").text)
        self.wait(lambda: self.driver.execute_script("return __stage.marks.held.has('stopped')"))
        self.wait(lambda: self.attribute("soundness", "data-state") == "sound")
        # the number that solves it
        self.after(lambda: self.click("solve-width"))
        self.assertEqual(self.document()["document"]["parts"][0]["recipe"][1]["values"]["width"], 10)
        self.wait(lambda: not self.all("note-s2"))
        grip = self.wait(lambda: self.find(f"callout-{WIDTH}").find_element(By.CSS_SELECTOR, ".grip, text"))

        def width() -> float:
            return float(self.document()["document"]["parts"][0]["recipe"][1]["values"]["width"])

        self.after(lambda: self.drag(grip, (0, 12), (0, 12)))
        self.assertNotEqual(width(), 10)
        # pulled the way that makes it wider, until it stops, and read there
        direction = 1 if width() > 10 else -1
        grip = self.wait(lambda: self.find(f"callout-{WIDTH}").find_element(By.CSS_SELECTOR, ".grip, text"))
        self.after(lambda: self.drag(grip, (0, 30 * direction), (0, 50 * direction)))
        self.assertGreater(width(), 10)
        self.assertIn("stopped, the narrowest at 10 mm", self.wait(lambda: self.text("note-s2")))

    def test_points_are_bevelled_and_a_face_tells_what_made_it(self) -> None:
        self.open_pick()
        self.after(lambda: self.click("pick-points"))
        self.picked(32)
        self.after(lambda: self.over(-20, -15, 20).click().perform())
        self.picked(31)
        self.assertEqual(self.pick()["of"], "points")
        self.click("pick-done")
        self.wait(lambda: self.text(f"chip-{PICK}") == "31 points")
        self.over(5, 0, 20).perform()
        self.wait(lambda: "top" in self.text("trail"))
        self.find("trail").find_element(By.TAG_NAME, "button").click()
        self.wait(lambda: "chosen" in self.attribute("step-s1", "class"))
        pictures = self.driver.execute_script("return __stage.pictures")
        self.keys("n")
        self.wait(lambda: self.driver.execute_script("return __stage.pictures") > pictures)

    def box(self) -> None:
        """Drag a box over the whole view."""
        canvas = self.find("stage").find_element(By.TAG_NAME, "canvas")
        w, h = canvas.size["width"], canvas.size["height"]
        drag = Actions(self.driver, duration=40).move_to_element_with_offset(canvas, -w // 2 + 30, -h // 2 + 90)
        drag.key_down(Keys.SHIFT).click_and_hold().move_by_offset(w - 300, h - 200).move_by_offset(60, 40)
        self.after(lambda: drag.release().key_up(Keys.SHIFT).perform())

    def by_hand(self) -> None:
        self.open_pick()
        self.after(lambda: self.menu("pick-rule", "by hand"))
        self.picked(0)

    def test_a_box_takes_what_is_seen(self) -> None:
        """Of 4 x 3 x 2 cells top, front and left are seen: 31 + 22 + 17 edges less the 4 + 3 + 2 they share."""
        self.by_hand()
        self.box()
        self.picked(61)
        lineage = {tuple(map(tuple, e["lineage"])) for e in self.pick()["elements"]}
        self.assertTrue(lineage <= {(("s1", g),) for g in ("top", "front", "left", "back", "right", "bottom")}, lineage)

    def test_more_of_the_same(self) -> None:
        self.by_hand()
        self.after(lambda: self.over(5, -15, 20).click().perform())
        self.picked(1)
        # the strip across the edge runs over the top and round the body
        self.after(lambda: self.click("last-strip"))
        self.assertEqual(self.pick()["rule"], "strip_across")
        strip = self.picked()
        self.assertEqual(strip, 2 * (3 + 2))
        self.after(lambda: self.click("pick-grow"))
        grown = self.picked()
        self.assertGreater(grown, strip)
        self.after(lambda: self.click("pick-shrink"))
        self.picked(strip)
        self.after(lambda: self.menu("pick-rule", "by hand"))
        self.picked(0)
        # all sharp edges of 10 mm along X: on the top, the bottom, front and back
        self.after(lambda: self.over(5, -15, 20).click().perform())
        self.picked(1)
        self.after(lambda: self.click("last-same"))
        self.picked(36)
        # a name for it, used in the step; it can't be forgotten there
        self.click("pick-name")
        self.after(lambda: self.find("pick-name-field").send_keys("outline", Keys.ENTER))
        self.wait(lambda: self.pick() == {"rule": "named", "name": "outline"})
        self.assertIn("the pick outline", self.text("pick-words"))
        self.open_menu("pick-rule", "Forget the pick outline")
        self.wait(lambda: "is used in step s2" in self.driver.page_source)
        self.picked(36)
        while self.revision() > 1:
            before = self.revision()
            self.keys(Keys.CONTROL + "z" + Keys.NULL)
            self.wait(lambda b=before: self.revision() < b, "undone")
            self.settled()
        self.assertIsNone(self.pick())

    def test_faces_give_their_edges_and_numbers_of_rules_are_live(self) -> None:
        self.by_hand()
        self.after(lambda: self.click("pick-by-faces"))
        self.after(lambda: self.over(-5, 0, 20).click().perform())
        self.picked(4)
        self.after(lambda: self.over(5, 0, 20).click().perform())
        self.picked(7)
        # a double click takes the strip through the face: 2 x 4 + 2 x 2 faces round the body, or 2 x 3 + 2 x 2
        self.after(lambda: self.over(5, 0, 20).double_click().perform())
        self.wait(lambda: self.picked() > 7)
        self.assertIn(json.dumps("strip_across"), json.dumps(self.pick()))
        self.after(lambda: self.click("pick-direct"))
        self.assertEqual(self.pick()["rule"], "by_hand")
        # above a plane: its place is a number that can be typed
        self.after(lambda: self.menu("pick-rule", "above a plane"))
        self.assertGreater(self.picked(), 40)
        self.after(lambda: self.type_into(f"{PICK}/point/2", "20"))
        self.picked(31)  # the edges of the top

    def test_a_further_pick_has_its_own_width(self) -> None:
        volume = self.text("volume")
        self.after(lambda: self.click("further-add"))
        self.picked(0)
        self.after(lambda: self.over(5, -15, 20).double_click().perform())
        self.wait(lambda: self.picked() > 1)
        self.click("pick-done")
        self.after(lambda: self.type_into("p1/s2/values/further_picks/0/width", "5"))
        rows = self.document()["document"]["parts"][0]["recipe"][1]["values"]["further_picks"]
        self.assertEqual((rows[0]["width"], rows[0]["pick"]["rule"]), (5, "loop_through"))
        self.wait(lambda: self.all("callout-p1/s2/values/further_picks/0/width"))
        self.assertNotEqual(self.text("volume"), volume)
        faces = int(self.text("faces"))
        self.after(lambda: self.menu("chip-p1/s2/values/corners", "a mitre"))
        self.assertEqual(
            int(self.text("faces")), faces - 8 * 3 - 2
        )  # no patches, and no narrow strips round a wide one at two corners
        self.after(lambda: self.click("further-remove-0"))
        self.wait(lambda: not self.all("callout-p1/s2/values/further_picks/0/width"))
        self.assertNotIn("further_picks", self.document()["document"]["parts"][0]["recipe"][1]["values"])

    def test_options_do_what_they_say(self) -> None:
        faces = self.text("faces")
        self.after(lambda: self.type_into("p1/s2/values/segments", "4"))
        self.assertNotEqual(self.text("faces"), faces)
        volume = self.text("volume")
        self.after(lambda: self.type_into("p1/s2/values/roundness", "0"))
        self.assertNotEqual(self.text("volume"), volume)
        self.after(lambda: self.menu("chip-p1/s2/values/measured_as", "the radius"))
        self.wait(lambda: "R" in self.text(f"callout-{WIDTH}"))
        self.assertFalse(self.all("chip-p1/s2/values/finish"))  # told only where the strips have one of their own
        self.after(lambda: self.menu("chip-p1/s2/values/surface", "has a finish of its own"))
        self.after(lambda: self.menu("chip-p1/s2/values/finish", "Brass"))
        self.assertEqual(self.document()["document"]["parts"][0]["recipe"][1]["values"]["finish"], "Brass")


if __name__ == "__main__":
    unittest.main()
