"""Changes of a document (JSON Patch, RFC 6902) that touch only what they change: the rest stays the very same object, and is not validated again."""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from typing import Any

import jsonpatch
from pydantic import BaseModel

from oskren.core.errors import OskrenError


def patched(document: Any, patch: Sequence[dict[str, Any]]) -> Any:
    """A document (plain data) after a patch; the one before stays as it is, and what is not changed is shared by both.

    The library copies all of a document before it patches it, which for a scene of 300 placements takes longer than everything else a save does.

    Raises
    ------
    OskrenError
        When the patch does not fit.

    Examples
    --------
    >>> before = {"name": "Dome", "layers": [{"gain_db": 0}, {"gain_db": -6}]}
    >>> after = patched(before, [{"op": "replace", "path": "/layers/0/gain_db", "value": -3}])
    >>> after["layers"][0], before["layers"][0], after["layers"][1] is before["layers"][1]
    ({'gain_db': -3}, {'gain_db': 0}, True)
    """
    try:
        for change in patch:
            if change["op"] == "move":
                moved = jsonpatch.JsonPointer(change["from"]).resolve(document)
                document = _changed(document, {"op": "remove", "path": change["from"]})
                change = {"op": "add", "path": change["path"], "value": moved}
            document = _changed(document, change)
    except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, TypeError, KeyError) as error:
        raise OskrenError("The change does not fit to the state it was made on; send all of it.") from error
    return document


def _changed(document: Any, change: dict[str, Any]) -> Any:
    loose = _loosened(document, jsonpatch.JsonPointer(change["path"]).parts[:-1])
    return jsonpatch.apply_patch(loose, [change], in_place=True)


def _loosened(document: Any, way: list[str]) -> Any:
    """A document with copies of all that lies on a way into it, down to what is changed there; what is beside it stays."""
    if not isinstance(document, dict | list):
        return document  # the patch says what is wrong with such a way
    copy = document.copy()
    if way:
        at: Any = int(way[0]) if isinstance(copy, list) and way[0].isdigit() else way[0]
        if (isinstance(copy, dict) and at in copy) or (isinstance(copy, list) and isinstance(at, int) and at < len(copy)):
            copy[at] = _loosened(copy[at], way[1:])
    return copy


def grafted(after: Any, before: Any, model: Any, same: Callable[[Any, Any], bool] = operator.is_) -> Any:
    """Plain data, with the models of what it shares with the data ``before``, of which ``model`` was made: ready to be validated.

    After a patch what is shared is the very ``same`` object; of data that was sent it is what is equal.
    """
    if same(after, before):
        return model
    if isinstance(after, dict) and isinstance(before, dict) and isinstance(model, BaseModel):
        there = before.keys() & type(model).model_fields.keys()
        return {name: grafted(value, before[name], getattr(model, name), same) if name in there else value for name, value in after.items()}
    if isinstance(after, list) and isinstance(before, list) and isinstance(model, tuple | list) and len(before) == len(model):
        if len(after) == len(before) and same is not operator.is_:
            return [grafted(one, was, made, same) for one, was, made in zip(after, before, model, strict=True)]
        known = {id(one): made for one, made in zip(before, model, strict=True) if isinstance(made, BaseModel)}
        rest = len(after) == len(before)
        return [known.get(id(one)) or (grafted(one, before[k], model[k], same) if rest else one) for k, one in enumerate(after)]
    return after
