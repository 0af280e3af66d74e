"""Chance that goes by whole numbers alone: the same numbers, the same draw, in any order and in any process."""

from functools import lru_cache
from statistics import NormalDist
from typing import Final

WORD: Final = 0xFFFFFFFFFFFFFFFF
STRIDE: Final = 0x9E3779B97F4A7C15  # 2^64 over the golden ratio: numbers side by side are set far apart
_at_rank = NormalDist().inv_cdf


@lru_cache(maxsize=4096)  # what is told each second is in part what was told the second before
def normal_of(*numbers: int) -> float:
    """Return a draw of the standard normal distribution for a few whole numbers, -8.3 to 8.3.

    Each number is stirred in by the finaliser of SplitMix64 (Steele, Lea and Flood, 2014), and the
    53 bits that a float holds are taken as the draw's rank: a fifth of the time it takes to seed a generator
    for the sake of one draw.
    """
    kept = 0
    for number in numbers:
        kept = (kept ^ number) + STRIDE & WORD
        kept = (kept ^ kept >> 30) * 0xBF58476D1CE4E5B9 & WORD
        kept = (kept ^ kept >> 27) * 0x94D049BB133111EB & WORD
        kept ^= kept >> 31
    return _at_rank(((kept >> 11) + 0.5) / 9007199254740992)
