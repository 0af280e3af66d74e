"""What a mill's file says of its water: the target, what builds up in its loop, its permit's figures."""

from pydantic import Field

from stock.parts import Part


class Substance(Part):
    """Something that builds up as a loop closes: what comes in, what the loop bears, what make-up brings."""

    name: str = Field(min_length=2, max_length=30)
    load_kg_per_t: float = Field(ge=0, le=1000, description="what comes in with pulp and chemicals, a tonne made")
    limit_kg_per_m3: float = Field(gt=0, le=100, description="what the loop bears")
    makeup_kg_per_m3: float = Field(0.0, ge=0, le=50, description="what fresh water brings")


class Permit(Part):
    """The permit's figures, as means of the calendar month; its own basis and method rule."""

    cod_t_per_d: float = Field(gt=0, le=1e4)
    flow_m3_per_d: float | None = Field(None, gt=0, le=1e7)
    aox_kg_per_d: float | None = Field(None, gt=0, le=1e5)
    colour_t_per_d: float | None = Field(None, gt=0, le=1e5)


USUAL_LOOP = (
    Substance(name="chloride", load_kg_per_t=1.6, limit_kg_per_m3=0.30, makeup_kg_per_m3=0.02),
    Substance(name="calcium", load_kg_per_t=0.45, limit_kg_per_m3=0.10, makeup_kg_per_m3=0.012),
    Substance(name="potassium", load_kg_per_t=0.5, limit_kg_per_m3=0.20, makeup_kg_per_m3=0.003),
)


class WaterPlan(Part):
    """The water of a mill; what is left out is as usual."""

    fresh_target_l_per_kg: float | None = Field(None, gt=0, le=500, description="fresh water wanted, as sold")
    product_water_m3_per_t: float = Field(1.2, ge=0, le=100, description="what leaves with the product")
    evaporated_m3_per_t: float = Field(0.8, ge=0, le=50)
    loop_volume_m3: float | None = Field(None, gt=0, le=1e6, description="all water in the loop, pipes too")
    loop: list[Substance] = Field(default_factory=lambda: list(USUAL_LOOP), min_length=1, max_length=8)
    permit: Permit | None = None
