"""How long the chains still are: viscosity, degree of polymerisation, scissions."""

from stock.working import Arg, Example, method, warn

EXPONENT = 0.905


@method(
    "chain_dp = (0.75 * viscosity_ml_per_g)**(1 / 0.905)",
    title="Chain length from viscosity",
    station="bleaching",
    source="Immergut, Schurz and Mark (1953), used with ISO 5351; mercerised pulps deviate",
    aliases=("dp_from_viscosity",),
    example=Example({"viscosity_ml_per_g": 950}, {"chain_dp": 1420}),
    viscosity_ml_per_g=Arg("intrinsic viscosity", 0, 3000, above=True),
)
def chain_length(*, viscosity_ml_per_g: float) -> float:
    """Return the degree of polymerisation."""
    return (0.75 * viscosity_ml_per_g) ** (1 / EXPONENT)  # type: ignore[no-any-return]


@method(
    "viscosity_ml_per_g = chain_dp**0.905 / 0.75",
    title="Viscosity from chain length",
    station="bleaching",
    source="Immergut, Schurz and Mark (1953)",
    aliases=("viscosity_from_dp",),
    example=Example({"chain_dp": 1420}, {"viscosity_ml_per_g": 950}),
    chain_dp=Arg("degree of polymerisation", 0, 20000, above=True),
)
def viscosity_of(*, chain_dp: float) -> float:
    """Return the intrinsic viscosity."""
    return chain_dp**EXPONENT / 0.75  # type: ignore[no-any-return]


@method(
    "before_dp = (0.75 * before_ml_per_g)**(1 / 0.905)\n"
    "after_dp = (0.75 * after_ml_per_g)**(1 / 0.905)\n"
    "cut_scission = 10000 * (1 / after_dp - 1 / before_dp)",
    title="Chain scission of a stage",
    station="bleaching",
    source="one over the chain length adds up",
    aliases=("chain_scission_number",),
    results=("cut_scission",),
    example=Example({"before_ml_per_g": 950, "after_ml_per_g": 820}, {"cut_scission": 1.244}),
    before_ml_per_g=Arg("viscosity before", 0, 3000, above=True),
    after_ml_per_g=Arg("viscosity after", 0, 3000, above=True),
)
def chain_scission(*, before_ml_per_g: float, after_ml_per_g: float) -> float:
    """Return how many chains a stage cut, in ten-thousandths."""
    before, after = (LENGTH(viscosity_ml_per_g=one) for one in (before_ml_per_g, after_ml_per_g))
    if after > before:
        warn("viscosity rose: no stage mends chains; the two samples or their tests differ")
    return float(1e4 * (1 / after - 1 / before))


LENGTH = chain_length.method.bare  # type: ignore[attr-defined]
VISCOSITY = viscosity_of.method.bare  # type: ignore[attr-defined]
