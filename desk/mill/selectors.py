"""Reading line definitions: parsed once a version, solved once an order."""

from functools import lru_cache
from threading import Lock

from desk.mill.models import DefinitionVersion
from stock.line.balance import LineBalance, LineResult, Order
from stock.line.definition import Definition
from stock.line.load import parse_definition

_solving = Lock()


@lru_cache(maxsize=8)
def _parsed(sha256: str, version_id: int) -> tuple[Definition, LineBalance]:
    line = parse_definition(DefinitionVersion.objects.get(pk=version_id).text)
    return line, LineBalance(line)


def line_of(version: DefinitionVersion) -> Definition:
    """Return the line of a version."""
    return _parsed(version.sha256, version.pk)[0]


@lru_cache(maxsize=256)
def _solved(
    sha256: str, version_id: int, grade_id: str, reel_t_per_h: float, shares: tuple[tuple[str, float], ...]
) -> LineResult:
    line, balance = _parsed(sha256, version_id)
    with _solving:  # the balance carries its tanks from one order to the next
        return balance.solve(Order.of(line.grade(grade_id), reel_t_per_h, dict(shares)))


def solve(version: DefinitionVersion, grade_id: str, reel_t_per_h: float, shares: dict[str, float]) -> LineResult:
    """Return the balance of an order; errors of the core pass through."""
    return _solved(version.sha256, version.pk, grade_id, reel_t_per_h, tuple(sorted(shares.items())))
