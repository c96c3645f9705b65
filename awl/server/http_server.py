"""The production server: Waitress, with limits on how long a client may take to say what it wants.

Waitress reads requests of all connections in one thread and hands over those that are complete, so that a slow client holds no
thread of work. What it lacks is a limit on the time a request takes to come in: a client that sends a byte now and then keeps its
connection for good, and a hundred of them every other client out.
"""

from __future__ import annotations

import contextlib
import logging
import resource
import time
from typing import Any

from flask import Flask
from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.server import TcpWSGIServer

from awl.io.limits import MAX_BYTES
from awl.server.web import MOST_WAIT

LIGHT_THREADS = 8
"""Threads for what is answered at once, beside those that wait for long work."""
MOST_CONNECTIONS = 1000
HEADER_S = 15.0
"""Seconds within which the head of a request comes in."""
BODY_S = 30.0
"""Seconds a body may take beyond what `SLOWEST` allows."""
SLOWEST = 20_000
"""Bytes a second at which a body must come in."""
IDLE_S = 60.0
"""Seconds a connection may do nothing."""
LOOKS_EVERY_S = 2.0


class TimedChannel(HTTPChannel):
    """A connection that knows how long the request at hand has been coming in."""

    began: float | None = None
    """When the request began that is coming in; None between two."""
    body_bytes = 0

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self.began = time.monotonic()  # whoever connects says something

    def received(self, data: bytes) -> bool:
        """Take bytes that came in."""
        if self.began is None:
            self.began = time.monotonic()
        if self.request is not None and self.request.headers_finished:
            self.body_bytes += len(data)
        taken = bool(super().received(data))
        if self.request is None:
            self.began, self.body_bytes = None, 0
        return taken

    def is_late(self, now: float) -> bool:
        """Whether the request that is coming in takes too long."""
        if self.began is None or self.requests:
            return False
        in_body = self.request is not None and self.request.headers_finished
        return now - self.began > (BODY_S + self.body_bytes / SLOWEST if in_body else HEADER_S)


class TimedServer(TcpWSGIServer):
    """A server that closes connections whose request takes too long, and the oldest of them when there are too many."""

    channel_class = TimedChannel

    def maintenance(self, now: float) -> None:
        """Close what is late or does nothing; called every few seconds."""
        super().maintenance(now)
        clock = time.monotonic()
        for channel in list(self.active_channels.values()):
            if channel.is_late(clock):
                channel.will_close = True

    def handle_accept(self) -> None:
        """Take a connection; where there are too many, the one goes that has been saying nothing whole for longest."""
        if len(self.active_channels) >= MOST_CONNECTIONS - 10:
            unfinished = [one for one in self.active_channels.values() if one.began is not None and not one.requests]
            if unfinished:
                min(unfinished, key=lambda one: one.began).handle_close()
        super().handle_accept()


def http_server(app: Flask, host: str, port: int) -> TimedServer:
    """A server of an application, bound and not yet running.

    Parameters:
        app: the application.
        host: the name or address to bind to.
        port: the port; any free one where 0.

    Raises:
        OSError: the port cannot be used.
    """
    _allow_files(MOST_CONNECTIONS + 500)
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)  # it tells of every request that waits a moment
    settings = Adjustments(
        host=host,
        port=port,
        ident=None,
        threads=LIGHT_THREADS + MOST_WAIT,
        connection_limit=MOST_CONNECTIONS,
        backlog=256,
        cleanup_interval=LOOKS_EVERY_S,
        channel_timeout=IDLE_S,
        channel_request_lookahead=1,  # a client that leaves is noticed
        asyncore_use_poll=True,
        max_request_header_size=64 << 10,
        max_request_body_size=MAX_BYTES,
        outbuf_high_watermark=MAX_BYTES,  # a client that reads slowly holds no thread
    )
    sockets = sorted(settings.listen, key=lambda one: one[0])  # IPv4 first where a name is both
    return TimedServer(app, adj=settings, sockinfo=sockets[0])


def _allow_files(wanted: int) -> None:
    """Raise the number of files and connections the process may have open, as far as the system lets it."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    if soft < wanted:
        most = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
        with contextlib.suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))
