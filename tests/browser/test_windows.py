"""Around a bench: files taken in, more windows than one, the list of benches."""

from __future__ import annotations

import unittest
from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.harness import BrowserTest
from tests.browser.test_placing import bench, part
from tests.common import EXAMPLE, REFERENCE

TURN = "p1/s1/values"


class Imports(BrowserTest):
    def expected(self, message: str) -> bool:
        return "422" in message

    def choose(self, path: Path) -> None:
        self.keys("/")
        self.wait(lambda: self.find("find-list"))
        self.find("find").send_keys("import", Keys.ENTER)
        self.wait(lambda: self.driver.find_elements(By.CSS_SELECTOR, '[data-testid="import-input"]'))[-1].send_keys(
            str(path)
        )

    def test_a_mesh_is_taken_in_and_its_faults_are_shown(self) -> None:
        self.open_demo()
        self.after(lambda: self.choose(REFERENCE / "meshes" / "open_box.obj"))
        self.assertIn("1 × 1 × 1 is taken as mm", self.wait(lambda: self.find("message").text))
        self.wait(lambda: self.find("soundness").get_attribute("data-state") == "failed")
        self.click("finding-open_edges")
        self.wait(lambda: len(self.driver.find_elements(By.CSS_SELECTOR, ".callouts .spot")) == 4)
        part = self.document()["document"]["parts"][-1]["id"]
        self.after(lambda: self.open_menu(f"chip-{part}/s1/values/unit", "inches"))
        self.wait(lambda: self.text("size") == "25.4\u2009×\u200925.4\u2009×\u200925.4")

    def test_a_bad_file_is_told_and_changes_nothing(self) -> None:
        self.open_demo()
        revision = self.revision()
        self.choose(REFERENCE / "meshes_bad" / "index_zero.obj")
        self.assertIn("Line 5: point number 0", self.wait(lambda: self.find("message").text))
        self.assertEqual(self.revision(), revision)


class Windows(BrowserTest):
    def expected(self, message: str) -> bool:
        return any(part in message for part in ("409", "ERR_", "404"))

    def test_a_second_window_follows_and_a_stale_edit_is_not_lost(self) -> None:
        self.open_demo()
        first = self.driver.current_window_handle
        address = self.driver.current_url
        self.driver.switch_to.new_window("tab")
        second = self.driver.current_window_handle
        self.driver.get(address)
        self.settled()
        self.after(lambda: self.type_into(f"{TURN}/sides", "24"))
        revision = self.revision()
        self.driver.switch_to.window(first)
        self.wait(lambda: self.revision() == revision, "the first window follows")
        self.assertIn("24", self.text(f"chip-{TURN}/sides"))
        # an edit that was made on an older revision is done upon the newer one
        self.driver.execute_script(
            "const id = location.pathname.split('/').pop();"
            "return fetch(`/api/benches/${id}/edits`, {method: 'POST', headers: {'Content-Type': 'application/json'},"
            " body: JSON.stringify({base: arguments[0], author: 'script', edit: {kind: 'set_dimension', name: 'flutes', value: 40}})}).then(r => r.status)",
            revision,
        )
        self.after(lambda: self.type_into(f"{TURN}/sides", "30"))
        self.wait(lambda: self.document()["revision"] >= revision + 2)
        document = self.document()["document"]
        self.assertEqual(document["parts"][0]["recipe"][0]["values"]["sides"], 30)
        self.assertEqual(next(d["value"] for d in document["dimensions"] if d["name"] == "flutes"), 40)
        self.driver.switch_to.window(second)
        self.driver.close()
        self.driver.switch_to.window(first)

    def test_more_windows_than_a_browser_opens_connections(self) -> None:
        """A browser opens six connections to a server and no more: eight windows share one stream of news."""
        self.open_bench(bench(part(1, "box", {"size": [10, 20, 30]})))
        address, first = self.driver.current_url, self.driver.current_window_handle
        for _ in range(7):
            self.driver.switch_to.new_window("tab")
            self.driver.get(address)
            self.settled()
        self.after(lambda: self.type_into("p1/s1/values/size/0", "15"))
        for window in self.driver.window_handles:
            self.driver.switch_to.window(window)
            self.wait(lambda: self.revision() == 2, "every window follows")
        for window in self.driver.window_handles:
            if window != first:
                self.driver.switch_to.window(window)
                self.driver.close()
        self.driver.switch_to.window(first)
        self.click("undo")
        self.wait(lambda: self.revision() == 1, "the first window goes on alone")


class StartPage(BrowserTest):
    alone = True

    def expected(self, message: str) -> bool:
        return "422" in message

    def test_benches(self) -> None:
        self.driver.get(self.server.address)
        self.wait(lambda: self.find("no-benches"))
        self.click("new-bench")
        self.wait(lambda: self.find("begin-box"))
        self.click("begin-cylinder")
        self.wait(lambda: self.find("placing"))
        self.after(lambda: self.keys(Keys.ENTER))
        self.settled()
        self.after(lambda: self.add("twi"))
        self.assertEqual(self.attribute("recipe", "data-order"), "s1 s2")
        self.click("bench-name")
        field = self.wait(lambda: self.find("bench-name-field"))
        field.send_keys(Keys.CONTROL, "a")
        self.after(lambda: field.send_keys("Zenith dome", Keys.ENTER))
        self.click("home")
        self.wait(lambda: self.find("bench-link").text == "Zenith dome")
        self.click("duplicate")
        self.wait(lambda: len(self.all("bench-link")) == 2)
        self.click("remove")
        self.wait(lambda: len(self.all("bench-link")) == 1)
        self.click("restore")
        self.wait(lambda: len(self.all("bench-link")) == 2)
        self.click("download")
        path = self.downloaded(".jukai.json")
        self.find("file-input").send_keys(str(path))
        self.wait(lambda: self.find("bench"))
        self.click("home")
        self.wait(lambda: len(self.all("bench-link")) == 3)
        broken = self.downloads / "broken.jukai.json"
        broken.write_text(EXAMPLE.read_text().replace('"angle"', '"angle'))
        self.find("file-input").send_keys(str(broken))
        self.assertIn("JSON is broken at line", self.wait(lambda: self.find("message").text))

    def add(self, text: str) -> None:
        self.keys("/")
        self.wait(lambda: self.find("find-list"))
        self.find("find").send_keys(text, Keys.ENTER)


if __name__ == "__main__":
    unittest.main()
