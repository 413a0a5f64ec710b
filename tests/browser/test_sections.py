"""Sections and measures: dragged, typed, read, kept."""

from __future__ import annotations

import math

from selenium.webdriver.common.keys import Keys

from tests.browser.harness import Actions
from tests.browser.looks import FITTING, Look
from tests.browser.test_placing import bench, part


class Sections(Look):
    def test_dragged_typed_turned_and_read(self) -> None:
        self.open_bench(FITTING)
        self.keys("x")
        self.assertEqual(self.cut()["normal"], [0, -1, 0])
        self.wait(lambda: "800" in self.text("section-area"), "the area of the cut")
        # typed
        self.click("section-at-0")
        field = self.wait(lambda: self.find("field-section-at-0"))
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("5", Keys.ENTER)
        self.wait(lambda: self.cut()["point"][1] == 5, "the plane at 5 mm")
        # something that is no number stays in the field and says so
        self.click("section-at-0")
        field = self.wait(lambda: self.find("field-section-at-0"))
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("five", Keys.ENTER)
        self.wait(lambda: "A number in mm" in self.find("section-strip").text)
        field.send_keys(Keys.ESCAPE)
        # dragged by its number and by its grip in the view
        self.drag(self.find("section-at-0"), (20, 0), (20, 0))
        self.wait(lambda: self.cut()["point"][1] == 6, "the plane dragged")
        before = self.cut()["point"][1]
        grip = self.still("section-grip-0")
        Actions(self.driver, duration=40).move_to_element(grip).click_and_hold().move_by_offset(16, 9).move_by_offset(
            16, 9
        ).release().perform()
        self.wait(lambda: abs(self.cut()["point"][1] - before) > 0.5, "the plane pulled")
        # the other side, another axis
        self.click("section-flip-0")
        self.wait(lambda: self.cut()["normal"] == [0, 1, 0])
        self.open_menu("section-axis-0", "X")
        self.wait(lambda: self.cut()["normal"] == [1, 0, 0] and "600" in self.text("section-area"), "across X")
        self.keys("x")
        self.wait(lambda: self.planes() == [] and not self.all("section-strip"), "whole again")

    def test_gaps_areas_and_a_second_plane(self) -> None:
        self.open_bench(FITTING)
        self.keys("x")
        self.wait(lambda: "14 mm to Cylinder 2" in self.text("section-area"), "the gap in the cut")
        self.assertEqual(self.text("section-gap"), "14 mm")
        self.click("section-second")
        self.wait(lambda: len(self.planes()) == 2)
        self.wait(lambda: "1: 400" in self.text("section-area"), "half of the cut is left")
        self.click("section-out-1")
        self.wait(lambda: len(self.planes()) == 1)
        # the cut follows a number
        self.after(lambda: self.type_into("p1/s1/values/size/2", "10"))
        self.wait(lambda: "400" in self.text("section-area"), "the cut follows")

    def test_laid_on_a_face(self) -> None:
        self.open_bench(bench(part(1, "box", {"size": [40, 30, 20]}, placement={"turn": [0, 30, 0]})))
        self.keys("x")
        self.cut()
        self.open_menu("section-axis-0", "a face")
        self.wait(lambda: self.find("section-placing"))
        self.look(-30, 60)
        middle = (math.sin(math.radians(30)) * 20 + 2, 8, math.cos(math.radians(30)) * 20)
        self.at(*middle).click().perform()
        self.wait(lambda: abs(self.cut()["normal"][0] - 0.5) < 1e-5, "the plane lies on the face")
        self.assertAlmostEqual(self.cut()["normal"][2], math.cos(math.radians(30)), places=5)

    def test_what_is_taken_away_is_not_pointed_at(self) -> None:
        self.open_bench(FITTING)
        self.look(0, 5)
        self.keys("x")
        self.cut()
        hit = self.driver.execute_script(
            "const h = __stage.hitAt(arguments[0], arguments[1]); return h && h.at.y", *self.middle(0, 0, 10)
        )
        self.assertGreater(hit, -1)

    def middle(self, *place: float) -> tuple[float, float]:
        x, y = self.screen(*place)
        size = self.find("stage").size
        return x + size["width"] / 2, y + size["height"] / 2


class Measures(Look):
    def expected(self, message: str) -> bool:
        return "/edits" in message and "422" in message  # a name that is taken

    def test_read_kept_and_refreshed(self) -> None:
        self.open_bench(FITTING)
        self.look(-35, 40)
        self.keys("m")
        self.wait(lambda: self.find("measure-strip"))
        self.at(0, -15, 9).click().perform()  # the front of the block
        self.wait(lambda: self.attribute("measure-marks", "data-ends") == "1")
        self.look(145, 40)
        self.at(0, 15, 9).click().perform()  # its back
        self.wait(lambda: self.find("reading-between"), "the reading")
        self.assertEqual(float(self.attribute("reading-between", "data-value")), 30)
        field = self.find("measure-name")
        field.send_keys("deep")
        self.after(lambda: field.send_keys(Keys.ENTER))
        self.assertEqual(self.attribute("measured-deep", "data-value"), "30")
        self.keys(Keys.ESCAPE)
        # it follows every change, also while a number is dragged, and can't be set
        self.after(lambda: self.type_into("p1/s1/values/size/1", "44"))
        self.wait(lambda: self.attribute("measured-deep", "data-value") == "44", "refreshed")
        self.assertIn("44", self.text("drawn-deep"))
        self.click("undo")
        self.wait(lambda: self.attribute("measured-deep", "data-value") == "30")
        # it need not be drawn; it is read all the same
        self.after(lambda: self.open_menu("measure-more-deep", "Don’t draw"))
        self.wait(lambda: not self.all("drawn-deep"))
        self.assertEqual(self.attribute("measured-deep", "data-value"), "30")
        self.click("undo")
        self.wait(lambda: self.all("drawn-deep"))
        # a name that is taken is refused and nothing is lost
        self.keys("m")
        self.at(0, 15, 9).click().perform()
        self.wait(lambda: self.find("reading-area"))
        field = self.find("measure-name")
        field.send_keys("deep", Keys.ENTER)
        self.wait(lambda: "taken" in self.find("measure-strip").text)
        self.keys(Keys.ESCAPE, Keys.ESCAPE)
        self.wait(lambda: not self.all("measure-strip"))

    def test_an_angle_has_an_arc(self) -> None:
        self.open_bench(FITTING)
        self.look(-35, 40)
        self.click("measure")
        self.at(0, -15, 9).click().perform()  # the front of the block
        self.wait(lambda: self.attribute("measure-marks", "data-ends") == "1")
        self.at(-12, 4, 20).click().perform()  # its top
        self.wait(lambda: self.find("reading-angle"))
        self.click("reading-angle")
        self.assertEqual(float(self.attribute("reading-angle", "data-value")), 90)
        points = self.wait(lambda: self.find("arc")).get_attribute("points").split()
        ends = [[float(x) for x in points[i].split(",")] for i in (0, -1)]
        self.assertEqual(len(points), 25)
        self.assertGreater(math.dist(*ends), 20)

    def test_radius_distance_and_place(self) -> None:
        self.open_bench(FITTING)
        self.look(-35, 50, 260, (10, -15, 5))
        self.click("measure")
        self.at(40, 0, 20).click().perform()  # the top of the pin
        self.wait(lambda: self.find("reading-radius"))
        self.assertAlmostEqual(float(self.attribute("reading-radius", "data-value")), 6, places=9)
        self.at(-20, -15, 20).click().perform()  # a corner of the block
        self.wait(lambda: self.attribute("measure-marks", "data-ends") == "2")
        self.wait(lambda: self.find("reading-distance"))
        # to the rim of the pin: from the corner across
        self.assertAlmostEqual(
            float(self.attribute("reading-distance", "data-value")), math.hypot(60, 15) - 6, delta=0.02
        )
        self.at(-20, -15, 20).click().perform()
        self.wait(lambda: self.text("measured-place") == "−20, −15, 20 mm.")
        self.at(0, -15, 20).click().perform()
        self.wait(lambda: self.attribute("measure-marks", "data-ends") == "2")
        self.wait(lambda: self.find("reading-distance"))
        self.assertEqual(float(self.attribute("reading-distance", "data-value")), 0)
