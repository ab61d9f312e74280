"""Listening and looking: blocks of raw float32, waveform values and spectrogram levels of opened sounds."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio
from oskren.core.audio.layouts import MAX_CHANNELS, channel_names, matrix
from oskren.core.errors import OskrenError
from oskren.core.measure.peaks import spectrogram as picture
from oskren.core.nodes.chains import passed_over
from oskren.core.nodes.model import Chained, Node, Step
from oskren.core.plugins import shelf
from oskren.store.library import node_of
from oskren.work.engine.glancing import ESTIMATED
from oskren.work.engine.studio import Ears

router = APIRouter(tags=["listen"])
RAW: dict[int | str, dict[str, Any]] = {200: {"content": {"application/octet-stream": {}}}}


class ToOpen(BaseModel):
    """What to listen to: a node, a mix that was told (its digest), or a sound of the library as it is now; ``chain`` is put on it for listening.

    With ``estimate`` a long sound whose steps must measure all of it first is answered at once, to be heard by estimates (``estimated``); ask
    again until it is measured.
    """

    node: Node | None = None
    told: str | None = Field(None, max_length=40)
    sound: int | None = None
    chain: list[Step] = []
    estimate: bool = False


class Opened(BaseModel):
    """A sound ready to be heard: ask for its blocks by ``digest``. ``zero`` is the frame of its own zero (a design's strike line).

    ``lanes`` are the names of its channels, ``fold`` what each of them gives to left and right when it is listened to; ``passed_over`` says
    which of its steps could not be done here.
    """

    digest: str
    rate: int
    channels: int
    frames: int
    zero: int
    layout: str
    lanes: list[str]
    fold: list[list[float]]
    passed_over: list[str] = []
    estimated: bool = False


@router.post("/lib/{library}/open")
def open_sound(studio: InStudio, library: InLibrary, wanted: ToOpen) -> Opened:
    """Make something ready to be heard; waits only where a step needs the whole sound."""
    node = studio.told.mix(wanted.told) if wanted.told else wanted.node
    if node is None:
        if wanted.sound is None:
            raise OskrenError("Say what to open: a node or a sound.")
        node = node_of(library.sound(wanted.sound))
    asked = Chained(node=node, chain=tuple(wanted.chain)) if wanted.chain else node
    digest, shape = studio.open(library, asked, estimate=wanted.estimate)
    with shelf.as_it_is():
        over = passed_over(asked)
    return Opened(
        digest=digest,
        rate=shape.rate,
        channels=shape.channels,
        frames=shape.frames,
        zero=shape.zero,
        layout=shape.named,
        lanes=list(channel_names(shape.named, shape.channels)),
        fold=[[round(float(left), 6), round(float(right), 6)] for left, right in matrix(shape.named, shape.channels, "stereo")],
        passed_over=over,
        estimated=digest.startswith(ESTIMATED),
    )


class Loud(BaseModel):
    """Integrated loudness (LUFS), sample peak (dBFS) and true peak (dBTP); None where there is none."""

    lufs: float | None
    sample_peak_dbfs: float | None
    true_peak_dbtp: float | None


@router.get("/heard/{digest}/loudness")
def loudness(studio: InStudio, digest: str) -> Loud:
    """How loud an opened sound is; it is rendered whole for that, once."""
    node, library, _ = studio.known(digest)
    measures = studio.facts(library, node)["measures"]
    return Loud(lufs=measures["integrated_lufs"], sample_peak_dbfs=measures["sample_peak_dbfs"], true_peak_dbtp=measures["true_peak_dbtp"])


@router.get("/heard/{digest}/block", response_class=Response, responses=RAW)
def block(
    studio: InStudio,
    digest: str,
    start: Annotated[int, Query(ge=0)],
    frames: Annotated[int, Query(ge=1, le=1 << 20)],
    ears: bool = False,
    silent: Annotated[list[int], Query(max_length=MAX_CHANNELS)] = [],  # noqa: B006 (never changed)
) -> Response:
    """Raw little-endian float32, channels interleaved; with ``ears`` two of them, as headphones give them, without the channels that are ``silent``."""
    return Response(
        studio.block(digest, start, frames, ears=Ears(tuple(silent)) if ears else None),
        media_type="application/octet-stream",
        headers={"Cache-Control": "private, max-age=600"},
    )


@router.get("/heard/{digest}/peaks", response_class=Response, responses=RAW)
def peaks(studio: InStudio, digest: str, start: int, end: int, width: Annotated[int, Query(ge=1, le=8192)]) -> Response:
    """Raw int16: for each of ``width`` stretches and each channel lowest, highest, RMS."""
    view = studio.view(digest, start, end, width)
    return Response(
        np.ascontiguousarray(view).tobytes(),
        media_type="application/octet-stream",
        headers={"X-Width": str(len(view)), "Cache-Control": "private, max-age=600"},
    )


@router.get("/heard/{digest}/spectrogram", response_class=Response, responses=RAW)
def spectrogram(
    studio: InStudio,
    digest: str,
    start: int,
    end: int,
    width: Annotated[int, Query(ge=1, le=2048)],
    height: Annotated[int, Query(ge=1, le=512)],
    axis: Literal["log", "linear", "mel"] = "log",
) -> Response:
    """Raw bytes, rows from high to low frequency: 0 = -108 dBFS, 255 = 0 dBFS."""
    _, _, shape = studio.known(digest)
    start, end = max(0, start), min(end, shape.frames)
    if end <= start:
        raise OskrenError("The stretch to draw lies outside the sound.")

    with studio.reader(digest) as read:
        view = picture(read, start, end, width, height, shape.rate, axis=axis)
    return Response(view.tobytes(), media_type="application/octet-stream", headers={"Cache-Control": "private, max-age=600"})
