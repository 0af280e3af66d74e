"""What a demonstration opens with: data beside the mill's own file (`<mill>.demo.yaml`).

Without one, a line starts at its targets, with cooks in the rhythm the balance asks for.
"""

from collections.abc import Iterable
from pathlib import Path
from typing import Literal

from pydantic import Field, ValidationError

from stock.line.definition import Definition, DefinitionError
from stock.line.load import read_yaml, text_of, worded
from stock.parts import Frac, Id, Part
from stock.washing.unit import Washer


class InstrumentStory(Part):
    """Where an instrument or a routine test starts, and whether it wanders off."""

    starts: float | None = None
    drift_per_h: float = 0.0
    drift_from_h: float = Field(-5.0, description="hours from the moment it opens to when it begins to wander")
    drift_for_h: float = Field(9.0, ge=0, le=10_000, description="how long it wanders; then it holds its error")


class CookStory(Part):
    """The cooks of a recipe: which is in when it opens, in which digester, how far on."""

    recipe: Id
    number: int = Field(ge=1, le=9_999_999)
    digester: int = Field(ge=1, le=99)
    every_min: float | None = Field(
        None, gt=0, le=10_080, description="from fill to fill; by the balance where left out"
    )
    to_relief_min: float | None = Field(None, ge=0, le=1440, description="how long it has to go when it opens")
    in_for_min: float = Field(60, ge=0, le=1440, description="or how long it has been in")
    late_min: float = Field(2.0, ge=0, le=120)


class YardStory(Part):
    """What lies in the piles when it opens, what share of a stream each gives, what trips were logged today."""

    lies_bdt: dict[Id, float] = Field(default_factory=dict)
    gives_frac: dict[Id, Frac] = Field(default_factory=dict, description="share of its stream a pile gives")
    trips_today: int = Field(0, ge=0, le=50)
    barge_share_frac: Frac = 0.92


class OrderStory(Part):
    """An order, and from when: hours from the moment it opens."""

    grade: Id
    from_h: float


class Happened(Part):
    """Something that went wrong at the plant before it opened: which fault, where, from when to when."""

    kind: str = Field(max_length=40)
    unit: Id
    from_h: float = Field(ge=-72, le=0, description="hours from the moment it opens")
    until_h: float | None = Field(None, le=0, description="till it was mended; it goes on where left out")
    params: dict[str, float] = Field(default_factory=dict)


class BehindStory(Part):
    """A machine of a washing line that does a part of its work alone, in its last rounds."""

    unit: Id
    machine: int = Field(ge=1, le=12)
    part_frac: Frac = 0.7
    rounds: int = Field(2, ge=1, le=20)


class Told(Part):
    """Something somebody wrote in the log, minutes before it opens."""

    minutes_ago: float = Field(ge=0, le=100_000)
    who: str
    station: Id
    text: str = Field(max_length=500)


class Carried(Part):
    """Something open when it begins, carried from the shifts before."""

    kind: Literal["permit", "isolation", "gas_test", "interlock", "defect", "watch", "promised"]
    text: str = Field(max_length=300)
    who: str
    owner: str = ""
    station: Id | None = None
    hours_ago: float = Field(ge=0, le=10_000)
    until_h: float | None = Field(None, gt=0, description="hours from the moment it opens to when it expires")


class Paragraph(Part):
    """A part of the last hand-over."""

    title: str
    rows: list[str]


class HandOverStory(Part):
    """The hand-over of the shift before."""

    by: str
    parts: list[Paragraph]


class Story(Part):
    """All of it."""

    format: Literal["fox-vat-demo/1"] = "fox-vat-demo/1"
    slug: str | None = Field(None, pattern=r"^[a-z][a-z0-9-]*$", description="the line's address")
    hand: str = Field("brandt", description="who cooks by hand, where no counter reports")
    instruments: dict[Id, InstrumentStory] = Field(default_factory=dict)
    feed_over_draw: dict[Id, float] = Field(
        default_factory=dict, description="vessel: what it is fed over what is drawn"
    )
    cooks: list[CookStory] = Field(default_factory=list)
    yard: YardStory = Field(default_factory=YardStory)
    happened: list[Happened] = Field(default_factory=list)
    washers_behind: list[BehindStory] = Field(default_factory=list)
    orders: list[OrderStory] = Field(default_factory=list)
    log: list[Told] = Field(default_factory=list)
    carried: list[Carried] = Field(default_factory=list)
    hand_over: HandOverStory | None = None

    def starts(self, line: Definition, tag_id: str) -> float:
        """Return where a tag starts: as told, else at its target, else in the middle of what is plausible."""
        told = self.instruments.get(tag_id)
        if told is not None and told.starts is not None:
            return told.starts
        tag = line.tag(tag_id)
        return tag.band.target if tag.band is not None else (tag.plausible[0] + tag.plausible[1]) / 2

    def drift(self, tag_id: str, hours: float) -> float:
        """Return how far an instrument has wandered off, hours after the demonstration opened."""
        told = self.instruments.get(tag_id)
        if told is None:
            return 0.0
        return told.drift_per_h * min(max(hours - told.drift_from_h, 0.0), told.drift_for_h)


def parse_story(text: str, line: Definition) -> Story:
    """Return the story written in `text` (YAML), as it fits a line.

    Raises
    ------
    DefinitionError
        With every fault found: fields, and names the line does not know.
    """
    raw = read_yaml(text)
    try:
        story = Story.model_validate(raw)
    except ValidationError as error:
        raise DefinitionError([worded(fault, raw) for fault in error.errors()]) from None
    if faults := _faults(story, line):
        raise DefinitionError(faults)
    return story


def story_beside(mill: Path, line: Definition) -> Story:
    """Return the story that lies beside a mill's file; an empty one where none does."""
    path = mill.with_name(f"{mill.stem}.demo.yaml")
    return parse_story(text_of(path), line) if path.exists() else Story()


def _places(line: Definition) -> set[str]:
    """Return where something can go wrong: a unit, a stream or an instrument."""
    return {*line.graph.units, *(one.id for one in line.streams), *(tag.id for tag in line.tags)}


def _faults(story: Story, line: Definition) -> list[str]:
    piles = {pile.id for pile in line.yard.piles} if line.yard is not None else set()
    known: dict[str, tuple[set[str], Iterable[str], str]] = {
        "instruments": ({tag.id for tag in line.tags}, story.instruments, "tag"),
        "feed_over_draw": (set(line.graph.units), story.feed_over_draw, "unit"),
        "yard · lies_bdt": (piles, story.yard.lies_bdt, "pile"),
        "yard · gives_frac": (piles, story.yard.gives_frac, "pile"),
        "cooks": ({one.id for one in line.cook.recipes}, [one.recipe for one in story.cooks], "recipe"),
        "orders": ({one.id for one in line.grades}, [one.grade for one in story.orders], "grade"),
        "washers_behind": (
            {
                one.id
                for one in line.units
                if isinstance(one, Washer)
                and all(told.machine <= len(one.machines) for told in story.washers_behind if told.unit == one.id)
            },
            [one.unit for one in story.washers_behind],
            "washing line with so many machines:",
        ),
        "happened": (_places(line), [one.unit for one in story.happened], "unit"),
        "log": ({one.id for one in line.stations}, [one.station for one in story.log], "station"),
    }
    return [
        f"{place}: there is no {noun} {name}"
        for place, (there, named, noun) in known.items()
        for name in named
        if name not in there
    ]
