"""A real server, a real database and headless Chromium; waiting on states, never on sleeps."""

from __future__ import annotations

import atexit
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import unittest
import urllib.request
from collections.abc import Callable
from contextlib import ExitStack
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    NoSuchElementException,
    StaleElementReferenceException,
)
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from tests.common import ROOT

T = TypeVar("T")
FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-dev-shm-usage", "--window-size=1280,943", "--hide-scrollbars",
    "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--no-first-run",
)  # fmt: skip
RETRY = (StaleElementReferenceException, NoSuchElementException, ElementClickInterceptedException)


class Server:
    """The server as a process, on a data folder that outlives it."""

    def __init__(self, folder: str, *, demo: bool = True) -> None:
        self.folder, self.demo = folder, demo
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        self.start()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        command = [
            sys.executable,
            "-c",
            "from jukai.cli import run; run()",
            "demo" if self.demo else "serve",
            "--port",
            str(self.port),
        ]
        self.process = subprocess.Popen([*command, "--data", self.folder], stdout=subprocess.PIPE, cwd=ROOT, text=True)
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        if self.address not in line:
            raise RuntimeError(f"the server did not start: {line}")

    def stop(self) -> None:
        if self.process.poll() is None:
            os.kill(self.process.pid, signal.SIGTERM)
        self.process.wait(20)
        if self.process.stdout:
            self.process.stdout.close()


def chromium(downloads: str, scale: float = 1) -> webdriver.Chrome:
    """Return a browser that draws ``scale`` pixels for one of the page; no driver is looked for or fetched."""
    os.environ |= {"SE_OFFLINE": "true", "SE_AVOID_STATS": "true"}
    options = Options()
    options.binary_location = shutil.which("chromium") or "chromium"
    for flag in (*FLAGS, f"--force-device-scale-factor={scale}"):
        options.add_argument(flag)
    options.add_experimental_option(
        "prefs", {"download.default_directory": downloads, "download.prompt_for_download": False}
    )
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    return webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))


class Actions(ActionChains):
    """Pointer and keys; a move takes a moment, not a quarter of a second."""

    def __init__(self, driver: webdriver.Chrome, duration: int = 40) -> None:
        super().__init__(driver, duration=duration)


class Room:
    """A browser, a folder for what it downloads, and a server."""

    def __init__(self, *, demo: bool, scale: float) -> None:
        with ExitStack() as stack:
            self.folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))
            self.downloads = self.folder / "downloads"
            self.downloads.mkdir()
            self.server = Server(str(self.folder / "data"), demo=demo)
            stack.callback(self.server.stop)
            self.driver = chromium(str(self.downloads), scale)
            stack.callback(self.driver.quit)
            self.close = stack.pop_all().close

    def as_new(self) -> None:
        """Leave nothing of the tests before in the browser."""
        self.driver.get("about:blank")
        kept = {"origin": self.server.address, "storageTypes": "local_storage"}
        self.driver.execute_cdp_cmd("Storage.clearDataForOrigin", kept)
        self.driver.get_log("browser")
        for file in self.downloads.iterdir():
            file.unlink()


@cache
def shared(scale: float) -> Room:
    """Return the room that the tests of a scale have in common: each opens a bench of its own in it."""
    room = Room(demo=True, scale=scale)
    atexit.register(room.close)
    return room


class BrowserTest(unittest.TestCase):
    """A test in a real browser; with ``alone`` a class has a browser and a server of its own, with an empty list.

    A page is as large and laid out as any, but drawn with a quarter of the pixels, which is what takes longest where
    there is no graphics card; ``scale`` 1 for those that look at the pixels.
    """

    alone = False
    scale: float = 0.5
    folder: Path
    downloads: Path
    driver: webdriver.Chrome
    server: Server

    @classmethod
    def setUpClass(cls) -> None:
        room = Room(demo=False, scale=cls.scale) if cls.alone else shared(cls.scale)
        if cls.alone:
            cls.addClassCleanup(room.close)
        room.as_new()
        cls.folder, cls.downloads, cls.driver, cls.server = room.folder, room.downloads, room.driver, room.server

    def run(self, result: Any = None) -> Any:
        """Keep a picture of the page when a test fails, if JUKAI_PICTURES names a folder."""
        before = len(result.failures) + len(result.errors) if result else 0
        out = super().run(result)
        if result and len(result.failures) + len(result.errors) > before and os.environ.get("JUKAI_PICTURES"):
            self.driver.save_screenshot(f"{os.environ['JUKAI_PICTURES']}/{self._testMethodName}.png")
        return out

    def tearDown(self) -> None:
        severe = [
            e["message"]
            for e in self.driver.get_log("browser")
            if e["level"] == "SEVERE" and not self.expected(e["message"])
        ]
        self.assertEqual(severe, [])

    def expected(self, message: str) -> bool:
        """Return whether a message of the browser's log is part of the test."""
        return False

    # -- finding and waiting --------------------------------------------------------------------
    def find(self, test_id: str) -> WebElement:
        return self.driver.find_element(By.CSS_SELECTOR, f'[data-testid="{test_id}"]')

    def all(self, test_id: str) -> list[WebElement]:
        return self.driver.find_elements(By.CSS_SELECTOR, f'[data-testid="{test_id}"]')

    def wait(self, condition: Callable[[], T], what: str = "", seconds: float = 60) -> T:
        wait = WebDriverWait(self.driver, seconds, poll_frequency=0.03, ignored_exceptions=RETRY)
        return wait.until(lambda _: condition(), what)

    def said(self, name: str, attribute: str) -> str:
        """Return what an attribute of an element says, empty where it has none."""
        return self.find(name).get_attribute(attribute) or ""

    def text(self, test_id: str) -> str:
        return self.wait(lambda: [self.find(test_id).text])[0]

    def click(self, test_id: str) -> None:
        self.wait(lambda: [self.find(test_id).click()], f"click {test_id}")

    def still(self, test_id: str) -> WebElement:
        """Return an element once it stands where it stood a moment ago: what just opened is laid out first."""
        places: list[Any] = []

        def rests() -> WebElement | None:
            element = self.find(test_id)
            places.append(element.rect)
            return element if len(places) > 2 and places[-1] == places[-2] == places[-3] else None

        element = self.wait(rests, f"{test_id} at rest")
        assert element is not None
        return element

    def attribute(self, test_id: str, name: str) -> str:
        return self.wait(lambda: [self.find(test_id).get_attribute(name)])[0] or ""

    def open_menu(self, trigger: str, words: str) -> None:
        """Choose an entry of a menu by its words."""
        self.click(trigger)
        places: list[Any] = []

        def choose() -> Any:
            items = self.driver.find_elements(By.CSS_SELECTOR, '[data-state="open"] [role="menuitem"]')
            item = next((i for i in items if i.is_displayed() and i.text.startswith(words)), None)
            places.append(item.rect if item else None)
            # a menu that is still opening moves away under the pointer
            if item is None or len(places) < 3 or places[-1] != places[-2] or places[-1] != places[-3]:
                return None
            return [item.click()]

        self.wait(choose, f"menu entry {words}")

    # -- the bench ------------------------------------------------------------------------------
    def open_demo(self) -> None:
        """Open a demo bench of the test's own."""
        body = json.dumps({"name": "Demo", "demo": True}).encode()
        request = urllib.request.Request(
            f"{self.server.address}/api/benches", body, {"Content-Type": "application/json"}
        )
        with urllib.request.urlopen(request) as response:
            self.driver.get(f"{self.server.address}/bench/{json.loads(response.read())['id']}")
        self.settled()

    def open_bench(self, bench: dict[str, Any]) -> None:
        """Open a bench file as a person would, and its page."""
        request = urllib.request.Request(
            f"{self.server.address}/api/benches/open",
            json.dumps(bench).encode(),
            {"Content-Type": "application/octet-stream"},
        )
        with urllib.request.urlopen(request) as response:
            self.driver.get(f"{self.server.address}/bench/{json.loads(response.read())['id']}")
        self.wait(lambda: self.attribute("stage", "data-shown"), "the body", 120)
        self.settled()

    def revision(self) -> int:
        return int(self.attribute("bench", "data-revision"))

    def settled(self) -> None:
        """Wait until no edit is on its way and the body shown is that of the state."""
        self.wait(
            lambda: (
                self.find("bench").get_attribute("data-waiting") == "0"
                and bool(self.said("stage", "data-shown"))
                and self.said("stage", "data-shown") == self.said("stage", "data-due")
            ),
            "settled",
        )

    def after(self, act: Callable[[], Any], *, by: int = 1) -> None:
        """Do something that makes one revision, and wait for it."""
        before = self.revision()
        act()
        self.wait(lambda: self.revision() >= before + by, "a new revision")
        self.settled()

    def drag(self, element: WebElement, *moves: tuple[int, int]) -> None:
        chain = Actions(self.driver).move_to_element(element).click_and_hold()
        for move in moves:
            chain.move_by_offset(*move)
        chain.perform()
        Actions(self.driver, duration=0).release().perform()

    def type_into(self, chip: str, text: str, *, end: str = Keys.ENTER) -> None:
        self.click(f"chip-{chip}")
        field = self.wait(lambda: self.find(f"field-{chip}"), f"field {chip}")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text, end)

    def keys(self, *keys: str) -> None:
        self.driver.find_element(By.TAG_NAME, "body").send_keys(*keys)

    def downloaded(self, ending: str) -> Path:
        def done() -> Path | None:
            files = [p for p in self.downloads.iterdir() if not p.name.startswith(".")]
            if any(p.suffix == ".crdownload" for p in files):
                return None
            return next((p for p in files if p.name.endswith(ending) and p.stat().st_size), None)

        path = self.wait(done, f"a download {ending}")
        assert path is not None
        return path

    def document(self) -> Any:
        """Return the state of the bench as the server has it."""
        bench = self.driver.current_url.rsplit("/", 1)[-1]
        with urllib.request.urlopen(f"{self.server.address}/api/benches/{bench}") as response:
            return json.loads(response.read())
