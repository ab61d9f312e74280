"""Ready sheets: targets, names, limits and words that are kept by name, and handed on as files."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Body, Response
from pydantic import BaseModel, ValidationError

from oskren.api.common import InLibrary
from oskren.core.errors import OskrenError, first_wrong
from oskren.core.ship.draft import ReadySheet
from oskren.core.words.names import legal
from oskren.store.documents import ready as kept

router = APIRouter(prefix="/lib/{library}", tags=["ship"])


class ReadyHead(BaseModel):
    """A ready sheet in a list."""

    id: int
    name: str
    targets: list[str]


@router.get("/ready-sheets")
def ready_sheets(library: InLibrary) -> list[ReadyHead]:
    """All that are kept, by name."""
    return [ReadyHead(id=row.id, name=row.name, targets=[one["name"] for one in row.saved["targets"]]) for row in kept.ready_sheets(library)]


@router.get("/ready-sheets/{id}")
def ready_sheet(library: InLibrary, id: int) -> ReadySheet:
    """One of them."""
    return kept.ready_sheet(library, id)


@router.post("/ready-sheets")
def keep_ready_sheet(library: InLibrary, wanted: ReadySheet) -> ReadyHead:
    """Keep a sheet by its name; one of the same name is replaced."""
    id = kept.keep(library, wanted)
    return ReadyHead(id=id, name=wanted.name, targets=[one.name for one in wanted.targets])


@router.post("/ready-sheets/file")
def load_ready_sheet(library: InLibrary, text: Annotated[str, Body(media_type="text/plain", max_length=1_000_000)]) -> ReadyHead:
    """Keep a sheet somebody handed on; one sentence when it is none."""
    try:
        wanted = ReadySheet.model_validate_json(text)
    except ValidationError as error:
        raise OskrenError(f"This is no ready sheet of Oskren: {first_wrong(error)}; ask for it to be saved again.") from error
    return keep_ready_sheet(library, wanted)


@router.get("/ready-sheets/{id}/file", response_class=Response, responses={200: {"content": {"application/json": {}}}})
def ready_sheet_file(library: InLibrary, id: int) -> Response:
    """One of them as a file to hand on."""
    sheet = kept.ready_sheet(library, id)
    named = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(legal(sheet.name))}.oskren-sheet.json"}
    return Response(sheet.model_dump_json(indent=1), media_type="application/json", headers=named)
