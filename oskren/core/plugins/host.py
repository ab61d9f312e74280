"""What runs in the process of its own: loads a plug-in, tells what it is or sends a sound through it, and ends.

Called as ``python -m oskren.core.plugins.host`` with one JSON job on standard input; answers with one JSON document. Sound goes through files of
raw float32. Whatever the plug-in does to this process, the one that asked is another.
"""

from __future__ import annotations

import base64
import json
import sys
from typing import Any

import numpy as np

from oskren.core.types import Samples

FEW = 24
"""Values a parameter may have to be shown as options."""

MOST_PARAMETERS = 200


def _parameter(name: str, one: Any) -> dict[str, Any]:
    values = list(one.valid_values)
    options = [str(value) for value in values] if 2 <= len(values) <= FEW else []
    return {"name": name, "label": one.name, "unit": one.label or "", "default": min(1.0, max(0.0, float(one.raw_value))), "options": options}


def look(path: str) -> list[dict[str, Any]]:
    """What effects a file holds, with their parameters and the state they begin with; instruments are left out."""
    import pedalboard

    found = []
    for name in pedalboard.VST3Plugin.get_plugin_names_for_file(path):
        plugin = pedalboard.VST3Plugin(path, plugin_name=name)
        if plugin.is_effect:
            parameters = [_parameter(key, one) for key, one in list(plugin.parameters.items())[:MOST_PARAMETERS]]
            state = base64.b64encode(plugin.raw_state).decode()
            found.append({"name": plugin.name, "maker": plugin.manufacturer_name, "version": plugin.version, "parameters": parameters, "state": state})
    return found


def run(job: dict[str, Any]) -> None:
    """Send a sound through a plug-in: two channels at a time where it does not take as many as there are, one as two where it does not take one."""
    import pedalboard

    samples: Samples = np.fromfile(job["input"], np.float32).reshape(-1, job["channels"])

    def through(lanes: Samples) -> Samples:
        plugin = pedalboard.VST3Plugin(job["path"], plugin_name=job["name"])
        if job["state"]:
            plugin.raw_state = base64.b64decode(job["state"])
        for name, value in job["values"].items():
            if name in plugin.parameters:
                plugin.parameters[name].raw_value = value
        given = plugin.process(np.ascontiguousarray(lanes.T), job["rate"], reset=True)
        out: Samples = np.asarray(given, np.float32).T[: len(lanes)]
        return out

    def fitting(lanes: Samples) -> Samples:
        try:
            return through(lanes)
        except ValueError:
            if lanes.shape[1] > 2:
                return np.concatenate([fitting(lanes[:, at : at + 2]) for at in range(0, lanes.shape[1], 2)], axis=1)
            if lanes.shape[1] == 1:
                return np.asarray(through(np.repeat(lanes, 2, axis=1)).mean(axis=1, keepdims=True), np.float32)
            raise

    np.ascontiguousarray(fitting(samples), np.float32).tofile(job["output"])


def main() -> None:
    """Do one job."""
    job = json.load(sys.stdin)
    answer: dict[str, Any] = {}
    try:
        if job["do"] == "look":
            answer["found"] = look(job["path"])
        else:
            run(job)
    except Exception as error:  # whatever a plug-in throws is told, not raised
        answer = {"failed": " ".join(str(error).split()) or type(error).__name__}
    sys.stdout.write("\n" + json.dumps(answer) + "\n")


if __name__ == "__main__":
    main()
