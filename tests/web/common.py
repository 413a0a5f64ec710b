"""The API on a real database, without a server."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

from jukai.main import make
from jukai.web.security import Access
from tests.common import EXAMPLE


class ApiTest(unittest.TestCase):
    access: Access | None = None

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.app = make(Path(folder.name), access=self.access, checked=True)
        self.addCleanup(self.app.extensions["jukai"].store.close)
        self.client = self.app.test_client()

    def get(self, path: str, status: int = 200, **kwargs: Any) -> Any:
        response = self.client.get(f"/api{path}", **kwargs)
        self.assertEqual(response.status_code, status, response.get_data()[:400])
        return response.get_json() if response.is_json or "json" in (response.mimetype or "") else response.get_data()

    def post(self, path: str, body: Any = None, status: int = 200, **kwargs: Any) -> Any:
        response = self.client.post(f"/api{path}", **({"json": body} if body is not None else {}), **kwargs)
        self.assertEqual(response.status_code, status, response.get_data(as_text=True)[:400])
        return json.loads(response.get_data())

    def opened(self, file: object = None) -> str:
        """Open a bench file, the example if none is given; return the bench's id."""
        data = EXAMPLE.read_bytes() if file is None else json.dumps(file).encode()
        return str(self.post("/benches/open", data=data, status=201)["id"])

    def edit(self, bench: str, base: int, status: int = 200, **edit: Any) -> Any:
        return self.post(f"/benches/{bench}/edits", {"base": base, "edit": edit, "author": "t"}, status)
