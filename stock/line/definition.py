"""The line as data: stations, units, streams, tags, grades. `stock.line.load` reads it from a file.

A mill writes one YAML file. Everything else is built from it: the balance, the
drawing, the screens, the simulated plant.
"""

from collections.abc import Mapping
from functools import cached_property
from typing import Any, ClassVar, Literal, Self, cast

from pydantic import Field, model_validator

from stock.cooking.recipe import CookDef
from stock.intake.definition import YardDef
from stock.line.graph import Graph
from stock.line.kinds import AnyUnit
from stock.line.wiring import fill_tags, wire
from stock.material import COMPONENTS
from stock.parts import STATION_POINTS, STREAM_POINTS, FittedAbove, Frac, Id, Instrumented, Part, Points
from stock.primitives import Component, Unit
from stock.tag import Tag
from stock.water.plan import WaterPlan

FORMAT = "fox-vat-line/2"
StationKind = Literal[
    "yard", "cook", "mechanical", "wash", "screen", "bleach", "recover", "slush", "refine", "blend", "deliver", "sheet"
]


class DefinitionError(Exception):
    """A definition that cannot be used; `faults` holds one sentence for each fault found."""

    def __init__(self, faults: list[str]) -> None:
        """Keep the faults as data."""
        super().__init__("; ".join(faults))
        self.faults = faults


class Family(Part):
    """A fibre family: one tributary of the line; `tone` is the colour and hatch its stream keeps."""

    id: Id
    name: str
    tone: Literal["wood", "cane", "recovered", "bales", "broke"]


class Station(Instrumented):
    """A stop on the ribbon, with its cautions in the order they are met."""

    POINTS: ClassVar[Points] = STATION_POINTS

    kind: StationKind = Field(description="what work is done there; it decides which pages it has")
    name: str
    purpose: str
    cautions: dict[str, str] = Field(description="step: what to mind before it")


class StreamDef(Instrumented):
    """A stream from one unit to another."""

    POINTS: ClassVar[Points] = STREAM_POINTS

    source: Id = Field(alias="from")
    target: Id = Field(alias="to")
    name: str = Field("", max_length=60, description="what people call it")
    scattering_m2_per_kg: FittedAbove | None = Field(None, description="of furnish, for the brightness of the blend")
    brightness_pct: FittedAbove | None = Field(None, description="of furnish that nobody measures on its way")

    @property
    def called(self) -> str:
        """What it is called."""
        return self.name or self.id.replace("_", " ")


class Grade(Part):
    """What the machine can be asked for."""

    id: Id
    name: str
    grammage_g_per_m2: float = Field(gt=0, le=2000)
    moisture_pct: float = Field(ge=0, lt=100)
    ash_frac: Frac
    shares: dict[Id, Frac] = Field(description="share of the furnish by stream into the blend chest")
    tonnes_per_h: float = Field(gt=0, le=200)
    width_m: float = Field(gt=0, le=15)
    branches: dict[Id, Id] = Field(default_factory=dict, description="split unit: stream that takes all")
    csf_ml: float = Field(ge=25, le=800)
    brightness_pct: float = Field(gt=0, le=100)
    family: str


class Shifts(Part):
    """How the day is parted."""

    hours: Literal[6, 8, 12] = 12
    first_h: int = Field(6, ge=0, le=23, description="hour of day the first one begins")
    names: list[str] = Field(default_factory=list, description="one for each shift of a day, in order")


class Definition(Part):
    """A whole mill."""

    format: Literal["fox-vat-line/2"]
    mill: str
    note: str
    shifts: Shifts = Field(default_factory=Shifts)
    alkali_basis: Literal["naoh", "na2o"] = Field("naoh", description="what alkali is counted as on screens")
    units_shown: Literal["metric", "us"] = Field("metric", description="for people who have not chosen")
    families: list[Family]
    stations: list[Station]
    units: list[AnyUnit]
    streams: list[StreamDef]
    tags: list[Tag]
    grades: list[Grade]
    cook: CookDef = Field(default_factory=CookDef)
    yard: YardDef | None = None
    water: WaterPlan = Field(default_factory=WaterPlan)

    @model_validator(mode="before")
    @classmethod
    def _tags_filled(cls, raw: Any) -> Any:
        return fill_tags(raw) if isinstance(raw, dict) else raw

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        from stock.line.checks import faults_of

        wire(self)
        if faults := faults_of(self):
            raise DefinitionError(faults)
        return self

    @cached_property
    def graph(self) -> Graph:
        """How its units hang together."""
        return Graph(self.units, self.streams)

    @cached_property
    def parts(self) -> Mapping[str, Instrumented]:
        """Every part that can be read, by id; where two kinds share one, the unit comes before the stream, and so on."""
        piles = self.yard.piles if self.yard is not None else []
        listed: list[list[Instrumented]] = [
            cast("list[Instrumented]", kind)
            for kind in (self.stations, self.cook.digesters, self.cook.tanks, piles, self.streams, self.units)
        ]
        return {part.id: part for kind in listed for part in kind}

    @cached_property
    def _tags(self) -> Mapping[str, Tag]:
        return {tag.id: tag for tag in self.tags}

    def part(self, part_id: str) -> Instrumented:
        """Return a part that can be read; LookupError where there is none."""
        return self.parts[part_id]

    def unit(self, unit_id: str) -> Unit:
        """Return the unit with this id; LookupError where there is none."""
        return self.graph.units[unit_id]

    def stream(self, stream_id: str) -> StreamDef:
        """Return the stream with this id; LookupError where there is none."""
        return self.graph.streams[stream_id]

    def tags_reading(self, point: str, of: type[Instrumented] | None = None) -> list[Tag]:
        """Return the tags that read a point, of one kind of part where that is asked."""
        return [tag for tag in self.tags if tag.reads == point and (of is None or isinstance(self.parts[tag.of], of))]

    def stop(self, kind: str) -> Station:
        """Return the first station of a kind; LookupError where there is none."""
        for one in self.stations:
            if one.kind == kind:
                return one
        message = f"{self.mill} has no {kind} station"
        raise LookupError(message)

    def stop_id(self, kind: str) -> str:
        """Return the id of the first station of a kind, '' where there is none."""
        return next((one.id for one in self.stations if one.kind == kind), "")

    def tag(self, tag_id: str) -> Tag:
        """Return the tag with this id.

        Raises
        ------
        LookupError
            If there is none.
        """
        if (found := self._tags.get(tag_id)) is None:
            message = f"the line has no tag {tag_id}"
            raise LookupError(message)
        return found

    def grade(self, grade_id: str) -> Grade:
        """Return the grade with this id."""
        return next(grade for grade in self.grades if grade.id == grade_id)

    def station(self, station_id: str) -> Station:
        """Return the station with this id."""
        return next(station for station in self.stations if station.id == station_id)


assert set(Component.__args__) == set(COMPONENTS)  # type: ignore[attr-defined]
