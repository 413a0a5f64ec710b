"""Lengths shown and read in another unit than the file's: in the browser."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.test_placing import PlacingTest, bench, part


class Units(PlacingTest):
    def show(self, **words: str) -> None:
        self.open_menu("more", "Bench settings")
        for what, text in words.items():
            self.wait(lambda what=what: self.find(f"settings-{what}"))
            choice = Select(self.find(f"settings-{what}"))
            self.after(lambda choice=choice, text=text: choice.select_by_visible_text(text))
        self.driver.find_element(By.CSS_SELECTOR, '[data-testid="settings"]').send_keys(Keys.ESCAPE)
        self.wait(lambda: not self.all("settings"))

    def chip(self, address: str) -> str:
        return self.text(f"chip-{address}").replace("\u2009", " ")

    def size(self) -> list[object]:
        return list(self.document()["document"]["parts"][0]["recipe"][0]["values"]["size"])

    def test_a_bench_in_inches_is_typed_and_read_in_inches_and_stays_the_same_body(self) -> None:
        two = part(2, "box", {"size": ["1 cm", 20, 30]}, placement={"move": [0, 0, 50.8]})
        self.open_bench(bench(part(1, "box", {"size": [50.8, 25.4, 12.7]}), two))
        before = self.document()["parts"][0]["mesh"]
        width = "p1/s1/values/size/0"
        self.assertEqual(self.chip("p1/s1/values/size/2"), "12.7 mm")
        self.show(unit="inches")
        self.assertEqual([self.chip(f"p1/s1/values/size/{k}") for k in range(3)], ["2", "1", "0.5 in"])
        self.assertEqual(self.document()["parts"][0]["mesh"], before)
        self.assertEqual(self.text("size"), "2\u2009×\u20091\u2009×\u20090.5")
        self.wait(lambda: self.text("clearance-p2").endswith("1.5\u2009in"), "the clearance in inches")
        # a number without a unit is inches, a fraction stays one, another unit is kept
        self.after(lambda: self.type_into(width, "3"))
        self.assertEqual(self.size(), [76.2, 25.4, 12.7])
        self.after(lambda: self.type_into(width, "1 3/8"))
        self.assertEqual((self.size()[0], self.chip(width)), ("1 3/8 in", "1 3/8 in"))
        self.after(lambda: self.type_into(width, "30 mm"))
        self.assertEqual((self.size()[0], self.chip(width)), ("30 mm", "30 mm"))
        self.after(lambda: self.type_into(width, "2"))
        self.assertEqual(self.size()[0], "2 mm")  # it was written in mm, and keeps that
        self.after(lambda: self.type_into(width, "2 in"))
        # an untouched field keeps nothing, decimals or not
        self.show(decimals="two decimals")
        self.assertEqual(self.chip("p1/s1/values/size/2"), "0.50 in")
        revision = self.revision()
        self.type_into("p1/s1/values/size/1", "", end=Keys.ESCAPE)
        self.click("chip-p1/s1/values/size/1")
        self.wait(lambda: self.find("field-p1/s1/values/size/1")).send_keys(Keys.ENTER)
        self.wait(lambda: not self.all("field-p1/s1/values/size/1"))
        self.assertEqual((self.revision(), self.size()[1]), (revision, 25.4))
        # a new shape is typed in inches, and undoing goes back to mm as it came
        self.begin("sphere")
        self.keys("2")
        field = self.wait(lambda: self.find("placing-radius"))
        self.after(lambda: field.send_keys(Keys.ENTER))
        self.assertEqual(self.part("Sphere")["recipe"][0]["values"]["radius"], 50.8)
        self.driver.refresh()
        self.wait(lambda: self.attribute("stage", "data-shown"), "the body", 120)
        self.settled()
        self.assertEqual(self.chip("p1/s1/values/size/1"), "1.00")
        for revision in (self.revision() - 1, self.revision() - 2):
            self.click("undo")
            self.wait(lambda revision=revision: self.revision() == revision, "one step back")
        self.settled()
        self.assertEqual(self.chip("p1/s1/values/size/1"), "1")

    def test_the_floor_and_the_most_faces_are_set_where_wrong_ones_are_told(self) -> None:
        self.open_bench(bench(part(1, "box", {"size": [10, 10, 10]})))
        self.open_menu("more", "Bench settings")
        for name, wrong, words, right in (
            ("floor", "-3", "A length over 0", "20 cm"),
            ("faces", "many", "A whole number", "1 000"),
        ):
            field = self.wait(lambda name=name: self.find(f"settings-{name}"))
            field.send_keys(Keys.CONTROL, "a")
            field.send_keys(wrong, Keys.ENTER)
            self.wait(lambda name=name, words=words: words in self.text(f"settings-{name}-wrong"))
            field.send_keys(Keys.CONTROL, "a")
            field.send_keys(right)
            self.after(lambda field=field: field.send_keys(Keys.ENTER))
        document = self.document()["document"]
        self.assertEqual((document["floor"], document["face_limit"]), (200, 1000))
        # Enter, and then the field is left: kept once; Escape keeps nothing
        field = self.find("settings-floor")
        field.send_keys(Keys.CONTROL, "a")
        self.after(lambda: field.send_keys("30 cm", Keys.ENTER, Keys.TAB))
        self.assertEqual(self.revision(), 4)
        field = self.find("settings-floor")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("50 cm", Keys.ESCAPE)
        self.wait(lambda: not self.all("settings"))
        self.settled()
        self.assertEqual((self.revision(), self.document()["document"]["floor"]), (4, 300))
