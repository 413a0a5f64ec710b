"""Answers of bytes: data that never changes, and files to be kept."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from flask import Response

from jukai.app.ports import NotThere

__all__ = ["BINARY", "attachment", "immutable"]

BINARY: Any = {
    "200": {
        "description": "bytes",
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}


def immutable(data: bytes | None, tag: str) -> Response:
    """Return bytes that are the same for ever under this address."""
    if data is None:
        raise NotThere("such mesh any more")
    response = Response(data, mimetype="application/octet-stream")
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    response.headers["ETag"] = f'"{tag}"'
    return response


def attachment(name: str, data: bytes) -> Response:
    """Return a file under its name."""
    plain = name.encode("ascii", "replace").decode().replace("?", "_").replace('"', "_")
    response = Response(data, mimetype="application/octet-stream")
    response.headers["Content-Disposition"] = f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"
    response.headers["Cache-Control"] = "no-store"
    return response
