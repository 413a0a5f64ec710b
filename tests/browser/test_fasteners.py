"""Screws and nuts in the browser: sizes, light and full, drives that do not fit, a nut on a screw, holes that offer a size."""

from __future__ import annotations

from typing import Any

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.harness import Actions
from tests.browser.test_placing import PlacingTest, bench, part

PLATE = part(9, "washer", {"inner": 11, "outer": 60, "thickness": 8, "sides": 48})


class Fasteners(PlacingTest):
    def values(self, name: str) -> dict[str, Any]:
        return dict(self.part(name)["recipe"][0].get("values") or {})

    def expected(self, message: str) -> bool:
        return "422" in message  # the drive that does not fit

    def words(self, chip: str) -> str:
        return self.text(f"chip-{chip}").replace("\u2009", " ")

    def test_a_screw_changes_its_size_is_made_full_and_goes_back_to_the_standard(self) -> None:
        self.open_bench(bench(part(1, "screw", {"size": "M8", "length": 30})))
        self.wait(lambda: self.words("p1/s1/values/head_width") == "13 mm")
        self.after(lambda: self.open_menu("chip-p1/s1/values/size", "M12 × 1.5"))
        self.wait(
            lambda: self.words("p1/s1/values/head_width") == "18 mm" and self.words("p1/s1/values/pitch") == "1.5 mm"
        )
        light = self.view("Screw 1")
        self.assertLess(light["faces"], 1500)
        self.after(lambda: self.open_menu("chip-p1/s1/values/detail", "full"))
        self.wait(lambda: self.view("Screw 1")["faces"] > 5000)
        full = self.view("Screw 1")
        self.assertEqual([full["bounds"][0][2], full["bounds"][1][2]], [light["bounds"][0][2], light["bounds"][1][2]])
        self.assertGreater(full["four_sided"], 0.98 * full["faces"])
        self.wait(lambda: "Sound" in self.text("soundness"))
        # the head's numbers are the standard's until they are typed over; one click goes back
        self.after(lambda: self.type_into("p1/s1/values/head_height", "11"))
        self.assertEqual(self.values("Screw 1")["head_height"], 11)
        self.wait(lambda: self.words("p1/s1/values/head_height") == "11 mm")
        self.after(lambda: self.click("back-p1/s1/values/head_height"))
        self.wait(lambda: self.words("p1/s1/values/head_height") == "7.5 mm")
        self.assertIsNone(self.values("Screw 1").get("head_height"))
        self.assertFalse(self.all("back-p1/s1/values/head_height"))
        # the thread is named on the body as drawings name it, and pulled there
        self.wait(lambda: "M12 × 1.5" in [e.text for e in self.driver.find_elements(By.CSS_SELECTOR, "text")])

    def test_a_drive_that_does_not_fit_says_the_largest_that_does(self) -> None:
        self.open_bench(bench(part(1, "screw", {"size": "M6", "head": "cheese", "length": 20})))
        self.after(lambda: self.open_menu("chip-p1/s1/values/drive", "a hexagon socket"))
        self.wait(lambda: self.words("p1/s1/values/drive_size") == "5 mm")
        self.type_into("p1/s1/values/drive_size", "9")
        said = self.wait(lambda: self.driver.find_element(By.CLASS_NAME, "chip-wrong").text)
        self.assertIn("hexagon socket of 9 mm does not fit", said)
        largest = float(said.split(" mm is the largest that fits")[0].split()[-1])
        self.assertTrue(5 < largest < 9, largest)
        field = self.find("field-p1/s1/values/drive_size")
        field.send_keys(Keys.CONTROL, "a")
        self.after(lambda: field.send_keys(f"{largest:g}", Keys.ENTER))
        self.assertEqual(self.values("Screw 1")["drive_size"], largest)
        self.wait(lambda: "Sound" in self.text("soundness"))

    def test_a_nut_meshes_with_a_screw_and_follows_it(self) -> None:
        full = {"detail": "full"}
        self.open_bench(
            bench(
                part(
                    1,
                    "screw",
                    {"size": "M10", "length": 40, "thread_length": 40, "root": "flat"} | full,
                    placement={"move": [20, 5, 60]},
                ),
                part(2, "nut", full),
            )
        )
        self.click("part-p2")
        self.after(lambda: self.open_menu("chip-p2/s1/values/screw", "Screw 1"))
        self.wait(lambda: "Clearance 7.99 µm at the flanks" in self.text("step-s1"))
        # what the panel measures between the bodies is that, or a little less at the countersink
        gap = float(self.wait(lambda: self.attribute("clearance-p1", "data-signed")))
        self.assertTrue(0.004 < gap < 0.0081, gap)
        self.after(lambda: self.type_into("p2/s1/values/distance", "12"))
        self.wait(lambda: abs(self.view("Nut 2")["bounds"][1][2] - 48) < 1e-6)
        self.after(lambda: self.open_menu("chip-p2/s1/values/tolerance", "none"))
        self.wait(lambda: "Clearance 7.99" in self.text("step-s1"))
        # the screw is taken elsewhere: the nut goes along
        self.click("part-p1")
        self.choose_place()
        self.after(lambda: self.type_into("p1/placement/move/2", "100"))
        self.wait(lambda: abs(self.view("Nut 2")["bounds"][1][2] - 88) < 1e-6)
        # light again on the screw alone: the nut says that they do not mesh
        self.driver.execute_script("arguments[0].click()", self.find("step-s1"))
        self.after(lambda: self.open_menu("chip-p1/s1/values/detail", "light"))
        self.click("part-p2")
        self.wait(lambda: "is light" in self.text("step-s1"))

    def test_a_hole_offers_the_size_that_goes_through(self) -> None:
        self.open_bench(bench(PLATE))
        self.look(35, 40, 200)
        # a washer on the hole of the plate, a screw on the hole of the washer; nothing is drawn or typed
        for name, level, fit in (("Washer", 8, "medium"), ("Screw", 10, "fine")):
            self.begin(name)
            x, y = self.screen(0, 0, level)
            Actions(self.driver).move_to_element_with_offset(self.find("placing"), x, y).perform()
            body = self.driver.find_element(By.TAG_NAME, "body")
            self.wait(lambda fit=fit, body=body: f"M10 goes through, {fit} fit" in body.text)
            Actions(self.driver).move_to_element_with_offset(self.find("placing"), x + 2, y).click().perform()
            self.wait(lambda name=name: any(p["name"] == name for p in self.document()["document"]["parts"]))
            self.wait(lambda name=name: (self.view(name)["mesh"] or "") != "")
            self.assertEqual(self.values(name)["size"], "M10")
            self.assertFalse({"inner", "outer", "thickness", "diameter"} & set(self.values(name)))
            self.assertEqual([round(v, 6) for v in self.part(name)["placement"]["move"]], [0, 0, level])
        self.assertAlmostEqual(self.view("Screw")["stands"][1][2], 16.4, 6)
        # Escape leaves it
        self.begin("Nut")
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("placing"))
        self.assertFalse(any(p["name"] == "Nut" for p in self.document()["document"]["parts"]))
