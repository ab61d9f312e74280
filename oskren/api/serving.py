"""Starting the server."""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import socket
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TextIO

import typer
import uvicorn

from oskren.core.errors import OskrenError
from oskren.work.engine import guard

LOOPBACK = {"127.0.0.1", "::1", "localhost"}

PAGE_FIRST_S = 0.5
"""The worker for listening begins so long after the server, so that it does not take the machine from the page."""


def listening(host: str, wanted: int) -> socket.socket:
    """A socket that listens at the wanted port, or at the next free one of the nine after it."""
    for port in range(wanted, wanted + 10):
        listener = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, port))
            listener.listen(128)
            return listener
        except OSError:
            listener.close()
    raise OskrenError(f"{host}: the ports {wanted} to {wanted + 9} are all in use; give another with --port")


def free_port(host: str, wanted: int) -> int:
    """The wanted port, or the next free one of the nine after it."""
    with listening(host, wanted) as listener:
        return int(listener.getsockname()[1])


@contextlib.contextmanager
def held(home: Path) -> Iterator[TextIO]:
    """Hold a home for this server alone; gives the file in which it says where it is.

    Raises
    ------
    OskrenError
        Saying who holds it, when another server does.
    """
    try:
        home.mkdir(parents=True, exist_ok=True)
        lock = open(home / "server.lock", "a+", encoding="utf-8")  # noqa: SIM115
    except OSError as error:
        raise OskrenError(f"{home}: cannot be used as Oskren's folder ({error.strerror}); choose another with --home") from error
    with lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            lock.seek(0)
            who = lock.read().strip() or "another process"
            raise OskrenError(f"{home}: is in use by {who}; open that one, end it first, or give another folder with --home") from error
        lock.truncate(0)
        lock.write(f"the process {os.getpid()}")
        lock.flush()
        yield lock


def run(home: Path, host: str, port: int, prepare: Callable[[], None] = lambda: None) -> None:
    """Serve a home until interrupted; prints the address. Addresses other than loopback need the printed token.

    ``prepare`` fills the home before, when this server holds it.
    """
    home = home.expanduser().resolve()
    with held(home) as lock:
        prepare()
        _serve(home, host, port, lock)


def _serve(home: Path, host: str, port: int, lock: TextIO) -> None:
    from oskren.api.app import make_app

    guard.remember_home(home)
    listener = listening(host, port)
    port = listener.getsockname()[1]
    token = "" if host in LOOPBACK else secrets.token_urlsafe(24)
    shown = f"[{host}]" if ":" in host else host
    application = make_app(home, token=token, host=host)
    lock.truncate(0)
    lock.write(f"the Oskren at http://{shown}:{port}/ (process {os.getpid()})")
    lock.flush()
    # it listens already: whoever follows the address waits for the answer and is not refused
    typer.echo(f"Oskren is at http://{shown}:{port}/" + (f"?token={token}" if token else ""))
    server = uvicorn.Server(uvicorn.Config(application, log_level="warning", timeout_graceful_shutdown=2))

    def warm() -> None:
        while not server.started:
            time.sleep(0.05)
        time.sleep(PAGE_FIRST_S)
        application.state.studio.workers.warm()

    # the worker that listening waits for is there before the first key is pressed
    threading.Thread(target=warm, daemon=True, name="warming up").start()
    with contextlib.suppress(KeyboardInterrupt):
        server.run(sockets=[listener])
