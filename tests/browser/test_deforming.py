"""Deforming steps through the real interface: aiming, ordering, painting a mask, playing a wave, rows where there are too few."""

from __future__ import annotations

import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests.browser import test_away
from tests.browser.harness import Actions, BrowserTest
from tests.browser.test_edits import made
from tests.browser.test_placing import bench

BAR = ("box", {"size": [12, 16, 60], "counts": [3, 4, 24]})
BALL = ("quad_sphere", {"radius": 20, "counts": 16})


class Deforming(BrowserTest):
    def expected(self, message: str) -> bool:
        return test_away.Away.expected(self, message)  # type: ignore[arg-type]  # the server is stopped on purpose

    def step(self, step: str) -> Any:
        return next(s for s in self.document()["document"]["parts"][0]["recipe"] if s["id"] == step)

    def value(self, step: str, key: str) -> Any:
        return self.step(step).get("values", {}).get(key)

    def operators(self) -> list[str]:
        return [s["operator"] for s in self.document()["document"]["parts"][0]["recipe"]]

    def open_part(self, *steps: tuple[str, dict[str, Any]], chosen: str = "s2") -> None:
        self.open_bench(bench(made(1, *steps)))
        self.choose(chosen)

    def choose(self, step: str) -> None:
        """Click a card where it has no chip: on its faces."""
        card = self.find(f"step-{step}")
        card.find_element(By.CSS_SELECTOR, ".counts").click()
        self.wait(lambda: "chosen" in (self.find(f"step-{step}").get_attribute("class") or ""))
        self.settled()

    def grip(self, address: str) -> WebElement:
        return self.wait(lambda: self.find(f"callout-{address}").find_element(By.CSS_SELECTOR, ".grip"))

    def shown(self) -> str:
        return self.attribute("stage", "data-shown")

    def test_an_axis_fits_a_lying_cylinder_and_is_aimed_by_hand(self) -> None:
        lies = ("shift", {"pick": {"rule": "everything", "of": "points"}, "turn": [0, 90, 0], "frame": "part"})
        self.open_bench(bench(made(1, ("cylinder", {"radius": 6, "height": 50, "sides": 24, "rows": 20}), lies)))
        self.after(lambda: self.find("find").send_keys("bend", Keys.ENTER))
        self.wait(lambda: self.attribute("step-s3", "data-state") == "done")
        # it lies along the body's longest direction by itself, and says so
        self.assertIn("the longest axis, X", self.text("step-s3").replace("\n", " "))
        # the end is bent further by its grip on the body
        self.assertEqual(self.value("s3", "angle"), 45)
        self.after(lambda: self.drag(self.grip("p1/s3/values/angle"), (-15, -4), (-15, -4)))
        self.assertNotEqual(self.value("s3", "angle"), 45)
        self.assertIsInstance(self.value("s3", "angle"), int | float)
        # where it begins is a level on the body that is dragged, too
        self.after(lambda: self.drag(self.grip("p1/s3/values/from"), (12, 0), (12, 0)))
        self.assertNotIn(self.value("s3", "from"), (None, "0 %"))
        # the axis itself: turned at its end, moved at its middle, taken back by Escape
        end = self.wait(lambda: self.find("axis-turn-high"))
        self.after(lambda: self.drag(end, (0, -20), (0, -20)))
        turned = self.value("s3", "axis")
        self.assertIn("direction", turned)
        self.assertLess(abs(turned["direction"][0]), 1.0)
        middle = self.wait(lambda: self.find("axis-move"))
        self.after(lambda: self.drag(middle, (0, -10), (0, -10)))
        moved = self.value("s3", "axis")
        self.assertNotEqual(moved["point"], turned["point"])
        revision = self.revision()
        held = self.wait(lambda: self.find("axis-move"))
        Actions(self.driver).move_to_element(held).click_and_hold().move_by_offset(0, 12).perform()
        self.wait(lambda: self.all("axis-words"))
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("axis-words"))
        Actions(self.driver).release().perform()
        self.settled()
        self.assertEqual(self.revision(), revision)
        self.after(lambda: self.open_menu("chip-p1/s3/values/axis", "the longest"))
        self.assertEqual(self.value("s3", "axis"), "longest")

    def test_bend_and_twist_change_places(self) -> None:
        self.open_part(BAR, ("bend", {"angle": 70, "axis": "z"}), ("twist", {"turn": 90, "axis": "z"}))
        first = self.shown()
        grip = self.wait(lambda: self.find("grip-s3"))
        Actions(self.driver).move_to_element(grip).click_and_hold().perform()
        Actions(self.driver, duration=60).move_by_offset(0, -8).perform()
        self.wait(lambda: self.find("recipe").get_attribute("data-dragging") == "s3")
        middle = {i: e["y"] + e["height"] / 2 for i in ("s2", "s3") for e in [self.find(f"step-{i}").rect]}
        up = round(middle["s2"] - middle["s3"])
        Actions(self.driver, duration=60).move_by_offset(0, up // 2).move_by_offset(0, up - up // 2 - 6).perform()
        self.after(lambda: Actions(self.driver).release().perform())
        self.assertEqual(self.operators(), ["box", "twist", "bend"])
        self.wait(lambda: self.shown() != first, "another body")
        # the button does it, and shows both side by side
        self.choose("s3")
        self.after(lambda: self.click("swap-s3"))
        self.wait(lambda: self.all("compare"))
        self.assertEqual(self.attribute("compare", "data-how"), "beside")
        self.assertEqual(self.operators(), ["box", "bend", "twist"])
        self.click("compare-leave")
        self.wait(lambda: not self.all("compare"))
        self.wait(lambda: self.shown() == first, "the first body again")

    def brush(self, *moves: tuple[int, int]) -> None:
        """Lead the brush over the body from near its middle."""
        self.still("stage")
        hand = Actions(self.driver)
        hand.move_to_element_with_offset(self.find("stage"), -40, -30).click_and_hold()
        for x, y in moves:
            hand.move_by_offset(x, y)
        hand.release().perform()

    def around(self) -> float:
        return float(self.driver.execute_script("return window.__stage.looking.around"))

    def inked(self) -> float:
        """Return the most that the mask on the screen weighs."""
        most = "return Math.max(0, ...(window.__stage.stipple?.mesh.geometry.attributes.weight.array ?? []))"
        return float(self.driver.execute_script(most))

    def strokes(self) -> list[Any]:
        mask = self.value("s2", "weights") or {}
        return list(mask.get("strokes", []))

    def test_a_mask_is_painted_stroke_by_stroke(self) -> None:
        self.open_part(BALL, ("relief", {"pattern": "cells", "size": 8, "depth": 4}))
        whole = self.shown()
        self.after(lambda: self.open_menu("chip-p1/s2/values/weights", "painted, from none"))
        self.wait(lambda: self.all("paint-bar") and self.attribute("paint-bar", "data-mesh"))
        self.wait(
            lambda: self.attribute("stage", "data-shown") == self.attribute("paint-bar", "data-mesh"), "the body before"
        )
        # the brush is shown on the body, with its size
        Actions(self.driver).move_to_element_with_offset(self.find("stage"), -40, -30).perform()
        self.assertIn("R 5\u2009mm, to 100 %", self.wait(lambda: self.find("brush").text))
        self.after(lambda: self.brush((20, 0), (20, 5), (20, 5)))
        first = self.strokes()
        self.assertEqual(len(first), 1)
        self.assertEqual(first[0]["to"], 1)
        places = np.array(first[0]["places"])
        self.assertEqual(places.shape[1], 6)
        # the ball stands on the floor: places lie on it, and face outward
        out = places[:, :3] - [0, 0, 20]
        self.assertLess(float(np.abs(np.linalg.norm(out, axis=1) - 20).max()), 0.5)
        self.assertGreater(float(np.einsum("ij,ij->i", out / 20, places[:, 3:]).min()), 0.95)
        # another way of painting, another size
        self.open_menu("brush-how", "goes up or down by")
        self.find("brush-by").send_keys("-", "5", "0", Keys.ENTER)
        self.find("brush-radius").send_keys("3", Keys.ENTER)
        self.after(lambda: self.brush((0, 15), (0, 15)))
        self.assertEqual((self.strokes()[1]["by"], self.strokes()[1]["radius"]), (-0.5, 3))
        # Escape in the middle of a stroke takes it back, and the brush stays out
        revision = self.revision()
        hand = Actions(self.driver)
        hand.move_to_element_with_offset(self.find("stage"), -40, -30).click_and_hold().move_by_offset(25, 0).perform()
        self.keys(Keys.ESCAPE)
        Actions(self.driver).release().perform()
        self.settled()
        self.assertEqual(self.revision(), revision)
        self.assertTrue(self.all("paint-bar"))
        # a stroke is one undo
        self.click("undo")
        self.wait(lambda: self.strokes() == first, "the first stroke alone")
        self.settled()
        # a formula of what it has, and evening it out
        self.click("mask-give")
        self.after(lambda: self.find("mask-formula").send_keys(Keys.ENTER))
        self.assertEqual(self.strokes()[1], {"pick": {"rule": "everything"}, "to": "mask * 0.5"})
        self.after(lambda: self.click("mask-even"))
        self.assertEqual(self.strokes()[2], {"even": 10})
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("paint-bar"))
        self.wait(lambda: self.shown() not in (whole, ""), "the painted body")
        self.assertIn("painted in 3 strokes", self.text("step-s2").replace("\n", " "))
        # off the body the view is turned, nothing is painted
        self.click("paint-p1/s2")
        self.wait(lambda: self.all("paint-bar") and self.attribute("paint-bar", "data-mesh"))
        self.wait(lambda: self.inked() > 0.2, "the mask is there when it is opened again")
        around, revision = self.around(), self.revision()
        Actions(self.driver).move_to_element_with_offset(
            self.find("stage"), -300, -200
        ).click_and_hold().move_by_offset(60, 10).release().perform()
        self.wait(lambda: self.around() != around, "the view is turned")
        self.assertEqual(self.revision(), revision)

    def test_strokes_are_kept_while_the_server_is_away(self) -> None:
        self.open_part(BALL, ("relief", {"pattern": "cells", "size": 8, "depth": 4}))
        self.after(lambda: self.open_menu("chip-p1/s2/values/weights", "painted, from none"))
        self.wait(lambda: self.all("paint-bar") and self.attribute("paint-bar", "data-mesh"))
        self.after(lambda: self.brush((20, 5)))
        self.server.stop()
        self.wait(lambda: self.all("offline"), "told")
        self.brush((0, 20))
        self.brush((20, 20))
        self.server.start()
        self.wait(lambda: not self.all("offline"), "back")
        self.wait(lambda: len(self.strokes()) == 3, "each of them is kept")
        self.settled()

    def test_where_a_wave_starts_is_played(self) -> None:
        self.open_part(BAR, ("undulate", {"depth": 6, "count": 2, "axis": "z"}))
        revision, first = self.revision(), self.attribute("stage", "data-drawn")
        self.click("play-p1/s2/values/starts_at")
        self.wait(lambda: int(self.attribute("stage", "data-drawn")) > int(first) + 3, "bodies come")
        self.assertEqual(self.attribute("play-p1/s2/values/starts_at", "aria-pressed"), "true")
        # the view is turned while it plays
        Actions(self.driver).move_to_element_with_offset(self.find("stage"), -200, 0).click_and_hold().move_by_offset(
            40, 0
        ).release().perform()
        self.assertEqual(self.attribute("play-p1/s2/values/starts_at", "aria-pressed"), "true")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: self.attribute("play-p1/s2/values/starts_at", "aria-pressed") == "false")
        self.settled()
        self.assertEqual(self.revision(), revision)
        self.assertIsNone(self.value("s2", "starts_at"))
        # an edit ends it
        self.click("play-p1/s2/values/starts_at")
        self.after(lambda: self.type_into("p1/s2/values/depth", "4"))
        self.assertEqual(self.attribute("play-p1/s2/values/starts_at", "aria-pressed"), "false")

    def test_too_few_rows_are_told_and_mended(self) -> None:
        self.open_part(("box", {"size": [12, 16, 60]}), ("bend", {"angle": 90, "axis": "z"}))
        self.assertIn("1 row to bend through 90°", self.text("note-s2"))
        self.after(lambda: self.click("before-rows"))
        self.assertEqual(self.operators(), ["box", "rows", "bend"])
        self.settled()
        self.assertFalse(self.all("note-s2"))
        self.click("undo")
        self.wait(lambda: self.operators() == ["box", "bend"])
        self.choose("s2")
        self.after(lambda: self.click("before-subdivide"))
        self.assertEqual(self.operators(), ["box", "subdivide", "bend"])

    def test_a_path_is_bent_before_something_is_swept_along_it(self) -> None:
        made_from = bench(made(1, ("sweep", {"profile": "c2", "path": "c1"})))
        square = [{"id": f"p{i}", "at": at} for i, at in enumerate(([-3, -3], [3, -3], [3, 3], [-3, 3]), 1)]
        line = [{"id": "p1", "at": [0, 0, 0]}, {"id": "p2", "at": [0, 0, 60]}]
        made_from["curves"] = [
            {"id": "c1", "name": "Rail", "kind": "path", "points": line},
            {"id": "c2", "name": "Ring", "closed": True, "points": square},
        ]
        self.open_bench(made_from)
        straight = self.shown()
        self.open_menu("chip-p1/s1/values/path", "Draw Rail")
        self.after(lambda: self.open_menu("curve-step-add", "Bend"))
        self.wait(lambda: self.all("curve-used"), "the curve as it is used")
        self.wait(lambda: self.shown() not in ("", straight), "the body follows")
        self.after(lambda: self.type_into("c1/s1/values/angle", "110"))
        step = self.document()["document"]["curves"][0]["steps"][0]
        self.assertEqual((step["operator"], step["values"]["angle"]), ("bend", 110))
        self.after(lambda: self.click("curve-step-off-s1"))
        self.wait(lambda: self.shown() == straight, "straight again")
        self.click("undo")
        self.wait(lambda: self.all("curve-used"))
        self.after(lambda: self.click("curve-step-remove-s1"))
        self.wait(lambda: self.shown() == straight)

    def test_parts_are_bent_together_as_one(self) -> None:
        rod = made(
            2, ("cylinder", {"radius": 2, "height": 48, "sides": 12, "rows": 24}), placement={"move": [10, 0, 0]}
        )
        self.open_bench(bench(made(1, ("box", {"size": [3, 10, 48], "counts": [1, 2, 24]})), rod))
        before = self.document()["document"]["parts"]
        self.find("find").send_keys("take together", Keys.ENTER)
        self.wait(
            lambda: [bool(p.get("hidden")) for p in self.document()["document"]["parts"]] == [True, True, False],
            "one shows both",
        )
        self.settled()
        whole = self.document()["document"]["parts"][-1]
        self.assertEqual(whole["recipe"][0]["values"]["parts"], ["p1", "p2"])
        self.after(lambda: self.find("find").send_keys("bend", Keys.ENTER))
        self.wait(lambda: "2 bodies" in self.text("soundness"), "both are bent")
        # one undo takes the bend back, the next all of the taking together
        self.click("undo")
        self.wait(lambda: len(self.document()["document"]["parts"][-1]["recipe"]) == 1)
        self.click("undo")
        self.wait(lambda: self.document()["document"]["parts"] == before, "as it was")

    def test_a_picture_is_laid_on(self) -> None:
        self.open_part(
            ("box", {"size": [40, 40, 4], "counts": [30, 30, 1]}),
            ("relief", {"moves": "axis", "axis": "z", "depth": 3, "zero_at": 0}),
        )
        noisy = self.shown()
        self.after(lambda: self.open_menu("chip-p1/s2/values/pattern", "the picture"))
        self.assertIn("Picture is not given", self.text("error-s2"))
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)
        ramp = Image.fromarray(np.tile(np.arange(0, 256, 4, dtype=np.uint8), (32, 1)))
        ramp.save(folder / "ramp.png")
        card = self.find("step-s2")
        card.find_element(By.XPATH, ".//button[text()='a file']").click()
        self.after(lambda: self.find("import-input").send_keys(str(folder / "ramp.png")))
        self.wait(lambda: self.attribute("step-s2", "data-state") == "done", "the picture is laid on")
        self.assertNotIn(self.shown(), ("", noisy))
        self.assertIn("ramp.png", self.text("step-s2"))
        self.after(lambda: self.type_into("p1/s2/values/size", "40"))
        # white stands on one side, black on the other: 3 mm higher
        low, high = self.document()["parts"][0]["bounds"]
        self.assertAlmostEqual(high[2] - low[2], 4 + 3, delta=0.2)


if __name__ == "__main__":
    unittest.main()
