"""What a laboratory's own system leaves in the folder: results of routine tests, by tag."""

from datetime import datetime, timedelta
from typing import Final

from desk.exchange.bench import BENCH, bench
from desk.exchange.models import Dropped
from desk.exchange.pick_up import BrokenFileError, Taker, at_in, number_of, text_in
from desk.floor.models import Record, World
from desk.floor.services import record_reading
from desk.mill.selectors import line_of
from stock.tag import Tag

SOONER: Final = 0.5  # of the time between two samples: what somebody entered so close before stands for it


def _lab(world: World, dropped: Dropped, rows: list[dict[str, str]]) -> None:
    tags = {tag.id: tag for tag in line_of(world.version).tags}
    for number, row in enumerate(rows, 2):
        name = text_in(row, "tag", number)
        tag = tags.get(name)
        if tag is None or tag.computed:
            raise BrokenFileError(f"line {number}: there is no tag {name[:40]!r} that is measured")
        value, at = number_of(row, "value", number), at_in(row, "at_s", number)
        if not _was_entered(world, tag, at):
            key = dropped.key(number)[:40]
            record_reading(world, bench(), tag.id, value, at=at, form_key=key, by_system=True)


def _was_entered(world: World, tag: Tag, at: datetime) -> bool:
    """Whether somebody entered the same sample, or one that stands for it, already."""
    near = timedelta(hours=SOONER * (tag.every_h or 1.0))
    readings = Record.objects.filter(world=world, kind=Record.Kind.READING, tag=tag.id, superseded_by=None)
    return readings.filter(at__gt=at - near, at__lt=at + near).exclude(by__username=BENCH).exists()


TAKERS: Final[dict[str, Taker]] = {"lab": _lab}
