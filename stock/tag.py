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
    uncertainty: float = Field(0, ge=0, description="standard uncertainty, in the tag's unit")
    noise: float = Field(0, ge=0)
    every_h: float | None = Field(None, gt=0, description="how often the laboratory checks it")
