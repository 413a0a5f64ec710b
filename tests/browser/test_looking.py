"""Looking: side views, drawing sheets, callouts of each kind."""

from __future__ import annotations

from typing import Any
from xml.etree import ElementTree as ET

from PIL import Image
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.harness import Actions
from tests.browser.looks import FITTING, Look
from tests.browser.test_placing import bench, part


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
        Actions(self.driver).move_to_element_with_offset(pane, 32, 0).click().perform()
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
        Actions(self.driver).move_to_element(label).click().perform()
        field = self.wait(lambda: self.find("field-p1/s1/values/size/0"))
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("52")
        self.after(lambda: field.send_keys(Keys.ENTER))
        self.assertEqual(self.document()["document"]["parts"][0]["recipe"][0]["values"]["size"][0], 52)

    def test_radii_counts_and_angles_are_pulled_and_typed_in_small_views(self) -> None:
        """What has no room for its words has a grip; pointed at, it says what it is."""
        steps = [
            {"id": "s1", "operator": "torus", "values": {"major_radius": 10, "minor_radius": 3}},
            {"id": "s2", "operator": "twist", "values": {"turn": 20}},
        ]
        self.open_bench(bench({"id": "p1", "name": "Ring", "recipe": steps}))
        self.keys("v")
        for step, key, words, dx, dy in (
            ("s1", "major_radius", "R 10 mm", 6, 0),
            ("s2", "turn", "20°", 0, 6),
        ):
            with self.subTest(key):
                self.click(f"step-{step}")
                name = f"small-callout-p1/{step}/values/{key}"
                self.wait(lambda name=name: len(self.all(name)) >= 3, "a grip in each small view")
                grip = self.still(name).find_element(By.CSS_SELECTOR, ".grip")
                Actions(self.driver).move_to_element(grip).perform()
                self.wait(lambda name=name, words=words: self.text(name) == words, f"{words} beside the grip")

                def value(key: str = key, at: int = int(step[1]) - 1) -> float:
                    return float(self.document()["document"]["parts"][0]["recipe"][at]["values"][key])

                before = value()
                drag = Actions(self.driver).move_to_element(grip).click_and_hold()
                for _ in range(4):
                    drag = drag.move_by_offset(dx, dy)
                self.after(lambda drag=drag: drag.release().perform())
                self.assertNotEqual(value(), before)
                Actions(self.driver).move_to_element(
                    self.still(name).find_element(By.CSS_SELECTOR, ".grip")
                ).click().perform()
                field = self.wait(lambda step=step, key=key: self.find(f"field-p1/{step}/values/{key}"))
                field.send_keys(Keys.CONTROL, "a")
                field.send_keys("12")
                self.after(lambda field=field: field.send_keys(Keys.ENTER))
                self.assertEqual(value(), 12)

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
        Actions(self.driver).move_to_element_with_offset(pane, round(x), round(y) + 2).perform()
        self.wait(
            lambda: all(e.get_attribute("data-pointed") == "1" for e in self.all("pane-picked")), "the edge meant"
        )
        self.after(
            lambda: Actions(self.driver).move_to_element_with_offset(pane, round(x), round(y) + 1).click().perform()
        )
        self.wait(lambda: self.attribute("pick-panel", "data-picked") == "1")
        # a box over the front view takes what it shows: the upper edges there, seen end on too
        front = self.all("pane-front")[0].find_element(By.TAG_NAME, "canvas")
        half = front.size["width"] // 2 - 4
        self.after(
            lambda: (
                Actions(self.driver)
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
        self.assertEqual(image.getchannel("A").getpixel((2, 2)), 0)  # no paper
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
                    Actions(self.driver).move_to_element(label).click().perform()
                    field = self.wait(lambda address=address: self.find(f"field-{address}"))
                    expected = {"count": "17", "angle": "200", "level": "8"}.get(form, "3.5")
                    field.send_keys(Keys.CONTROL, "a")
                    field.send_keys(expected)
                    self.after(lambda field=field: field.send_keys(Keys.ENTER))
                    self.wait(
                        lambda address=address, expected=expected: (
                            expected in self.find(f"callout-{address}").text.replace("\u2009", " ")
                        ),
                        f"{form} shows {expected}",
                    )
        self.assertLessEqual({"length", "radius", "angle", "count", "level"}, set(seen), seen)
