"""Mixes a page has told of: each is sent once, whole or as what changed of another one, and from then on asked about by its digest."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from typing import Any

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Mix
from oskren.work.engine.patching import grafted, patched

MOST = 200
"""So many are known; the one that was asked about longest ago is forgotten first, and sent whole again when it is needed."""


class Told:
    """What pages told, by the hash of the very JSON they hold: two states that sound alike but are named apart are two."""

    def __init__(self, most: int = MOST) -> None:
        self._known: OrderedDict[str, tuple[dict[str, Any], Mix]] = OrderedDict()
        self._lock, self._most = threading.Lock(), most

    def whole(self, body: dict[str, Any]) -> str:
        """Take in a mix; its digest. ValidationError when it is none."""
        return self._told(body, lambda: Mix.model_validate(body))

    def changed(self, base: str, patch: Sequence[dict[str, Any]]) -> str:
        """Take in a mix by what changed (JSON Patch, RFC 6902) of one that is known; its digest.

        Raises
        ------
        NotFound
            When the base is not known, or not any more.
        OskrenError
            When the change does not fit to it.
        """
        body, mix = self._of(base)
        after = patched(body, patch)
        if not isinstance(after, dict):
            raise OskrenError("The change leaves no design; send all of it.")
        return self._told(after, lambda: Mix.model_validate(grafted(after, body, mix)))

    def made(self, of: str, make: Callable[[], Mix]) -> str:
        """Take in a mix that is made here of what was told, ``of`` saying of what and how; its digest. It is no base for changes."""
        return self._kept(of, {}, make)

    def _told(self, body: dict[str, Any], make: Callable[[], Mix]) -> str:
        return self._kept(json.dumps(body, sort_keys=True, separators=(",", ":")), body, make)

    def _kept(self, of: str, body: dict[str, Any], make: Callable[[], Mix]) -> str:
        """The digest of a text that says what a mix is; it is made only when it is not known."""
        digest = hashlib.sha256(of.encode()).hexdigest()[:40]
        with self._lock:
            if digest in self._known:
                self._known.move_to_end(digest)
                return digest
        mix = make()
        with self._lock:
            self._known[digest] = body, mix
            while len(self._known) > self._most:
                self._known.popitem(last=False)
        return digest

    def mix(self, digest: str) -> Mix:
        """The mix of a digest; NotFound when it is not known any more."""
        return self._of(digest)[1]

    def _of(self, digest: str) -> tuple[dict[str, Any], Mix]:
        with self._lock:
            found = self._known.get(digest)
            if found is None:
                raise NotFound("This state of the design is not known here any more; send all of it.")
            self._known.move_to_end(digest)
            return found
