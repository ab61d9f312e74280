"""What people say of the variations of a spread by ear."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

Judgement = Literal["kept", "dropped"]


class Judgements(BaseModel):
    """Which variations of a spread are kept and which are dropped, by their id; those that are not named are neither.

    ``numbers`` says by which number each is drawn, so that drawing anew is a change like any other and can be taken back; one that is not
    named stays as it is.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    states: dict[int, Judgement] = {}
    numbers: dict[int, int] = {}
