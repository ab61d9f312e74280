"""OpenTimelineIO, and the XML that editors read: the film on a picture track, placements on tracks of sound, written by the library for timelines."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import opentimelineio as otio

from oskren.core.picture.edit_lists.told import Told


def timeline(told: Told) -> Any:
    """The scene as a timeline: gaps between clips, each clip with its file, the part of it, and its anchor as a marker.

    Returns
    -------
    opentimelineio.schema.Timeline
    """
    rate = float(told.counted.rate)

    def span(first: int, frames: int) -> Any:
        return otio.opentime.TimeRange(otio.opentime.RationalTime(first, rate), otio.opentime.RationalTime(frames, rate))

    whole = otio.schema.Timeline(told.name)
    whole.global_start_time = otio.opentime.RationalTime(told.start, rate)
    picture = otio.schema.Track(name="Picture", kind=otio.schema.TrackKind.Video)
    film = otio.schema.ExternalReference(Path(told.film).resolve().as_uri(), span(0, told.frames))
    picture.append(otio.schema.Clip(Path(told.film).name, film, span(0, told.frames)))
    whole.tracks.append(picture)
    for name, clips in told.tracks().items():
        track, end = otio.schema.Track(name=name, kind=otio.schema.TrackKind.Audio), 0
        for clip in clips:
            if clip.first > end:
                track.append(otio.schema.Gap(duration=otio.opentime.RationalTime(clip.first - end, rate)))
            file = otio.schema.ExternalReference(told.address(clip), span(0, clip.held))
            placed = otio.schema.Clip(clip.name, file, span(clip.inside, clip.frames))
            anchor = clip.anchor_frame - clip.first + clip.inside
            placed.markers.append(otio.schema.Marker("anchor", span(anchor, 1)))
            track.append(placed)
            end = clip.first + clip.frames
        whole.tracks.append(track)
    return whole


def write_otio(told: Told) -> dict[str, str]:
    """The timeline as JSON."""
    return {".otio": otio.adapters.write_to_string(timeline(told), "otio_json")}


def write_xml(told: Told) -> dict[str, str]:
    """The timeline as the XML that editors read (version 4 of that format)."""
    return {".xml": otio.adapters.write_to_string(timeline(told), "fcp_xml")}
