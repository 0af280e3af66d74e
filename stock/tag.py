"""Something measured: where, what, how, within which limits."""

from pydantic import Field

from stock.parts import Id, Part


class Band(Part):
    """Target and limits of a measurement; control inside action inside plausible."""

    target: float
    control: tuple[float, float]
    action: tuple[float, float]


class Tag(Part):
    """Something measured: where, in what unit, how, within which limits."""

    id: Id
    of: Id = Field(description="unit, stream, pile, digester, liquor tank or station it is read at")
    reads: Id = Field(description="which of its points")
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
    uncertainty: float = Field(0, ge=0, le=1e6, description="standard uncertainty, in the tag's unit")
    noise: float = Field(0, ge=0, le=1e6)
    pair_sd: float | None = Field(None, gt=0, description="scatter of honest pairs of instrument and laboratory")
    pair_tolerance: float | None = Field(None, gt=0, description="difference of the two that matters")
    every_h: float | None = Field(None, gt=0, description="how often the laboratory checks it")
    mean_of: int = Field(
        1, ge=1, le=9, description="results a correction goes by: 1 each by itself, more their moving mean"
    )

    @property
    def pairs_sd(self) -> float:
        """Scatter of honest pairs: as given, else half as much again as the instrument's own uncertainty."""
        return self.pair_sd or 1.5 * self.uncertainty or self.noise or 10**-self.decimals

    @property
    def pairs_tolerance(self) -> float:
        """Difference from the laboratory that matters: as given, else half of the way to its control limit."""
        if self.pair_tolerance is not None:
            return self.pair_tolerance
        if self.band is not None and self.band.control[1] > self.band.control[0]:
            return (self.band.control[1] - self.band.control[0]) / 4
        return 2 * self.pairs_sd
