"""Batch cooking as data: recipes of every school, digesters, liquor tanks, the steam they share."""

from typing import ClassVar, Literal

from pydantic import Field, PrivateAttr

from stock.cooking.alkali import charge_as_na2o
from stock.cooking.end_point import h_for_kappa
from stock.cooking.school import PRACTICES, Liquor, Practice, School
from stock.cooking.unit import LIQUOR_POINTS
from stock.errors import DomainError
from stock.parts import Id, Instrumented, Part, Pct, Point, Points, points
from stock.primitives import LEVEL, MOST_M3

Wood = Literal["softwood", "hardwood", "bagasse"]


class Stage(Part):
    """One leg of the heating: to a temperature, straight, over some minutes; then the next."""

    over_min: float = Field(gt=0, le=1440)
    to_c: float = Field(ge=20, le=200)
    to_kpa_g: float | None = Field(
        None, ge=0, le=2000, description="held by relief, where pressure is part of the plan"
    )


class Alkaline(Part):
    """What alkali a cook gets, and the mill's relation until its own cooks give a better one."""

    charge_pct_naoh_on_wood: float = Field(gt=0, le=40)
    sulphidity_frac: float = Field(0, ge=0, le=0.6)
    liquor_kg_per_m3_as_naoh: float = Field(gt=0, le=800, description="usual strength of the cooking liquor")
    residual_kg_per_m3_as_naoh: tuple[float, float] = Field(description="band wanted at the end")
    bulk_ratio: float = Field(1.0, gt=0.2, le=4, description="multiplier of the bulk rate; anthraquinone raises it")
    alpha: float = Field(gt=0, le=1000)
    beta: float = Field(gt=0, le=1000)
    n: float = Field(gt=0, le=2)
    kappa_sd: float = Field(gt=0, le=50, description="spread of the relation on this mill's cooks")


class Sulphite(Part):
    """What acid a cook gets, and the normal cook its end point goes by."""

    total_so2_pct: float = Field(gt=0, le=15, description="g in 100 mL")
    combined_so2_pct: float = Field(gt=0, le=6)
    base: Literal["calcium", "magnesium", "sodium"]
    reference_factor: float = Field(
        gt=0, le=1000, description="integral of the normal cook, bar·h; of bisulphite, h at 100 °C"
    )
    reference_cook_kappa: float = Field(gt=0, le=200)
    activation_kj_per_mol: float = Field(90, ge=60, le=140)
    zero_kappa: float = Field(180, ge=50, le=400)
    kappa_sd: float = Field(gt=0, le=50)
    penetrate_below_c: float = Field(110, ge=60, le=130)
    penetrate_min: float = Field(90, ge=0, le=600, description="least time below that before it may rise")


class Recipe(Part):
    """How one raw material is cooked by one school."""

    id: Id
    name: str
    school: School
    wood: Wood = Field(description="raw material as the kinetics know it")
    species: Id | None = Field(None, description="species of the yard")
    stream: Id = Field(description="stream of the balance that feeds it")
    yard_stream: Id | None = Field(None, description="stream the piles it comes from feed, where that is another")
    unit: Id = Field(description="unit of the balance it is")
    blow_to: Id | None = Field(None, description="vessel it is blown into")
    basic_density_kg_per_m3: float = Field(ge=100, le=1000)
    solid_volume_factor: float = Field(gt=0, lt=0.74)
    packing_gain_frac: float = Field(0, ge=-0.05, le=0.4)
    chip_moisture_frac: float = Field(ge=0, lt=1)
    condensate_t_per_bdt: float = Field(
        0, ge=0, le=2, description="steam of packing and steaming that stays with the chips"
    )
    liquor_to_wood: float = Field(ge=2, le=10)
    fill_min: float = Field(gt=0, le=600)
    liquor_min: float = Field(gt=0, le=600)
    start_c: float = Field(ge=15, le=120)
    start_kpa_g: float = Field(0, ge=0, le=2000)
    stages: list[Stage] = Field(min_length=1)
    chip_c: float = Field(60, ge=-30, le=120, description="chips as they are when heating begins")
    liquor_c: float = Field(85, ge=0, le=180, description="cooking liquor as it is pumped in")
    fill_c: float = Field(80, ge=0, le=180, description="what makes up the ratio")
    shell_c: float = Field(100, ge=0, le=180, description="the steel, after the last blow")
    most_c: float = Field(ge=100, le=200, description="never to be exceeded")
    over_kpa: float = Field(50, ge=0, le=1500, description="gas over steam that relief must keep under")
    relief_min: float = Field(0, ge=0, le=180, description="letting down before the blow")
    blow_min: float = Field(gt=0, le=600)
    clear_min: float = Field(5, ge=0, le=600, description="empty check before the next fill")
    tail: float = Field(ge=0, le=1000, description="of the integral, still gained in relief and blow")
    kappa_target: float = Field(gt=0, le=200)
    kappa_half: float = Field(1.5, gt=0, le=20, description="how far off the target a cook may be")
    rejects_pct: tuple[float, float] = Field((1.0, 4.0), description="knots and rejects wanted, on pulp")
    reference_yield_pct: float = Field(gt=20, le=100)
    reference_kappa: float = Field(gt=0, le=200)
    slope_pct: float = Field(ge=0, le=1)
    alkaline: Alkaline | None = None
    sulphite: Sulphite | None = None
    hot_frac: float = Field(
        1, ge=0, le=1, description="how hot and short it is: 1 as 170 °C for 100 min, 0 as 155 °C for 360 min"
    )
    cautions: dict[str, str] = Field(default_factory=dict, description="step: what to mind before it, of this school")
    _read_by: dict[str, str] = PrivateAttr(default_factory=dict)

    @property
    def kappa_tag(self) -> str | None:
        """The tag its kappa is kept under: the one that reads it where its unit's pulp leaves."""
        return self._read_by.get("kappa")

    @property
    def residual_tag(self) -> str | None:
        """The tag its residual alkali is kept under."""
        return self._read_by.get("residual")

    @property
    def rejects_tag(self) -> str | None:
        """The tag its knots and rejects are kept under."""
        return self._read_by.get("knots")

    @property
    def raw(self) -> str:
        """What it cooks, as a cook calls it."""
        return "bagasse" if self.wood == "bagasse" else "chips"

    @property
    def fibre(self) -> str:
        """What the alkali works on."""
        return "bagasse" if self.wood == "bagasse" else "wood"

    @property
    def moisture_name(self) -> str:
        """What its moisture is called."""
        return "Bagasse moisture" if self.wood == "bagasse" else "Chip moisture"

    @property
    def naoh_unit(self) -> str:
        """What its alkali charge is counted in."""
        return f"% NaOH on {self.fibre}"

    @property
    def practice(self) -> Practice:
        """What its school has of its own."""
        return PRACTICES[self.school]

    @property
    def usual_charge_pct(self) -> float:
        """Effective alkali on wood its cooks usually get, % NaOH; 0 of an acid."""
        return 0.0 if self.alkaline is None else self.alkaline.charge_pct_naoh_on_wood

    @property
    def is_sulphite(self) -> bool:
        """Whether acid does the work."""
        return self.practice.is_acid

    @property
    def cook_c(self) -> float:
        """Temperature it is held at."""
        return self.stages[-1].to_c

    @property
    def ramp_min(self) -> float:
        """Minutes from the start of heating to that temperature."""
        return sum(stage.over_min for stage in self.stages)

    @property
    def alkali(self) -> Alkaline:
        """Its alkaline part; LookupError for sulphite."""
        if self.alkaline is None:
            raise LookupError(self.id)
        return self.alkaline

    @property
    def acid(self) -> Sulphite:
        """Its sulphite part; LookupError for alkali."""
        if self.sulphite is None:
            raise LookupError(self.id)
        return self.sulphite

    @property
    def kappa_sd(self) -> float:
        """Spread of the relation it starts from."""
        return self.acid.kappa_sd if self.is_sulphite else self.alkali.kappa_sd


class Digester(Instrumented):
    """A batch digester and its instruments."""

    POINTS: ClassVar[Points] = points(
        temperature=Point("Temperature of {of}", "Temp.", "temperature_c", (10, 200), 1, ("temperature", "temp")),
        bottom=Point(
            "{of} lower circulation", "Lower", "temperature_c", (10, 200), 1, ("bottom", "lower", "circulation")
        ),
        pressure=Point("Pressure of {of}", "Pressure", "pressure_kpa_g", (0, 1500), 0, ("pressure", "press")),
    )

    number: int = Field(ge=1, le=99)
    volume_m3: float = Field(gt=0, le=2000)
    recipes: list[Id] = Field(min_length=1, description="what it may cook, the usual one first")
    steel_t: float = Field(gt=0, le=1000, description="steel that warms with the cook")

    @property
    def name(self) -> str:
        """What it is called."""
        return f"Digester {self.number}"

    @property
    def temperature(self) -> str:
        """The tag of its temperature; '' where none reads it."""
        return self.tag_of("temperature") or ""

    @property
    def bottom(self) -> str | None:
        """The tag of its lower temperature."""
        return self.tag_of("bottom")

    @property
    def pressure(self) -> str | None:
        """The tag of its pressure."""
        return self.tag_of("pressure")


class Tank(Instrumented):
    """A tank of cooking or spent liquor."""

    POINTS: ClassVar[Points] = points(level=LEVEL, **LIQUOR_POINTS)

    name: str
    liquor: Liquor
    volume_m3: float = Field(gt=0, le=MOST_M3)
    low_pct: Pct = 10.0

    @property
    def level(self) -> str:
        """The tag of its level; '' where none reads it."""
        return self.tag_of("level") or ""

    @property
    def strength(self) -> str | None:
        """The tag of its strength; of spent liquor, that of the residual it is known by."""
        return self.tag_of("strength")


class CookDef(Part):
    """The cooking house."""

    recipes: list[Recipe] = Field(default_factory=list, description="none, where nothing is cooked")
    digesters: list[Digester] = Field(default_factory=list)
    tanks: list[Tank] = Field(default_factory=list)
    steam_t_per_h: float = Field(1, gt=0, le=1000, description="steam the digesters may draw together")

    @property
    def main(self) -> Recipe:
        """The recipe most is cooked by; LookupError where nothing is cooked."""
        if not self.recipes:
            message = "nothing is cooked on this line"
            raise LookupError(message)
        return self.recipes[0]

    @property
    def sensors(self) -> frozenset[str]:
        """Tags of the digesters' own instruments."""
        return frozenset(tag for one in self.digesters for tag in (one.temperature, one.bottom, one.pressure) if tag)

    def recipe(self, recipe_id: str) -> Recipe:
        """Return a recipe; LookupError where there is none."""
        for one in self.recipes:
            if one.id == recipe_id:
                return one
        message = f"there is no recipe {recipe_id}"
        raise LookupError(message)

    def holding(self, recipe: Recipe) -> Digester:
        """Return a digester that cooks a recipe; LookupError where none does."""
        for one in self.digesters:
            if recipe.id in one.recipes:
                return one
        message = f"no digester cooks {recipe.name}"
        raise LookupError(message)

    def at(self, unit_id: str) -> list[Recipe]:
        """Return the recipes cooked at a unit of the balance."""
        return [one for one in self.recipes if one.unit == unit_id]

    def digester(self, number: int) -> Digester:
        """Return a digester; LookupError where there is none."""
        for one in self.digesters:
            if one.number == number:
                return one
        message = f"there is no digester {number}"
        raise LookupError(message)

    def tank(self, liquor: Liquor) -> Tank | None:
        """Return the tank of a liquor, where there is one."""
        return next((tank for tank in self.tanks if tank.liquor == liquor), None)


def faults_of_cooking(cook: CookDef, streams: set[str], units: set[str]) -> list[str]:
    """Return what is wrong between the parts of a cooking house, one sentence a fault."""
    faults = []
    ids = [one.id for one in cook.recipes]
    for one in cook.recipes:
        place = f"cook · recipes · {one.id}"
        wanted, other = ("sulphite", "alkaline") if one.is_sulphite else ("alkaline", "sulphite")
        if getattr(one, wanted) is None or getattr(one, other) is not None:
            faults.append(f"{place}: a {one.school} recipe needs a part called {wanted}, and none called {other}")
        faults += [
            f"{place} · {field}: there is no stream {name}"
            for field, name in (("stream", one.stream), ("yard_stream", one.yard_stream))
            if name is not None and name not in streams
        ]
        faults += [
            f"{place} · {field}: there is no unit {name}"
            for field, name in (("unit", one.unit), ("blow_to", one.blow_to))
            if name is not None and name not in units
        ]
        if max(stage.to_c for stage in one.stages) > one.most_c:
            faults.append(f"{place} · stages: {one.cook_c:g} °C is above most_c, {one.most_c:g} °C")
        if (out_of_reach := _out_of_reach(one)) is not None:
            faults.append(f"{place} · alkaline: {out_of_reach}")
        if ids.count(one.id) > 1:
            faults.append(f"{place}: the id is used twice; each must be its own")
        if not any(one.id in digester.recipes for digester in cook.digesters):
            faults.append(f"{place}: no digester cooks it")
    for digester in cook.digesters:
        place = f"cook · digesters · {digester.number}"
        faults += [f"{place} · recipes: there is no recipe {name}" for name in digester.recipes if name not in ids]
        if not digester.temperature:
            faults.append(f"{place}: no tag reads its temperature (of: {digester.id}, reads: temperature)")
    return faults


def _out_of_reach(recipe: Recipe) -> str | None:
    """Return why a recipe's own relation does not lead to its kappa with its usual charge; None where it does."""
    told = recipe.alkaline
    if told is None or recipe.is_sulphite:
        return None
    try:
        h_for_kappa(
            kappa_target_kappa=recipe.kappa_target,
            effective_alkali_pct_na2o=charge_as_na2o(charge_pct_naoh_on_wood=told.charge_pct_naoh_on_wood),
            alpha=told.alpha,
            beta=told.beta,
            n=told.n,
        )
    except DomainError as error:
        return error.message
    return None
