"""Who may talk to the server: this machine's own pages, or the holder of a token."""

from __future__ import annotations

import hmac
import ipaddress
from dataclasses import dataclass
from urllib.parse import urlsplit

from flask import Flask, Response, request

from jukai.web.kit import problem

__all__ = ["Access", "guard", "is_loopback"]

POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU='; "
    "img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; "
    "frame-ancestors 'none'"
)
_COOKIE = "jukai_token"


@dataclass(frozen=True, slots=True)
class Access:
    """Where the server listens; a token is needed for anything but loopback."""

    host: str = "127.0.0.1"
    token: str | None = None


def is_loopback(host: str) -> bool:
    """Return whether an address can only be reached from this machine."""
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False


def guard(app: Flask, access: Access) -> None:
    """Check every request before anything else looks at it, and set the headers of every answer.

    A page of another site could send requests to a local server: its Origin tells it apart, and a
    name of its own that leads here (DNS rebinding) is told apart by Host.
    """

    @app.before_request
    def check() -> Response | None:
        if not access.token and not is_loopback(urlsplit(f"//{request.host}").hostname or ""):
            return problem(
                403,
                "host",
                "This server answers to this machine's own name only.",
                hint="Open it as 127.0.0.1 or localhost.",
            )
        origin = request.headers.get("Origin")
        if origin is not None and origin != f"{request.scheme}://{request.host}":
            return problem(403, "origin", "Another web site may not use this server.")
        if request.headers.get("Sec-Fetch-Site") in ("cross-site", "same-site") and request.path.startswith("/api"):
            return problem(403, "origin", "Another web site may not use this server.")
        if access.token and not _has_token(access.token):
            return problem(
                401,
                "token",
                "A token is needed.",
                hint="Open the address with ?token=… once, or send it as a bearer token.",
            )
        return None

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        if access.token and hmac.compare_digest(request.args.get("token", "").encode(), access.token.encode()):
            response.set_cookie(_COOKIE, access.token, httponly=True, samesite="Strict")
        return response


def _has_token(token: str) -> bool:
    given = [
        request.headers.get("Authorization", "").removeprefix("Bearer "),
        request.cookies.get(_COOKIE, ""),
        request.args.get("token", ""),
    ]
    return any(hmac.compare_digest(g.encode(), token.encode()) for g in given)
