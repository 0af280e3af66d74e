"""The balance's own language: mix, separate, react, dose, split, tank, store, source, sink.

Kinds of equipment are written in it (`stock.washing.unit` and its like): a washer separates,
a digester reacts. A line may also name the primitives themselves.
"""

from collections.abc import Sequence
from typing import Annotated, ClassVar, Final, Literal

from pydantic import Field

from stock.parts import STREAM_POINTS, Consistency, Frac, Id, Instrumented, Part, Point, Points, points

Component = Literal["fibre", "fines", "bark", "filler", "ink", "grit", "organics", "inorganics", "water"]

Mark = Literal["gate", "vat"]

MOST_M3: Final = 200_000  # the largest lagoon of a mill; what is more is a slip
LEVEL = Point("{of} level", "Level", "level_pct", (0, 100), 0, ("level",))
GAS = Point("Hydrogen sulphide at {of}", "H2S", "gas_ppm", (0, 500), 1, ("h2s", "gas", "sulphide"))


class Unit(Instrumented):
    """What every unit has. `GATE` is the point its gate shows in the drawing, '' where it is not drawn."""

    GATE: ClassVar[str] = ""

    kind: str
    name: str
    station: Id
    label: str | None = Field(None, max_length=16, description="name in the drawing, where the full one is long")
    gate: Id | None = Field(None, description="point shown above its gate in the drawing, where not the usual one")
    capacity_bdt_per_h: float | None = Field(None, gt=0, description="most bone-dry solids it can pass on")

    @classmethod
    def points_of_kind(cls) -> Points:
        """Return its own points, and those of the stream that leaves it."""
        return points(**{**STREAM_POINTS, **cls.POINTS})

    @property
    def mark(self) -> Mark | None:
        """How the drawing shows it: a gate across its stream where it has a point to show, nothing else."""
        return "gate" if self.mark_tag else None

    @property
    def mark_tag(self) -> str | None:
        """The tag shown at its mark."""
        return self.tag_of(self.gate or self.GATE)

    def fibre_leaves_by(self, outlets: Sequence[str]) -> str | None:
        """Return which of its outlets its fibre goes on by; None where it ends."""
        return outlets[0] if outlets else None


class Source(Unit):
    """Fibre or filler from outside; its flow follows from the order."""

    family: Id | None = None
    solids: dict[Component, Frac] = Field(description="bone-dry make-up, adding to 1")
    consistency_pct: Consistency
    temperature_c: float | None = Field(None, ge=-20, le=100, description="as it comes in; 20 °C where left out")


class Vessel(Unit):
    """What holds stock where it has a volume: its working span, and over how long a level is brought back."""

    POINTS: ClassVar[Points] = points(level=LEVEL, gas=GAS)
    HORIZON_H: ClassVar[float] = 1.0
    BATCHWISE: ClassVar[bool] = False  # fed in batches: its trend says nothing of its hours

    low_pct: float = Field(10, ge=0, le=100)
    high_pct: float = Field(95, ge=0, le=100)
    horizon_h: float | None = Field(None, gt=0, le=48, description="over how long an off level is brought back")

    @property
    def back_in_h(self) -> float:
        """Hours an off level is brought back over: as the file says, else as is usual of its kind."""
        return self.horizon_h or self.HORIZON_H

    @property
    def level(self) -> str | None:
        """The tag of its level."""
        return self.tag_of("level")

    @property
    def mark(self) -> Mark | None:
        """A vat where it holds stock; else as any unit."""
        return "vat" if getattr(self, "volume_m3", None) else super().mark

    @property
    def mark_tag(self) -> str | None:
        """The level of a vat; else as any unit."""
        return self.level if getattr(self, "volume_m3", None) else super().mark_tag

    @property
    def holds_pct(self) -> float:
        """Consistency of what it holds; 0 where the definition does not say."""
        return getattr(self, "consistency_pct", None) or getattr(self, "holds_consistency_pct", None) or 0.0


class Store(Vessel):
    """A store that is filled and drawn independently; the difference is its change of content."""

    family: Id
    solids: dict[Component, Frac]
    consistency_pct: Consistency
    volume_m3: float = Field(gt=0, le=MOST_M3)


class Dose(Unit):
    """Something added in proportion to the bone-dry solids of another stream."""

    solids: dict[Component, Frac] = Field(default_factory=dict)
    kg_per_t: float = Field(0, ge=0, le=5000, description="solids per bone-dry tonne of the other stream")
    water_t_per_t: float = Field(0, ge=0, le=1000)
    of_stream: Id


class Water(Unit):
    """Fresh water; each outlet runs as much as its receiver needs."""

    temperature_c: float | None = Field(None, ge=0, le=100, description="as it comes in; 15 °C where left out")


class Mix(Vessel):
    """Streams run together; with a volume it is a vessel, with a consistency a diluted one."""

    consistency_pct: Consistency | None = None
    recipe: bool = Field(default=False, description="True where the furnish shares are set")
    volume_m3: float | None = Field(None, gt=0, le=MOST_M3)
    holds_consistency_pct: Consistency | None = Field(None, description="contents, where not diluted")


class React(Unit):
    """A cook or a bleach: part of the fibre dissolves."""

    yield_frac: Annotated[float, Field(gt=0, le=1)]


class Wash(Part):
    """Wash liquor run in proportion to the pulp."""

    stream: Id
    dilution_factor_t_per_bdt: float = Field(ge=-1, le=10)
    e_std: float = Field(gt=0, le=60, description="standardised efficiency at 10 %")
    feed_consistency_pct: Consistency


class Separate(Unit):
    """A screen, cleaner, washer, thickener, wire: each component parts in its own share."""

    accept: Id
    rest: Id
    accept_frac: dict[Component, Frac] = Field(description="share of each component that goes with the accepts")
    consistency_pct: Consistency = Field(description="of the accepts")
    wash: Wash | None = None

    def fibre_leaves_by(self, outlets: Sequence[str]) -> str | None:
        """Its accepts go on."""
        return self.accept if self.accept in outlets else None


class Split(Unit):
    """A stream parted without changing it; the grade may choose the branch."""

    accept: Id
    rest: Id
    accept_frac: Frac = 1.0
    by_grade: bool = False

    def fibre_leaves_by(self, outlets: Sequence[str]) -> str | None:
        """Its accepted branch goes on."""
        return self.accept if self.accept in outlets else None


class Tank(Unit):
    """A water tank: users draw what they need, the rest overflows."""

    POINTS: ClassVar[Points] = points(
        oxygen_demand=Point("Oxygen demand of {of}", "COD", "conc_kg_per_m3", (0.01, 60), 2, ("oxygen", "demand")),
        conductivity=Point("Conductivity of {of}", "Cond.", "ms_per_cm", (0.05, 100), 2, ("conductivity",)),
        chloride=Point("Chloride in {of}", "Chloride", "conc_kg_per_m3", (0, 20), 3, ("chloride",)),
        calcium=Point("Calcium in {of}", "Calcium", "conc_kg_per_m3", (0, 5), 3, ("calcium", "hardness")),
        gas=Point("Air in {of}", "Air", "gas_vol_pct", (0, 40), 1, ("air", "gas")),
        redox=Point("Redox of {of}", "Redox", "redox_mv", (-600, 900), 0, ("redox",)),
        potassium=Point("Potassium in {of}", "Potass.", "conc_kg_per_m3", (0, 20), 3, ("potassium",)),
    )

    overflow: Id


class Sink(Unit):
    """Where a stream leaves the line."""

    order: bool = Field(default=False, description="True for the reel: the order is counted here")

    def fibre_leaves_by(self, outlets: Sequence[str]) -> str | None:  # noqa: ARG002  of one shape with the others
        """It ends here."""
        return None


# ---- the primitives named as they are


class PlainSource(Source):
    """A source of no special kind."""

    kind: Literal["source"]


class PlainStore(Store):
    """A store of no special kind."""

    kind: Literal["store"]


class PlainDose(Dose):
    """An addition of no special kind."""

    kind: Literal["dose"]


class PlainWater(Water):
    """Fresh water."""

    kind: Literal["water"]


class PlainMix(Mix):
    """A mix of no special kind."""

    kind: Literal["mix"]


class PlainReact(React):
    """A reaction of no special kind."""

    kind: Literal["react"]


class PlainSeparate(Separate):
    """A separation of no special kind."""

    kind: Literal["separate"]


class PlainSplit(Split):
    """A split."""

    kind: Literal["split"]


class PlainTank(Tank):
    """A water tank of no special kind."""

    kind: Literal["tank"]


class PlainSink(Sink):
    """An end of no special kind."""

    kind: Literal["sink"]


def gives_water(unit: Unit, stream_id: str) -> bool:
    """Whether as much water as is wanted can be drawn by a stream that leaves a unit: fresh, or of a tank, not its overflow."""
    return isinstance(unit, Water) or (isinstance(unit, Tank) and stream_id != unit.overflow)
