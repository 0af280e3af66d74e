"""The demonstration line, loaded once for every test that needs a whole one."""

from functools import cache
from pathlib import Path

from stock.line.balance import LineBalance
from stock.line.definition import Definition
from stock.line.load import load_definition
from stock.line.story import Story, story_beside

MILL = Path(__file__).resolve().parents[1] / "mills" / "hallin_reach.yaml"
BENCH = MILL.with_name("tidewater_bench.yaml")


@cache
def hallin_reach() -> Definition:
    """Return the demonstration line."""
    return load_definition(MILL)


@cache
def hallin_story() -> Story:
    """Return what its demonstration opens with."""
    return story_beside(MILL, hallin_reach())


@cache
def balance() -> LineBalance:
    """Return its balance."""
    return LineBalance(hallin_reach())


@cache
def tidewater_bench() -> Definition:
    """Return the teaching workshop."""
    return load_definition(BENCH)


@cache
def tidewater_story() -> Story:
    """Return what its demonstration opens with."""
    return story_beside(BENCH, tidewater_bench())
