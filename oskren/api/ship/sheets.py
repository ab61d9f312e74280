"""Ship: names before anything runs, the run, its report."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fastapi import APIRouter, Response
from fastapi.responses import FileResponse, HTMLResponse
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio, Started, started
from oskren.api.doors import whole_path
from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Node
from oskren.core.ship import beside, manifest
from oskren.core.ship.draft import OnSheet
from oskren.core.ship.items import Titled
from oskren.core.ship.planning import Noted, Planned, noted, tokens_of
from oskren.core.ship.sheet import Beside, Given
from oskren.core.ship.target import READY, Target
from oskren.core.ship.verify import FileReport
from oskren.core.ship.write import meant
from oskren.core.words.names import TOKENS
from oskren.store import Library
from oskren.store.documents import shipments as kept
from oskren.store.tables import Shipment
from oskren.work.engine.job import Job
from oskren.work.engine.studio import Studio
from oskren.work.ship import shipments as shipping
from oskren.work.ship.items import item_at, titled_on
from oskren.work.ship.sheets import planned_files

router = APIRouter(prefix="/lib/{library}", tags=["ship"])


class ToShip(OnSheet):
    """What is on a sheet, crossed with targets; ``allowed`` are files (paths within the folder) that somebody else wrote and that may be written over."""

    name: str = Field("shipment", min_length=1, max_length=120)
    targets: list[Target] = Field(min_length=1, max_length=8)
    folder: str = Field("", max_length=4000)
    project: int = 1
    allowed: list[str] = Field([], max_length=20_000)
    beside: Beside = Beside()
    given: Given = Given()
    show: int | None = Field(None, ge=0, description="the file (its place in the preview) whose tokens are told")


class Facts(BaseModel):
    """What the sheet shows of a thing on it, called by kind and id ("sounds/12")."""

    key: str
    name: str
    category: str
    seconds: float | None
    rate: int
    channels: int


class Preview(BaseModel):
    """Every path a sheet would write, the tokens a template may hold, and what is to be known of its items before it runs."""

    files: list[Planned]
    items: list[Facts] = []
    problems: int
    tokens: dict[str, str]
    noted: list[Noted] = []


class Shipping(Started):
    """A shipment that has begun, and the numbers that what it holds was given, by kind and id."""

    counted: dict[str, dict[str, int]]


class Failure(BaseModel):
    path: str
    reason: str


class ShipmentHead(BaseModel):
    id: int
    name: str
    folder: str
    state: str
    created: str
    files: int
    failed: int
    project: int


class ShipmentView(ShipmentHead):
    reports: list[FileReport]
    failures: list[Failure]
    unchanged: list[str]


def _folder(studio: Studio, wanted: ToShip) -> Path:
    return whole_path(wanted.folder, "the folder to ship to") if wanted.folder.strip() else studio.home.folder / "shipped"


def _planned(studio: Studio, wanted: ToShip, items: list[Titled]) -> tuple[list[Planned], list[dict[str, int]]]:
    return planned_files(studio, wanted.name, items, wanted.targets, _folder(studio, wanted), wanted.allowed, wanted.numbers)


@router.get("/ship/ready")
def ready_targets(library: InLibrary) -> list[Target]:
    """Targets to begin with."""
    return list(READY)


@router.post("/ship/preview", response_model=Preview)
def preview(studio: InStudio, library: InLibrary, wanted: ToShip) -> Response:
    """Names and problems, before anything is rendered."""
    # written here and not looked through once more: it may hold tens of thousands of files
    return Response(_preview(studio, library, wanted).model_dump_json(), media_type="application/json")


def _preview(studio: Studio, library: Library, wanted: ToShip) -> Preview:
    if not wanted.count:
        return Preview(files=[], problems=0, tokens=TOKENS)
    items = titled_on(studio, library, wanted)
    items = [one._replace(rights=one.rights or wanted.given.rights) for one in items]
    files, _ = _planned(studio, wanted, items)
    told = noted(items, wanted.targets, files, str(_folder(studio, wanted)))
    facts = [
        Facts(key=key, name=one.name, category=one.category, seconds=one.seconds, rate=one.rate, channels=one.channels)
        for key, one in zip(wanted.keys, items, strict=True)
    ]
    return Preview(files=files, items=facts, problems=sum(1 for one in files if one.problem), tokens=TOKENS, noted=told)


def _run(studio: Studio, library: Library, id: int, name: str) -> Job:
    return studio.jobs.start(shipping.SHIP, library, f"Shipping {name}", shipping.Shipping(shipment=id))


def _shown(wanted: ToShip) -> tuple[int, Target]:
    """The place on the sheet and the target of the file at ``show``."""
    if wanted.show is None or wanted.show >= wanted.count * len(wanted.targets):
        raise NotFound("The sheet has no such file.")
    target, at = divmod(wanted.show, wanted.count)
    return at, wanted.targets[target]


@router.post("/ship/tokens")
def tokens(studio: InStudio, library: InLibrary, wanted: ToShip) -> dict[str, str]:
    """What each token gives for the file at ``show``."""
    at, target = _shown(wanted)
    return tokens_of(wanted.name, titled_on(studio, library, wanted), target, wanted.numbers, at)


class ToHear(BaseModel):
    """What a file is to be, and what was written of it: nodes to be listened to."""

    name: str
    meant: Node | None
    written: Node | None = None


@router.post("/ship/heard")
def heard_planned(studio: InStudio, library: InLibrary, wanted: ToShip) -> ToHear:
    """The file at ``show`` as it will be, before anything is written."""
    at, target = _shown(wanted)
    item = item_at(studio, library, wanted, at)
    return ToHear(name=item.name, meant=meant(studio.renderer(library), item, target))


@router.post("/ship")
def ship_sounds(studio: InStudio, library: InLibrary, wanted: ToShip) -> Shipping:
    """Run a sheet as a job; what it holds keeps the numbers it was given."""
    sheet = shipping.sheet_of(studio, library, wanted.name, wanted, wanted.targets, wanted.beside, wanted.given)
    files, counted = _planned(studio, wanted, titled_on(studio, library, wanted))
    problems = [one.problem for one in files if one.problem]
    if problems:
        raise OskrenError(problems[0])
    sheet = sheet.model_copy(update={"counted": tuple(counted)})
    id = shipping.begin(library, sheet, _folder(studio, wanted), wanted.project, wanted.allowed)
    job = started(_run(studio, library, id, wanted.name), id)
    return Shipping(**job.model_dump(), counted={key: its for key, its in zip(wanted.keys, counted, strict=True) if its})


@router.get("/shipments")
def shipments(library: InLibrary) -> list[ShipmentHead]:
    """All shipments, newest first."""
    return [ShipmentHead(**_head(row)) for row in kept.shipments(library)]


def _head(row: Shipment) -> dict[str, Any]:
    return {
        "id": row.id,
        "name": row.name,
        "folder": row.folder,
        "state": row.state,
        "created": row.created,
        "project": row.project,
        "files": len(row.reports),
        "failed": len(row.failed),
    }


@router.get("/shipments/{id}")
def shipment(library: InLibrary, id: int) -> ShipmentView:
    """A shipment with its report."""
    row = kept.shipment(library, id)
    return ShipmentView(
        **_head(row), reports=[FileReport.model_validate(one) for one in row.reports], failures=[Failure(**one) for one in row.failed], unchanged=row.unchanged
    )


class ShippedFile(BaseModel):
    path: str = Field(max_length=4000)


@router.post("/shipments/{id}/heard")
def heard_shipped(studio: InStudio, library: InLibrary, id: int, wanted: ShippedFile) -> ToHear:
    """A file of a shipment as it was written, and as it was meant to be."""
    written, as_meant = shipping.heard(studio, library, id, wanted.path)
    return ToHear(name=wanted.path, meant=as_meant, written=written)


@router.post("/shipments/{id}/resume")
def resume(studio: InStudio, library: InLibrary, id: int) -> Started:
    """Go on with an interrupted shipment, or run it again: what has not changed is left as it is."""
    return started(_run(studio, library, id, kept.shipment(library, id).name), id)


@router.get("/shipments/{id}/page", response_class=HTMLResponse)
def report_page(library: InLibrary, id: int) -> HTMLResponse:
    """The report as one HTML page, failures first; it plays the files where it is put beside them."""
    row = kept.shipment(library, id)
    reports = [FileReport.model_validate(one) for one in row.reports]
    named = {"Content-Disposition": "attachment; filename=report.html"}
    return HTMLResponse(beside.page(Path(row.folder), row.name, reports), headers=named)


@router.get("/shipments/{id}/manifest", response_class=FileResponse, responses={200: {"content": {"text/csv": {}, "application/octet-stream": {}}}})
def manifest_file(library: InLibrary, id: int, table: bool = False) -> FileResponse:
    """The manifest beside the files: JSON, or CSV."""
    name = manifest.TABLE if table else manifest.NAME
    path = Path(kept.shipment(library, id).folder) / name
    if not path.exists():
        raise OskrenError(f"{path}: there is no manifest yet; it is written when files are finished.")
    return FileResponse(path, filename=name)
