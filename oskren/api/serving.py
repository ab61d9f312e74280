"""Starting the server."""

from __future__ import annotations

import secrets
import socket
import threading
from pathlib import Path

import typer
import uvicorn

from oskren.core.errors import OskrenError

LOOPBACK = {"127.0.0.1", "::1", "localhost"}


def free_port(host: str, wanted: int) -> int:
    """The wanted port, or the next free one of the ten after it."""
    for port in range(wanted, wanted + 10):
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET, socket.SOCK_STREAM) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
                return port
            except OSError:
                continue
    raise OskrenError(f"{host}: the ports {wanted} to {wanted + 9} are all in use; give another with --port")


def run(home: Path, host: str, port: int) -> None:
    """Serve a home until interrupted; prints the address. Addresses other than loopback need the printed token."""
    from oskren.api.app import make_app

    port = free_port(host, port)
    token = "" if host in LOOPBACK else secrets.token_urlsafe(24)
    shown = f"[{host}]" if ":" in host else host
    application = make_app(home, token=token, host=host)
    # the worker that listening waits for is there before the first key is pressed
    threading.Thread(target=application.state.studio.workers.warm, daemon=True, name="warming up").start()
    typer.echo(f"Oskren is at http://{shown}:{port}/" + (f"?token={token}" if token else ""))
    uvicorn.run(application, host=host, port=port, log_level="warning", timeout_graceful_shutdown=2)
