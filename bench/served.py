"""A server on a home, for what is measured in a browser."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import uvicorn

from oskren.api.app import make_app
from tests.support import own_port


@contextmanager
def served(home: Path) -> Iterator[str]:
    """The address of a server, which ends with the block."""
    port = own_port()
    server = uvicorn.Server(uvicorn.Config(make_app(home), port=port, log_level="warning"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started and thread.is_alive():
        time.sleep(0.02)
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        thread.join(30)
