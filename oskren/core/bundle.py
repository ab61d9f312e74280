"""Bundles: a design with its audio in one open file, a zip of JSON and sound (see docs/formats.md)."""

from __future__ import annotations

import json
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from oskren.core.audio import files
from oskren.core.audio.replacing import replacing
from oskren.core.errors import AudioFileError, OskrenError, first_wrong
from oskren.core.nodes.filed import schema_with_files, with_sources
from oskren.core.nodes.model import Mix, Source
from oskren.core.nodes.walk import leaves
from oskren.core.vary.recipe import Recipe

FORMAT, VERSION = "oskren-bundle", 3
READS = (1, 2, 3)
LONGEST_NAME = 200
MOST_FILES, MOST_BYTES, MOST_TEXT = 512, 4 << 30, 64 << 20


@dataclass(frozen=True)
class Bundle:
    """A loaded bundle: the design, its recipe if it has one, and where each audio hash lies; ``originals`` are recordings, the rest was printed."""

    name: str
    mix: Mix
    recipe: Recipe | None
    audio: dict[str, Path]

    @property
    def originals(self) -> list[str]:
        return [leaf.audio for leaf in leaves(self.mix) if isinstance(leaf, Source)]


class Document(BaseModel):
    """``design.json`` of a bundle."""

    model_config = ConfigDict(extra="ignore")

    format: Literal["oskren-bundle"]
    version: Literal[1, 2, 3]
    name: str = ""
    audio: dict[str, str] = Field(default_factory=dict, description="Files inside the bundle by the hash of their audio; each is checked against it.")
    mix: Mix
    recipe: Recipe | None = None


def schema() -> dict[str, Any]:
    """JSON schema of ``design.json``; a source may be written as the file it lies in, too."""
    return schema_with_files(Document.model_json_schema(), "Design in a bundle", "inside the bundle")


def save(path: Path, name: str, mix: Mix, media: Callable[[str], Path], recipe: Recipe | None = None) -> None:
    """Write a design with every original it is made of; the audio files go in byte for byte."""
    audio = {leaf.audio: media(leaf.audio) for leaf in leaves(mix)}
    if len(audio) > MOST_FILES - 1:
        raise OskrenError(f"{name}: is made of {len(audio)} sounds; a bundle holds {MOST_FILES - 1}. Print some of its layers and use the prints.")
    for file in audio.values():
        if not file.exists():
            raise OskrenError(f"{file}: the file of a sound in {name} is missing; put it back or import it again")
    if sum(file.stat().st_size for file in audio.values()) > MOST_BYTES - MOST_TEXT:
        raise OskrenError(f"{name}: its sounds are larger than the {MOST_BYTES >> 30} GiB a bundle may hold. Print its longest layers and use the prints.")
    sources = {}
    with replacing(path) as temporary, zipfile.ZipFile(temporary, "w", zipfile.ZIP_STORED) as archive:
        for key, file in audio.items():
            inside = f"audio/{key}{file.suffix.lower()}"
            archive.write(file, inside)
            sources[key] = inside
        document = {
            "format": FORMAT,
            "version": VERSION,
            "name": name,
            "audio": sources,
            "mix": mix.model_dump(mode="json"),
            "recipe": recipe.model_dump(mode="json") if recipe else None,
        }
        archive.writestr("design.json", json.dumps(document, indent=1))


def load(path: Path, folder: Path) -> Bundle:
    """Read a bundle; its audio is unpacked into ``folder`` and checked.

    Raises
    ------
    OskrenError
        When the file is no bundle, is damaged, or its paths, count or size are out of bounds; nothing is kept then.
    """
    if not path.exists():
        raise OskrenError(f"{path}: there is no such file; check the path")
    unpacked: list[Path] = []
    try:
        with zipfile.ZipFile(path) as archive:
            return _load(path, archive, folder, unpacked)
    except (
        zipfile.BadZipFile,
        zlib.error,
        NotImplementedError,
        KeyError,
        json.JSONDecodeError,
        UnicodeDecodeError,
        EOFError,
        RecursionError,
        RuntimeError,
        OSError,
    ) as error:
        _remove(unpacked)
        raise OskrenError(f"{path}: is not a bundle (a zip with a design.json in it) or is damaged; save it again") from error
    except ValidationError as error:
        _remove(unpacked)
        raise OskrenError(f"{path}: its design cannot be used: {first_wrong(error)}") from error
    except OskrenError:
        _remove(unpacked)
        raise


def _remove(paths: list[Path]) -> None:
    for path in paths:
        path.unlink(missing_ok=True)


def _load(path: Path, archive: zipfile.ZipFile, folder: Path, unpacked: list[Path]) -> Bundle:
    entries = archive.infolist()
    if len(entries) > MOST_FILES or sum(entry.file_size for entry in entries) > MOST_BYTES:
        raise OskrenError(f"{path}: holds more than {MOST_FILES} files or {MOST_BYTES >> 30} GiB; it is not read")
    for entry in entries:
        parts = PurePosixPath(entry.filename).parts
        if entry.filename.startswith("/") or ".." in parts or any(sign in entry.filename for sign in "\\:\0"):
            raise OskrenError(f"{path}: holds the path '{entry.filename}', which leaves the bundle; it is not read")
    if archive.getinfo("design.json").file_size > MOST_TEXT:
        raise OskrenError(f"{path}: its design.json is larger than {MOST_TEXT >> 20} MiB; it is not read")
    document = json.loads(archive.read("design.json"))
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise OskrenError(f"{path}: its design.json does not say format '{FORMAT}'")
    if document.get("version") not in READS:
        raise OskrenError(f"{path}: is of version {document.get('version')}; this Oskren reads versions {READS[0]} to {READS[-1]}")
    audio: dict[str, Path] = {}
    sources: dict[str, dict[str, Any]] = {}

    def source(inside: str) -> dict[str, Any]:
        if inside not in sources:
            file = folder / f"{len(sources):03d}{PurePosixPath(inside).suffix[:12]}"
            folder.mkdir(parents=True, exist_ok=True)
            unpacked.append(file)
            with archive.open(inside) as packed, open(file, "wb") as out:
                while part := packed.read(1 << 20):
                    out.write(part)
            try:
                info, key = files.probe(file), files.audio_hash(file)
            except AudioFileError as error:
                raise OskrenError(f"{path}: its {inside} {error.reason}") from error
            audio[key] = file
            sources[inside] = {"kind": "source", "audio": key, "rate": info.rate, "channels": info.channels, "frames": info.frames}
        return sources[inside]

    mix = Mix.model_validate(with_sources(document.get("mix"), source))
    for key, inside in (document.get("audio") or {}).items():
        if source(str(inside))["audio"] != key:
            raise OskrenError(f"{path}: its {inside} holds other sound than the design was made with; save the bundle again")
    missing = [leaf.audio for leaf in leaves(mix) if leaf.audio not in audio]
    if missing:
        raise OskrenError(f"{path}: the sound {missing[0][:12]} of the design is not in the bundle; save it again")
    recipe = Recipe.model_validate(document["recipe"]) if document.get("recipe") else None
    name = str(document.get("name") or path.stem).encode(errors="replace").decode().replace("\0", "")[:LONGEST_NAME]
    return Bundle(name, mix, recipe, audio)
