"""What tests of looking have in common: bodies, and what is read off the view."""

from __future__ import annotations

import json
import re
from typing import Any

from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.harness import Actions
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
        return Actions(self.driver).move_to_element_with_offset(self.find("stage"), x, y)

    def number(self, test_id: str) -> float:
        """Return the last number written in an element."""
        found = re.findall(r"[−-]?\d+(?:\.\d+)?", self.text(test_id))
        return float(found[-1].replace("−", "-"))

    def judge(self, words: str) -> None:
        self.open_menu("judge", words)
