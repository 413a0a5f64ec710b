"""The path of the first slice, through the real interface: from the demo to files in the hand."""

from __future__ import annotations

import unittest
from pathlib import Path
from typing import Any

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jukai.core.formats import read_mesh
from tests.browser.harness import Actions, BrowserTest

TURN, TWIST = "p1/s1/values", "p1/s2/values"


class MainPath(BrowserTest):
    def expected(self, message: str) -> bool:
        # the server is stopped and a wrong formula is typed on purpose
        return any(
            part in message
            for part in (
                "ERR_CONNECTION_REFUSED",
                "ERR_INCOMPLETE",
                "ERR_CONNECTION_RESET",
                "ERR_EMPTY_RESPONSE",
                "422",
                "404",
            )
        )

    def setUp(self) -> None:
        self.open_demo()

    def value(self, part: str, step: str, key: str) -> Any:
        recipe = next(p for p in self.document()["document"]["parts"] if p["id"] == part)["recipe"]
        return next(s for s in recipe if s["id"] == step).get("values", {}).get(key)

    def points(self) -> dict[str, Any]:
        return {p["id"]: p for p in self.document()["document"]["curves"][0]["points"]}

    def test_a_number_is_dragged_typed_stepped_and_put_back(self) -> None:
        chip = f"chip-{TURN}/sides"
        self.after(lambda: self.drag(self.find(chip), (16, 0), (16, 0)))
        self.assertEqual(self.value("p1", "s1", "sides"), 72)
        self.assertEqual(self.text("undo-name"), "turn sides")
        self.assertIn("faces", self.text("change"))
        self.after(lambda: self.type_into(f"{TURN}/sides", "flutes"))
        self.assertEqual(self.value("p1", "s1", "sides"), "flutes")
        self.assertIn("= 60", self.text(chip).replace("\n", " "))
        # what can't be used stays in its field, with words, and nothing is kept
        before = self.revision()
        self.type_into(f"{TURN}/sides", "flutes +", end=Keys.ENTER)
        wrong = self.wait(lambda: self.driver.find_element(By.CLASS_NAME, "chip-wrong"))
        self.assertIn("at the end", wrong.text)
        self.assertEqual((self.attribute("step-s1", "data-state"), self.revision()), ("done", before))
        field = self.find(f"field-{TURN}/sides")
        field.send_keys(Keys.CONTROL, "a")
        self.after(lambda: field.send_keys("48", Keys.TAB))  # left, it is kept once
        self.assertEqual(self.revision(), before + 1)
        self.type_into(f"{TURN}/sides", "99", end=Keys.ESCAPE)
        self.assertEqual(self.value("p1", "s1", "sides"), 48)
        element = self.wait(lambda: self.find(chip))
        self.after(lambda: element.send_keys(Keys.ARROW_UP))
        self.assertEqual(self.value("p1", "s1", "sides"), 49)
        # Escape in a drag puts back what was there
        before = self.revision()
        Actions(self.driver, duration=40).move_to_element(self.find(chip)).click_and_hold().move_by_offset(
            30, 0
        ).perform()
        self.keys(Keys.ESCAPE)
        Actions(self.driver).release().perform()
        self.assertEqual((self.revision(), self.value("p1", "s1", "sides")), (before, 49))

    def test_a_field_opens_at_once_and_loses_no_key(self) -> None:
        chip = f"chip-{TURN}/sides"
        # one go, without waiting: click, type, Enter
        self.after(
            lambda: Actions(self.driver, duration=0).click(self.find(chip)).send_keys("57", Keys.ENTER).perform()
        )
        self.assertEqual(self.value("p1", "s1", "sides"), 57)
        # a figure typed on a number that has the focus begins its field
        self.driver.execute_script("arguments[0].focus()", self.find(chip))
        self.after(lambda: Actions(self.driver, duration=0).send_keys("58", Keys.ENTER).perform())
        self.assertEqual(self.value("p1", "s1", "sides"), 58)
        # two clicks take it back to its default
        before = self.revision()
        self.after(lambda: Actions(self.driver).double_click(self.find(chip)).perform())
        self.assertEqual((self.value("p1", "s1", "sides"), self.revision()), (None, before + 1))
        # what is typed with a unit keeps it
        self.click("step-s3")
        width = "p1/s3/values/width"
        for text, kept, shown in (
            ("1/32 in", "1/32 in", "1/32 in"),
            ("0.04", "0.04 in", "0.04"),
            ("1,5 mm", "1,5 mm", "1.5"),
        ):
            self.after(lambda text=text: self.type_into(width, text))
            self.assertEqual(self.value("p1", "s3", "width"), kept)
            self.assertIn(shown, self.text(f"chip-{width}"))

    def test_while_a_number_is_held_the_keyboard_is_its_own(self) -> None:
        chip = f"chip-{TURN}/sides"
        before, steps = self.revision(), self.attribute("recipe", "data-order")

        def press(*keys: str) -> None:
            Actions(self.driver).send_keys(*keys).perform()

        def hold() -> None:
            chain = Actions(self.driver, duration=40).move_to_element(self.find(chip)).click_and_hold()
            chain.move_by_offset(30, 0).perform()
            self.wait(lambda: self.find(chip).text != "64")

        hold()
        press(Keys.DELETE, "l", "/")  # other shortcuts rest
        Actions(self.driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
        self.assertEqual((self.all("find-list"), self.attribute("recipe", "data-order")), ([], steps))
        self.assertEqual(self.attribute("draw-shaded_lines", "aria-pressed"), "true")
        press(Keys.ESCAPE)
        Actions(self.driver).release().perform()
        self.wait(lambda: self.find(chip).text == "64")
        self.assertEqual(self.revision(), before)
        hold()
        press("5", "2")  # figures go on in its field
        self.assertEqual(self.attribute(f"field-{TURN}/sides", "value"), "52")
        Actions(self.driver).release().perform()
        self.after(lambda: press(Keys.ENTER))
        self.assertEqual((self.value("p1", "s1", "sides"), self.revision()), (52, before + 1))
        chain = Actions(self.driver, duration=40).move_to_element(self.find(chip)).click_and_hold()
        chain.move_by_offset(16, 0).move_by_offset(16, 0).perform()
        self.after(lambda: press(Keys.ENTER))  # Enter keeps, without letting go
        Actions(self.driver).release().perform()
        self.settled()
        self.assertEqual((self.value("p1", "s1", "sides"), self.revision()), (60, before + 2))

    def test_numbers_are_dragged_on_the_body(self) -> None:
        self.click("step-s1")
        fillet = self.points()["p3"]["fillet"]
        label = self.wait(lambda: self.find("callout-curves/c1/p3/fillet").find_element(By.TAG_NAME, "text"))
        self.after(lambda: self.drag(label, (-10, 4), (-10, 4)))
        self.assertNotEqual(self.points()["p3"]["fillet"], fillet)
        sides = self.value("p1", "s1", "sides")
        label = self.wait(lambda: self.find(f"callout-{TURN}/sides").find_element(By.TAG_NAME, "text"))
        self.after(lambda: self.drag(label, (14, 0), (14, 0)))
        self.assertGreater(self.value("p1", "s1", "sides"), sides)
        at = self.points()["p6"]["at"]
        self.after(lambda: self.drag(self.wait(lambda: self.find("grip-curves/c1/p6/at")), (6, 0), (6, -4)))
        moved = self.points()["p6"]["at"]
        self.assertGreater(moved[0], at[0])
        # a callout is typed into like a chip
        self.wait(lambda: [self.find("callout-curves/c1/p3/fillet").find_element(By.TAG_NAME, "text").click()])
        field = self.wait(lambda: self.find("field-curves/c1/p3/fillet"))
        field.send_keys(Keys.CONTROL, "a")
        self.after(lambda: field.send_keys("1/16 in", Keys.ENTER))
        self.assertEqual(self.points()["p3"]["fillet"], "1/16 in")

    def test_the_twist_is_dragged_on_the_body(self) -> None:
        self.click("step-s2")
        self.after(lambda: self.type_into(f"{TWIST}/turn", "30"))
        grip = self.wait(lambda: self.find(f"callout-{TWIST}/turn").find_element(By.CSS_SELECTOR, ".grip"))
        self.after(lambda: self.drag(grip, (2, -9), (2, -9)))
        self.assertNotEqual(self.value("p1", "s2", "turn"), 30)
        grip = self.wait(lambda: self.find(f"callout-{TWIST}/from").find_element(By.CSS_SELECTOR, ".grip"))
        self.after(lambda: self.drag(grip, (0, -8), (0, -8)))
        self.assertGreater(self.value("p1", "s2", "from"), 31)

    def test_the_drawing_board(self) -> None:
        self.click("step-s1")
        self.click(f"chip-{TURN}/profile")
        self.open_profile()
        self.after(lambda: self.drag(self.still("point-p8"), (8, 0), (8, 0)))
        self.assertGreater(self.points()["p8"]["at"][0], 13)
        self.after(lambda: self.type_into("curves/c1/p8/at/0", "14.5"))
        self.assertEqual(self.points()["p8"]["at"][0], 14.5)
        self.after(lambda: self.type_into("curves/c1/p10/fillet", "0.5"))
        self.assertEqual(self.points()["p10"]["fillet"], 0.5)
        count = len(self.points())
        a, b = self.find("point-p2").location, self.find("point-p3").location

        def add() -> None:
            chain = Actions(self.driver, duration=20)
            chain.move_to_element_with_offset(
                self.find("point-p2"), (b["x"] - a["x"]) // 2, (b["y"] - a["y"]) // 2
            ).click().perform()

        self.after(add)
        self.assertEqual(len(self.points()), count + 1)
        self.after(lambda: self.find("board").send_keys(Keys.DELETE))
        self.assertEqual(len(self.points()), count)
        self.click("close-board")
        self.wait(lambda: not self.all("board"))

    def open_profile(self) -> None:
        """With several profiles the chip is a menu."""

        def choose() -> Any:
            if self.all("board"):
                return True
            items = self.driver.find_elements(By.CSS_SELECTOR, '[data-state="open"] [role="menuitem"]')
            item = next((i for i in items if i.text.startswith("Draw Column profile")), None)
            return [item.click()] if item else None

        self.wait(choose)
        self.wait(lambda: self.find("board"))

    def test_reorder_switch_off_and_undo_all_across_a_restart(self) -> None:
        self.click("step-s2")
        self.after(lambda: self.open_menu("more-s2", "Copy"))
        self.wait(lambda: self.attribute("recipe", "data-order") == "s1 s2 s4 s3")
        bevelled_last = self.attribute("stage", "data-shown")
        grip = self.wait(lambda: self.find("grip-s3"))
        Actions(self.driver).move_to_element(grip).click_and_hold().perform()
        Actions(self.driver, duration=60).move_by_offset(0, -8).perform()
        self.wait(lambda: self.find("recipe").get_attribute("data-dragging") == "s3")
        middle = {i: e["y"] + e["height"] / 2 for i in ("s2", "s3") for e in [self.find(f"step-{i}").rect]}
        up = round(middle["s2"] - middle["s3"])
        Actions(self.driver, duration=60).move_by_offset(0, up // 2).move_by_offset(0, up - up // 2 - 6).perform()
        self.after(lambda: Actions(self.driver).release().perform())
        # the bevel comes before the twists now: its strips are twisted, and it picks other edges
        self.wait(lambda: self.attribute("recipe", "data-order") == "s1 s3 s2 s4")
        self.assertNotEqual(self.attribute("stage", "data-shown"), bevelled_last)
        self.click("step-s4")
        self.after(lambda: self.open_menu("more-s4", "Switch off"))
        self.assertEqual(self.attribute("step-s4", "data-state"), "off")
        mesh = self.attribute("stage", "data-shown")
        self.undo_to_label("copy twist")
        self.assertEqual(self.attribute("step-s4", "data-state"), "done")
        self.server.stop()
        self.wait(lambda: self.driver.execute_script("fetch('/api/health').catch(() => {}); return true"))
        self.server.start()
        self.driver.refresh()
        self.settled()
        self.keys(Keys.CONTROL, "z")
        self.wait(lambda: self.attribute("recipe", "data-order") == "s1 s2 s3")
        for _ in range(3):
            revision = self.revision()
            self.keys(Keys.CONTROL, Keys.SHIFT, "z")
            self.wait(lambda before=revision: self.revision() != before)
        self.settled()
        self.wait(lambda: self.attribute("stage", "data-shown") == mesh)
        self.undo_all()

    def undo_to_label(self, label: str) -> None:
        while self.text("undo-name") != label:
            revision = self.revision()
            self.click("undo")
            self.wait(lambda before=revision: self.revision() != before)
        self.settled()

    def undo_all(self) -> None:
        while self.find("undo").is_enabled():
            revision = self.revision()
            self.click("undo")
            self.wait(lambda before=revision: self.revision() != before)
        self.assertEqual(self.revision(), 1)

    def test_bake_read_the_report_and_take_it_away(self) -> None:
        self.click("part-p2")
        self.wait(lambda: [self.find("part-p1").find_element(By.CSS_SELECTOR, ".grow").click()])
        self.click("bake")
        self.wait(lambda: self.find("handover-sheet"))
        self.wait(lambda: "Sound: closed, one body" in self.find("report-summary").text)
        for kind in ("glb", "obj", "stl", "ply"):
            self.click(f"format-{kind}")
            self.wait(
                lambda: [self.find("handover-sheet").find_element(By.CSS_SELECTOR, '[data-testid="download"]').click()]
            )
            path: Path = self.downloaded(".zip" if kind == "obj" else f".{kind}")
            data = path.read_bytes()
            if kind == "obj":
                import io
                import zipfile

                with zipfile.ZipFile(io.BytesIO(data)) as z:
                    self.assertEqual(sorted(z.namelist()), ["Pedestal.mtl", "Pedestal.obj"])
                    data = z.read("Pedestal.obj")
            mesh = read_mesh(data, kind).mesh
            self.assertAlmostEqual(float(mesh.bounds[1, 2] - mesh.bounds[0, 2]), 95, places=3)
            self.assertTrue((mesh.connectivity.edge_sides == 2).all())
        self.keys(Keys.ESCAPE)
        self.assertIn("rev", self.text("baked-p1"))


class Looks(BrowserTest):
    def shown(self, name: str) -> Any:
        return self.driver.execute_script(f"return window.__stage.{name}")

    def test_orbit_pan_zoom_titles_and_keys(self) -> None:
        self.open_demo()
        canvas = self.find("stage").find_element(By.TAG_NAME, "canvas")
        corner = (-canvas.size["width"] // 2 + 60, canvas.size["height"] // 2 - 60)

        def dragged(button: str) -> Any:
            before = self.shown("looking")
            chain = Actions(self.driver, duration=30).move_to_element_with_offset(canvas, *corner)
            if button == "left":
                chain.click_and_hold().move_by_offset(40, 12).release().perform()
            else:
                self.driver.execute_script(
                    "const c = arguments[0], r = c.getBoundingClientRect();"
                    "const e = (t, x) => c.dispatchEvent(new PointerEvent(t, {pointerId: 1, button: 2, buttons: 2, clientX: r.left + x, clientY: r.top + 300, bubbles: true}));"
                    "c.setPointerCapture = () => {}; e('pointerdown', 60); e('pointermove', 120); e('pointerup', 120)",
                    canvas,
                )
            self.wait(lambda: self.shown("looking") != before)
            return before, self.shown("looking")

        a, b = dragged("left")
        self.assertNotEqual(a["around"], b["around"])
        # on and on, while pictures are drawn: 40 px turn by 16°
        start = self.shown("looking")["around"]
        chain = Actions(self.driver, duration=30).move_to_element_with_offset(canvas, *corner).click_and_hold()
        chain.perform()
        for i in range(4):
            pictures = self.shown("pictures")
            Actions(self.driver, duration=30).move_by_offset(10, 0).perform()
            self.wait(lambda n=pictures: self.shown("pictures") > n, f"picture {i}")
        Actions(self.driver, duration=0).release().perform()
        self.assertAlmostEqual(self.shown("looking")["around"], start - 16, places=6)
        a, b = dragged("right")
        self.assertEqual(a["around"], b["around"])
        self.assertNotEqual(a["target"], b["target"])
        before = self.shown("looking")["distance"]
        Actions(self.driver).scroll_from_origin(self.origin(canvas), 0, -240).perform()
        self.wait(lambda: self.shown("looking")["distance"] < before)
        for key, around, above in (("3", 0, 0), ("2", 0, 90), ("4", -90, 0), ("1", -35, 22)):
            self.keys(key)
            self.wait(
                lambda a=around, b=above: (self.shown("looking")["around"], self.shown("looking")["above"]) == (a, b)
            )
        self.click("see-front")
        self.wait(lambda: self.attribute("see-front", "aria-pressed") == "true")
        self.click("perspective")
        self.wait(lambda: self.text("perspective") == "Parallel")
        self.keys("l")
        self.wait(lambda: self.attribute("draw-lines", "aria-pressed") == "true")
        self.keys("?")
        self.wait(lambda: self.find("keys"))
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("keys"))

    def origin(self, canvas: Any) -> Any:
        from selenium.webdriver.common.actions.wheel_input import ScrollOrigin

        return ScrollOrigin.from_element(canvas, 40, 40)

    def test_parts_are_hidden_and_shown_by_their_eye(self) -> None:
        self.open_demo()
        for hidden in (True, False):
            self.after(lambda: self.click("eye-p2"))
            part = next(p for p in self.document()["document"]["parts"] if p["id"] == "p2")
            self.assertEqual(part.get("hidden", False), hidden)

    def test_dusk_is_remembered(self) -> None:
        self.open_demo()
        self.open_menu("more", "Dusk")
        self.wait(lambda: self.driver.execute_script("return document.documentElement.dataset.look") == "dusk")
        self.driver.refresh()
        self.settled()
        self.assertEqual(self.driver.execute_script("return document.documentElement.dataset.look"), "dusk")
        self.open_menu("more", "Paper")

    def test_nothing_is_drawn_at_rest_and_nothing_is_kept_too_long(self) -> None:
        self.open_demo()
        counted = []

        # a body's contact with the floor, its outline and its runs come one after the other, each with a picture
        def still() -> bool:
            pictures = self.shown("pictures")
            self.driver.execute_async_script("setTimeout(arguments[0], 700)")
            return bool(self.shown("pictures") == pictures)

        for sides in ("20", "24", "32", "64", "28"):
            self.after(lambda s=sides: self.type_into(f"{TURN}/sides", s))
            # the outline before the change goes after a while
            self.wait(
                lambda: self.driver.execute_script(
                    "return window.__stage.ghost === null && window.__stage.pictures > 0"
                )
            )
            self.wait(still)
            counted.append(self.driver.execute_script("return window.__stage.renderer.info.memory.geometries"))
        self.assertEqual(len(set(counted)), 1, counted)
        pictures = self.shown("pictures")
        self.driver.execute_async_script("setTimeout(arguments[0], 1500)")
        self.assertEqual(self.shown("pictures"), pictures)

    def test_named_numbers(self) -> None:
        self.open_demo()
        self.click("add-number")
        field = self.wait(lambda: self.find("number-field"))
        self.after(lambda: field.send_keys("gap = flutes / 50", Keys.ENTER))
        self.assertIn("1.2", self.text("number-gap"))
        self.after(lambda: self.type_into("dimensions/flutes", "50"))
        self.wait(lambda: "= 1" in self.text("number-gap"))
        self.assertIn("25°", self.text(f"chip-{TWIST}/turn"))


if __name__ == "__main__":
    unittest.main()
