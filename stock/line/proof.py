"""Does a line run on paper: the order of each of its grades solved, before anything is built on its definition."""

from functools import lru_cache

from stock.errors import DomainError
from stock.line.balance import LineBalance, LineResult, Order
from stock.line.definition import Definition, DefinitionError
from stock.line.load import parse_definition


@lru_cache(maxsize=16)
def proven(text: str) -> tuple[Definition, tuple[LineResult, ...]]:
    """Return a definition and what each of its grades runs at, at its own tonnes and shares; solved once a process.

    Raises
    ------
    DefinitionError
        With every fault found; where the line has not one solution, or a grade does not close, naming streams or grade.
    """
    line = parse_definition(text)
    balance = LineBalance(line)
    found = []
    for grade in line.grades:
        try:
            found.append(balance.solve(Order.of(grade)))
        except DomainError as error:
            raise DefinitionError([f"grades · {grade.id}: {error.message}"]) from None
    return line, tuple(found)
