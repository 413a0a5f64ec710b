"""The whole server: kill -9, two windows, a taken port."""

from __future__ import annotations

import http.client
import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import unittest
import urllib.error
import urllib.request
from typing import Any

from tests.common import ROOT


class Server(unittest.TestCase):
    """The whole server as a process."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = folder.name
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        self.start()
        self.addCleanup(self.stop)

    @property
    def command(self) -> list[str]:
        run = [sys.executable, "-c", "from jukai.cli import run; run()", "serve"]
        return [*run, "--port", str(self.port), "--data", self.folder]

    def start(self) -> None:
        self.process = subprocess.Popen(self.command, stdout=subprocess.PIPE, cwd=ROOT, text=True)
        assert self.process.stdout is not None
        self.assertIn(f"http://127.0.0.1:{self.port}/", self.process.stdout.readline())

    def stop(self, how: int = signal.SIGTERM) -> None:
        if self.process.poll() is None:
            os.kill(self.process.pid, how)
        self.process.wait(20)
        if self.process.stdout:
            self.process.stdout.close()

    def ask(self, path: str, body: Any = None) -> Any:
        request = urllib.request.Request(f"http://127.0.0.1:{self.port}/api{path}", method="POST" if body is not None else "GET",
                                         data=None if body is None else json.dumps(body).encode(), headers={"Content-Type": "application/json"})  # fmt: skip
        with urllib.request.urlopen(request, timeout=30) as response:
            return json.loads(response.read())

    def test_kill_nine_in_a_stream_of_edits(self) -> None:
        bench = self.ask("/benches", {"name": "Dome"})["id"]
        self.ask(f"/benches/{bench}/edits", {"base": 1, "edit": {"kind": "set_dimension", "name": "n", "value": 0}})
        acknowledged = [2]
        enough = threading.Event()

        def stream() -> None:
            try:
                while True:
                    edit = {"kind": "set_dimension", "name": "n", "value": acknowledged[-1]}
                    acknowledged.append(
                        self.ask(f"/benches/{bench}/edits", {"base": acknowledged[-1], "edit": edit})["revision"]
                    )
                    if acknowledged[-1] > 20:
                        enough.set()  # the stream goes on: the kill falls into one of its next edits
            except (OSError, urllib.error.URLError, http.client.HTTPException, ValueError):
                return

        thread = threading.Thread(target=stream)
        thread.start()
        self.assertTrue(enough.wait(120), f"{acknowledged[-1]} edits are acknowledged")
        self.stop(signal.SIGKILL)
        thread.join()
        self.start()
        state = self.ask(f"/benches/{bench}")
        self.assertGreaterEqual(state["revision"], acknowledged[-1])
        self.assertEqual(state["document"]["dimensions"][0]["value"], state["revision"] - 1)

    def test_a_second_window_is_told(self) -> None:
        bench = self.ask("/benches", {"name": "Dome"})["id"]
        stream = urllib.request.urlopen(f"http://127.0.0.1:{self.port}/api/events?bench={bench}", timeout=10)
        self.addCleanup(stream.close)
        while b"hello" not in stream.readline():
            pass
        self.ask(f"/benches/{bench}/edits", {"base": 1, "edit": {"kind": "set_bench", "name": "D"}, "author": "a"})
        line = b""
        while not line.startswith(b'data: {"kind": "head"'):
            line = stream.readline()
        self.assertEqual(json.loads(line[6:]), {"kind": "head", "revision": 2, "author": "a"})

    def test_a_taken_port_is_one_line(self) -> None:
        out = subprocess.run(self.command, capture_output=True, text=True, cwd=ROOT, timeout=30)
        self.assertEqual(
            (out.returncode, out.stdout, out.stderr),
            (2, "", f"Port {self.port} is taken. Choose another one with --port.\n"),
        )


if __name__ == "__main__":
    unittest.main()
