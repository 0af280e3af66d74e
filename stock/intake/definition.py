"""The yard as data: what is bought, where it lies, what it runs through before the digester."""

from typing import ClassVar, Literal, TypeVar

from pydantic import Field

from stock.intake.lot import Test
from stock.parts import FittedAbove, Frac, Id, Instrumented, Part, Pct, Point, Points, points

P = TypeVar("P", bound="Named | PileDef")


class Named(Part):
    """A part with an id and a name."""

    id: Id
    name: str


def _find(parts: list[P], part_id: str, kind: str) -> P:
    """Return the part with an id."""
    for part in parts:
        if part.id == part_id:
            return part
    message = f"the yard has no {kind} {part_id}"
    raise LookupError(message)


class Species(Named):
    """A fibre as the cook knows it."""

    basic_density_kg_per_m3: float = Field(ge=100, le=1000)
    charge_pct_naoh_on_wood: float = Field(gt=0, le=40)
    yield_pct: float = Field(gt=0, le=100)
    fibre_length_mm: float = Field(gt=0, le=10)
    loss_per_month: float = Field(ge=0, le=0.2, description="at 15 °C inside the pile")


class ReceivingTest(Part):
    """A test at the gate, with what follows from it."""

    name: Literal["moisture", "bark", "grit", "fines", "overthick", "pith"]
    accept_pct: Pct
    refuse_pct: Pct
    deduct_pct_per_pct: float = Field(0, ge=0, le=20, description="off the paid mass for each point over")

    def as_test(self) -> Test:
        """Return the core's test."""
        return Test(self.name, self.accept_pct, self.refuse_pct, self.deduct_pct_per_pct)


class Material(Named):
    """Something that is bought, as it comes through the gate."""

    letter: str = Field(pattern=r"^[A-Z]$", description="first letter of its lot numbers")
    form: Literal["logs", "chips", "bagasse"]
    species: Id
    load: Literal["truck", "barge"]
    pile: Id = Field(description="where it is laid down")
    moisture_pct: Pct = Field(description="as it usually comes")
    repeatability_pct: float = Field(0.5, gt=0, le=5, description="standard deviation of the moisture test, points")
    net_t: float = Field(gt=0, le=10_000, description="a usual load")
    bark_pct: Pct = 0.0
    fines_pct: Pct = 0.0
    tests: list[ReceivingTest]


class PileDef(Instrumented):
    """A pile or a deck outdoors."""

    POINTS: ClassVar[Points] = points(
        temperature=Point(
            "{of}, hottest probe",
            "Hottest",
            "temperature_c",
            (-30, 95),
            0,
            ("pile", "probe", "temperature", "hot", "temp"),
        ),
        ph=Point("{of} liquor pH", "pH", "ph", (2, 10), 1, ("pile", "ph", "liquor")),
    )

    name: str
    form: Literal["logs", "chips", "bagasse"]
    species: Id
    stream: Id = Field(description="stream of the balance it feeds")
    feeds: bool = Field(default=True, description="False for a deck, whose logs go on to a pile")
    capacity_bdt: float = Field(gt=0, le=1e6)
    length_m: float = Field(gt=0, le=1000)
    width_m: float = Field(gt=0, le=300)
    height_m: float = Field(gt=0, le=60)
    solid_volume_factor: float = Field(gt=0, lt=0.74)
    packing_frac: float = Field(0.1, ge=0, le=0.4)
    feeder_most_m3_per_h: float | None = Field(None, gt=0)
    moisture_pct: Pct | None = Field(None, description="as it is drawn, where it lies wetter or drier than it came")
    hot_over_mean_c: float = Field(
        15, ge=0, le=40, description="how far the hottest probe stands above the pile's mean"
    )

    @property
    def probe(self) -> str | None:
        """The tag of its hottest probe."""
        return self.tag_of("temperature")


class ChipFeed(Part):
    """What chips pass on their way into a stream: meter, washer, steaming bin."""

    stream: Id
    bulk_bd_kg_per_m3: FittedAbove = Field(description="bone-dry bulk density the meter is set for")
    washer_limit_m3_per_h: float = Field(gt=0, le=10_000, description="most loose chips the washer takes")
    comes_at_c: float = Field(8, ge=-40, le=60, description="chips as they come to the bin")
    steam_t_per_h: float = Field(gt=0, le=500, description="steam there is for them")


class Chipper(Named):
    """A chipper, and how long a set of knives should last."""

    knife_h: float = Field(gt=0, le=1000, description="usual hours on a set")
    coast_min: float = Field(gt=0, le=600, description="how long the disc turns after the stop")


class Envelope(Part):
    """Most of a chip class that is wanted, or least."""

    oversize_most_pct: Pct
    overthick_most_pct: Pct
    accepts_least_pct: Pct
    pins_most_pct: Pct
    fines_most_pct: Pct


class BlendLimits(Part):
    """What a blend of piles must keep to unless somebody sets it otherwise."""

    moisture_least_pct: Pct
    moisture_most_pct: Pct
    fines_most_pct: Pct
    bark_most_pct: Pct
    mean_age_most_d: float = Field(gt=0, le=3650)
    species_most_frac: dict[Id, Frac] = Field(default_factory=dict)
    hours: float = Field(gt=0, le=72)


class YardDef(Part):
    """Everything between the gate and the digester."""

    species: list[Species]
    materials: list[Material]
    piles: list[PileDef]
    feeds: list[ChipFeed] = Field(default_factory=list)
    chippers: list[Chipper]
    detectors: list[str] = Field(description="where metal is looked for")
    finds: list[str] = Field(description="what it usually turns out to be")
    chips: Envelope
    blend: BlendLimits
    monthly_c: list[float] = Field(min_length=12, max_length=12, description="mean outdoor temperature, January first")
    lead_d: float = Field(ge=0, le=365, description="days to the next sure delivery")
    chip_yield_frac: Frac = Field(description="chips from debarked wood, screening rejects taken out")

    def feed(self, stream_id: str) -> ChipFeed:
        """Return what chips pass on their way into a stream; LookupError where nothing is said of it."""
        for one in self.feeds:
            if one.stream == stream_id:
                return one
        message = f"the yard says nothing of how chips come into {stream_id}"
        raise LookupError(message)

    def material(self, material_id: str) -> Material:
        """Return a material; LookupError where there is none."""
        return _find(self.materials, material_id, "material")

    def pile(self, pile_id: str) -> PileDef:
        """Return a pile; LookupError where there is none."""
        return _find(self.piles, pile_id, "pile")

    def of_species(self, species_id: str) -> Species:
        """Return a species; LookupError where there is none."""
        return _find(self.species, species_id, "species")

    def chipper(self, chipper_id: str) -> Chipper:
        """Return a chipper; LookupError where there is none."""
        return _find(self.chippers, chipper_id, "chipper")
