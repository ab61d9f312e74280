"""Stack: designs, their layout on the strike line, sum meters, prints and bundles."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Any

from fastapi import APIRouter, File, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from sqlalchemy import select
from starlette.background import BackgroundTask

from oskren.api.common import InLibrary, InStudio, SoundFacts, facts_of
from oskren.core import bundle
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Mix, Step, check_chain, member_node, node_hash
from oskren.core.words.names import legal
from oskren.core.words.propose import Proposal
from oskren.store.keeping import note_uses
from oskren.store.tables import Design
from oskren.work import tasks

router = APIRouter(prefix="/lib/{library}", tags=["stack"])


class DesignView(BaseModel):
    id: int
    name: str
    mix: Mix
    created: str
    project: int


class NewDesign(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    mix: Mix = Mix()
    project: int | None = None


class Placed(BaseModel):
    """Where a layer's own audio lies from the strike line (s), and the key of its waveform."""

    id: str
    start_s: float
    seconds: float
    key: str
    rate: int
    channels: int
    frames: int
    anchor_s: float


class Layout(BaseModel):
    """Every layer placed, and the length of the sum."""

    layers: list[Placed]
    start_s: float
    seconds: float
    rate: int


class Sum(BaseModel):
    """Meters of the sum."""

    sample_peak_dbfs: float | None
    true_peak_dbtp: float | None
    integrated_lufs: float | None
    max_momentary_lufs: float | None
    seconds: float


class Printing(BaseModel):
    mix: Mix
    name: str = Field(min_length=1, max_length=200)
    category: str = ""


@router.get("/designs")
def designs(library: InLibrary) -> list[DesignView]:
    """All designs."""
    with library.reading() as session:
        return [_view(row) for row in session.scalars(select(Design).order_by(Design.id.desc()))]


def _view(row: Design) -> DesignView:
    return DesignView(id=row.id, name=row.name, mix=Mix.model_validate(row.mix), created=row.created, project=row.project)


@router.post("/designs")
def add_design(library: InLibrary, new: NewDesign) -> DesignView:
    """Begin a design."""
    with library.writing() as session:
        row = Design(name=new.name, mix=new.mix.model_dump(mode="json"), project=new.project or 1)
        session.add(row)
        session.flush()
        note_uses(session, "design", row.id, [new.mix], row.project)
        view = _view(row)
    library.columns.touch_uses()
    return view


def _steps(mix: Mix) -> list[Step]:
    """Every step of a design, of its layers and of its sum."""
    return [step for chain in (mix.chain, *(member.chain for member in mix.members)) for step in chain]


@router.put("/designs/{number}")
def save_design(library: InLibrary, number: int, new: NewDesign) -> DesignView:
    """Keep a design as it is now."""
    with library.writing() as session:
        row = session.get(Design, number)
        check_chain(_steps(new.mix), _steps(Mix.model_validate(row.mix)) if row else ())
        if row is None:
            raise OskrenError(f"There is no design {number}; it may have been removed.")
        row.name, row.mix = new.name, new.mix.model_dump(mode="json")
        note_uses(session, "design", row.id, [new.mix], row.project)
        view = _view(row)
    library.columns.touch_uses()
    return view


@router.post("/stack/layout")
def layout(studio: InStudio, library: InLibrary, mix: Mix) -> Layout:
    """Where every layer lies; muted ones too. Nothing is rendered."""
    renderer = studio.renderer(library)
    shape = renderer.output_shape(mix)
    placed = []
    for member in mix.members:
        _, own, start = renderer.placed(mix, member)
        node = member_node(member)
        plain = renderer.shape(node)
        rate = renderer.mix_rate(mix)
        studio.note(library, node, plain)
        placed.append(
            Placed(
                id=member.id,
                start_s=start / rate,
                seconds=own.frames / rate,
                key=node_hash(node),
                rate=plain.rate,
                channels=plain.channels,
                frames=plain.frames,
                anchor_s=renderer.time_map(node).to_output(member.anchor_s),
            )
        )
    return Layout(layers=placed, start_s=-shape.zero / shape.rate, seconds=shape.frames / shape.rate, rate=shape.rate)


@router.post("/stack/sum")
def measure_sum(studio: InStudio, library: InLibrary, mix: Mix) -> Sum:
    """Render the sum and read its meters."""
    if not any(not member.mute for member in mix.members):
        return Sum(sample_peak_dbfs=None, true_peak_dbtp=None, integrated_lufs=None, max_momentary_lufs=None, seconds=0.0)
    facts = studio.facts(library, mix)
    wanted: dict[str, Any] = {name: facts["measures"][name] for name in ("sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "max_momentary_lufs")}
    return Sum(**wanted, seconds=facts["frames"] / facts["rate"])


@router.post("/stack/print")
def print_mix(studio: InStudio, library: InLibrary, wanted: Printing) -> SoundFacts:
    """Print a design to the library: audio of its own, with its lineage."""
    if not any(not member.mute for member in wanted.mix.members):
        raise OskrenError("Every layer is muted or there is none; nothing would be heard in the print.")
    return facts_of(library, library.sound(studio.print_node(library, wanted.mix, wanted.name, wanted.category)))


@router.get("/designs/{number}/bundle", response_class=FileResponse, responses={200: {"content": {"application/zip": {}}}})
def save_bundle(library: InLibrary, number: int) -> FileResponse:
    """The design with its audio as one file."""
    with library.reading() as session:
        row = session.get(Design, number)
    if row is None:
        raise OskrenError(f"There is no design {number}; it may have been removed.")
    folder = Path(tempfile.mkdtemp(prefix="oskren-"))
    path = folder / "design.zip"
    bundle.save(path, row.name, Mix.model_validate(row.mix), library.media)
    return FileResponse(
        path, filename=legal(row.name) + ".zip", media_type="application/zip", background=BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    )


@router.post("/bundles")
def load_bundle(studio: InStudio, library: InLibrary, file: UploadFile = File()) -> DesignView:
    """Take a bundle into this library: its sounds become sounds here, its design a design."""
    with tempfile.TemporaryDirectory(prefix="oskren-") as folder:
        path = Path(folder) / "bundle.zip"
        with open(path, "wb") as out:
            shutil.copyfileobj(file.file, out, 1 << 20)
        try:
            loaded = bundle.load(path, Path(folder) / "audio")
        except OskrenError as error:
            raise OskrenError(str(error).replace(str(path), file.filename or "the bundle")) from error
        arrival = library.arrival(f"Bundle {loaded.name}")
        titles = {member.node.audio: member.name for member in loaded.mix.members if member.node.kind == "source"}
        for audio, wav in loaded.audio.items():
            found = tasks.examine(studio.place(), str(wav))
            if isinstance(found, tuple):
                raise OskrenError(f"{file.filename}: a sound in it {found[1]}")
            library.add_original(found, arrival, Proposal("", (), 0.0), refer=False, name=titles.get(audio) or wav.stem)
        with library.writing() as session:
            row = Design(name=loaded.name, mix=loaded.mix.model_dump(mode="json"))
            session.add(row)
            session.flush()
            note_uses(session, "design", row.id, [loaded.mix], row.project)
            view = _view(row)
        library.columns.touch_uses()
        return view
