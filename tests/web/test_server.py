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
import time
import unittest
import urllib.error
import urllib.request
from pathlib import Path
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
        self.assertEqual(json.loads(line[6:]), {"kind": "head", "revision": 2, "author": "a", "bench": bench})

    def test_idle_connections_and_streams_leave_a_user_alone(self) -> None:
        """150 connections that ask nothing, 120 streams, 20 requests that never end: edits are answered, and what is closed is freed."""
        bench = self.ask("/benches", {"name": "Dome"})["id"]
        address = ("127.0.0.1", self.port)

        def opened(text: str) -> socket.socket:
            s = socket.create_connection(address, timeout=20)
            self.addCleanup(s.close)
            s.sendall(text.encode())
            return s

        def threads() -> int:
            status = Path(f"/proc/{self.process.pid}/status").read_text(encoding="utf-8")
            return int(status.split("Threads:")[1].split()[0])

        before = threads()
        for _ in range(150):
            opened("")
        for _ in range(20):
            opened(
                "POST /api/benches HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 900\r\n\r\n{"
            )
        streams = [
            opened(f"GET /api/events?bench={bench} HTTP/1.1\r\nHost: 127.0.0.1:{self.port}\r\n\r\n") for _ in range(120)
        ]
        for s in streams:
            self.assertIn(b"200 OK", s.recv(300))
        self.assertGreaterEqual(threads(), before + 100)
        for n in range(1, 6):
            edit = {"kind": "set_dimension", "name": "n", "value": n}
            self.assertEqual(self.ask(f"/benches/{bench}/edits", {"base": n, "edit": edit})["revision"], n + 1)
        heard = b""
        while b'"revision": 6' not in heard:  # the last of them, though not each
            heard += streams[77].recv(1000)
        for s in streams:
            s.close()
        end = time.monotonic() + 20
        while threads() > before + 20:
            self.assertLess(time.monotonic(), end, "streams that are closed are not freed")
            time.sleep(0.1)

    def test_a_taken_port_is_one_line(self) -> None:
        out = subprocess.run(self.command, capture_output=True, text=True, cwd=ROOT, timeout=30)
        self.assertEqual(
            (out.returncode, out.stdout, out.stderr),
            (2, "", f"Port {self.port} is taken. Choose another one with --port.\n"),
        )


if __name__ == "__main__":
    unittest.main()
