"""The yard's equipment: logs and what is bought, the debarking drum, chip screens, depithers."""

from typing import ClassVar, Literal

from pydantic import Field

from stock.parts import Point, Points, points
from stock.primitives import Dose, Separate, Source


class Logs(Source):
    """Roundwood with its bark on."""

    kind: Literal["logs"]


class ChipSource(Source):
    """Chips from outside."""

    kind: Literal["chip_source"]


class Bagasse(Source):
    """Bagasse as it comes: fibre, pith (its fines), solubles (its organics), dirt (its grit)."""

    kind: Literal["bagasse"]

    def share(self, component: str) -> float:
        """Return a component's share of the bone-dry make-up."""
        return self.solids.get(component, 0.0)  # type: ignore[call-overload, no-any-return]


class InLots(Source):
    """What is bought in lots that are opened one after another."""

    lot_bdt: float | None = Field(None, gt=0, le=5000, description="bone-dry tonnes of a lot, where lots are followed")


class RecoveredLots(InLots):
    """Recovered paper as it is bought."""

    kind: Literal["recovered_lots"]


class Bales(InLots):
    """Bales of bought pulp."""

    kind: Literal["bales"]


class BoughtChips(Dose):
    """Chips bought in, in proportion to the mill's own."""

    kind: Literal["bought_chips"]


class DebarkingDrum(Separate):
    """A debarking drum: what it holds, how fast bark comes off in it."""

    POINTS: ClassVar[Points] = points(
        wood_in_bark=Point(
            "Wood in the bark of {of}", "Wood in bark", "wood_pct", (0, 60), 1, ("wood", "bark", "loss", "drum")
        ),
    )

    kind: Literal["debarking_drum"]
    drum_volume_m3: float = Field(gt=0, le=2000)
    fill_frac: float = Field(gt=0, le=0.8)
    log_solid_frac: float = Field(ge=0.3, le=0.75)
    rate_per_min: float = Field(gt=0, le=2, description="debarking rate")
    bark_moisture_frac: float = Field(ge=0, lt=1)


class ChipScreen(Separate):
    """Chip screens: accepts to the digesters."""

    GATE: ClassVar[str] = "moisture"

    kind: Literal["chip_screen"]


class Depither(Separate):
    """Depithers: fibre to the cook, pith to the boiler."""

    GATE: ClassVar[str] = "fibre_to_pith"
    POINTS: ClassVar[Points] = points(
        fibre_to_pith=Point(
            "Fibre to pith, {of}", "F:P", "ratio", (0.5, 30), 1, ("fibre", "pith", "ratio", "depith"), told=True
        ),
        fibre_in_pith=Point(
            "Fibre lost with the pith, {of}", "Fibre loss", "loss_pct", (0, 60), 1, ("fibre", "lost", "loss", "pith")
        ),
    )

    kind: Literal["depither"]
    wash_water_m3_per_t: float = Field(15, gt=0, le=100, description="wash water on bone-dry bagasse")
