"""What quick entry understands of cooks: a result typed in a line, and what a page of the cook house has in view."""

import re
from collections.abc import Iterable
from datetime import datetime
from typing import Final

from desk.floor.models import Cook
from desk.floor.state import State
from desk.floor.station import Spoken
from desk.people.models import Person
from desk.stations.cook.bench import take_result

_COOK: Final = re.compile(r"cook (\d{1,7})\s+(\S.*)", re.IGNORECASE)
_NUMBER: Final = re.compile(r"\d{1,4}(?:[.,]\d+)?")
FOUND: Final = {
    "kappa": "kappa",
    "rejects": "rejects_pct",
    "knots": "rejects_pct",
    "yield": "yield_pct",
    "residual": "residual_kg_per_m3_as_naoh",
}
UNITS: Final = {"kappa": "", "rejects_pct": " %", "yield_pct": " %", "residual_kg_per_m3_as_naoh": " g/L NaOH"}


def spoken(state: State, text: str) -> Spoken | None:
    """Read `cook 1186 kappa 19.6 residual 8.2`; None where the line is something else."""
    typed = _COOK.fullmatch(text.strip())
    if typed is None or not state.line.cook.recipes:
        return None
    number, words = int(typed[1]), typed[2].lower().split()
    found: dict[str, float | None] = {}
    for name, value in zip(words[::2], words[1::2], strict=False):
        if name in FOUND and _NUMBER.fullmatch(value):
            found[FOUND[name]] = float(value.replace(",", "."))
    if len(words) % 2 or len(found) * 2 != len(words):
        return Spoken("", fault=f"of a cook give {', '.join(FOUND)}, each with its number")
    if "kappa" not in found:
        return Spoken("", fault="a result begins with the kappa, such as cook 1186 kappa 19.6")
    if not Cook.objects.filter(world=state.world, number=number).exists():
        return Spoken("", fault=f"there is no cook {number}")
    said = ", ".join(f"{name.partition('_')[0]} {value:g}{UNITS[name]}" for name, value in found.items())

    def do(person: Person, at: datetime, form_key: str) -> str:
        take_result(state, person, number, found, at=at, form_key=form_key)
        return f"Cook {number}: {said}, kept as its result"

    return Spoken(f"The result of cook {number}: {said}", do)


def in_view(state: State, rest: str) -> Iterable[str]:
    """Return the tags of the digester whose cook is looked at, by the page's address on the line."""
    number = rest.removeprefix("cook/").partition("/")[0]
    if not rest.startswith("cook/"):
        return ()
    cook = next((one for one in state.cooks if number.isdigit() and one.number == int(number)), None)
    if cook is None:
        station = state.line.stop_id("cook")
        return [tag.id for tag in state.line.tags if tag.station == station]
    digester = state.line.cook.digester(cook.digester)
    return [tag for tag in (digester.temperature, digester.bottom, digester.pressure) if tag]
