"""Edits on faces and rims through the real interface: a round patch grows into a bridge, mirror and twist change places, formulas of copies."""

from __future__ import annotations

import unittest
from typing import Any

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.harness import Actions, BrowserTest
from tests.browser.test_placing import bench

EVERYTHING = {"rule": "everything", "of": "points"}


def made(number: int, *steps: tuple[str, dict[str, Any]], **more: Any) -> dict[str, Any]:
    recipe = [{"id": f"s{k}", "operator": o, "values": v} for k, (o, v) in enumerate(steps, 1)]
    return {"id": f"p{number}", "name": f"Part {number}", "finish": "Brass", "recipe": recipe} | more


class Edits(BrowserTest):
    def expected(self, message: str) -> bool:
        return "/edits" in message and "422" in message  # a number that is refused, and told

    def step(self, step: str, part: int = 0) -> Any:
        return next(s for s in self.document()["document"]["parts"][part]["recipe"] if s["id"] == step)

    def value(self, step: str, key: str) -> Any:
        return self.step(step).get("values", {}).get(key)

    def add(self, words: str, step: str) -> None:
        self.after(lambda: self.find("find").send_keys(words, Keys.ENTER))
        self.wait(lambda: self.attribute(f"step-{step}", "data-state") == "done", f"{words} is there")

    def picks(self, step: str, words: str, count: int, *, kind: str = "") -> None:
        self.click(f"chip-p1/{step}/values/pick")
        self.wait(lambda: self.find("pick-panel").get_attribute("data-picked"))
        if kind:
            self.after(lambda: self.click(f"pick-{kind}"))
        self.after(lambda: self.open_menu("pick-rule", words))
        self.wait(lambda: self.find("pick-panel").get_attribute("data-picked") == str(count), f"{count} picked")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("pick-panel"))

    def choose(self, chip: str, words: str) -> None:
        self.after(lambda: self.open_menu(f"chip-{chip}", words))

    def sound(self) -> None:
        self.wait(lambda: self.attribute("soundness", "data-state") == "sound", "sound")

    def test_a_round_patch_grows_and_is_bridged_to_its_mirror_image(self) -> None:
        up = ("shift", {"pick": EVERYTHING, "move": [0, 0, 14], "frame": "part"})
        self.open_bench(bench(made(1, ("box", {"size": [24, 24, 8], "counts": [6, 6, 2]}), up)))
        self.add("round patch", "s3")
        self.picks("s3", "the group bottom of step s1", 36)
        self.after(lambda: self.type_into("p1/s3/values/diameter", "fit - 4"))
        self.assertEqual(self.value("s3", "diameter"), "fit - 4")
        self.wait(lambda: "= 15.2" in self.text("chip-p1/s3/values/diameter").replace("\n", " "), "what fits")
        self.after(lambda: self.type_into("p1/s3/values/points", "16"))
        self.sound()
        # what can't be is refused in the field, and nothing is kept
        before = self.revision()
        self.type_into("p1/s3/values/diameter", "fitt", end=Keys.ENTER)
        self.assertIn("no named number", self.wait(lambda: self.driver.find_element(By.CLASS_NAME, "chip-wrong")).text)
        self.keys(Keys.ESCAPE)
        self.find("field-p1/s3/values/diameter").send_keys(Keys.ESCAPE) if self.all(
            "field-p1/s3/values/diameter"
        ) else None
        self.assertEqual(self.revision(), before)
        self.add("extrude", "s4")
        self.picks("s4", "the group patch of step s3", 23)
        self.after(lambda: self.type_into("p1/s4/values/distance", "3"))
        # the distance is pulled at its grip on the body
        grip = self.wait(
            lambda: self.find("callout-p1/s4/values/distance").find_element(By.CSS_SELECTOR, ".grip, text")
        )
        self.after(lambda: self.drag(grip, (0, 10), (0, 10)))
        pulled = float(self.value("s4", "distance"))
        self.assertNotEqual(pulled, 3.0)
        self.assertLess(abs(pulled), 13.0)
        self.after(lambda: self.type_into("p1/s4/values/distance", "3"))
        self.add("mirror", "s5")
        self.choose("p1/s5/values/plane", "Z")
        self.wait(lambda: self.value("s5", "plane") == "z")
        self.add("bridge", "s6")
        self.picks("s6", "the group tops of step s4", 46, kind="faces")
        self.sound()
        self.after(lambda: self.type_into("p1/s6/values/rows", "5"))
        self.sound()
        self.assertIn("one body", self.text("soundness"))
        faces = self.document()["parts"][0]
        self.assertEqual(faces["name"], "Part 1")
        while self.find("undo").is_enabled():
            revision = self.revision()
            self.click("undo")
            self.wait(lambda before=revision: self.revision() != before)
        self.settled()
        self.assertEqual(len(self.document()["document"]["parts"][0]["recipe"]), 2)

    def test_mirror_and_twist_change_places(self) -> None:
        self.open_bench(bench(made(
            1, ("box", {"size": [16, 8, 30], "counts": [4, 2, 10]}), ("mirror", {"plane": {"point": [8, 0, 0], "direction": [1, 0, 0]}}),
            ("twist", {"turn": 60, "axis": "z"}),
        )))  # fmt: skip
        self.sound()
        mirrored_first = self.attribute("stage", "data-shown")
        grip = self.wait(lambda: self.find("grip-s3"))
        Actions(self.driver).move_to_element(grip).click_and_hold().perform()
        Actions(self.driver, duration=60).move_by_offset(0, -8).perform()
        self.wait(lambda: self.find("recipe").get_attribute("data-dragging") == "s3")
        middle = {i: e["y"] + e["height"] / 2 for i in ("s2", "s3") for e in [self.find(f"step-{i}").rect]}
        up = round(middle["s2"] - middle["s3"])
        Actions(self.driver, duration=60).move_by_offset(0, up // 2).move_by_offset(0, up - up // 2 - 6).perform()
        self.after(lambda: Actions(self.driver).release().perform())
        self.wait(lambda: self.attribute("recipe", "data-order") == "s1 s3 s2")
        # twisted first, the image turns the other way; what reaches over the plane is cut off
        self.wait(lambda: self.attribute("stage", "data-shown") not in ("", mirrored_first))
        self.click("undo")
        self.wait(lambda: self.attribute("recipe", "data-order") == "s1 s2 s3")
        self.wait(lambda: self.attribute("stage", "data-shown") == mirrored_first)

    def test_copies_by_formula(self) -> None:
        self.open_bench(bench(made(1, ("box", {"size": [6, 4, 5]})), dimensions=[{"name": "rays", "value": 9}]))
        self.add("repeat", "s2")
        self.choose("p1/s2/values/how", "round")
        self.after(lambda: self.type_into("p1/s2/values/count", "rays"))
        self.after(lambda: self.type_into("p1/s2/values/rise", "copy * 6"))
        self.after(lambda: self.type_into("p1/s2/values/scale", "1 - copy / (2 * copies)"))
        chip = self.text("chip-p1/s2/values/rise").replace("\n", " ")
        self.assertIn("copy * 6", chip)
        self.assertIn("48", chip)  # that of the last one
        self.sound()
        before = self.revision()
        self.type_into("p1/s2/values/turn", "copi * 3", end=Keys.ENTER)
        self.assertIn("no named number", self.wait(lambda: self.driver.find_element(By.CLASS_NAME, "chip-wrong")).text)
        self.keys(Keys.ESCAPE)
        self.assertEqual(self.revision(), before)
        # the count follows its name, and each copy its own number
        self.after(lambda: self.type_into("dimensions/rays", "4"))
        self.wait(lambda: "18" in self.text("chip-p1/s2/values/rise"))

    def test_a_hole_is_drilled_by_another_part(self) -> None:
        drill = made(2, ("cylinder", {"radius": 3, "height": 30, "sides": 24}), placement={"move": [0, 0, -5]})
        self.open_bench(bench(made(1, ("box", {"size": [20, 20, 10]})), drill))
        self.after(lambda: self.find("find").send_keys("boolean", Keys.ENTER))
        step = self.wait(lambda: self.find("step-s2"))
        self.assertTrue(step.is_displayed())
        if self.value("s2", "parts") is None:
            self.choose("p1/s2/values/parts", "Part 2")
        self.wait(lambda: self.value("s2", "parts") == ["p2"])
        self.choose("p1/s2/values/how", "take away")
        self.wait(lambda: self.attribute("step-s2", "data-state") == "done")
        self.sound()
        self.wait(lambda: "97" in self.text("part-size") if self.all("part-size") else True)
        # the drill is moved: the hole goes along
        shown = self.attribute("stage", "data-shown")
        self.click("part-p2")
        self.after(lambda: self.type_into("p2/placement/move/0", "4"))
        self.wait(lambda: self.attribute("stage", "data-shown") != shown)


if __name__ == "__main__":
    unittest.main()
