"""One way to serve what people make: read, kept by revision, kept as what changed, with its steps of undo.

A stage states the model of the body and how it is read and kept; ``serve`` makes the routes. Every save says which revision it is based on;
one based on an older state is refused with status 409, and tells every other page what changed.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from fastapi import APIRouter
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from oskren.api.common import BasedOn, InLibrary, InPage, InStudio, changed
from oskren.api.documents.patches import PatchOp, plain
from oskren.core.errors import OskrenError
from oskren.store import Library
from oskren.work.engine.patching import grafted, patched
from oskren.work.engine.studio import Studio

Body = TypeVar("Body")


class Patched(BaseModel):
    """What changed of a document since the revision it is based on (JSON Patch, RFC 6902)."""

    patch: list[PatchOp] = Field(max_length=20_000)


@dataclass(frozen=True)
class Kept:
    """The revision a save made, and the sentence that says what of it was refused."""

    revision: int
    refused: str = ""


@dataclass(frozen=True)
class Kind(Generic[Body]):
    """A kind of document.

    ``body`` is the model of what a save sends, ``read`` gives it as it is kept, ``keep`` keeps another (Conflict when it is not based on the
    kept one); ``view`` is what a page is shown. ``saved`` makes a shorter answer (of the model ``answer``) to a save, where nothing of the
    document need be read for it.
    """

    name: str
    body: Any
    shown: type[BaseModel]
    read: Callable[[Studio, Library, int], Body]
    keep: Callable[[Studio, Library, int, Body, int | None], Kept]
    view: Callable[[Studio, Library, int, str], BaseModel]
    answer: type[BaseModel] | None = None
    saved: Callable[[Kept], BaseModel] | None = None


def applied(kind: Kind[Body], before: Body, patch: list[PatchOp]) -> Body:
    """The body after a change of it.

    Raises
    ------
    OskrenError
        When the change does not fit, or leaves something the model refuses.
    """
    adapter: TypeAdapter[Body] = TypeAdapter(kind.body)
    data = adapter.dump_python(before, mode="json", by_alias=True)
    after = patched(data, plain(patch))
    try:
        return adapter.validate_python(grafted(after, data, before))
    except ValidationError as error:
        raise RequestValidationError(error.errors()) from error


def serve(router: APIRouter, address: str, kind: Kind[Any]) -> None:
    """Add the routes of a kind of document under an address with ``{id}``: GET, PUT (all of it) and PATCH (what changed)."""
    answer = kind.answer or kind.shown

    def keep(studio: Studio, library: Library, page: str, id: int, body: Any, based_on: int | None) -> BaseModel:
        kept = kind.keep(studio, library, id, body, based_on)
        changed(studio, library, page, kind.name, id)
        if kind.saved is not None:
            return kind.saved(kept)
        # the revision of this save, also when another page has saved since: the next save must not write over that
        return kind.view(studio, library, id, kept.refused).model_copy(update={"revision": kept.revision})

    def read_document(studio: InStudio, library: InLibrary, id: int) -> BaseModel:
        return kind.view(studio, library, id, "")

    def save_document(studio: InStudio, library: InLibrary, page: InPage, id: int, body: Any, based_on: BasedOn = None) -> BaseModel:
        return keep(studio, library, page, id, body, based_on)

    def change_document(studio: InStudio, library: InLibrary, page: InPage, id: int, wanted: Patched, based_on: BasedOn = None) -> BaseModel:
        if based_on is None:
            raise OskrenError("Say which revision this change is based on.")
        return keep(studio, library, page, id, applied(kind, kind.read(studio, library, id), wanted.patch), based_on)

    save_document.__annotations__["body"] = kind.body
    read_document.__doc__ = f"The {kind.name} as it is kept."
    save_document.__doc__ = f"Keep the {kind.name} as it is sent; refused when somebody kept another one since the revision it is based on."
    change_document.__doc__ = f"Keep the {kind.name} with a change; refused when somebody kept another one since the revision it is based on."
    router.add_api_route(address, read_document, methods=["GET"], response_model=kind.shown, name=f"read_{kind.name}")
    router.add_api_route(address, save_document, methods=["PUT"], response_model=answer, name=f"save_{kind.name}")
    router.add_api_route(address, change_document, methods=["PATCH"], response_model=answer, name=f"change_{kind.name}")
