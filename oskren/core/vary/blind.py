"""Blind comparison: which of two is heard is hidden, guesses are counted, and how likely so many right ones are by guessing is told."""

from __future__ import annotations

from pydantic import BaseModel, Field

SURE = 0.05
"""A difference is taken as heard when guessing would do as well in fewer cases than this (common practice in listening tests, no source)."""


class Guesses(BaseModel):
    """So many right of so many."""

    right: int = Field(ge=0, le=10_000)
    of: int = Field(ge=1, le=10_000)


class Verdict(BaseModel):
    """How likely at least so many right ones are by guessing, and what that says, in a sentence."""

    by_guessing: float
    sentence: str


def verdict(guesses: Guesses) -> Verdict:
    """What a run of guesses says: the upper tail of the binomial law with one half.

    >>> round(verdict(Guesses(right=9, of=10)).by_guessing, 4)
    0.0107
    """
    from scipy.stats import binom

    chance = float(binom.sf(guesses.right - 1, guesses.of, 0.5))
    said = f"{guesses.right} of {guesses.of} right; guessing does as well in {chance * 100:.1f} % of such runs."
    more = " You hear the difference." if chance < SURE else " That does not show that you hear a difference."
    return Verdict(by_guessing=round(chance, 6), sentence=said + more)
