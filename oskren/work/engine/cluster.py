"""A Dask cluster over a shared folder, for batches larger than one machine; an optional extra (``pip install oskren[cluster]``).

Its workers see the home, the originals and the folder that is written to under the same paths as this machine, run this version of Oskren, and
do one thing at a time (``--nthreads 1``): all of that is looked at when it is connected to.
"""

from __future__ import annotations

import contextlib
import logging
import os
import threading
import uuid
from collections.abc import Callable, Mapping
from concurrent.futures import CancelledError, Future
from pathlib import Path
from typing import Any

import oskren
from oskren.core.errors import OskrenError
from oskren.core.plugins import shelf
from oskren.work.engine.workers import as_asked

CONNECTING_S = 8
AGAIN = 3
"""How often work of a worker that died is given to another."""

START = "start one with 'dask scheduler' and, on every machine, 'dask worker ADDRESS --nworkers N --nthreads 1' (docs/cluster.md)"
GONE = "the cluster went away in the middle; what was finished stays. Start it again, or ship on this machine"


def address_at(home: Path) -> str:
    """The address of the cluster that a home ships on; empty when it ships on its own machine."""
    try:
        return (home / "cluster.txt").read_text(encoding="utf-8").strip()
    except OSError:
        return ""


def keep_address(home: Path, address: str) -> None:
    """Note the address of the cluster a home ships on; empty for its own machine."""
    if address:
        (home / "cluster.txt").write_text(address + "\n", encoding="utf-8")
    else:
        (home / "cluster.txt").unlink(missing_ok=True)


def _version() -> str:
    return oskren.__version__


def _reads(path: str) -> str:
    try:
        return Path(path).read_text(encoding="utf-8")
    except OSError:
        return ""


def _far(shelf_at: str, tries: Mapping[str, int], function: Callable[..., Any], *arguments: Any) -> Any:
    """Run a task on a worker as here: with the same plug-ins passed over."""
    os.environ[shelf.VARIABLE] = shelf_at
    return as_asked(tries, function, *arguments)


class Cluster:
    """A connection to the scheduler at an address, for a home.

    Raises
    ------
    OskrenError
        When there is none, or its workers cannot do this home's work: each reason with its remedy.
    """

    def __init__(self, address: str, home: Path):
        try:
            from distributed import Client
        except ImportError:
            raise OskrenError("Shipping on a cluster needs Dask: install it with 'pip install oskren[cluster]'.") from None
        self.address = address
        # that it went away is told where it is waited for
        logging.getLogger("distributed").setLevel(logging.CRITICAL)
        try:
            self._client: Any = Client(address, timeout=CONNECTING_S, set_as_default=False, name="oskren")
        except (OSError, ValueError, TimeoutError) as error:
            raise OskrenError(f"{address}: there is no Dask scheduler at this address; {START}.") from error
        self._lock = threading.Lock()
        try:
            self._check(home)
        except BaseException:
            self.close()
            raise
        self._executor = self._client.get_executor(pure=False, retries=AGAIN)

    def _check(self, home: Path) -> None:
        threads = self._client.nthreads()
        if not threads:
            raise OskrenError(f"{self.address}: the scheduler has no workers yet; {START}.")
        busy = [worker for worker, count in threads.items() if count != 1]
        if busy:
            raise OskrenError(f"{busy[0]}: does several things at a time; start its workers with --nthreads 1.")
        token = home / "run" / f"cluster-{uuid.uuid4().hex}.txt"
        token.parent.mkdir(parents=True, exist_ok=True)
        token.write_text(token.name, encoding="utf-8")
        try:
            try:
                versions = self._client.run(_version)
            except Exception as error:
                raise OskrenError(f"{self.address}: its workers do not have Oskren ({error}); install it where they run.") from error
            blind = [worker for worker, read in self._client.run(_reads, str(token)).items() if read != token.name]
        finally:
            token.unlink(missing_ok=True)
        if blind:
            raise OskrenError(f"{blind[0]}: does not see {home}; the home, the sounds and the folder to ship to must be shared under the same paths.")
        other = [f"{worker} has {version}" for worker, version in versions.items() if version != oskren.__version__]
        if other:
            raise OskrenError(f"{other[0]} of Oskren, this is {oskren.__version__}; install the same version everywhere.")

    @property
    def size(self) -> int:
        """Workers it has now."""
        return max(1, len(self._client.nthreads()))

    @property
    def alive(self) -> bool:
        return bool(self._client.status == "running")

    def submit(self, function: Callable[..., Any], *arguments: Any) -> Future[Any]:
        """Run a task on one of its workers; a worker that dies is followed by another."""
        theirs = self._executor.submit(_far, os.environ.get(shelf.VARIABLE, ""), shelf.tries(), function, *arguments)
        ours: Future[Any] = Future()
        ours.set_running_or_notify_cancel()

        def done(found: Future[Any]) -> None:
            try:
                ours.set_result(found.result())
            except CancelledError:
                ours.set_exception(OskrenError(f"{self.address}: {GONE}."))
            except BaseException as error:
                ours.set_exception(error if isinstance(error, OskrenError) else OskrenError(f"{self.address}: {error or GONE}."))

        theirs.add_done_callback(done)
        return ours

    def close(self) -> None:
        """Let go of it; its workers stay."""
        with self._lock, contextlib.suppress(Exception):
            self._client.close(timeout=2)
