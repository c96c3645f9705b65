"""The production server with slow and silent clients: others are answered, and those are let go."""

from __future__ import annotations

import http.client
import socket
import threading
import time
from contextlib import ExitStack

import pytest
from flask import Flask, request

from awl.server import http_server as module
from awl.server.http_server import http_server


@pytest.fixture
def served(monkeypatch):
    """The port of a server whose limits are short, and the application behind it."""
    monkeypatch.setattr(module, "HEADER_S", 1.0)
    monkeypatch.setattr(module, "BODY_S", 1.0)
    monkeypatch.setattr(module, "LOOKS_EVERY_S", 0.05)
    monkeypatch.setattr(module, "MOST_CONNECTIONS", 60)
    monkeypatch.setattr(module, "LIGHT_THREADS", 2)
    monkeypatch.setattr(module, "MOST_WAIT", 2)
    app = Flask("slow clients")
    app.begun, app.gone = threading.Event(), threading.Event()

    @app.get("/")
    def light():
        return "here"

    @app.post("/")
    def taken():
        return str(len(request.get_data()))

    @app.get("/long")
    def long():
        is_gone = request.environ["waitress.client_disconnected"]
        app.begun.set()
        end = time.monotonic() + 30
        while not is_gone():
            assert time.monotonic() < end
            threading.Event().wait(0.01)
        app.gone.set()
        return "nobody reads this"

    @app.get("/large")
    def large():
        return b"x" * (24 << 20)

    server = http_server(app, "127.0.0.1", 0)
    server.adj.asyncore_loop_timeout = 0.05
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield int(server.effective_port), app
    server.task_dispatcher.shutdown()
    server.close()


def connected(port, text=b""):
    client = socket.create_connection(("127.0.0.1", port), timeout=30)
    client.sendall(text)
    return client


def answered(port):
    """Whether a client that asks for what is light is answered."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    connection.request("GET", "/")
    return connection.getresponse().read() == b"here"


SILENT = [
    b"",
    b"GET / HTTP/1.1\r\nHost: x\r\nX-Begun: ",
    b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\n\r\n",
    b"POST / HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nhel",
]


@pytest.mark.parametrize("begun", SILENT, ids=["nothing", "half a head", "no body", "half a chunk"])
def test_whoever_says_half_a_request_is_let_go(served, begun):
    with connected(served[0], begun) as client:
        client.settimeout(30)
        assert client.recv(1000) == b"", "closed without an answer"
    assert answered(served[0])


def test_a_byte_now_and_then_does_not_keep_a_connection(served):
    with connected(served[0], SILENT[2]) as client:
        client.settimeout(0.05)
        for _ in range(99):
            try:
                client.sendall(b"x")
                if client.recv(10) == b"":
                    break
            except TimeoutError:
                continue
            except OSError:
                break
        else:
            pytest.fail("the connection stayed")


def test_many_silent_clients_keep_nobody_out(served):
    port, _ = served
    with ExitStack() as stack:
        for number in range(200):
            stack.enter_context(connected(port, SILENT[number % 4]))
        for _ in range(5):
            assert answered(port)


def test_a_body_that_keeps_coming_is_taken(served):
    port, _ = served
    size = 3 << 20
    with connected(port, f"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: {size}\r\n\r\n".encode()) as client:
        for _ in range(3):
            client.sendall(b"x" * (1 << 20))
            threading.Event().wait(0.5)
        assert str(size).encode() in client.recv(2000)


def test_work_is_told_that_its_client_is_gone(served):
    port, app = served
    with connected(port, b"GET /long HTTP/1.1\r\nHost: x\r\n\r\n"):
        assert app.begun.wait(30)
    assert app.gone.wait(30)


def test_who_does_not_read_holds_no_thread(served):
    port, _ = served
    with ExitStack() as stack:
        for _ in range(module.LIGHT_THREADS + module.MOST_WAIT + 5):
            stack.enter_context(connected(port, b"GET /large HTTP/1.1\r\nHost: x\r\n\r\n"))
        assert answered(port)
