"""The only place that wires web, jobs, store and app together."""

from __future__ import annotations

import errno
import json
import logging
import os
import socket
import sys
from pathlib import Path
from threading import Thread
from typing import Any

from jukai.app.benches import Benches
from jukai.app.events import Events
from jukai.app.workshop import Workshop
from jukai.core.errors import ValueProblem
from jukai.core.json_data import JsonObject
from jukai.jobs import ThreadEngine
from jukai.memory import leave_alone
from jukai.serving import server_of
from jukai.store import SqliteStore
from jukai.web.app import create_app
from jukai.web.security import Access, is_loopback

__all__ = ["DEMO", "make", "openapi", "serve"]

DEMO = Path(__file__).resolve().parents[2] / "demo" / "armillary.jukai.json"


def make(data: Path, *, access: Access | None = None, demo: bool = False, checked: bool = False) -> Any:
    """Return the application on a data folder; with ``demo`` the demo bench is there. ``checked`` is for tests."""
    store = SqliteStore(data / "jukai.db")
    benches = Benches(store, Workshop(), Events(), ThreadEngine(), DEMO.read_bytes() if DEMO.is_file() else None)
    if demo and not store.benches():
        benches.create_demo("")
    app = create_app(benches, access, checked=checked)
    app.extensions["jukai"] = benches
    return app


def openapi() -> JsonObject:
    """Return the API's description, from the code."""
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        app = make(Path(folder))
        doc: JsonObject = json.loads(json.dumps(app.api_doc))
        app.extensions["jukai"].store.close()
    return doc


def serve(*, host: str, port: int, data: Path, token: str | None, demo: bool) -> None:
    """Serve until stopped.

    Raises
    ------
    ValueProblem
        When the address can't be used.
    """
    if not is_loopback(host) and not token:
        raise ValueProblem(
            f"On {host} others could reach the server: a token is needed.",
            hint="Give one with --token, or leave --host out.",
        )
    if not 0 <= port <= 65535:
        raise ValueProblem(f"{port} is no port.", hint="1 to 65535 are.")
    bound = _bind(host, port)
    try:
        app = make(data, access=Access(host, token), demo=demo)
    except OSError as e:
        raise ValueProblem(f"The folder '{data}' can't be used: {e.strerror}.") from None
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(levelname)s %(name)s %(message)s")
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    server = server_of(app, bound, app.extensions["jukai"].events)
    Thread(target=_begin, args=(app.extensions["jukai"],), name="warm up", daemon=True).start()
    shown = f"[{host}]" if ":" in host else host
    sys.stdout.write(f"Jukai is ready: http://{shown}:{bound.getsockname()[1]}/\n")
    sys.stdout.flush()
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        os._exit(0)  # streams that are still open would hold the threads


def _begin(benches: Benches) -> None:
    """Go on with work that was not done when the server ended, then load what would make the first edit slow."""
    benches.resume()
    benches.workshop.warm_up(benches.work.busy)
    leave_alone()


def _bind(host: str, port: int) -> socket.socket:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    s = socket.socket(family, socket.SOCK_STREAM)
    s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        s.bind((host, port))
    except OSError as e:
        s.close()
        if e.errno == errno.EADDRINUSE:
            raise ValueProblem(f"Port {port} is taken.", hint="Choose another one with --port.") from None
        raise ValueProblem(f"{host}:{port} can't be used: {e.strerror}.") from None
    s.settimeout(0)
    return s


if __name__ == "__main__":
    Path("docs/openapi.json").write_text(json.dumps(openapi(), indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
