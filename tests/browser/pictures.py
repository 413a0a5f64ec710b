"""Take the pictures of docs/screenshots anew, from the demo: ``python -m tests.browser.pictures [name ...]``.

All but placing.png, which is taken while a capsule is set down on a tilted face by hand.
"""

from __future__ import annotations

import sys
import unittest
from collections.abc import Callable
from typing import Any

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.harness import Actions, BrowserTest
from tests.common import ROOT

FOLDER = ROOT / "docs" / "screenshots"
WANTED = sys.argv[1:]


class Pictures(BrowserTest):
    """One picture a method, each from a fresh look at the demo."""

    scale = 1

    def tearDown(self) -> None:
        """Nothing is tested here."""

    def rest(self, seconds: float = 1.6) -> None:
        """Wait until bodies, shadows and checks have come: nothing is drawn any more, nothing is asked."""
        quiet = (
            "const done = arguments[1], s = document.querySelector('canvas') && window.__stage; let n = -1;"
            "const go = () => { const now = s ? s.pictures : 0; if (now === n) done(1);"
            "else { n = now; setTimeout(go, arguments[0] * 1000) } }; go()"
        )
        self.driver.set_script_timeout(60)
        self.driver.execute_async_script(quiet, seconds)

    def take(self, name: str) -> None:
        self.rest()
        self.driver.execute_script("document.activeElement?.blur()")
        self.driver.save_screenshot(str(FOLDER / f"{name}.png"))
        sys.stdout.write(f"{name}\n")

    def look(self, **change: Any) -> None:
        self.driver.execute_script(
            "__stage.looking = { ...__stage.looking, ...arguments[0] }; __stage.invalidate()", change
        )

    def look_at(self, name: str, distance: float) -> None:
        """Come to the middle of a part."""
        view = next(v for v in self.document()["parts"] if v["name"] == name)
        low, high = view["stands"]
        self.look(target=[(a + b) / 2 for a, b in zip(low, high, strict=True)], distance=distance)

    def first(self) -> str:
        return str(self.driver.execute_script("return [...__stage.bodies.keys()][0]"))

    def steps(self) -> list[str]:
        return self.attribute("recipe", "data-order").split()

    def part(self, name: str) -> str:
        """Return the id of a part by the beginning of its name."""
        rows = self.driver.find_elements(By.CSS_SELECTOR, "[data-testid^='part-p']")
        row = next(r for r in rows if r.text.startswith(name)).get_attribute("data-testid")
        return str(row).removeprefix("part-")

    def choose(self, name: str) -> None:
        rows = self.driver.find_elements(By.CSS_SELECTOR, "[data-testid^='part-']")
        next(r for r in rows if r.text.startswith(name)).click()
        self.settled()

    def runTest(self) -> None:  # noqa: N802
        for name, make in PICTURES.items():
            if WANTED and name not in WANTED:
                continue
            self.open_demo()
            make(self)


def main(t: Pictures) -> None:
    t.take("main")


def board(t: Pictures) -> None:
    part = t.first()
    t.open_menu(f"chip-{part}/{t.steps()[0]}/values/profile", "Draw Column profile")
    t.wait(lambda: t.find("board"))
    t.take("board")
    t.click("close-board")


def picks(t: Pictures) -> None:
    part = t.first()
    bevel = t.steps()[-1]
    t.click(f"step-{bevel}")
    t.click(f"chip-{part}/{bevel}/values/pick")
    t.wait(lambda: t.attribute("pick-panel", "data-picked") not in ("", "0"))
    t.take("picks")


def section(t: Pictures) -> None:
    t.keys("x")
    t.wait(lambda: t.attribute("stage", "data-section"))
    t.take("section")
    t.keys("x")


def judge(t: Pictures) -> None:
    t.open_menu("judge", "Light bands")
    t.take("judge")
    t.click("judging-off")


def beside(t: Pictures) -> None:
    t.keys("v")
    t.wait(lambda: len(t.all("pane-outline")) == 3)
    t.take("beside")
    t.keys("v")


def sheet(t: Pictures) -> None:
    t.open_menu("more", "Drawing sheet")
    t.wait(lambda: t.driver.find_elements(By.CSS_SELECTOR, ".sheet-picture img"))
    t.take("sheet")
    t.keys(Keys.ESCAPE)


def dusk(t: Pictures) -> None:
    t.open_menu("more", "Dusk")
    t.take("dusk")
    t.open_menu("more", "Paper")


def alone(t: Pictures, name: str, distance: float, **look: Any) -> str:
    """Show one of the workshop's parts and nothing else; return its id."""
    ornament(t, "Workshop", name)
    part = t.part(name)
    t.after(lambda: t.click(f"eye-{part}"))
    t.open_menu(f"part-more-{part}", "Show only")
    t.rest(0.5)
    t.look_at(name, distance)
    t.look(**look)
    return part


def deforming(t: Pictures) -> None:
    alone(t, "Lamp arm", 260, around=-30, above=22)
    t.driver.execute_script("document.querySelector(\"[data-testid='step-s3']\").click()")
    t.take("deforming")


def mask(t: Pictures) -> None:
    part = alone(t, "Hammered ball", 120, around=-30, above=25)
    t.driver.execute_script("document.querySelector(\"[data-testid='step-s2']\").click()")
    t.click(f"paint-{part}/s2")
    t.wait(lambda: t.attribute("paint-bar", "data-mesh"))
    t.rest(0.5)
    Actions(t.driver).move_to_element_with_offset(t.find("stage"), 30, -20).perform()
    t.take("mask")


def clamp(t: Pictures) -> None:
    """Take two flanges, held together by screws and nuts, cut open."""
    ornament(t, "Workshop", "Clamp nut")
    for name in ("Drilled flange", "Flange cover", "Clamp screw", "Clamp ring", "Clamp nut", "Thumb screw", "Cap nut"):
        part = t.part(name)
        t.after(lambda part=part: t.click(f"eye-{part}"))
    t.choose("Clamp nut")
    t.driver.execute_script("document.querySelector(\"[data-testid='step-s1']\").click()")
    t.keys("x")
    t.wait(lambda: t.attribute("stage", "data-section"))
    t.rest(0.5)
    t.wait(lambda: t.find("clearance").get_attribute("data-state") == "exact")
    t.look_at("Clamp screw", 70)
    t.look(around=-24, above=14)
    t.take("clamp")
    t.keys("x")


def screw(t: Pictures) -> None:
    alone(t, "Clamp screw", 62, around=-30, above=24)
    t.driver.execute_script("document.querySelector(\"[data-testid='step-s1']\").click()")
    t.take("screw")


def bevel(t: Pictures) -> None:
    heading = next(
        h for h in t.driver.find_elements(By.CSS_SELECTOR, "[data-testid^='heading-']") if "Workshop" in h.text
    )
    heading.click()
    t.choose("Panelled foot")
    t.click(f"step-{t.steps()[1]}")
    foot = t.part("Panelled foot")
    t.after(lambda: t.click(f"eye-{foot}"))
    t.open_menu(f"part-more-{foot}", "Show only")
    t.rest(0.5)
    t.look_at("Panelled foot", 150)
    t.take("bevel")


def ornament(t: Pictures, heading: str, name: str) -> None:
    """Choose a part of a heading that is folded, and show nothing else."""
    for h in t.driver.find_elements(By.CSS_SELECTOR, "[data-testid^='heading-']"):
        if heading in h.text and name not in t.text("parts"):
            h.click()
    t.choose(name)


def graph(t: Pictures) -> None:
    ornament(t, "Workshop", "Left scroll")
    part = t.part("Left scroll")
    t.after(lambda: t.click(f"eye-{part}"))
    t.open_menu(f"part-more-{part}", "Show only")
    t.driver.execute_script("document.querySelector(\"[data-testid='step-s1']\").click()")
    t.click(f"chip-{part}/s1/values/wire_diameter_graph")
    t.wait(lambda: t.find("graph-sheet"))
    t.rest(0.5)
    t.look_at("Left scroll", 110)
    drawing = t.find("graph-drawing")
    Actions(t.driver).move_to_element_with_offset(drawing, 40, 0).perform()
    t.take("graph")
    t.click("close-graph")


def edits(t: Pictures) -> None:
    alone(t, "Gear case lid", 120, around=-28, above=38)
    t.driver.execute_script("document.querySelector(\"[data-testid='step-s2']\").click()")
    t.take("edits")


def gem(t: Pictures) -> None:
    ornament(t, "Sky", "Zenith gem")
    for name in ("Zenith gem", "Gem setting"):
        part = t.part(name)
        t.after(lambda part=part: t.click(f"eye-{part}"))
    t.driver.execute_script("document.querySelector(\"[data-testid='step-s1']\").click()")
    t.rest(0.5)
    t.look_at("Zenith gem", 42)
    t.look(above=38)
    t.driver.execute_script("__stage.setTraces(true)")  # as with a graphics card
    t.take("gem")


def start(t: Pictures) -> None:
    t.click("home")
    t.wait(lambda: not t.all("stage"))
    t.take("start")


def handover(t: Pictures) -> None:
    t.click("bake")
    t.wait(lambda: t.all("handover-sheet") or t.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"))
    t.take("handover")


PICTURES: dict[str, Callable[[Pictures], None]] = {
    f.__name__: f
    for f in (
        main,
        edits,
        board,
        picks,
        section,
        judge,
        beside,
        sheet,
        dusk,
        deforming,
        mask,
        clamp,
        screw,
        bevel,
        graph,
        gem,
        handover,
        start,
    )
}

if __name__ == "__main__":
    result = unittest.TextTestRunner(verbosity=0).run(unittest.TestSuite([Pictures()]))
    raise SystemExit(not result.wasSuccessful())
