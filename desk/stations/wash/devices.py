"""What a hand-held conductivity meter keeps of a round of the washers: filtrate, mat and wash liquor, machine by machine."""

from datetime import timedelta
from typing import Final

from django.core.exceptions import ValidationError

from desk.exchange.bench import BENCH, bench
from desk.exchange.models import Dropped
from desk.exchange.pick_up import BrokenFileError, Taker, at_in, number_of, text_in
from desk.floor.models import World
from desk.stations.wash.models import Round
from desk.stations.wash.services import take_round
from desk.stations.wash.tables import ROUND_NUMBERS
from stock.errors import DomainError

SOONER: Final = timedelta(hours=1)  # what somebody took by hand so close to it stands for it


def _round(world: World, dropped: Dropped, rows: list[dict[str, str]]) -> None:
    for number, row in enumerate(rows, 2):
        unit, machine, at = (
            text_in(row, "unit", number),
            int(number_of(row, "machine", number)),
            at_in(row, "at_s", number),
        )
        found = {name: number_of(row, name, number) for name in ROUND_NUMBERS}
        by_hand = Round.objects.filter(world=world, unit=unit, machine=machine, superseded_by=None)
        if by_hand.filter(at__gt=at - SOONER, at__lt=at + SOONER).exclude(by__username=BENCH).exists():
            continue
        try:
            take_round(world, bench(), unit, machine, found, at=at, form_key=dropped.key(number)[:40], by_system=True)
        except DomainError as error:
            raise BrokenFileError(f"line {number}: {error.message}") from None
        except ValidationError as error:
            raise BrokenFileError(f"line {number}: {error.messages[0]}") from None


TAKERS: Final[dict[str, Taker]] = {"round": _round}
