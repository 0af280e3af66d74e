"""The line as data: stations, units, streams, tags, grades. `stock.line.load` reads it from a file.

A mill writes one YAML file. Everything else is built from it: the balance, the
drawing, the screens, the simulated plant.
"""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from stock.line.cooking import CookDef
from stock.line.parts import Consistency, Frac, Id, Part
from stock.line.yard import YardDef
from stock.material import COMPONENTS

FORMAT = "fox-vat-line/1"
Component = Literal["fibre", "fines", "bark", "filler", "ink", "grit", "organics", "inorganics", "water"]


class DefinitionError(Exception):
    """A definition that cannot be used; `faults` holds one sentence for each fault found."""

    def __init__(self, faults: list[str]) -> None:
        """Keep the faults as data."""
        super().__init__("; ".join(faults))
        self.faults = faults


class Family(Part):
    """A fibre family: one tributary of the line."""

    id: Id
    name: str


class Station(Part):
    """A stop on the ribbon, with its cautions in the order they are met."""

    id: Id
    name: str
    purpose: str
    cautions: dict[str, str] = Field(description="step: what to mind before it")


class Unit(Part):
    """What every unit has."""

    id: Id
    name: str
    station: Id
    label: str | None = Field(None, max_length=16, description="name in the drawing, where the full one is long")
    gate: Id | None = Field(None, description="tag shown above the gate; leave out to keep the unit undrawn")
    capacity_bd_t_per_h: float | None = Field(None, gt=0, description="most bone-dry solids it can pass on")


class Source(Unit):
    """Fibre or filler from outside; its flow follows from the order."""

    kind: Literal["source"]
    family: Id | None = None
    solids: dict[Component, Frac] = Field(description="bone-dry make-up, adding to 1")
    consistency_pct: Consistency


class Store(Unit):
    """A store that is filled and drawn independently; the difference is its change of content."""

    kind: Literal["store"]
    family: Id
    solids: dict[Component, Frac]
    consistency_pct: Consistency
    volume_m3: float = Field(gt=0)
    level: Id | None = None


class Dose(Unit):
    """Something added in proportion to the bone-dry solids of another stream."""

    kind: Literal["dose"]
    solids: dict[Component, Frac] = Field(default_factory=dict)
    kg_per_t: float = Field(0, ge=0, description="solids per bone-dry tonne of the other stream")
    water_t_per_t: float = Field(0, ge=0)
    of_stream: Id


class Water(Unit):
    """Fresh water; each outlet runs as much as its receiver needs."""

    kind: Literal["water"]


class Mix(Unit):
    """Streams run together; with a volume it is a vessel, with a consistency a diluted one."""

    kind: Literal["mix"]
    consistency_pct: Consistency | None = None
    recipe: bool = Field(default=False, description="True where the furnish shares are set")
    volume_m3: float | None = Field(None, gt=0)
    low_pct: float = Field(10, ge=0, le=100)
    high_pct: float = Field(95, ge=0, le=100)
    level: Id | None = Field(None, description="tag of its level")
    holds_consistency_pct: Consistency | None = Field(None, description="contents, where not diluted")


class React(Unit):
    """A cook or a bleach: part of the fibre dissolves."""

    kind: Literal["react"]
    yield_frac: Annotated[float, Field(gt=0, le=1)]


class Wash(Part):
    """Wash liquor run in proportion to the pulp."""

    stream: Id
    dilution_factor_t_per_odt: float = Field(ge=-1, le=10)
    e_std: float = Field(gt=0, le=60, description="standardised efficiency at 10 %")
    feed_consistency_pct: Consistency


class Separate(Unit):
    """A screen, cleaner, washer, thickener, wire: each component parts in its own share."""

    kind: Literal["separate"]
    accept: Id
    rest: Id
    accept_frac: dict[Component, Frac] = Field(description="share of each component that goes with the accepts")
    consistency_pct: Consistency = Field(description="of the accepts")
    wash: Wash | None = None


class Split(Unit):
    """A stream parted without changing it; the grade may choose the branch."""

    kind: Literal["split"]
    accept: Id
    rest: Id
    accept_frac: Frac = 1.0
    by_grade: bool = False


class Tank(Unit):
    """A water tank: users draw what they need, the rest overflows."""

    kind: Literal["tank"]
    overflow: Id


class Sink(Unit):
    """Where a stream leaves the line."""

    kind: Literal["sink"]
    order: bool = Field(default=False, description="True for the reel: the order is counted here")


AnyUnit = Annotated[
    Source | Store | Dose | Water | Mix | React | Separate | Split | Tank | Sink, Field(discriminator="kind")
]


class StreamDef(Part):
    """A stream from one unit to another."""

    id: Id
    source: Id = Field(alias="from")
    target: Id = Field(alias="to")


class Band(Part):
    """Target and limits of a measurement; control inside action inside plausible."""

    target: float
    control: tuple[float, float]
    action: tuple[float, float]


class Tag(Part):
    """Something measured: where, in what unit, how, within which limits."""

    id: Id
    name: str
    short: str
    station: Id
    unit: str
    quantity: str = Field(description="suffix of the core's name for it, such as consistency_pct")
    words: list[str] = Field(description="words a person types for it")
    decimals: int = Field(1, ge=0, le=4)
    plausible: tuple[float, float]
    band: Band | None = None
    limits_version: int = Field(1, ge=1)
    instrument: str = Field("laboratory", description="what measures it")
    computed: bool = Field(default=False, description="True where the desk works it out and nobody enters it")
    live: bool = Field(default=False, description="True where an instrument sends it by itself")
    uncertainty: float = Field(0, ge=0, description="standard uncertainty, in the tag's unit")
    noise: float = Field(0, ge=0)
    drift_per_h: float = 0.0
    every_h: float | None = Field(None, gt=0, description="how often the laboratory checks it")
    simulate: float | None = Field(None, description="where the stand-in starts it")


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


class Definition(Part):
    """A whole mill."""

    format: Literal["fox-vat-line/1"]
    mill: str
    note: str
    families: list[Family]
    stations: list[Station]
    units: list[AnyUnit]
    streams: list[StreamDef]
    tags: list[Tag]
    grades: list[Grade]
    cook: CookDef = Field(default_factory=CookDef)
    yard: YardDef | None = None
    constants: dict[Id, float] = Field(default_factory=dict, description="fitted figures the advice uses")

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        from stock.line.checks import faults_of

        if faults := faults_of(self):
            raise DefinitionError(faults)
        return self

    def unit(self, unit_id: str) -> Any:
        """Return the unit with this id."""
        return next(unit for unit in self.units if unit.id == unit_id)

    def tag(self, tag_id: str) -> Tag:
        """Return the tag with this id.

        Raises
        ------
        LookupError
            If there is none.
        """
        for tag in self.tags:
            if tag.id == tag_id:
                return tag
        message = f"the line has no tag {tag_id}"
        raise LookupError(message)

    def grade(self, grade_id: str) -> Grade:
        """Return the grade with this id."""
        return next(grade for grade in self.grades if grade.id == grade_id)

    def station(self, station_id: str) -> Station:
        """Return the station with this id."""
        return next(station for station in self.stations if station.id == station_id)

    def constant(self, name: str) -> float:
        """Return a figure of the mill: one fitted, or a size written at a unit or in the main recipe.

        `<unit>_volume_m3` and `<unit>_consistency_pct` read the unit, `<recipe>_<field>` a recipe or its
        digester, `cook_<field>` that of the recipe most is cooked by, `drum_<field>` and `yard_<field>` the yard.

        Raises
        ------
        LookupError
            If the mill does not say.
        """
        if name in self.constants:
            return self.constants[name]
        for recipe in self.cook.recipes:
            prefix = next((one for one in ("cook_", f"{recipe.id}_") if name.startswith(one)), None)
            if prefix is not None and (value := self.cook.figure_of(recipe, name.removeprefix(prefix))) is not None:
                return value
        if self.yard is not None:
            for prefix, part in (("drum_", self.yard.drum), ("yard_", self.yard)):
                if name.startswith(prefix) and hasattr(part, name.removeprefix(prefix)):
                    return float(getattr(part, name.removeprefix(prefix)))
        for unit in self.units:
            for field, written in (("volume_m3", "volume_m3"), ("consistency_pct", "holds_consistency_pct")):
                if name == f"{unit.id}_{field}" and (value := getattr(unit, written, None)) is not None:
                    return float(value)
        message = f"the line definition gives no {name}"
        raise LookupError(message)


assert set(Component.__args__) == set(COMPONENTS)  # type: ignore[attr-defined]
