"""Looking: sections, measures, side views, ways to judge, kept views, comparing, sheets; callouts of each kind."""

from __future__ import annotations

import io
import json
import math
import re
from typing import Any
from xml.etree import ElementTree as ET

import numpy as np
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.test_placing import PlacingTest, bench, part

BLOCK = part(1, "box", {"size": [40, 30, 20]}, finish="Brass")
PIN = part(2, "cylinder", {"radius": 6, "height": 20, "sides": 48}, placement={"move": [40, 0, 0]})
FITTING = bench(BLOCK, PIN)


class Look(PlacingTest):
    def text(self, test_id: str) -> str:
        return super().text(test_id).replace("\u2009", " ")

    def planes(self) -> list[dict[str, Any]]:
        text = self.attribute("stage", "data-section")
        return list(json.loads(text)) if text else []

    def cut(self) -> dict[str, Any]:
        return self.wait(lambda: self.planes())[0]

    def at(self, *place: float) -> ActionChains:
        x, y = self.screen(*place)
        return ActionChains(self.driver).move_to_element_with_offset(self.find("stage"), x, y)

    def number(self, test_id: str) -> float:
        """Return the last number written in an element."""
        found = re.findall(r"[−-]?\d+(?:\.\d+)?", self.text(test_id))
        return float(found[-1].replace("−", "-"))

    def judge(self, words: str) -> None:
        self.open_menu("judge", words)


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
        ActionChains(self.driver, duration=40).move_to_element(grip).click_and_hold().move_by_offset(
            16, 9
        ).move_by_offset(16, 9).release().perform()
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


class Beside(Look):
    def test_a_side_view_is_swapped_and_pointed_at(self) -> None:
        self.open_bench(FITTING)
        self.keys("v")
        self.wait(lambda: len(self.all("pane-outline")) == 3, "three views with their outlines")
        self.assertEqual(
            [f.text.split("\n")[0] for f in self.driver.find_elements(By.CSS_SELECTOR, ".pane figcaption")],
            ["Front", "Side", "Top"],
        )
        self.assertIn("40 mm", self.text("pane-front"))
        self.assertIn("20 mm", self.text("pane-front"))
        self.assertIn("30 mm", self.text("pane-side"))
        # a click on a body chooses it
        pane = self.find("pane-front").find_element(By.TAG_NAME, "canvas")
        ActionChains(self.driver).move_to_element_with_offset(pane, 32, 0).click().perform()
        self.wait(lambda: self.text("title-block").startswith("Cylinder 2"), "the pin is chosen")
        # swapped with the large one, and back
        self.click("swap-front")
        self.wait(lambda: self.attribute("see-front", "aria-pressed") == "true" and self.all("pane-turned"))
        self.click("swap-turned")
        self.wait(lambda: self.attribute("see-turned", "aria-pressed") == "true" and self.all("pane-front"))
        self.keys("v")
        self.wait(lambda: not self.all("side-views"))

    def test_a_profile_is_changed_in_the_front_view(self) -> None:
        profile = [{"at": [10, 0]}, {"at": [10, 20]}, {"at": [6, 30]}]
        curve = {"id": "c1", "name": "Wall", "kind": "profile", "closed": False, "points": profile}
        turned = {
            "id": "p1",
            "name": "Cup",
            "recipe": [{"id": "s1", "operator": "revolve", "values": {"profile": "c1"}}],
        }
        self.open_bench(bench(turned, curves=[curve]))
        self.keys("v")
        point = self.document()["document"]["curves"][0]["points"][1]["id"]
        grip = self.wait(lambda: self.all(f"small-grip-curves/c1/{point}/at"))
        self.after(lambda: self.drag(grip[0], (6, 0), (6, 0)))
        at = self.document()["document"]["curves"][0]["points"][1]["at"]
        self.assertGreater(at[0], 12)
        self.assertAlmostEqual(at[1], 20, delta=2)

    def test_a_length_is_typed_in_a_small_view(self) -> None:
        self.open_bench(bench(part(1, "box", {"size": [40, 30, 20]})))
        self.click("step-s1")
        self.keys("v")
        name = "small-callout-p1/s1/values/size/0"
        self.wait(lambda: self.all(name), "the width in the front view")
        label = self.still(name).find_element(By.TAG_NAME, "text")
        ActionChains(self.driver).move_to_element(label).click().perform()
        field = self.wait(lambda: self.find("field-p1/s1/values/size/0"))
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("52")
        self.after(lambda: field.send_keys(Keys.ENTER))
        self.assertEqual(self.document()["document"]["parts"][0]["recipe"][0]["values"]["size"][0], 52)

    def test_edges_are_picked_in_a_side_view(self) -> None:
        bevelled = part(1, "box", {"size": [40, 30, 20]})
        bevelled["recipe"].append(
            {"id": "s2", "operator": "bevel", "values": {"pick": {"rule": "by_hand", "elements": []}, "width": 2}}
        )
        self.open_bench(bench(bevelled))
        self.click("step-s2")
        self.keys("v")
        self.click("chip-p1/s2/values/pick")
        self.wait(lambda: self.attribute("pick-panel", "data-picked") == "0")
        pane = self.wait(lambda: self.all("pane-top"))[0].find_element(By.TAG_NAME, "canvas")
        box = (
            "const c = document.querySelector('[data-testid=pane-top] [data-testid=pane-outline] path'); if (!c) return null;"
            "const b = c.getBBox(); return [b.x, b.y, b.width, b.height]"
        )
        top = self.wait(lambda: self.driver.execute_script(box), "the outline from above")
        size = pane.size
        x, y = top[0] + top[2] / 2 - size["width"] / 2, top[1] + 1 - size["height"] / 2
        # what is pointed at shows in all views before it is clicked
        ActionChains(self.driver).move_to_element_with_offset(pane, round(x), round(y) + 2).perform()
        self.wait(
            lambda: all(e.get_attribute("data-pointed") == "1" for e in self.all("pane-picked")), "the edge meant"
        )
        self.after(
            lambda: (
                ActionChains(self.driver).move_to_element_with_offset(pane, round(x), round(y) + 1).click().perform()
            )
        )
        self.wait(lambda: self.attribute("pick-panel", "data-picked") == "1")
        # a box over the front view takes what it shows: the upper edges there, seen end on too
        front = self.all("pane-front")[0].find_element(By.TAG_NAME, "canvas")
        half = front.size["width"] // 2 - 4
        self.after(
            lambda: (
                ActionChains(self.driver)
                .key_down(Keys.SHIFT)
                .move_to_element_with_offset(front, -half, -40)
                .click_and_hold()
                .move_by_offset(half, 20)
                .move_by_offset(half, 22)
                .release()
                .key_up(Keys.SHIFT)
                .perform()
            )
        )
        self.wait(lambda: int(self.attribute("pick-panel", "data-picked")) > 1)


class Judging(Look):
    def picture(self) -> Image.Image:
        n = self.driver.execute_script("__stage.invalidate(); return __stage.pictures")
        self.wait(lambda: self.driver.execute_script("return __stage.pictures") > n)
        return Image.open(io.BytesIO(self.find("stage").find_element(By.TAG_NAME, "canvas").screenshot_as_png)).convert(
            "RGB"
        )

    def test_bands_poles_limits_and_lights(self) -> None:
        self.open_bench(
            bench(
                part(1, "sphere", {"radius": 20}),
                part(2, "box", {"size": [20, 20, 20]}, placement={"move": [40, 0, 0]}),
            )
        )
        plain = self.picture()
        self.judge("Light bands")
        self.wait(lambda: "kink" in self.text("judging-strip"))
        banded = self.picture()
        self.assertNotEqual(plain.tobytes(), banded.tobytes())
        self.click("judging-off")
        self.judge("Poles")
        self.wait(lambda: self.attribute("stage", "data-marks") == "2 0", "two poles of the sphere")
        self.assertIn("2 poles", self.text("judging-strip"))
        self.click("judging-off")
        self.judge("As subdivided")
        self.wait(lambda: self.attribute("stage", "data-limit") == "sharp")
        size = self.text("size")
        self.keys("1")
        self.assertEqual(self.text("size"), size)  # it changes nothing
        self.click("judging-off")
        self.wait(lambda: self.attribute("stage", "data-limit") == "no")
        self.look(60, 20)
        stay = self.picture()
        self.judge("Lights turn")
        self.assertNotEqual(stay.tobytes(), self.picture().tobytes())

    def test_lights_that_turn_with_the_eye_show_a_ball_alike_from_all_sides(self) -> None:
        self.open_bench(bench(part(1, "sphere", {"radius": 20, "sides": 64})))
        self.click("draw-shaded")

        def ball(around: float) -> np.ndarray:
            self.look(around, 15, 200, (0, 0, 0))
            image = self.picture()
            x, y = image.size[0] // 2, image.size[1] // 2
            # beside the axis and clear of the callouts
            return np.asarray(image.crop((x + 12, y - 50, x + 72, y - 12)), float)

        stay = abs(ball(-35) - ball(55)).max(axis=2)
        self.judge("Lights turn")
        turn = abs(ball(-35) - ball(55)).max(axis=2)
        self.assertGreater(np.median(stay), 10)
        self.assertLess(np.median(turn), 2)

    def test_faces_too_fine_to_be_seen_are_drawn_two_as_one(self) -> None:
        """Half the triangles, the same picture; near by all of them."""
        ring = {"major_radius": 20, "minor_radius": 6, "sides": 250, "minor_sides": 200}
        self.open_bench(bench(part(1, "torus", ring)))
        clusters = "const c = [...__stage.bodies.values()][0].clusters;"
        self.wait(lambda: self.driver.execute_script(clusters + "return c?.near.length === 100"), "its strips")
        drawn = clusters + "return c.counts.slice(0, c.runs).reduce((a, b) => a + b, 0) / 3"
        pictures, counts = [], []
        for two in (False, True):
            self.driver.execute_script(
                clusters + "const look = Object.getPrototypeOf(c).look.bind(c);"
                "c.look = (at) => look({ ...at, two: arguments[0] && at.two })",
                two,
            )
            self.look(-35, 22, 160, (0, 0, 0))
            pictures.append(np.asarray(self.picture(), float))
            counts.append(self.driver.execute_script(drawn))
        self.assertAlmostEqual(counts[1] / counts[0], 0.5, delta=0.02)
        other = abs(pictures[0] - pictures[1]).max(axis=2)
        # where lines begin to show those of single faces are dotted
        self.assertLess(float((other > 40).mean()), 1e-3)
        self.look(-35, 22, 60, (0, 0, 0))
        self.picture()
        farthest = self.driver.execute_script(clusters + "return Math.max(...c.starts.slice(0, c.runs))")
        self.assertLess(farthest, 3 * 4 * 100_000)  # bytes of all its triangles, before those of the strips

    def test_hidden_edges(self) -> None:
        self.open_bench(bench(part(1, "box", {"size": [30, 30, 30]})))
        self.look(-30, 25)
        before = self.picture()
        self.judge("Hidden edges")
        after = self.picture()
        self.assertNotEqual(before.tobytes(), after.tobytes())

    def test_exposure(self) -> None:
        """No view leaves the lower third of the picture black or burns the paper, in either look."""
        self.open_demo()
        for look in ("paper", "dusk"):
            if look == "dusk":
                self.open_menu("more", "Dusk")
            for around, above in ((-35, 22), (55, 10), (145, 50), (-125, -15)):
                self.look(around, above, 300, (0, 0, 50))
                image = self.picture()
                wide, high = image.size
                low = image.crop((0, high * 2 // 3, wide, high)).convert("L")
                self.assertLess(float((np.asarray(low) < 8).mean()), 0.1, (look, around))
                self.assertLess(float((np.asarray(image.convert("L")) > 252).mean()), 0.03, (look, around))


class Keeping(Look):
    def test_views_with_section_and_what_is_shown(self) -> None:
        self.open_bench(FITTING)
        self.look(20, 35, 200)
        self.keys("x")
        self.cut()
        self.judge("Light bands")
        self.click("keep-view")
        field = self.wait(lambda: self.find("view-name"))
        field.send_keys("Cut open")
        self.after(lambda: field.send_keys(Keys.ENTER))
        self.keys("x", "3")
        self.click("judging-off")
        self.wait(lambda: self.attribute("see-front", "aria-pressed") == "true")
        self.click("view-Cut open")
        self.wait(lambda: "kink" in self.text("judging-strip"), "the light bands again")
        self.wait(lambda: self.planes() and self.driver.execute_script("return __stage.looking.around") == 20)
        self.assertEqual(
            self.driver.execute_script("return [__stage.looking.above, __stage.looking.distance]"), [35, 200]
        )
        self.after(lambda: self.open_menu("view-more-Cut open", "Remove"))
        self.wait(lambda: not self.all("view-Cut open"))
        self.click("undo")
        self.wait(lambda: self.all("view-Cut open"))

    def test_before_and_after(self) -> None:
        self.open_bench(FITTING)
        shown = self.attribute("stage", "data-shown")
        self.after(lambda: self.type_into("p1/s1/values/size/2", "35"))
        changed = self.wait(lambda: (s := self.attribute("stage", "data-shown")) != shown and s)
        ActionChains(self.driver).key_down("b").perform()
        self.wait(lambda: self.attribute("stage", "data-shown") == shown, "the bodies before")
        self.assertTrue(self.text("compare").startswith("Before"))
        ActionChains(self.driver).key_up("b").perform()
        self.wait(lambda: self.attribute("stage", "data-shown") == changed, "the bodies of now")
        self.open_menu("judge", "Before and after")
        self.wait(lambda: self.attribute("compare", "data-how") == "beside")
        self.wait(lambda: len(self.attribute("stage", "data-shown").split()) == 4)
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("compare"))

    def test_nothing_before_is_said(self) -> None:
        self.open_bench(FITTING)
        self.open_menu("judge", "Before and after")
        self.wait(lambda: "Nothing was changed yet" in self.driver.find_element(By.TAG_NAME, "body").text)
        self.assertEqual(self.all("compare"), [])


class Sheets(Look):
    def test_downloaded_and_parsed(self) -> None:
        self.open_bench(FITTING)
        self.open_menu("more", "Drawing sheet")
        self.wait(lambda: self.attribute("sheet-picture", "data-key"))
        Select(self.find("sheet-what")).select_by_value("chosen")
        Select(self.find("sheet-paper")).select_by_value("A4")
        Select(self.find("sheet-scale")).select_by_value("1")
        self.wait(
            lambda: (
                '"A4"' in self.attribute("sheet-picture", "data-key")
                and '"scale":"1"' in self.attribute("sheet-picture", "data-key")
            )
        )
        self.click("sheet-svg")
        root = ET.fromstring(self.downloaded(".svg").read_text(encoding="utf-8"))
        self.assertEqual(root.get("width"), "297mm")
        found = {
            g.get("data-name"): float(g.get("data-value", "nan")) for g in root.iter() if g.get("class") == "dimension"
        }
        self.assertEqual({k: found[k] for k in ("width", "height", "depth")}, {"width": 40, "height": 20, "depth": 30})
        cells = {g.get("data-label"): g.get("data-value") for g in root.iter() if g.get("class") == "cell"}
        self.assertEqual((cells["Title"], cells["Scale"], cells["Finish"]), ("Box 1", "1 : 1", "Brass"))
        self.click("sheet-pdf")
        self.assertTrue(self.downloaded(".pdf").read_bytes().startswith(b"%PDF"))
        # what does not fit says what would
        Select(self.find("sheet-scale")).select_by_value("10")
        self.wait(lambda: "fits" in self.find("sheet-picture").text)
        self.assertFalse(self.find("sheet-svg").is_enabled())
        self.click("picture-paper")
        width = self.find("picture-width")
        width.send_keys(Keys.CONTROL, "a")
        width.send_keys("900")
        self.click("picture-download")
        image = Image.open(self.downloaded(".png"))
        self.assertEqual(image.size[0], 900)
        self.assertEqual(image.getpixel((2, 2))[3], 0)  # no paper
        self.assertEqual(image.convert("RGBA").getchannel("A").getextrema(), (0, 255))

    def expected(self, message: str) -> bool:
        return "/sheet?" in message and "422" in message


class Callouts(Look):
    """Each kind of callout is pulled and typed on the body: lengths, diameters and radii, angles, counts, levels, points."""

    def bench_of_all(self) -> dict[str, Any]:
        profile = [{"at": [10, 0]}, {"at": [10, 20], "fillet": 2}, {"at": [6, 30]}]
        curve = {"id": "c1", "name": "Wall", "kind": "profile", "closed": False, "points": profile}
        turned = {"id": "p1", "name": "Cup", "recipe": [
            {"id": "s1", "operator": "revolve", "values": {"profile": "c1", "angle": 270, "sides": 24}},
            {"id": "s2", "operator": "twist", "values": {"turn": 20, "from": 5, "to": 25}},
        ]}  # fmt: skip
        ball = part(2, "torus", {"major_radius": 10, "minor_radius": 3}, placement={"move": [40, 0, 0]})
        box = part(3, "box", {"size": [20, 15, 10]}, placement={"move": [0, 40, 0]})
        box["recipe"].append({"id": "s2", "operator": "bevel", "values": {"width": 2}})
        return bench(turned, ball, box, curves=[curve])

    def test_pulled_and_typed(self) -> None:
        self.open_bench(self.bench_of_all())
        self.look(-35, 22, 300)
        seen: dict[str, str] = {}
        for part_id, name, step in (
            ("p1", "Cup", "s1"),
            ("p1", "Cup", "s2"),
            ("p2", "Torus 2", "s1"),
            ("p3", "Box 3", "s1"),
            ("p3", "Box 3", "s2"),
        ):
            self.wait(
                lambda name=name: [
                    next(b for b in self.find("parts").find_elements(By.TAG_NAME, "button") if b.text == name).click()
                ]
            )
            self.click(f"step-{step}")
            view = next(p for p in self.document()["parts"] if p["part"] == part_id)
            callouts = next(s for s in view["steps"] if s["id"] == step)["callouts"]
            for c in callouts:
                form, target = c["form"], c["target"]
                if form in seen or form == "point":
                    continue
                address = target if target.startswith("curves/") else f"{part_id}/{step}/{target}"
                shown = self.all(f"callout-{address}")
                if not shown:
                    continue
                seen[form] = address
                with self.subTest(f"{form} {address}"):
                    grip = shown[0].find_element(By.CSS_SELECTOR, ".grip")
                    self.after(lambda grip=grip: self.drag(grip, (9, -7), (9, -7)))
                    label = self.wait(
                        lambda address=address: self.find(f"callout-{address}").find_element(By.TAG_NAME, "text")
                    )
                    ActionChains(self.driver).move_to_element(label).click().perform()
                    field = self.wait(lambda address=address: self.find(f"field-{address}"))
                    wanted = {"count": "17", "angle": "200", "level": "8"}.get(form, "3.5")
                    field.send_keys(Keys.CONTROL, "a")
                    field.send_keys(wanted)
                    self.after(lambda field=field: field.send_keys(Keys.ENTER))
                    self.wait(
                        lambda address=address, wanted=wanted: (
                            wanted in self.find(f"callout-{address}").text.replace("\u2009", " ")
                        ),
                        f"{form} shows {wanted}",
                    )
        self.assertLessEqual({"length", "radius", "angle", "count", "level"}, set(seen), seen)
