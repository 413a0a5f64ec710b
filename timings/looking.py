"""Pictures a second while the view is turned, against the plain way in the same browser; sections, callouts, sheets."""

from __future__ import annotations

import functools
import http.server
import json
import threading
import time
import unittest
import urllib.request
from pathlib import Path
from statistics import mean, median
from typing import Any
from unittest import mock
from urllib.parse import quote

from tests.browser import harness
from tests.browser.harness import BrowserTest

from timings.page import RENDERER

ROOT = Path(__file__).parent.parent
BUILD = ROOT / "frontend" / "node_modules" / "three" / "build"
SIZE = (1280, 800)
"""The view, as in the design's table; the window has two columns beside it."""
WINDOW = f"--window-size={SIZE[0] + 536},{SIZE[1] + 44 + 143}"
SLOWER = (*(f for f in harness.FLAGS if "window-size" not in f), WINDOW)
FASTER = (*(f for f in SLOWER if "swiftshader" not in f), "--use-angle=gl-egl", "--ignore-gpu-blocklist")

TURNED = """
const [turn, shown, count, done] = arguments
const step = turn === 'plain' ? () => window.__turn() : () => {
  const s = window.__stage
  s.looking = { ...s.looking, around: s.looking.around + 3 }
  s.draw()
  const gl = s.renderer.getContext()
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4))
}
let n = 0
const times = []
let last = performance.now()
const go = () => {
  step()
  const now = performance.now()
  if (n > 2) times.push(now - last)
  last = now
  n += 1
  if (n >= count + 3) done(times)
  else if (shown) requestAnimationFrame(go)
  else go()
}
if (shown) requestAnimationFrame(go)
else go()
"""
"""Pictures drawn and read back one after another, as in the design's table; or each shown."""

ALONE = """
for (const e of document.querySelectorAll('.top,.recipe,.side,.titles,.strips,.trail,.title-block,.frame,svg.callouts'))
  e.style.visibility = arguments[0] ? 'hidden' : ''
const s = window.__stage
if (arguments[0]) {
  s.told = s.onDrawn
  s.onDrawn = () => {}
} else s.onDrawn = s.told
"""
"""The view as alone on its page as the plain way is on its own: what is shown then is two ways of drawing, and no columns."""


class Files(http.server.SimpleHTTPRequestHandler):
    """The plain page, and the library it uses."""

    mesh = ""

    def do_GET(self) -> None:
        """Send a file, or the drawing data of the body that the view shows."""
        if self.path != "/mesh":
            super().do_GET()
            return
        with urllib.request.urlopen(Files.mesh) as response:
            data = response.read()
        self.send_response(200)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def translate_path(self, path: str) -> str:
        name = path.partition("?")[0].lstrip("/")
        return str(BUILD / name) if name.endswith(".js") else str(Path(__file__).parent / "plain.html")

    def log_message(self, *_: Any) -> None:
        """Say nothing."""


def torus(sides: int, rows: int) -> dict[str, Any]:
    values = {"major_radius": 20, "minor_radius": 6, "sides": sides, "minor_sides": rows}
    part = {"id": "p1", "name": "Ring", "recipe": [{"id": "s1", "operator": "torus", "values": values}]}
    return {"format": "jukai-bench", "version": 1, "name": "Ring", "unit": "mm", "parts": [part]}


class Turning(BrowserTest):
    alone = True  # its browser has flags of its own
    scale = 1
    flags = SLOWER

    @classmethod
    def setUpClass(cls) -> None:
        with mock.patch.object(harness, "FLAGS", cls.flags):
            super().setUpClass()

    def turned(self, which: str, count: int = 15, *, shown: bool = False) -> float:
        """Return milliseconds a picture: the middle of some; of those shown the mean, which is pictures over time."""
        self.driver.set_script_timeout(120)
        times = self.driver.execute_async_script(TURNED, which, shown, 2 * count if shown else count)
        return mean(times) if shown else median(times)

    def plain(self) -> tuple[float, float]:
        """Turn the body that the view shows in the plain way, seen from the same place."""
        looking = self.driver.execute_script("return __stage.looking")
        Files.mesh = f"{self.server.address}/api/meshes/{self.attribute('stage', 'data-shown')}"
        at = quote(json.dumps(looking | self.size))
        self.driver.get(f"http://127.0.0.1:{self.files.server_port}/plain.html?{time.time()}#{at}")
        self.wait(lambda: self.driver.execute_script("return window.__ready"), "the plain page", 120)
        return self.turned("plain"), self.turned("plain", shown=True)

    def ours(self, sides: int, rows: int) -> tuple[float, float, float]:
        """Return milliseconds a picture: read back, shown alone, shown among its columns with its callouts."""
        self.open_bench(torus(sides, rows))
        # it rests: its runs of faces and its strips are there
        self.wait(
            lambda: self.driver.execute_script("return [...__stage.bodies.values()][0].clusters?.near.length > 0")
        )
        among = self.turned("ours", shown=True)
        self.driver.execute_script(ALONE, True)
        alone = self.turned("ours", shown=True)
        self.driver.execute_script(ALONE, False)
        return self.turned("ours"), alone, among

    def runTest(self) -> None:  # noqa: N802
        self.files = http.server.ThreadingHTTPServer(("127.0.0.1", 0), functools.partial(Files))
        threading.Thread(target=self.files.serve_forever, daemon=True).start()
        self.addCleanup(self.files.shutdown)
        name = self.driver.execute_script(RENDERER)
        aim = 2 if "llvmpipe" in name.lower() else 3
        self.open_bench(torus(24, 12))
        self.size = self.find("stage").size
        print(f"turning the view, {self.size['width']} x {self.size['height']}, {name}")
        ratios, large, shown, among = [], [], [], []
        for _ in range(5):
            ours, ours_alone, ours_among = self.ours(250, 200)
            plain, plain_shown = self.plain()
            ratios.append(plain / ours)
            shown.append(plain_shown / ours_alone)
            among.append(plain_shown / ours_among)
            large.append(self.ours(500, 400)[0] / plain)
            print(f"    50 000 faces with edges: plain {plain:.0f} ms a picture, ours {ours:.0f} ms; shown, each alone on its page, "
                  f"{plain_shown:.0f} and {ours_alone:.0f} ms; ours among columns and callouts {ours_among:.0f} ms", flush=True)  # fmt: skip
        for what, rates in (("drawn and read back", ratios), ("shown, each alone on its page", shown)):
            met = "met" if median(rates) >= aim else "NOT met"
            print(f"    pictures a second over the plain way, {what}: {median(rates):.1f} (aim {aim}, {met})")
        print(f"    shown among columns and callouts over the plain way without any: {median(among):.1f}")
        met = "met" if median(large) <= 2 else "NOT met"
        print(f"    200 000 faces over the plain way at 50 000: {median(large):.2f} (aim 2, {met})")
        self.section()
        self.callouts()

    def section(self) -> None:
        self.open_bench(torus(250, 200))
        ratios = []
        for _ in range(3):
            whole = self.turned("ours")
            self.keys("x")
            self.wait(lambda: self.attribute("stage", "data-section"))
            ratios.append(self.turned("ours") / whole)
            self.keys("x")
            self.wait(lambda: not self.attribute("stage", "data-section"))
        met = "met" if median(ratios) <= 1.5 else "NOT met"
        print(f"    a picture with a section over one without: {median(ratios):.2f} (aim 1.5, {met})", flush=True)

    def callouts(self) -> None:
        """What React does for a picture: laying out callouts and hovering, timed by themselves."""
        self.open_demo()
        laid = self.driver.execute_async_script("""
            const done = arguments[arguments.length - 1]
            const s = window.__stage, times = []
            const tell = s.onDrawn
            let n = 0
            const go = () => {
              s.looking = { ...s.looking, around: s.looking.around + 1 }
              const start = performance.now()
              tell(1)
              // what it set going is done before the next task
              const c = new MessageChannel()
              c.port1.onmessage = () => {
                times.push(performance.now() - start)
                n += 1
                if (n < 60) go()
                else done(times)
              }
              c.port2.postMessage(0)
            }
            go()""")
        met = "met" if median(laid) < 5 else "NOT met"
        print(f"    callouts of the demo pedestal laid out: {median(laid):.1f} ms a picture (aim 5, {met})")
        hover = self.driver.execute_script("""
            const s = window.__stage, times = []
            for (let i = 0; i < 60; i++) {
              const t = performance.now()
              s.faceAt(250 + i * 3, 380)
              times.push(performance.now() - t)
            }
            return times""")
        met = "met" if median(hover) < 5 else "NOT met"
        print(f"    hovering: {median(hover):.1f} ms (aim 5, {met})")
        bench = self.driver.current_url.rsplit("/", 1)[-1]
        took = self.driver.execute_async_script(
            "const done = arguments[1]; const t = performance.now();"
            "fetch(`/api/benches/${arguments[0]}/sheet?section=0,-1,0,0`).then(r => r.blob()).then(() => done(performance.now() - t))", bench)  # fmt: skip
        met = "met" if took < 5000 else "NOT met"
        print(f"    drawing sheet of the demo bench with a section: {took / 1000:.2f} s (aim 5, {met})", flush=True)


class Faster(Turning):
    """The same on the faster software renderer, where it is installed."""

    flags = FASTER


if __name__ == "__main__":
    suite = unittest.TestSuite([Turning(), Faster()])
    result = unittest.TextTestRunner(verbosity=0).run(suite)
    raise SystemExit(not result.wasSuccessful())
