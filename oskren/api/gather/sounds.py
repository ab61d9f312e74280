"""Gather over HTTP: sounds searched, described, undone; where they are used; the trash."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field
from pydantic_core import to_json

from oskren.api.common import InLibrary, InPage, InStudio, SoundFacts, SoundRow, Started, facts_of, started
from oskren.core.errors import OskrenError
from oskren.core.words.conditions import Search, checked, parse, write
from oskren.store import Library
from oskren.store.describe import describing, keeping, undoing
from oskren.store.describe.describing import Change
from oskren.store.search.asking import Asked
from oskren.store.search.rows import rows_of
from oskren.work.gather import importing

router = APIRouter(prefix="/lib/{library}", tags=["gather"])


class Page(BaseModel):
    """One page of the table, and the counts of every facet within the other chosen facets.

    ``search`` is the search as it was understood, ``text`` its text form.
    """

    total: int
    rows: list[SoundRow]
    facets: dict[str, dict[str, int]]
    search: Search
    text: str


class SoundQuery(BaseModel):
    """A question to the table; also says which sounds a change in bulk is for.

    ``q`` is the search as text (words, then ``where`` and conditions), ``facets`` values by field, ``like`` a sound the
    others are ranked by, ``sort`` a column or ``set:`` with the number of a set.
    """

    q: str = Field("", max_length=4000)
    facets: dict[str, list[str]] = {}
    sort: str = "name"
    descending: bool = False
    offset: int = Field(0, ge=0)
    limit: int = Field(100, ge=1, le=500)
    like: int | None = None
    trash: bool = False
    project: int = 1


class Among(BaseModel):
    """Sounds that something is done to: given one by one, or everything a question finds."""

    ids: list[int] = Field([], max_length=250_000)
    all_of: SoundQuery | None = None


class Editing(Among):
    """A change of many sounds."""

    change: Change


class Changed(BaseModel):
    """How many sounds were changed, and what the change is called in the undo."""

    count: int
    edit: int
    used: dict[str, list[str]] = {}
    """Of sounds put into the trash: what they are used in, by the sound's name. It goes on sounding."""


class Undone(BaseModel):
    """What was taken back or done again."""

    title: str


class Anchoring(Among):
    """Propose anchors anew: of a kind, or of the kind that fits each."""

    kind: Literal["", "hit", "top", "end", "start"] = ""


class UseView(BaseModel):
    """Where a sound is used."""

    what: str
    item: int
    name: str
    project: str


def asked_of(library: Library, wanted: SoundQuery) -> tuple[Search, Asked]:
    """A question with its text understood."""
    own = {name: kind for name, kind, _ in keeping.fields(library)}
    search = parse(wanted.q, own)  # type: ignore[arg-type]
    return search, Asked(
        words=search.words,
        conditions=search.conditions,
        facets={name: values for name, values in wanted.facets.items() if values},
        sort=wanted.sort,
        descending=wanted.descending,
        offset=wanted.offset,
        limit=wanted.limit,
        like=wanted.like,
        trash=wanted.trash,
        project=wanted.project,
    )


def ids_of(library: Library, among: Among) -> list[int]:
    """The sounds something is done to."""
    if among.all_of is None:
        return list(dict.fromkeys(among.ids))
    with library.reading() as session:
        return library.columns.all_ids(session, asked_of(library, among.all_of)[1])


@router.post("/search", response_model=Page)
def search_sounds(library: InLibrary, wanted: SoundQuery) -> Response:
    """Search, filter and sort the sounds."""
    search, asked = asked_of(library, wanted)
    with library.reading() as session:
        found = library.columns.search(session, asked)
        shown = rows_of(session, found.ids, library.columns.strength_of(found.ids))
    # written here: checking a hundred rows again on their way out would take as long as finding them
    page = {"total": found.total, "rows": shown, "facets": found.facets, "search": search.model_dump(), "text": write(search)}
    return Response(to_json(page), media_type="application/json")


@router.get("/sounds", response_model=Page)
def sounds(
    library: InLibrary,
    q: str = "",
    sort: str = "name",
    descending: bool = False,
    offset: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> Response:
    """The table by a plain address: what ``POST /search`` gives without facets."""
    return search_sounds(library, SoundQuery(q=q, sort=sort, descending=descending, offset=offset, limit=limit))


@router.post("/search/text")
def search_as_text(library: InLibrary, search: Search) -> Undone:
    """The text form of a search made with the builder; says what does not go together."""
    own = {name: kind for name, kind, _ in keeping.fields(library)}
    for condition in search.conditions:
        checked(condition, own)  # type: ignore[arg-type]
    return Undone(title=write(search))


@router.get("/sounds/{id}")
def sound(library: InLibrary, id: int) -> SoundFacts:
    """Everything known of one sound."""
    return facts_of(library, library.sound(id))


@router.patch("/sounds/{id}")
def change_sound(library: InLibrary, page: InPage, id: int, change: Change) -> SoundFacts:
    """Describe a sound; the audio stays as it is."""
    before = library.sound(id)
    describing.edit(library, [id], change, f"{before.name}: {_named(change)}", actor=page)
    return facts_of(library, library.sound(id))


def _named(change: Change) -> str:
    return ", ".join(name.replace("_", " ") for name in change.model_dump(exclude_none=True, exclude_defaults=True)) or "nothing"


@router.post("/edit")
def edit_sounds(library: InLibrary, page: InPage, editing: Editing) -> Changed:
    """Describe many sounds at once; one undo takes it back."""
    ids = ids_of(library, editing)
    if not ids:
        raise OskrenError("No sounds are chosen; mark rows or narrow the search first.")
    used = describing.used_in(library, ids) if editing.change.trashed else {}
    return Changed(count=len(ids), edit=describing.edit(library, ids, editing.change, actor=page), used=used)


@router.post("/edit/undo")
def undo_edit(library: InLibrary, page: InPage) -> Undone:
    """Take back the last thing this page did: descriptions, sets, categories, excerpts, deletions."""
    return Undone(title=undoing.take_back(library, page))


@router.post("/edit/redo")
def redo_edit(library: InLibrary, page: InPage) -> Undone:
    """Do the last thing again that this page took back."""
    return Undone(title=undoing.take_back(library, page, again=True))


@router.post("/anchors")
def propose_anchors(studio: InStudio, library: InLibrary, page: InPage, wanted: Anchoring) -> Started:
    """Propose the anchors of many sounds anew, as a job; one undo takes it back."""
    ids = ids_of(library, wanted)
    asked = importing.Anchoring(sounds=ids, anchor=wanted.kind, page=page)
    return started(studio.jobs.start(importing.ANCHOR, library, f"Anchors of {len(ids)} sounds", asked))


@router.get("/sounds/{id}/uses")
def uses(library: InLibrary, id: int) -> list[UseView]:
    """Where a sound is used: designs, spreads, slice plans, shipments, and in which project."""
    library.sound(id)
    return [UseView(**one) for one in describing.uses_of(library, id)]
