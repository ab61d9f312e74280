"""Questions that take a while: they end on the server too when the page that asked no longer waits for the answer."""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Request

from oskren.api.common import InLibrary, InStudio
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.nodes.model import Node
from oskren.store import Library
from oskren.work.engine.studio import Studio

NodeT = TypeVar("NodeT", bound=Node)
LOOKED_S = 0.1
"""How often it is looked whether the page still waits."""


class Superseded(OskrenError):
    """Nobody waits for the answer any more."""

    status = 499


class Question:
    """One question of a page to the workers for questions."""

    def __init__(self, request: Request, studio: Studio, library: Library):
        self._request, self._studio, self._library = request, studio, library

    async def present(self, node: NodeT) -> NodeT:
        """The node as it can be heard now, layers whose file is missing passed over."""
        return (await asyncio.to_thread(self._studio.present, self._library, node))[0]

    async def answered(self, function: Callable[..., Any], node: Node, *more: Any) -> Any:
        """Run a function of ``tasks`` on a node; when the page goes away or asks anew, the work ends at its next block.

        Raises
        ------
        Superseded
            When nobody waits any more.
        """
        flag = Path(self._studio.home.folder) / "run" / f"question-{uuid.uuid4().hex}.cancel"
        place = await asyncio.to_thread(self._studio.place, self._library, node, flag=str(flag))
        future = self._studio.workers.submit("question", function, place, node.model_dump(mode="json"), *more)
        future.add_done_callback(lambda _: flag.unlink(missing_ok=True))
        waiting = asyncio.wrap_future(future)
        try:
            while not (await asyncio.wait({waiting}, timeout=LOOKED_S))[0]:
                if await self._request.is_disconnected():
                    raise Superseded("This was asked anew since.")
            return waiting.result()
        except Cancelled as error:
            raise Superseded("This was asked anew since.") from error
        finally:
            if not future.done() and not future.cancel():
                flag.touch()
                # a future that is awaited no more must not complain about its end
                waiting.add_done_callback(lambda one: one.cancelled() or one.exception())


def get_question(request: Request, studio: InStudio, library: InLibrary) -> Question:
    """The question this request is."""
    return Question(request, studio, library)


InQuestion = Annotated[Question, Depends(get_question)]
