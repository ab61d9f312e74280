"""The command line: Oskren for scripts and checks.

With ``--json`` one JSON document goes to standard output; messages go to standard error. Exit status 0: all done;
1: some items failed, listed under ``failed``; 2: the call or its input is unusable, nothing written.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Callable

import typer

from oskren.cli import files, libraries, making, serving
from oskren.cli.said import say
from oskren.core.errors import OskrenError

app = typer.Typer(
    add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, help="Record, clean, layer, vary, slice and ship designed sounds."
)
COMMANDS: dict[str, Callable[..., None]] = {
    "demo": serving.demo,
    "serve": serving.serve,
    "measure": files.measure,
    "pitch": files.pitch,
    "clean": files.clean,
    "process": files.process,
    "slice": files.slice_,
    "import": libraries.import_,
    "sounds": libraries.sounds,
    "vary": making.vary,
    "ship": making.ship,
    "scene": making.scene,
}
for name, command in COMMANDS.items():
    app.command(name)(command)


def main() -> None:
    """Entry point: what cannot be used ends with status 2 and one sentence, never with a traceback."""
    try:
        app(standalone_mode=True)
    except OskrenError as error:
        say(str(error))
        sys.exit(2)
    except OSError as error:
        say(f"{error.filename or 'A file'}: {error.strerror or error}; check the path, its rights and the room on the disk")
        sys.exit(2)
    except Exception as error:
        say(f"A fault inside Oskren ended this ({type(error).__name__}: {error}). What was finished until then stays; OSKREN_DEBUG=1 shows where.")
        if os.environ.get("OSKREN_DEBUG"):
            raise
        sys.exit(2)
