"""Controls: numbers, choices, switches and moments, each declared once on the model it sets.

A model's field states what a value may be (the hard range), what is usual (the range a slider shows), its unit, default and scale.
Everything that draws or checks a value reads it from there; ``oskren.core.published`` lists the models whose controls the interface draws.
"""

from __future__ import annotations

import re
import types
import typing
from collections.abc import Mapping, Sequence
from typing import Any, Literal

from annotated_types import Ge, Gt, Le, Lt
from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo

DIGITS = {"Hz": 0, "ms": 1, "s": 2, "×": 2, "": 2}
"""Digits shown behind the point, by unit, where a control states none; one for all other units."""

Shows = Literal["", "sides", "percent"]
"""How a value without a unit reads: as it is, as left and right, or as a share."""


class Option(BaseModel):
    """One of the values of a choice, and what it is called."""

    value: str | int | bool | None
    label: str


class Control(BaseModel):
    """A field of a model, as a control is drawn from it.

    ``low`` and ``high`` are what the model accepts (None without an end), ``usual`` is what a slider shows. What is shown is the value times
    ``shown``: a field in seconds may be shown in ms. ``ends`` name the lowest and the highest value, ``unset`` names none at all; ``begins`` is
    where the slider stands then.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    label: str
    control: str
    default: Any
    low: float | None = None
    high: float | None = None
    usual: tuple[float, float] | None = None
    unit: str = ""
    scale: str = "linear"
    step: float | None = None
    digits: int = 2
    shown: float = 1.0
    shows: Shows = ""
    ends: tuple[str, str] = ("", "")
    unset: str = ""
    begins: float | None = None
    options: list[Option] = []
    hint: str = ""
    moving: bool = False
    place: bool = False


def number(
    default: float | None,
    low: float | None,
    high: float | None,
    unit: str,
    label: str,
    scale: str = "linear",
    digits: int | None = None,
    *,
    usual: tuple[float, float] | None = None,
    step: float | None = None,
    shown: float = 1.0,
    shows: Shows = "",
    ends: tuple[str, str] | None = None,
    unset: str = "",
    begins: float | None = None,
    hint: str = "",
    place: bool = False,
    moving: bool = False,
) -> Any:
    """A number of a model.

    Parameters
    ----------
    low, high : float or None
        The hard range: the model refuses a value outside.
    unit : str
        Unit of what is shown.
    scale : {"linear", "log"}
        How a slider moves through the range.
    digits : int, optional
        Shown behind the point; by unit when not given.
    usual : (float, float), optional
        The range of the slider; the hard range when not given.
    step : float, optional
        What a slider and the arrow keys move by.
    shown : float
        Factor from the value to what is shown, 1000 for seconds shown in ms.
    place : bool
        Whether it is a moment (s) of the sound, which can be taken from the playhead.
    moving : bool
        Whether it may follow an envelope.
    """
    stated = {
        "usual": usual,
        "step": step,
        "digits": digits,
        "shown": None if shown == 1 else shown,
        "shows": shows,
        "ends": ends,
        "unset": unset,
        "begins": begins,
        "hint": hint,
        "place": place,
        "moving": moving,
    }
    extra: dict[str, Any] = {"control": "number", "unit": unit, "scale": scale}
    extra |= {name: value for name, value in stated.items() if value is not None and value is not False and value != ""}
    return Field(default, ge=low, le=high, title=label, json_schema_extra=extra)


def choice(
    default: Any,
    options: Sequence[str] | Mapping[Any, str] | None,
    label: str,
    *,
    only: bool = True,
    hint: str = "",
    low: float | None = None,
    high: float | None = None,
) -> Any:
    """A field with a set of values: as they are called, or each with what it is called; None takes those of the field's ``Literal``.

    Texts in a sequence are the only ones the model accepts, unless ``only`` is False; a mapping leaves that to the field's type and range.
    """
    extra: dict[str, Any] = {"control": "choice"} | ({"hint": hint} if hint else {})
    pattern = None
    if isinstance(options, Mapping):
        extra["options"] = [{"value": value, "label": called} for value, called in options.items()]
    elif options is not None:
        extra["options"] = [{"value": value, "label": value or "none"} for value in options]
        pattern = "^(" + "|".join(map(re.escape, options)) + ")$" if only else None
    return Field(default, title=label, pattern=pattern, ge=low, le=high, json_schema_extra=extra)


def switch(default: bool, label: str, hint: str = "") -> Any:
    """A field that is on or off."""
    extra: dict[str, Any] = {"control": "switch"} | ({"hint": hint} if hint else {})
    return Field(default, title=label, json_schema_extra=extra)


def moment(label: str) -> Any:
    """A moment in the time of the sound the step was set on (s); None where it is not set."""
    return Field(None, ge=0, title=label, json_schema_extra={"control": "moment", "unit": "s"})


def bounds(field: FieldInfo) -> tuple[float | None, float | None]:
    """Hard range of a field; None where the model states no end."""
    low = next((float(one.ge if isinstance(one, Ge) else one.gt) for one in field.metadata if isinstance(one, Ge | Gt)), None)  # type: ignore[arg-type]
    high = next((float(one.le if isinstance(one, Le) else one.lt) for one in field.metadata if isinstance(one, Le | Lt)), None)  # type: ignore[arg-type]
    return low, high


def _said(annotation: Any) -> list[Option]:
    """The values a ``Literal`` allows, called as they are."""
    if typing.get_origin(annotation) in (typing.Union, types.UnionType):
        return [option for part in typing.get_args(annotation) for option in _said(part)]
    if typing.get_origin(annotation) is Literal:
        return [Option(value=value, label=str(value)) for value in typing.get_args(annotation)]
    return []


def controls_of(model: type[BaseModel], moving: Sequence[str] = ()) -> list[Control]:
    """The controls of a model, in the order of its fields; ``moving`` names further ones that may follow an envelope.

    >>> class Room(BaseModel):
    ...     size_m: float = number(4.0, 1, 100, "m", "Size", "log", usual=(2, 40))
    ...     walls: Literal["wood", "stone"] = choice("wood", None, "Walls")
    >>> size, walls = controls_of(Room)
    >>> size.low, size.usual, size.digits, [option.value for option in walls.options]
    (1.0, (2.0, 40.0), 1, ['wood', 'stone'])
    """
    found = []
    for name, field in model.model_fields.items():
        extra = field.json_schema_extra
        if not isinstance(extra, dict) or "control" not in extra:
            continue
        low, high = bounds(field)
        values: dict[str, Any] = {"name": name, "label": field.title or name, "default": field.default, "low": low, "high": high, **extra}
        values.setdefault("digits", DIGITS.get(values.get("unit", ""), 1))
        if values["control"] == "choice" and "options" not in values:
            values["options"] = _said(field.annotation)
        if name in moving:
            values["moving"] = True
        found.append(Control.model_validate(values))
    return found
