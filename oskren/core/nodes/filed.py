"""Nodes that people write down: where one stands, the file it lies in may stand instead."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

FILE = {"type": "object", "properties": {"kind": {"const": "source"}, "file": {"type": "string"}}, "required": ["file"], "additionalProperties": False}


def with_sources(value: Any, source: Callable[[str], dict[str, Any]]) -> Any:
    """JSON in which every node written as its file is the source it is, as ``source`` finds it for the file's name."""
    if isinstance(value, list):
        return [with_sources(one, source) for one in value]
    if not isinstance(value, dict):
        return value
    if set(value) == {"file"} or (value.get("kind") == "source" and "file" in value):
        return source(str(value["file"])) | ({"layout": value["layout"]} if "layout" in value else {})
    return {name: with_sources(one, source) for name, one in value.items()}


def schema_with_files(schema: dict[str, Any], title: str, where: str) -> dict[str, Any]:
    """A JSON schema that holds nodes, widened by what ``with_sources`` reads; ``where`` says where the files lie."""
    name = "NodeByFile"
    schema["$defs"][name] = FILE | {"description": f"A sound by its file {where}."}

    def widened(value: Any) -> Any:
        if isinstance(value, list):
            return [widened(one) for one in value]
        if not isinstance(value, dict):
            return value
        inner = {key: widened(one) for key, one in value.items()}
        if "discriminator" in inner and "oneOf" in inner:
            return {"anyOf": [{"$ref": f"#/$defs/{name}"}, {"oneOf": inner["oneOf"]}]} | {key: one for key, one in inner.items() if key == "title"}
        return inner

    found: dict[str, Any] = widened(schema)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": title} | {key: one for key, one in found.items() if key != "title"}
