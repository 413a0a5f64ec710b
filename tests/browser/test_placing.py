"""Shapes placed by hand and exact, and several parts: in the browser."""

from __future__ import annotations

import unittest
from itertools import pairwise
from typing import Any

import numpy as np
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jukai.core.geometry.placing import placement_matrix
from tests.browser.harness import Actions, BrowserTest

FINISHES = [{"name": "Brass", "colour": "#c89a3f", "metal": 1, "roughness": 0.3, "density": 8.5}]


def part(number: int, operator: str, values: dict[str, Any], **more: Any) -> dict[str, Any]:
    recipe = [{"id": "s1", "operator": operator, "values": values}]
    return {"id": f"p{number}", "name": f"{operator.capitalize()} {number}", "recipe": recipe} | more


def bench(*parts: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {
        "format": "jukai-bench",
        "version": 1,
        "name": "Fitting",
        "unit": "mm",
        "finishes": FINISHES,
        "parts": list(parts),
    } | more


MARK = part(9, "box", {"size": [1, 1, 1]}, placement={"move": [-50, -50, 0]})
"""Something to be seen on a bench that is empty else."""


class PlacingTest(BrowserTest):
    def screen(self, *at: float) -> tuple[int, int]:
        """Return where a place of the bench stands on the screen, from the middle of the view."""
        spot = self.driver.execute_script(
            "const s = window.__stage; const c = s.placedCamera(); const e = c.matrixWorldInverse.elements, p = c.projectionMatrix.elements;"
            "const m = (a, b) => { const o = []; for (let i = 0; i < 4; i++) o.push(a[i]*b[0] + a[4+i]*b[1] + a[8+i]*b[2] + a[12+i]*b[3]); return o };"
            "const q = m(p, m(e, [...arguments[0], 1])); return [((q[0]/q[3] + 1) / 2) * s.width, ((1 - q[1]/q[3]) / 2) * s.height]",
            list(at),
        )
        size = self.find("stage").size
        return round(spot[0] - size["width"] / 2), round(spot[1] - size["height"] / 2)

    def look(
        self, around: float, above: float, distance: float = 160, target: tuple[float, float, float] = (0, 0, 10)
    ) -> None:
        self.driver.execute_script(
            "const s = window.__stage; s.looking = {around: arguments[0], above: arguments[1], distance: arguments[2], target: arguments[3]}; s.invalidate()",
            around, above, distance, list(target),
        )  # fmt: skip

    def begin(self, words: str) -> Any:
        self.keys("/")
        self.wait(lambda: self.find("find")).send_keys(words, Keys.ENTER)
        return self.wait(lambda: self.find("placing"))

    def choose_place(self) -> None:
        """Choose where the part stands, by the first word of its sentence."""
        self.wait(lambda: [self.find("place-card").find_element(By.CLASS_NAME, "verb").click()])
        self.wait(lambda: self.find("handles"))

    def part(self, name: str) -> Any:
        return next(p for p in self.document()["document"]["parts"] if p["name"] == name)

    def view(self, name: str) -> Any:
        return next(p for p in self.document()["parts"] if p["name"] == name)


class Placing(PlacingTest):
    def test_a_capsule_on_a_tilted_face_with_typed_sizes(self) -> None:
        turn = [0, 30, 0]
        self.open_bench(bench(part(1, "box", {"size": [60, 40, 20]}, placement={"turn": turn})))
        self.look(-30, 35)
        sheet = self.begin("capsule")
        m = placement_matrix(np.zeros(3), np.array(turn, dtype=float), np.ones(3))
        normal = m[:3, 2]
        spot = m[:3, :3] @ np.array([10.0, 5, 20])
        x, y = self.screen(*spot)
        move = Actions(self.driver, duration=30).move_to_element_with_offset(sheet, x, y)
        move.perform()
        self.wait(lambda: self.find("placing").get_attribute("data-ground") == "p1", "the face under the pointer")
        move.click_and_hold().move_by_offset(20, 6).move_by_offset(4, 2).perform()
        self.wait(lambda: self.find("placing").get_attribute("data-phase") == "footprint")
        Actions(self.driver).release().perform()
        self.wait(lambda: self.find("placing").get_attribute("data-phase") == "height")
        # the height is typed, and that ends it
        self.keys("3")
        field = self.wait(lambda: self.find("placing-up"))
        field.send_keys(Keys.BACKSPACE, "25")
        self.after(lambda: field.send_keys(Keys.ENTER))
        made = self.part("Capsule")
        self.assertEqual(made["recipe"][0]["values"]["length"], 25)
        self.assertGreater(made["recipe"][0]["values"]["radius"], 0)
        view = self.view("Capsule")
        axis = np.array(view["matrix"]).reshape(4, 4)[:3, 2]
        np.testing.assert_allclose(axis, normal, atol=1e-6)
        foot = np.array(view["matrix"]).reshape(4, 4)[:3, 3]
        self.assertAlmostEqual(float((foot - m[:3, 2] * 20) @ normal), 0, delta=1e-6)
        # it stands on the face: they touch
        self.wait(lambda: self.find("clearance").get_attribute("data-state") == "exact")
        self.assertEqual(self.find("clearance-p1").get_attribute("data-state"), "touching")

    def test_sizes_typed_from_the_first_on(self) -> None:
        self.open_bench(bench(MARK))
        self.begin("box")
        for key, size, text in (("4", "wide", "40"), (None, "deep", "30 mm"), (None, "up", "0.5 in")):
            if key:
                self.keys(key)
            field = self.wait(lambda size=size: self.find(f"placing-{size}"))
            field.send_keys(Keys.CONTROL, "a")
            field.send_keys(text)
            if size == "up":
                self.after(lambda field=field: field.send_keys(Keys.ENTER))
            else:
                field.send_keys(Keys.ENTER)
        self.assertEqual(self.part("Box")["recipe"][0]["values"]["size"], [40, 30, 12.7])
        self.assertNotIn("placement", self.part("Box"))

    def test_enter_drops_the_default_and_escape_leaves_nothing(self) -> None:
        self.open_bench(bench(MARK))
        self.begin("sphere")
        self.after(lambda: self.keys(Keys.ENTER))
        self.assertEqual(self.part("Sphere")["recipe"][0]["values"]["radius"], 10)
        self.look(-30, 35)
        sheet = self.begin("torus")
        Actions(self.driver, duration=30).move_to_element_with_offset(sheet, 60, 90).click_and_hold().move_by_offset(
            40, 10
        ).release().move_by_offset(0, -30).perform()
        self.wait(lambda: self.find("placing").get_attribute("data-phase") == "height")
        before = self.revision()
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("placing"))
        self.assertEqual((self.revision(), len(self.document()["document"]["parts"])), (before, 2))

    def test_corner_even_and_as_last_time(self) -> None:
        self.open_bench(bench(MARK))
        self.look(0, 90, 300, (0, 0, 0))  # from above, so that px are mm alike
        sheet = self.begin("box")
        self.keys(Keys.TAB)
        self.wait(lambda: "corner" in self.find("placing-corner").text)
        x, y = self.screen(20, 20, 0)
        u, v = self.screen(50, 40, 0)
        Actions(self.driver, duration=30).move_to_element_with_offset(sheet, x, y).click_and_hold().key_down(
            Keys.SHIFT
        ).move_by_offset(u - x, v - y).release().key_up(Keys.SHIFT).perform()
        self.wait(lambda: self.find("placing").get_attribute("data-phase") == "height")
        self.keys("7")
        field = self.wait(lambda: self.find("placing-up"))
        self.after(lambda: field.send_keys(Keys.ENTER))
        made = self.part("Box")
        wide, deep, up = made["recipe"][0]["values"]["size"]
        self.assertEqual((wide, up), (deep, 7))
        # begun at a corner: its near corner stands where the drag began
        low = self.view("Box")["stands"][0]
        self.assertAlmostEqual(low[0], 20, delta=1.01)
        self.assertAlmostEqual(low[1], 20, delta=1.01)
        self.begin("box")
        self.click("placing-last")
        self.after(lambda: self.keys(Keys.ENTER))
        self.assertEqual(self.part("Box 2")["recipe"][0]["values"]["size"], [wide, deep, up])
        self.begin("box")
        self.after(lambda: self.keys(Keys.ENTER))
        self.assertEqual(self.part("Box 3")["recipe"][0]["values"]["size"], [20, 20, 20])

    def test_a_footprint_snaps_to_a_corner(self) -> None:
        self.open_bench(bench(part(1, "box", {"size": [40, 40, 20]})))
        self.look(-30, 35)
        sheet = self.begin("cylinder")
        x, y = self.screen(20, -20, 20)
        Actions(self.driver, duration=30).move_to_element_with_offset(sheet, x - 3, y - 3).perform()
        self.wait(lambda: "corner" in self.find("placing-guide").text)
        Actions(self.driver, duration=30).click_and_hold().move_by_offset(25, 5).release().perform()
        self.keys("9")
        field = self.wait(lambda: self.find("placing-up"))
        self.after(lambda: field.send_keys(Keys.ENTER))
        self.assertEqual(self.part("Cylinder")["placement"]["move"], [20, -20, 20])

    def test_many_faces_are_told_before_they_are_made(self) -> None:
        self.open_bench(bench(part(1, "box", {"size": [40, 40, 20], "counts": [1, 1, 1]})))
        self.click("chip-p1/s1/values/counts/0")
        field = self.wait(lambda: self.find("field-p1/s1/values/counts/0"))
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("100000")
        self.wait(lambda: "400\u2009002 faces" in self.find("estimate").text)
        self.assertIn("amber", self.said("estimate", "class"))
        field.send_keys(Keys.ESCAPE)
        self.assertEqual(self.part("Box 1")["recipe"][0]["values"]["counts"], [1, 1, 1])


class Standing(PlacingTest):
    def test_extents_by_move_and_by_stretch(self) -> None:
        self.open_bench(bench(part(1, "box", {"size": [40, 30, 20]}, placement={"move": [5, 0, 3]})))
        self.choose_place()
        for side, at, how, expected in (
            ("bottom", "0", "moved", [[-15, -15, 0], [25, 15, 20]]),
            ("right", "2", "moved", [[-38, -15, 0], [2, 15, 20]]),
            ("top", "50.5", "stretched", [[-38, -15, 0], [2, 15, 50.5]]),
        ):
            self.open_menu("extent-add", side)
            field = self.wait(lambda: self.find("extent-field"))
            field.send_keys(Keys.CONTROL, "a")
            field.send_keys(at)
            self.after(lambda how=how: self.click(f"extent-{how}"))
            self.assertEqual(self.view("Box 1")["stands"], expected)
        self.assertEqual(self.part("Box 1")["recipe"][0]["values"]["size"], [40, 30, 20])
        # what no body can have is said there, and set right there
        self.after(lambda: self.type_into("p1/placement/extents/top", "-5"))
        self.assertIn("must be the greater", self.text("place-error"))
        # its height changes, and it still reaches from 0 to 50.5
        self.after(lambda: self.type_into("p1/placement/extents/top", "60"))
        self.assertEqual(self.view("Box 1")["stands"][1][2], 60)
        self.after(lambda: self.click("extent-drop-top"))
        self.assertEqual(self.view("Box 1")["stands"], [[-38, -15, 0], [2, 15, 20]])

    def test_a_part_is_moved_and_then_a_number_changed(self) -> None:
        self.open_bench(bench(part(1, "cylinder", {"radius": 8, "height": 30, "sides": 24})))
        self.choose_place()
        self.after(lambda: self.drag(self.find("pull-x"), (20, 0), (20, 2)))
        moved = self.part("Cylinder 1")["placement"]["move"]
        self.assertGreater(moved[0], 3)
        self.assertEqual(moved[1:], [0, 0])
        self.after(lambda: self.drag(self.find("turn-z"), (14, -6), (14, -10)))
        turned = self.part("Cylinder 1")["placement"]["turn"]
        self.assertNotEqual(turned[2], 0)
        self.assertEqual(turned[2] % 5, 0)
        self.after(lambda: self.drag(self.find("scale-z"), (0, -15), (0, -15)))
        self.assertGreater(self.part("Cylinder 1")["placement"]["scale"][2], 1)
        self.click("step-s1")
        before = self.part("Cylinder 1")["placement"]
        self.after(lambda: self.type_into("p1/s1/values/radius", "11"))
        self.assertEqual(self.part("Cylinder 1")["placement"], before)
        self.choose_place()
        self.after(lambda: self.type_into("p1/placement/move/2", "12.5"))
        self.assertEqual(self.part("Cylinder 1")["placement"]["move"][2], 12.5)
        self.assertEqual(self.part("Cylinder 1")["recipe"][0]["values"]["radius"], 11)
        # which way its axis points is one click
        self.after(lambda: self.open_menu("chip-pointing", "along X"))
        self.assertEqual(self.part("Cylinder 1")["placement"]["turn"], [0, 90, 0])
        # Escape puts a pulled part back
        revision = self.revision()
        grip = self.find("pull-zero")
        Actions(self.driver, duration=30).move_to_element(grip).click_and_hold().move_by_offset(30, 20).perform()
        self.wait(lambda: "mm" in self.find("handle-words").text)
        self.keys(Keys.ESCAPE)
        Actions(self.driver).release().perform()
        self.settled()
        self.assertEqual(self.revision(), revision)

    def test_a_zero_point_snaps_to_another_part_s_corner(self) -> None:
        self.open_bench(
            bench(
                part(1, "box", {"size": [10, 10, 10]}, placement={"move": [-45, 0, 0]}),
                part(2, "box", {"size": [30, 30, 30]}),
            )
        )
        self.look(-30, 30, 260)
        self.choose_place()
        grip = self.find("pull-zero")
        x, y = self.screen(-15, -15, 30)
        size, at = self.find("stage").size, self.find("stage").location
        spot = (at["x"] + size["width"] / 2 + x, at["y"] + size["height"] / 2 + y)
        where = grip.rect
        dx = round(spot[0] - where["x"] - where["width"] / 2) + 3
        dy = round(spot[1] - where["y"] - where["height"] / 2) + 2
        self.after(lambda: self.drag(grip, (dx - 20, dy - 10), (20, 10)))
        np.testing.assert_allclose(self.part("Box 1")["placement"]["move"], [-15, -15, 30], atol=1e-5)


class Several(PlacingTest):
    def three(self) -> None:
        self.open_bench(bench(
            part(1, "box", {"size": [10, 10, 10]}),
            part(2, "capsule", {"radius": 4, "length": 24}, placement={"move": [30, 4, 2]}),
            part(3, "cylinder", {"radius": 5, "height": 8}, placement={"move": [55, -6, 9]}),
        ))  # fmt: skip

    def choose(self, *parts: str) -> None:
        for i, p in enumerate(parts):
            row = self.wait(lambda p=p: self.find(f"part-{p}").find_element(By.CLASS_NAME, "grow"))
            chain = Actions(self.driver)
            (chain.key_down(Keys.CONTROL).click(row).key_up(Keys.CONTROL) if i else chain.click(row)).perform()
            self.wait(lambda p=p: self.find(f"part-{p}").get_attribute("data-chosen") == "true")

    def test_duplicated_again_with_the_same_offset(self) -> None:
        self.three()
        self.choose("p2")
        self.after(lambda: self.open_menu("part-more-p2", "Duplicate"))
        copy = self.part("Capsule 3")
        self.wait(lambda: self.find("handles"))
        self.after(lambda: self.type_into(f"{copy['id']}/placement/move/1", "19"))
        self.after(lambda: self.type_into(f"{copy['id']}/placement/turn/2", "30"))
        for n in (3, 4):
            last = self.document()["document"]["parts"]
            newest = next(p["id"] for p in last if p["name"] == f"Capsule {n}")
            self.after(lambda newest=newest: self.open_menu(f"part-more-{newest}", "Duplicate again"))
        views = [np.array(self.view(f"Capsule {n}")["matrix"]).reshape(4, 4) for n in (2, 3, 4, 5)]
        steps = [b @ np.linalg.inv(a) for a, b in pairwise(views)]
        np.testing.assert_allclose(steps[0][:3, :3], steps[1][:3, :3], atol=1e-8)
        np.testing.assert_allclose(steps[1][:3, :3], steps[2][:3, :3], atol=1e-8)
        offsets = [np.linalg.norm(b[:3, 3] - a[:3, 3]) for a, b in pairwise(views)]
        np.testing.assert_allclose(offsets, 15, atol=1e-6)

    def test_several_are_chosen_lined_up_spread_and_removed(self) -> None:
        self.three()
        self.choose("p2", "p3", "p1")
        self.assertIn("3 parts chosen", self.text("several"))
        self.after(lambda: self.open_menu("line-up", "their bottoms"))
        self.assertEqual([p["stands"][0][2] for p in self.document()["parts"]], [0, 0, 0])
        self.after(lambda: self.open_menu("spread", "X"))
        rows = sorted((p["stands"][0][0], p["stands"][1][0]) for p in self.document()["parts"])
        self.assertAlmostEqual(rows[1][0] - rows[0][1], rows[2][0] - rows[1][1], places=9)
        # all of them are pulled at once
        before = [p["stands"][0] for p in self.document()["parts"]]
        self.after(lambda: self.drag(self.wait(lambda: self.find("pull-z")), (0, -15), (0, -15)))
        after = [p["stands"][0] for p in self.document()["parts"]]
        shifts = np.array(after) - np.array(before)
        np.testing.assert_allclose(shifts, [shifts[0]] * 3, atol=1e-9)
        self.assertGreater(shifts[0][2], 0)
        # one undo puts all back
        self.after(lambda: self.keys(Keys.CONTROL, "z"), by=-(10**6))
        self.wait(lambda: [p["stands"][0] for p in self.document()["parts"]] == before)
        self.click("remove-several")
        self.wait(lambda: self.find("remove-sheet"))
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("remove-sheet"))
        self.keys(Keys.DELETE)
        self.click("remove-all")
        self.wait(lambda: self.document()["document"].get("parts", []) == [])

    def test_live_copies_follow_and_their_first_part_is_not_removed_unasked(self) -> None:
        self.three()
        self.after(lambda: self.open_menu("part-more-p2", "Live copy"))
        copy = self.part("Capsule 3")
        self.assertEqual(copy["recipe"][0]["values"], {"part": "p2"})
        self.choose("p2")
        self.click("step-s1")
        self.after(lambda: self.type_into("p2/s1/values/radius", "6"))
        volumes = [self.view(n)["volume"] for n in ("Capsule 2", "Capsule 3")]
        self.assertEqual(volumes[0], volumes[1])
        self.open_menu("part-more-p2", "Remove")
        self.wait(lambda: "live copy" in self.find("remove-sheet").text)
        self.after(lambda: self.click("remove-all"))
        self.assertEqual([p["name"] for p in self.document()["document"]["parts"]], ["Box 1", "Cylinder 3"])

    def test_a_mirror_image_follows_what_is_done_and_where_it_stands(self) -> None:
        self.three()
        stood = self.view("Capsule 2")["stands"]
        self.after(lambda: self.open_menu("part-more-p2", "Mirror image"))
        self.wait(lambda: self.view("Capsule 3")["stands"])
        image = self.view("Capsule 3")["stands"]
        self.assertEqual([image[0][0], image[1][0]], [-stood[1][0], -stood[0][0]])
        self.assertIn("at the bench's plane X = 0", self.find("step-s1").text)
        self.choose("p2")
        self.choose_place()
        self.after(lambda: self.type_into("p2/placement/move/0", "55"))
        self.wait(lambda: self.view("Capsule 3")["stands"][1][0] < image[1][0])
        moved, image = (self.view(n)["stands"] for n in ("Capsule 2", "Capsule 3"))
        self.assertEqual([image[0][0], image[1][0]], [-moved[1][0], -moved[0][0]])

    def test_headings_order_and_what_is_seen(self) -> None:
        self.three()
        self.open_menu("part-more-p2", "Put under a heading")
        self.after(lambda: self.wait(lambda: self.find("part-heading")).send_keys("Weights", Keys.ENTER))
        self.assertEqual(self.text("heading-p2"), "Weights")
        source = self.find("part-p3").find_element(By.CLASS_NAME, "grow")
        self.after(lambda: self.drag(source, (0, -30), (0, -45), (0, -4)))
        self.assertEqual(self.document()["document"]["parts"][0]["name"], "Cylinder 3")
        self.open_menu("part-more-p3", "Show only this one")
        self.wait(lambda: len((self.attribute("stage", "data-shown")).split()) == 1)
        self.click("show-all")
        self.wait(lambda: len((self.attribute("stage", "data-shown")).split()) == 3)
        self.after(lambda: self.open_menu("part-more-p3", "Draw it transparent"))
        self.assertTrue(self.part("Cylinder 3")["transparent"])


if __name__ == "__main__":
    unittest.main()
