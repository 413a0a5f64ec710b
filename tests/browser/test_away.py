"""Work that takes long is stopped and goes on; the server goes away and comes back."""

from __future__ import annotations

import unittest
from typing import Any

from selenium.webdriver.common.by import By

from tests.browser.harness import BrowserTest

SIDES = "p1/s1/values/sides"


class Away(BrowserTest):
    def expected(self, message: str) -> bool:
        # the server is stopped on purpose
        words = (
            "ERR_CONNECTION_REFUSED",
            "ERR_INCOMPLETE",
            "ERR_CONNECTION_RESET",
            "ERR_EMPTY_RESPONSE",
            "ERR_SOCKET_NOT_CONNECTED",
        )
        return any(part in message for part in words)

    def setUp(self) -> None:
        self.open_demo()

    def sides(self) -> Any:
        return self.document()["document"]["parts"][0]["recipe"][0]["values"]["sides"]

    def test_edits_are_kept_while_the_server_is_away(self) -> None:
        self.server.stop()
        self.wait(lambda: self.all("offline"), "that it is said before anything is asked")
        self.type_into(SIDES, "20")
        self.wait(lambda: "One edit is kept" in self.text("offline"))
        self.type_into("p1/s1/values/rows", "40")
        self.wait(lambda: "2 edits are kept" in self.text("offline"))
        self.server.start()
        self.wait(lambda: not self.all("offline"), "back again")
        # the strip goes when the last edit is kept, not before
        values = self.document()["document"]["parts"][0]["recipe"][0]["values"]
        self.assertEqual((values["sides"], values["rows"]), (20, 40))
        # the new server loads its kernels while it works the demo out again
        self.wait(
            lambda: self.sides() == 20,
            "the edit that was kept",
            90,
        )

    def test_stop_holds_until_it_is_asked_to_go_on(self) -> None:
        """A count that takes long, stopped by its card: the good body stays, also after a restart."""
        mesh, faces = self.attribute("stage", "data-shown"), self.text("faces")
        self.click("step-s1")
        self.type_into(SIDES, "1000")
        # until it is there, what is told of the part is marked as of before
        self.wait(lambda: self.attribute("title-block", "data-stale") == "true", "stale figures")
        self.assertEqual(self.attribute("soundness", "data-state"), "checking")
        self.assertEqual(self.attribute("clearance", "data-stale"), "true")
        self.wait(lambda: [self.driver.find_element(By.XPATH, "//button[normalize-space()='Stop']").click()], "Stop")
        self.wait(lambda: self.all("go-on"), "that it was stopped")
        self.assertEqual(self.attribute("stage", "data-shown"), mesh)
        self.assertEqual(self.text("faces"), faces)
        self.server.stop()
        self.server.start()
        self.driver.refresh()
        self.wait(lambda: self.all("go-on"), "that it is still stopped", 60)
        self.assertEqual(self.sides(), 1000)
        # another edit of the same part begins anew, with what can be done
        self.type_into(SIDES, "24")
        self.wait(lambda: not self.all("go-on"), "that it goes on", 60)
        self.settled()
        self.assertEqual(self.sides(), 24)
        self.wait(lambda: self.attribute("title-block", "data-stale") == "false", "fresh figures")
        self.wait(lambda: self.attribute("clearance", "data-stale") == "false", "fresh clearances")


if __name__ == "__main__":
    unittest.main()
