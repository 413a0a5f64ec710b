"""References, clearance and numbers solved for it: in the browser."""

from __future__ import annotations

import unittest

import numpy as np
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jukai.core.formats import read_mesh
from jukai.core.formats.common import WriteOptions
from jukai.core.formats.writing import ExportPart, write_parts
from tests.browser.harness import Actions
from tests.browser.test_placing import PlacingTest, bench, part
from tests.recipes import body


class Fitting(PlacingTest):
    def test_a_reference_is_set_beside_and_the_clearance_read(self) -> None:
        self.open_bench(bench(part(1, "capsule", {"radius": 5, "length": 30, "sides": 32})))
        mesh = body({"operator": "box", "size": [10, 10, 30]})
        mesh = mesh.with_points(mesh.points + np.array([22.5, 0, 0]))
        for kind in ("3mf", "off"):
            data = next(iter(write_parts([ExportPart("Post", mesh)], kind, WriteOptions()).values()))
            path = self.folder / f"post.{kind}"
            path.write_bytes(data)
            self.assertEqual(read_mesh(data, kind).mesh.n_points, 8)
        self.keys("/")
        self.wait(lambda: self.find("find")).send_keys("reference", Keys.ENTER)
        chooser = self.wait(lambda: self.driver.find_element(By.CSS_SELECTOR, '[data-testid="import-input"]'))
        self.after(lambda: chooser.send_keys(str(self.folder / "post.3mf")))
        self.assertTrue(self.part("post")["reference"])
        self.wait(lambda: [self.find("part-p1").find_element(By.CLASS_NAME, "grow").click()])
        self.wait(lambda: self.find("clearance").get_attribute("data-state") == "exact")
        self.assertAlmostEqual(float(self.said("clearance-p2", "data-signed")), 12.5, places=6)
        # it is not chosen by accident, and takes no steps
        x, y = self.screen(22.5, -5, 15)
        Actions(self.driver).move_to_element_with_offset(self.find("stage"), x, y).click().perform()
        self.assertEqual(self.find("part-p1").get_attribute("data-chosen"), "true")
        # the reference is brought to the part, and the part to the reference
        self.after(lambda: self.open_menu("part-more-p2", "Bring it to the middle of Capsule 1"))
        self.wait(lambda: self.find("clearance").get_attribute("data-state") == "exact")
        self.assertIn(self.find("clearance-p2").get_attribute("data-state"), ("crossing", "inside"))
        self.after(lambda: self.keys(Keys.CONTROL, "z"), by=-(10**6))
        self.wait(lambda: self.find("clearance-p2").get_attribute("data-state") == "apart")

    def test_a_radius_is_solved_for_a_gap(self) -> None:
        ring = part(
            2, "washer", {"inner": 24, "outer": 40, "thickness": 6, "sides": 96}, placement={"move": [0, 0, 12]}
        )
        self.open_bench(bench(part(1, "cylinder", {"radius": 5, "height": 30, "sides": 96}), ring))
        self.click("chip-p1/s1/values/radius")
        link = self.wait(lambda: self.find("solve-p1/s1/values/radius"))
        Actions(self.driver).click(link).perform()
        gap = self.wait(lambda: self.find("solve-gap"))
        gap.send_keys(Keys.CONTROL, "a")
        gap.send_keys("0.2")
        self.click("solve-find")
        self.wait(lambda: self.find("solve-found"))
        value = float(self.said("solve-found", "data-value"))
        # corners stand to corners: the gap is measured square to the flats between them
        self.assertAlmostEqual(value, 12 - 0.2 / np.cos(np.pi / 96), delta=1e-4)
        self.after(lambda: self.click("solve-take"))
        self.assertEqual(self.part("Cylinder 1")["recipe"][0]["values"]["radius"], value)
        self.wait(lambda: self.find("clearance").get_attribute("data-state") == "exact")
        self.assertAlmostEqual(float(self.said("clearance-p2", "data-signed")), 0.2, delta=1e-4)

    def test_clearance_is_live_while_dragging_and_shows_where(self) -> None:
        self.open_bench(
            bench(
                part(1, "box", {"size": [10, 10, 10]}),
                part(2, "box", {"size": [10, 10, 10]}, placement={"move": [40, 0, 0]}),
            )
        )
        self.wait(lambda: [self.find("place-card").find_element(By.CLASS_NAME, "verb").click()])
        grip = self.wait(lambda: self.find("pull-x"))
        Actions(self.driver, duration=30).move_to_element(grip).click_and_hold().move_by_offset(20, 0).move_by_offset(
            10, 0
        ).perform()
        self.wait(
            lambda: (
                self.find("clearance").get_attribute("data-state") == "exact"
                and float(self.said("clearance-p2", "data-signed")) < 29
            ),
            "a figure while it is dragged",
        )
        self.assertTrue(self.attribute("clearance-mark", "data-part"))
        self.after(lambda: Actions(self.driver).release().perform())
        self.assertEqual(self.part("Box 1")["placement"]["move"][1:], [0, 0])
        self.click("clearance-p2")
        self.assertEqual(self.find("clearance-p2").get_attribute("aria-pressed"), "true")


if __name__ == "__main__":
    unittest.main()
