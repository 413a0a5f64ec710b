"""The server that the application runs in: how many connections, threads and streams, and for how long."""

from __future__ import annotations

import resource
import socket
from typing import Any

from waitress.server import create_server
from waitress.task import ThreadedTaskDispatcher

from jukai.app.events import Events

__all__ = ["server_of"]

WORKERS = 32
"""Threads for requests; each stream that is open has one more, so that streams take none of these."""
CONNECTIONS = 4000
IDLE_SECONDS = 30
BODY_LIMIT = 600_000_000


def server_of(app: Any, bound: socket.socket, events: Events) -> Any:
    """Return a server on a socket that listens.

    Notes
    -----
    Requests are read and answers are sent by one thread that waits for all connections, so slow ones hold no worker.
    A connection that asks for nothing is closed after half a minute, or as soon as its window is.
    """
    _room_for_connections()
    dispatcher = ThreadedTaskDispatcher()
    dispatcher.set_thread_count(WORKERS)
    events.on_listening(lambda streams: dispatcher.set_thread_count(WORKERS + streams))
    return create_server(
        app,
        _dispatcher=dispatcher,
        sockets=[bound],
        threads=WORKERS,
        connection_limit=CONNECTIONS,
        channel_timeout=IDLE_SECONDS,
        cleanup_interval=5,
        asyncore_use_poll=True,  # select() ends at 1024 connections
        channel_request_lookahead=1,  # notices while a stream is sent that its window is gone
        backlog=2048,
        max_request_body_size=BODY_LIMIT,
        clear_untrusted_proxy_headers=True,
    )


def _room_for_connections() -> None:
    """Ask for as many open files as connections need, where the system allows it."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = CONNECTIONS + 500 if hard == resource.RLIM_INFINITY else min(CONNECTIONS + 500, hard)
    if soft != resource.RLIM_INFINITY and soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
