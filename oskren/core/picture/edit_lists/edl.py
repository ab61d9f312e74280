"""EDL (CMX 3600): one list a track, since a list has one audio track and no overlaps. The library for timelines reads it and does not write audio."""

from __future__ import annotations

import re

from oskren.core.picture.edit_lists.told import Told
from oskren.core.picture.handed import file_names
from oskren.core.timecode import code_of

REEL = 8
"""Characters of a reel's name."""


def write(told: Told) -> dict[str, str]:
    """A list a track: events in order, each with its part of its file and where that lies in the film's time code."""
    found = {}
    mode = "DROP FRAME" if told.counted.dropped else "NON-DROP FRAME"

    def code(frame: int) -> str:
        return code_of(frame, told.counted)

    tracks = told.tracks()
    for file, (track, clips) in zip(file_names(list(tracks)), tracks.items(), strict=True):
        lines = [f"TITLE: {_plain(told.name)} {_plain(track)}", f"FCM: {mode}", ""]
        for number, clip in enumerate(clips, 1):
            source = f"{code(clip.inside)} {code(clip.inside + clip.frames)}"
            record = f"{code(told.start + clip.first)} {code(told.start + clip.first + clip.frames)}"
            reel = re.sub(r"[^A-Z0-9]", "", clip.file.upper())[:REEL] or "AX"
            lines += [f"{number:03d}  {reel:<{REEL}} A     C        {source} {record}", f"* FROM CLIP NAME: {_plain(clip.name)}"]
            lines += [f"* FROM CLIP: {told.address(clip)}", ""]
        found[f" {file}.edl"] = "\n".join(lines) + "\n"
    return found


def _plain(text: str) -> str:
    return " ".join(text.split())
