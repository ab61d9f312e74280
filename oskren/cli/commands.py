"""The commands and their names."""

from __future__ import annotations

from collections.abc import Callable

import typer

from oskren.cli import files, libraries, making, serving

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
