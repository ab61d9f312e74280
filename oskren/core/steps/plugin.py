"""A plug-in of the user's machine as a step."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from oskren.core.controls import number
from oskren.core.plugins import outside, shelf
from oskren.core.steps.base import Context, Params, StepKind, register
from oskren.core.types import Samples


class PluginParams(Params):
    plugin: str = Field("", max_length=16, title="Plug-in", json_schema_extra={"control": "plugin"})
    values: dict[str, float] = Field({}, title="Values, 0 to 1, by name", json_schema_extra={"control": "values"})
    state: str = Field("", max_length=4 << 20, title="State it begins with, base64", json_schema_extra={"control": "state"})
    tail_s: float = number(0.0, 0, 30, "s", "Rings on for", digits=1)


@register
class PluginStep(StepKind):
    """Runs the sound through a plug-in you opened, in a process of its own. One that fails is passed over and says so."""

    key, label, family, params, whole = "plugin", "Plug-in", "Plug-ins", PluginParams, True
    words = "plug-in plugin vst external other"

    def passed_over(self, params: PluginParams) -> str:
        known = shelf.seen(params.plugin)
        if known is None:
            return "is not on this machine's shelf; open its file, and it takes its place" if params.plugin else "is not chosen"
        return f"{known.plugin.name} {known.passed_over}" if known.passed_over else ""

    def outside(self, params: PluginParams) -> list[str | int]:
        known = shelf.seen(params.plugin)
        return known.stamp if known is not None else []

    def out_frames(self, params: PluginParams, at: Context) -> int:
        return at.frames + round(params.tail_s * at.rate)

    def run(self, params: PluginParams, samples: Samples, at: Context) -> Samples:
        known = shelf.seen(params.plugin)
        longer: Samples = np.concatenate([samples, np.zeros((self.out_frames(params, at) - len(samples), at.channels), np.float32)])
        return longer if known is None else outside.through(known.plugin, longer, at.rate, params.state, params.values)
