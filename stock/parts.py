"""What every part of a line's definition is made of: closed records, figures fitted at the mill, points that can be read."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from types import MappingProxyType
from typing import Annotated, Any, ClassVar, Final

from pydantic import BaseModel, ConfigDict, Field, PrivateAttr, model_validator

from stock.names import present, unit_of

Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=40)]
Frac = Annotated[float, Field(ge=0, le=1)]
Pct = Annotated[float, Field(ge=0, le=100)]
Consistency = Annotated[float, Field(gt=0, le=100)]


class Part(BaseModel):
    """A record of the definition: no unknown fields, no number that is none, never changed."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    @model_validator(mode="before")
    @classmethod
    def _under_present_names(cls, given: Any) -> Any:
        """Take a field under a former spelling of its unit, as files written before have it."""
        if not isinstance(given, dict) or all(name in cls.model_fields for name in given):
            return given
        return {present(name) if present(str(name)) in cls.model_fields else name: one for name, one in given.items()}


class Fitted(Part):
    """A figure that was fitted to the mill's own results: what from, when, by whom, and where it holds."""

    value: float = Field(ge=0)
    fitted_from: str = Field(min_length=3, max_length=120, description="the trials or results it was fitted to")
    fitted_on: date
    by: str = Field(min_length=1, max_length=60)
    holds: tuple[float, float] | None = Field(None, description="range of what it was fitted over")

    @property
    def words(self) -> str:
        """Where it came from, in words a person can check."""
        text = f"fitted to {self.fitted_from}, {self.fitted_on:%d %b %Y}, by {self.by}"
        return text if self.holds is None else f"{text}; holds from {self.holds[0]:g} to {self.holds[1]:g}"


class FittedAbove(Fitted):
    """A fitted figure that something is divided by, or is nothing at nought."""

    value: float = Field(gt=0)


@dataclass(frozen=True, slots=True)
class Point:
    """Something that can be read or set at a kind of part.

    `title` names it, with `{of}` for the part's own name; `quantity` is the suffix the core
    knows it by and gives its unit; `told` says whether the Line's stories tell it.
    """

    title: str
    short: str
    quantity: str
    plausible: tuple[float, float]
    decimals: int = 1
    words: tuple[str, ...] = ()
    unit_label: str | None = None
    told: bool = False

    @property
    def unit(self) -> str:
        """Its unit as shown."""
        return unit_of(self.quantity) if self.unit_label is None else self.unit_label


Points = Mapping[str, Point]


def points(**named: Point) -> Points:
    """Return points by name, not to be changed."""
    return MappingProxyType(named)


STREAM_POINTS: Final[Points] = points(
    flow=Point("Flow of {of}", "Flow", "flow_l_per_min", (0, 20_000), 0, ("flow",)),
    consistency=Point("Consistency of {of}", "Cons.", "consistency_pct", (0.01, 60), 2, ("consistency", "cons")),
    temperature=Point("Temperature of {of}", "Temp.", "temperature_c", (-20, 200), 1, ("temperature", "temp")),
    ph=Point("pH of {of}", "pH", "ph", (0, 14), 1, ("ph",)),
    kappa=Point("Kappa of {of}", "Kappa", "kappa", (3, 150), 1, ("kappa", "number"), told=True),
    residual=Point("Residual alkali, {of}", "Residual", "kg_per_m3_as_naoh", (0, 60), 1, ("residual", "alkali")),
    knots=Point("Knots and rejects, {of}", "Rejects", "pct", (0, 30), 1, ("knots", "rejects")),
    brightness=Point("Brightness of {of}", "Brightness", "brightness_pct", (20, 95), 1, ("brightness",), told=True),
    freeness=Point("Freeness of {of}", "Freeness", "freeness_csf_ml", (25, 850), 0, ("freeness", "csf"), told=True),
    ash=Point("Ash in {of}", "Ash", "ash_pct", (0, 60), 1, ("ash",), told=True),
    ink=Point("Residual ink, {of}", "Ink", "ink_count", (5, 2000), 0, ("ink", "residual", "ppm"), "ppm", told=True),
    shives=Point("Shives in {of}", "Shives", "shives_pct", (0, 5), 2, ("shives", "shive"), told=True),
    moisture=Point("Moisture of {of}", "Moisture", "moisture_pct", (5, 80), 1, ("moisture",), told=True),
    bark=Point("Bark in {of}", "Bark", "bark_pct", (0, 20), 2, ("bark",)),
    overthick=Point("Overthick, {of}", "Overthick", "overthick_pct", (0, 60), 1, ("overthick", "thick"), told=True),
    pins=Point("Pins, {of}", "Pins", "pins_pct", (0, 40), 1, ("pins", "pin")),
    fines=Point("Fines in {of}", "Fines", "fines_pct", (0, 30), 2, ("fines",)),
    meter_gap=Point("Meter over the scale, {of}", "Meter", "gap_pct", (-40, 40), 1, ("meter", "scale", "gap")),
    stones=Point("Stones in the trap, {of}", "Stones", "kg_per_d", (0, 2000), 0, ("stone", "stones", "trap")),
    stock=Point("Stock of {of}", "Stock", "stock_d", (0, 400), 1, ("stock", "days"), told=True),
    weight=Point("Weight of {of}", "Weight", "g_per_m2", (10, 1200), 1, ("weight", "grammage", "gsm")),
)

STATION_POINTS: Final[Points] = points(
    trips=Point(
        "Metal trips this shift, {of}", "Trips", "count", (0, 500), 0, ("metal", "trips", "detector"), told=True
    ),
)


class Instrumented(Part):
    """A part that can be read: its points, and the tags that read them on this line."""

    POINTS: ClassVar[Points] = points()

    id: Id
    _read_by: dict[str, str] = PrivateAttr(default_factory=dict)

    def tag_of(self, point: str) -> str | None:
        """Return the id of the tag that reads a point of it, None where nothing does."""
        return self._read_by.get(point)

    @property
    def is_read(self) -> Mapping[str, str]:
        """The points that are read, each with its tag."""
        return self._read_by

    @classmethod
    def points_of_kind(cls) -> Points:
        """Return the points this kind of part has."""
        return cls.POINTS
