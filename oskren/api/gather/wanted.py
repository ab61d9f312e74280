"""The wanted list of a project."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, ConfigDict, Field

from oskren.api.common import InLibrary, SoundRow
from oskren.core.words.wanting import Entry
from oskren.store.describe import wanted
from oskren.store.search.rows import rows_of

router = APIRouter(prefix="/lib/{library}", tags=["wanting"])
InProject = Annotated[int, Query(ge=1)]


class AnswerView(BaseModel):
    """A sound or design that answers an entry."""

    kind: Literal["sound", "design"]
    item: int
    name: str


class WantedView(BaseModel):
    """An entry of the wanted list with what answers it; ``search`` are its words as a search."""

    id: int
    what: str
    how_many: int
    priority: int
    state: str
    notes: str
    created: str
    search: str
    answers: list[AnswerView]


class WantedList(BaseModel):
    """A project's wanted list, and how many entries stand in each state."""

    entries: list[WantedView]
    progress: dict[str, int]


class WantedChange(BaseModel):
    """What to change of an entry; what is left out stays."""

    model_config = ConfigDict(extra="forbid")

    what: str | None = Field(None, min_length=1, max_length=300)
    how_many: int | None = Field(None, ge=1, le=10_000)
    priority: int | None = Field(None, ge=1, le=3)
    state: str | None = None
    notes: str | None = Field(None, max_length=8000)


class Answering(BaseModel):
    """Sounds or designs that answer an entry."""

    kind: Literal["sound", "design"] = "sound"
    items: list[int] = Field(min_length=1, max_length=1000)


class WantedKept(BaseModel):
    """Entries that were written or changed."""

    ids: list[int]


class WantedTable(BaseModel):
    """A wanted list as CSV."""

    csv: str = Field(max_length=8_000_000)


class Suggestion(BaseModel):
    """A sound that may answer an entry, and how well it fits (0..1)."""

    sound: SoundRow
    fit: float


@router.get("/wanted")
def wanted_list(library: InLibrary, project: InProject = 1) -> WantedList:
    """The wanted list of a project: most important first."""
    entries = [
        WantedView(
            id=kept.id,
            **kept.entry.model_dump(),
            created=kept.created,
            search=wanted.search_text(kept.entry.what),
            answers=[AnswerView(kind=one.kind, item=one.item, name=one.name) for one in kept.answers],
        )
        for kept in wanted.listed(library, project)
    ]
    return WantedList(entries=entries, progress=wanted.progress(library, project))


@router.post("/wanted")
def want(library: InLibrary, entries: Annotated[list[Entry], Field(min_length=1, max_length=1000)], project: InProject = 1) -> WantedKept:
    """Put entries on the list; one that is there already is brought up to date."""
    return WantedKept(ids=wanted.add(library, project, entries))


@router.patch("/wanted/{id}")
def change_wanted(library: InLibrary, id: int, change: WantedChange) -> WantedKept:
    """Change an entry."""
    wanted.change(library, id, change.model_dump(exclude_none=True))
    return WantedKept(ids=[id])


@router.delete("/wanted/{id}")
def remove_wanted(library: InLibrary, id: int) -> WantedKept:
    """Take an entry off the list; what answers it stays in the library."""
    wanted.remove(library, id)
    return WantedKept(ids=[id])


@router.get("/wanted/{id}/suggestions")
def suggestions(library: InLibrary, id: int) -> list[Suggestion]:
    """Sounds of the library that may answer an entry, best first."""
    found = wanted.suggest(library, id)
    with library.reading() as session:
        library.columns.refresh(session)
        rows = rows_of(session, [one for one, _ in found], library.columns.strength_of([one for one, _ in found]))
    fits = dict(found)
    return [Suggestion(sound=SoundRow(**row), fit=fits[row["id"]]) for row in rows]


@router.post("/wanted/{id}/answers")
def answer_wanted(library: InLibrary, id: int, answering: Answering) -> WantedKept:
    """Link sounds or designs to an entry; its state moves on."""
    wanted.answer(library, id, answering.kind, answering.items)
    return WantedKept(ids=[id])


@router.delete("/wanted/{id}/answers")
def unlink_answer(library: InLibrary, id: int, kind: Literal["sound", "design"], item: int) -> WantedKept:
    """Take an answer from an entry."""
    wanted.unlink(library, id, kind, item)
    return WantedKept(ids=[id])


@router.get("/wanted.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def wanted_csv(library: InLibrary, project: InProject = 1) -> Response:
    """The list as CSV."""
    return Response(wanted.export_csv(library, project), media_type="text/csv", headers={"Content-Disposition": 'attachment; filename="wanted.csv"'})


@router.post("/wanted.csv")
def load_wanted(library: InLibrary, table: WantedTable, project: InProject = 1) -> WantedKept:
    """Put the entries of a CSV on the list; how many it held is the number of ids."""
    return WantedKept(ids=wanted.import_csv(library, project, table.csv))
