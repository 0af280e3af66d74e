"""Bleaching equipment: sequences of stages, the chemicals to them, towers."""

from typing import Any, ClassVar, Final, Literal, NamedTuple, Self

from pydantic import Field, model_validator

from stock.bleaching.symbols import SYMBOLS, Chemical, Furnish, Symbol, middle, symbol_of
from stock.bleaching.tower import tower_retention
from stock.parts import Consistency, Fitted, FittedAbove, Part, Point, Points, points
from stock.primitives import MOST_M3, Dose, Mix, React

LAST_OF: Final = {"dioxide": "D1", "oxygen": "EO", "peroxide": "P", "dithionite": "Y", "hypochlorite": "H"}
TOLD_BEFORE: Final = ("charge_kg_per_bdt", "solution_g_per_l", "retention_min", "response_per_kg", "ks_floor")
TOWER = tower_retention.method.bare  # type: ignore[attr-defined]

SymbolName = Literal[
    "O", "A", "D0", "E", "EO", "EP", "EOP", "D1", "D2", "P", "OP", "PO", "Q", "Z", "Paa", "Y", "FAS", "H",
]  # fmt: skip


BesideName = Literal["caustic", "silicate", "magnesium", "chelant", "acid", "sulphur_dioxide", "oxygen", "peroxide"]


class Beside(Part):
    """A chemical given beside a stage's own: how much of it as 100 %, how strong, by which pump, from which tank."""

    chemical: BesideName
    charge_kg_per_bdt: float = Field(ge=0, le=80, description="usual charge, as 100 %")
    solution_g_per_l: float | None = Field(None, gt=0, le=1600, description="strength of its solution as it is dosed")
    most_l_per_min: float | None = Field(None, gt=0, le=1e5, description="most its pump gives")
    solution_tank_m3: float | None = Field(None, gt=0, le=5000, description="what the tank of its solution holds")
    cost_per_kg: float | None = Field(None, ge=0, le=1000, description="price, as 100 %")


class Stage(Part):
    """A stage: its symbol, what it is given, how it is run, what the mill knows of its answer.

    Charges are kilograms of 100 % chemical a bone-dry tonne at the stage.
    """

    symbol: SymbolName
    name: str | None = Field(None, max_length=40)
    charge_kg_per_bdt: float | None = Field(None, ge=0, le=100, description="usual charge of its chemical, as 100 %")
    beside: list[Beside] = Field(default_factory=list, max_length=6, description="what it is given besides")
    solution_g_per_l: float | None = Field(None, gt=0, le=600, description="strength of its solution as it is dosed")
    most_l_per_min: float | None = Field(None, gt=0, le=1e5, description="most its pump gives")
    solution_tank_m3: float | None = Field(None, gt=0, le=5000, description="what the tank of its solution holds")
    cost_per_kg: float | None = Field(None, ge=0, le=1000, description="price of its chemical, as 100 %")
    volume_m3: float | None = Field(None, gt=0, le=1e4, description="tower that is always full")
    active_frac: float = Field(0.95, gt=0.3, le=1, description="share of the tower that takes part")
    retention_min: float | None = Field(None, gt=0, le=1440, description="time in it, where no volume is told")
    consistency_pct: Consistency | None = None
    temperature_c: float | None = Field(None, ge=0, le=130)
    start_ph: float | None = Field(None, ge=0, le=14, description="as its chemicals are mixed in")
    end_ph: float | None = Field(None, ge=0, le=14)
    pressure_kpa_abs: float | None = Field(None, ge=90, le=2000, description="of its oxygen, where there is one")
    residual_g_per_l: float | None = Field(None, ge=0, le=10, description="residual wanted at its end")
    wash_removal_frac: float | None = Field(
        None, ge=0, le=1, description="what the wash after it takes out, 0 for none"
    )
    filtrate_to: Literal["drain", "the stage before", "the washers", "recovery"] = Field(
        "drain", description="where what is washed out after it goes"
    )
    response_per_kg: FittedAbove | None = Field(
        None, description="how the light absorbed answers to a kilogram a tonne"
    )
    ks_floor: Fitted | None = Field(None, description="light absorbed that no charge takes away, k over s")
    kappa_rate: FittedAbove | None = Field(None, description="rate at which a charge lowers kappa")
    scission: Fitted | None = Field(None, description="chains it cuts, ten-thousandths")
    dirt_rate: Fitted | None = Field(None, description="rate at which a kilogram a tonne makes dirt and shives fade")

    @model_validator(mode="before")
    @classmethod
    def _caustic_told_alone(cls, given: Any) -> Any:
        """Read a caustic charge written by itself as a chemical beside."""
        if not isinstance(given, dict) or "alkali_kg_per_bdt" not in given:
            return given
        rest = {name: one for name, one in given.items() if name != "alkali_kg_per_bdt"}
        caustic = {"chemical": "caustic", "charge_kg_per_bdt": given["alkali_kg_per_bdt"]}
        return rest | {"beside": [caustic, *rest.get("beside", [])]}

    @model_validator(mode="after")
    def _each_beside_once(self) -> Self:
        """Refuse a chemical that is given beside twice."""
        seen = [one.chemical for one in self.beside]
        twice = next((one for at, one in enumerate(seen) if one in seen[:at]), None)
        if twice is not None:
            message = f"{twice} stands beside {self.symbol} twice; each chemical once"
            raise ValueError(message)
        return self

    def given_beside(self, chemical: str) -> Beside | None:
        """Return a chemical it is given besides its own; None where it is not."""
        return next((one for one in self.beside if one.chemical == chemical), None)

    @property
    def alkali_kg_per_bdt(self) -> float | None:
        """Usual caustic beside it."""
        found = self.given_beside("caustic")
        return None if found is None else found.charge_kg_per_bdt

    def minutes(self, bdt_per_h: float | None = None) -> float:
        """Return the time of pulp in it, from mixer to exit, at a rate where its tower's volume is told."""
        if self.volume_m3 is not None and bdt_per_h and bdt_per_h > 0:
            thick = self.consistency_pct or middle(SYMBOLS[self.symbol].consistency_pct)
            return float(
                TOWER(
                    volume_m3=self.volume_m3, fill_frac=1.0, production_bdt_per_h=bdt_per_h, consistency_pct=thick,
                    active_frac=self.active_frac,
                )
            )  # fmt: skip
        return self.retention_min or middle(SYMBOLS[self.symbol].minutes)


class Dosed(NamedTuple):
    """Something a stage is given: which stage, what, where it is set, its usual charge, its solution, pump and tank."""

    at: int
    chemical: str
    point: str
    charge_kg_per_bdt: float
    solution_g_per_l: float | None
    most_l_per_min: float | None
    tank_m3: float | None
    cost_per_kg: float | None
    is_own: bool = False


class BleachStage(React):
    """The bleaching of a line: its stages in the order of the pulp."""

    GATE: ClassVar[str] = "brightness"
    POINTS: ClassVar[Points] = points(
        residual=Point("Residual after {of}", "Residual", "residual_g_per_l", (0, 10), 2, ("residual",)),
        end_ph=Point("pH after {of}", "End pH", "end_ph", (1, 13.5), 1, ("end", "ph")),
        mixed=Point("Warmth of {of}, after the last mixer", "Mixed", "temperature_c", (0, 130), 0, ("mixed", "warmth")),
        viscosity=Point("Viscosity after {of}", "Viscosity", "viscosity_ml_per_g", (100, 1500), 0, ("viscosity",)),
        oxidant=Point(
            "Oxidant left before the last stage of {of}", "Oxidant", "residual_g_per_l", (0, 5), 2, ("oxidant",)
        ),
        post_colour=Point("Post-colour number after {of}", "Reversion", "post_colour_pc", (-1, 20), 2, ("reversion",)),
        dissolved=Point(
            "Oxygen demand dissolved in {of}", "Dissolved", "cod_kg_per_bdt", (0, 200), 0, ("dissolved", "demand")
        ),
        extracted_kappa=Point("Kappa after extraction, {of}", "Kappa E", "kappa", (0.5, 40), 1, ("extracted", "kappa")),
        extracted_brightness=Point(
            "Brightness after extraction, {of}", "Bright. E", "brightness_pct", (30, 95), 1, ("extracted", "brightness")
        ),
    )

    kind: Literal["bleach_stage"]
    furnish: Furnish = "chemical"
    stages: list[Stage] = Field(min_length=1, max_length=8, description="in the order of the pulp")
    kappa: float | None = Field(None, gt=0, le=150, description="usual kappa that comes in, where no cook tells it")
    viscosity_ml_per_g: float = Field(1000.0, gt=100, le=2000, description="usual viscosity that comes in")
    least_viscosity_ml_per_g: float | None = Field(None, gt=100, le=2000, description="least the mill ships")
    carryover_cod_kg_per_bdt: float = Field(8.0, ge=0, le=100, description="usual oxygen demand carried in")

    @model_validator(mode="before")
    @classmethod
    def _told_by_its_last_stage(cls, given: Any) -> Any:
        """Read what was written of a bleach before stages were listed: the chemical and the charge of its last stage."""
        if not isinstance(given, dict) or "stages" in given or "chemical" not in given:
            return given
        rest = {name: one for name, one in given.items() if name not in (*TOLD_BEFORE, "chemical")}
        symbol = LAST_OF.get(str(given["chemical"]), given["chemical"])
        return rest | {"stages": [{"symbol": symbol} | {name: given[name] for name in TOLD_BEFORE if name in given}]}

    @model_validator(mode="after")
    def _stages_that_go_together(self) -> Self:
        """Refuse two stages nobody could tell apart, and an oxidant's residual that would meet a reducing stage."""
        seen = [(one.symbol, one.name) for one in self.stages]
        for at, one in enumerate(seen):
            if one in seen[:at]:
                message = (
                    f"stage {at + 1} is {one[0]} like stage {seen.index(one) + 1}: give one of them a name of its own"
                )
                raise ValueError(message)
        return self

    @property
    def last(self) -> Stage:
        """The stage the brightness is read after."""
        return self.stages[-1]

    @property
    def chemical(self) -> Chemical:
        """What its last stage is given."""
        return self.symbol(len(self.stages) - 1).chemical

    @property
    def charge_kg_per_bdt(self) -> float | None:
        """Usual charge of its last stage."""
        return self.last.charge_kg_per_bdt

    @property
    def solution_g_per_l(self) -> float | None:
        """Strength of the solution its last stage is given."""
        return self.last.solution_g_per_l

    @property
    def response_per_kg(self) -> Fitted | None:
        """How light absorbed answers to the charge of its last stage."""
        return self.last.response_per_kg

    @property
    def ks_floor(self) -> Fitted | None:
        """Light absorbed that no charge of its last stage takes away."""
        return self.last.ks_floor

    def symbol(self, at: int) -> Symbol:
        """Return what the kind of one of its stages is, on its furnish."""
        return symbol_of(self.stages[at].symbol, self.furnish)

    def hold_min(self, bdt_per_h: float | None = None) -> float:
        """Return the time of pulp from its first mixer to its end."""
        return sum(one.minutes(bdt_per_h) for one in self.stages)

    def called(self, at: int) -> str:
        """Return what a stage is called on the page."""
        return self.stages[at].name or self.stages[at].symbol

    def charge_point(self, at: int) -> str:
        """Return where the charge of a stage is set: the last by its bleach alone."""
        return f"charge:{self.id}" if at == len(self.stages) - 1 else f"charge:{self.id}:{at + 1}"

    def doses(self, at: int) -> list[Dosed]:
        """Return everything a stage is given, its own chemical first, each where it is set."""
        stage, symbol = self.stages[at], self.symbol(at)
        own = middle(symbol.charge) if stage.charge_kg_per_bdt is None else stage.charge_kg_per_bdt
        found = [
            Dosed(
                at, symbol.chemical, self.charge_point(at), own, stage.solution_g_per_l, stage.most_l_per_min, stage.solution_tank_m3,
                stage.cost_per_kg, is_own=True,
            )
        ]  # fmt: skip
        for one in stage.beside:
            beside = f"beside:{self.id}:{at + 1}:{one.chemical}"
            found.append(
                Dosed(
                    at, one.chemical, beside, one.charge_kg_per_bdt, one.solution_g_per_l, one.most_l_per_min,
                    one.solution_tank_m3, one.cost_per_kg,
                )
            )  # fmt: skip
        return found


class BleachDose(Dose):
    """Bleaching chemicals, in proportion to the pulp."""

    POINTS: ClassVar[Points] = points(
        strength=Point("Strength of {of}", "Strength", "conc_g_per_l", (0.5, 600), 1, ("solution", "strength")),
    )

    kind: Literal["bleach_chemicals"]


class Tower(Mix):
    """A tower: hours of pulp."""

    HORIZON_H: ClassVar[float] = 4.0

    kind: Literal["tower"]
    volume_m3: float = Field(gt=0, le=MOST_M3)
    holds_consistency_pct: Consistency
