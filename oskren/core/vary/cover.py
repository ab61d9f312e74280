"""How draws lie in the ranges: numbers between 0 and 1, one for each draw and each freedom, that cover them evenly, or plain random ones.

Even cover is a Sobol sequence (scipy.stats.qmc), each dimension scrambled on its own by a random linear scramble and a digital
shift from the seed: a draw's numbers depend on seed, number and dimension alone, so one more dimension moves none of the others.
Sources: Joe and Kuo, "Constructing Sobol sequences with better two-dimensional projections", SIAM J. Sci. Comput. 30, 2008;
Matoušek, "On the L2-discrepancy for anchored boxes", J. Complexity 14, 1998.
"""

from __future__ import annotations

import functools
import hashlib

import numpy as np
from numpy.typing import NDArray

BITS, BLOCK = 30, 256
DIMENSIONS = 1024
"""So many freedoms a recipe may have that move apart from each other."""


def _hashed(text: str) -> int:
    """53 bits that depend on nothing but the text (BLAKE2b)."""
    return int.from_bytes(hashlib.blake2b(text.encode(), digest_size=8).digest(), "big") >> 11


def plain(seed: int, number: int, name: str) -> float:
    """A random number in (0, 1) for a draw and what is drawn."""
    return _hashed(f"oskren draw 1/{seed}/{number}/{name}") / (1 << 53) + 2.0**-54


@functools.lru_cache(maxsize=16)
def _points(dimensions: int, block: int) -> NDArray[np.uint32]:
    """Points of the plain sequence, shape (BLOCK, dimensions), as whole numbers of BITS bits."""
    from scipy.stats import qmc

    engine = qmc.Sobol(dimensions, scramble=False, bits=BITS)
    if block:
        engine.fast_forward(block * BLOCK)
    return np.asarray(engine.random(BLOCK) * (1 << BITS), np.uint32)


@functools.lru_cache(maxsize=4096)
def _scrambled(seed: int, dimension: int, block: int) -> NDArray[np.float64]:
    # bits of a hash, which are the same in every version of every library
    text = f"oskren cover 1/{seed}/{dimension}"
    masks = np.frombuffer(hashlib.shake_128(text.encode()).digest(4 * (BITS + 1)), "<u4") >> (32 - BITS)
    # as many dimensions as a power of two has, so that few blocks are made
    raw = _points(1 << max(4, dimension.bit_length()), block)[:, dimension]
    moved = np.zeros(len(raw), np.uint32)
    for place in range(BITS):
        bit = 1 << (BITS - 1 - place)
        # each bit is itself and any of those over it
        mask = np.uint32((int(masks[place]) & ~(2 * bit - 1) & ((1 << BITS) - 1)) | bit)
        moved |= (np.bitwise_count(raw & mask) & 1).astype(np.uint32) * np.uint32(bit)
    moved ^= masks[BITS]
    return np.asarray((moved + 0.5) / (1 << BITS))


def even(seed: int, number: int, dimension: int) -> float:
    """A number in (0, 1) for a draw (counted from 1) in a dimension (counted from 0), covering evenly with those of all other draws.

    >>> halves = [even(7, number, 0) < 0.5 for number in range(1, 9)]
    >>> sum(halves)
    4
    """
    block, place = divmod(number - 1, BLOCK)
    return float(_scrambled(seed, dimension, block)[place])
