"""The command line: Oskren for scripts and checks.

With ``--json`` one JSON document goes to standard output; messages go to standard error. Exit status 0: all done;
1: some items failed, listed under ``failed``; 2: the call or its input is unusable, nothing written.
"""

from __future__ import annotations

import os
import sys
from typing import NoReturn

from oskren.core.errors import OskrenError
from oskren.work.engine import beforehand

WITH_WORKERS = ("import", "vary", "ship", "scene")
"""The commands that work with a library: their workers load what they need while the command loads its own."""


def _end(sentence: str) -> NoReturn:
    print(sentence, file=sys.stderr)
    sys.exit(2)


def main() -> None:
    """Entry point: what cannot be used ends with status 2 and one sentence, never with a traceback."""
    if sys.argv[1:2] and sys.argv[1] in WITH_WORKERS and not {"--help", "--schema"} & set(sys.argv):
        beforehand.begin()
    try:
        from oskren.cli.commands import app

        app(standalone_mode=True)
    except OskrenError as error:
        _end(str(error))
    except OSError as error:
        _end(f"{error.filename or 'A file'}: {error.strerror or error}; check the path, its rights and the room on the disk")
    except Exception as error:
        if os.environ.get("OSKREN_DEBUG"):
            raise
        _end(f"A fault inside Oskren ended this ({type(error).__name__}: {error}). What was finished until then stays; OSKREN_DEBUG=1 shows where.")
