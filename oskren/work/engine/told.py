"""Mixes a page has told of: each is sent once, whole or as what changed of another one, and from then on asked about by its digest."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from typing import Any

import jsonpatch

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Mix

MOST = 200
"""So many are known; the one that was asked about longest ago is forgotten first, and sent whole again when it is needed."""


class Told:
    """What pages told, by the hash of the very JSON they hold: two states that sound alike but are named apart are two."""

    def __init__(self, most: int = MOST) -> None:
        self._known: OrderedDict[str, tuple[dict[str, Any], Mix]] = OrderedDict()
        self._lock, self._most = threading.Lock(), most

    def whole(self, body: dict[str, Any]) -> str:
        """Take in a mix; its digest. ValidationError when it is none."""
        digest = hashlib.sha256(json.dumps(body, sort_keys=True, separators=(",", ":")).encode()).hexdigest()[:40]
        with self._lock:
            if digest in self._known:
                self._known.move_to_end(digest)
                return digest
        self._keep(digest, body, Mix.model_validate(body))
        return digest

    def changed(self, base: str, patch: Sequence[dict[str, Any]]) -> str:
        """Take in a mix by what changed (JSON Patch, RFC 6902) of one that is known; its digest.

        Raises
        ------
        NotFound
            When the base is not known, or not any more.
        OskrenError
            When the change does not fit to it.
        """
        body, _ = self._of(base)
        try:
            after = jsonpatch.apply_patch(body, list(patch))
        except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, TypeError) as error:
            raise OskrenError("The change does not fit to the design it was made on; send all of it.") from error
        if not isinstance(after, dict):
            raise OskrenError("The change leaves no design; send all of it.")
        return self.whole(after)

    def made(self, of: str, make: Callable[[], Mix]) -> str:
        """Take in a mix that is made here of what was told, ``of`` saying of what and how; its digest. It is no base for changes."""
        digest = hashlib.sha256(of.encode()).hexdigest()[:40]
        with self._lock:
            if digest in self._known:
                self._known.move_to_end(digest)
                return digest
        self._keep(digest, {}, make())
        return digest

    def _keep(self, digest: str, body: dict[str, Any], mix: Mix) -> None:
        with self._lock:
            self._known[digest] = body, mix
            while len(self._known) > self._most:
                self._known.popitem(last=False)

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
