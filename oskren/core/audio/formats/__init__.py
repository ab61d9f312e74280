"""Formats that files leave in: one module each; docs/formats-of-files.md adds one."""

# in the order people are offered them
# isort: off
from oskren.core.audio.formats import wav, aiff, flac, ogg, opus, mp3  # noqa: F401
# isort: on

from oskren.core.audio.formats.base import FORMATS, Format, format_of, of_file, words_into

__all__ = ["FORMATS", "Format", "format_of", "of_file", "words_into"]
