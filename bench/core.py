"""The core's own sums: the chip blend, the kinetics, the relation fitted, each against the bare thing."""

from pathlib import Path

from bench.measure import best, report

MILL = Path(__file__).resolve().parents[1] / "mills" / "hallin_reach.yaml"


def chip_blend() -> None:
    """Choosing a blend among twenty lots in four piles, against SciPy's bare linear programme over their shares."""
    import numpy as np
    from scipy.optimize import linprog

    from stock.intake.blend import Candidate, Limits, choose_blend

    rng = np.random.default_rng(20)
    lots = [
        Candidate(
            f"L{i}",
            "abcd"[i % 4],
            20.0,
            float(40 - i),
            float(rng.uniform(0.44, 0.52)),
            1.0,
            0.5,
            "alder" if i % 4 else "spruce",
        )
        for i in range(20)
    ]
    limits = Limits(moisture_least_frac=0.45, moisture_most_frac=0.51, species_most_frac={"spruce": 0.1})
    ours = best(lambda: choose_blend(lots, 11.1, 8, limits), 20)
    ages = np.array([lot.age_d for lot in lots])
    u = np.array([lot.moisture_frac / (1 - lot.moisture_frac) for lot in lots])
    bare = best(
        lambda: linprog(
            -ages, A_ub=[u, -u], b_ub=[0.51 / 0.49, -0.45 / 0.55], A_eq=[np.ones(20)], b_eq=[1], bounds=(0, 0.25)
        ),
        20,
    )
    report("chip blend of 20 lots", ours, bare, "under 200 ms; bare has no order of lots")


def kinetics() -> None:
    """One cook through three phases against SciPy's stiff solver at tight tolerance."""
    import numpy as np

    from stock.cooking.kinetics import WOODS, kappa_of, simulate_kraft
    from tests.stock.stiff import stiff_end

    times, celsius = np.array([0.0, 90.0, 190.0]), np.array([80.0, 170.0, 170.0])
    for species, charge, sulphidity in (("softwood", 18.5, 0.30), ("hardwood", 17.4, 0.26), ("bagasse", 14.0, 0.0)):
        wood = WOODS[species]

        def ours() -> float:
            return simulate_kraft(  # type: ignore[no-any-return]
                times_min=times,
                temperatures_c=celsius,
                effective_alkali_pct_naoh_on_wood=charge,  # noqa: B023
                sulphidity_frac=sulphidity,  # noqa: B023
                liquor_to_wood=4.0,
                species=species,  # noqa: B023
            ).kappa

        def stiff() -> float:
            end = stiff_end(times, celsius, charge, sulphidity, 4.0, wood)  # noqa: B023
            return kappa_of(end[0], end[1], wood)  # noqa: B023

        apart = abs(ours() - stiff())
        aim = f"under 20 ms, a fifth of bare; {apart:.4f} kappa apart, aim 0.1"
        report(f"kinetics of one cook, {species}", best(ours, 20), best(stiff, 4), aim)


def living_plant() -> None:
    """The whole plant at steps of a second, against a bare sum of ninety numbers; a state of it saved and restored."""
    import json
    import time

    import numpy as np

    from stock.line.load import load_definition
    from stock.simulate.outlook import InFlight, Stands, look_ahead
    from stock.simulate.plant import Plant

    plant = Plant(load_definition(MILL), disturbed=True)
    plant.batches.stagger()
    plant.step(600)
    a, b = np.ones(90), np.ones(90)
    bare = best(lambda: a + b, 20, 20_000)
    ours = best(lambda: plant.step(600), 8) / 600
    rate = f"{1 / ours:,.0f} steps a second; aim 3,600 on a free core, and 450 bare sums a step: {ours / bare:.0f}"
    report("living plant, a step of a second", ours, bare, rate, 1e6, "us")
    start = time.perf_counter()
    kept = json.dumps(plant.state())
    plant.restore(json.loads(kept))
    took = time.perf_counter() - start
    report("its state saved and restored", took, took, f"under 50 ms; {len(kept) // 1000} kB")
    levels = {unit.id: 60.0 for unit in plant.line.units if getattr(unit, "volume_m3", None)}
    stands = Stands(levels, {}, plant.order, (), [InFlight(1, 120, 60)])
    ahead = best(lambda: look_ahead(plant.line, stands), 3)
    report("twelve hours looked ahead", ahead, ours * 43_200, "bare is the plant itself, second by second")


def relation() -> None:
    """The mill's relation fitted on 2,000 cooks, against one bare least-squares line through them."""
    import numpy as np

    from stock.cooking.relation import fit_relation
    from stock.line.load import load_definition

    recipe = load_definition(MILL).cook.recipes[0]
    rng = np.random.default_rng(20)
    alkali, factor = rng.uniform(12.5, 14.5, 2000), rng.uniform(600, 1000, 2000)
    kappa = 146.0 - 6.1 * np.log10(factor) * alkali**0.76 + rng.normal(0, 0.6, 2000)
    cooks = [
        {
            "factor": float(h),
            "alkali_pct_na2o": float(a),
            "kappa": float(k),
            "yield_pct": 52 + 0.16 * (float(k) - 18),
            "used_pct": 14.0 + 0.02 * float(k),
        }
        for h, a, k in zip(factor, alkali, kappa, strict=True)
    ]
    x = np.log10(factor) * alkali**0.76
    bare = best(lambda: np.polyfit(x, kappa, 1), 20)
    report(
        "relation fitted on 2000 cooks", best(lambda: fit_relation(recipe, cooks, 2, "bench"), 10), bare, "under 500 ms"
    )


def washing_and_cascade() -> None:
    """Eight washers and four stages of cleaners solved together, against bare dense solves of the same size."""
    import numpy as np

    from stock.screening.cascade import fed
    from stock.washing.line import STAGES, washed_line

    drum = {
        **STAGES.defaults, "vat_consistency_pct": 1.2, "discharge_consistency_pct": 12.0, "displacement_ratio": 0.8
    }  # fmt: skip
    washers = [{**drum, "displacement_ratio": 0.74 + 0.015 * index} for index in range(8)]
    line = washed_line.method.bare  # type: ignore[attr-defined]
    rejects = np.array([[0.2, 0.25, 0.3, 0.3], [0.85, 0.85, 0.8, 0.8]])
    accept_to, reject_to = np.array([-1, 0, 1, 2]), np.array([1, 2, 3, -1])
    entry = np.zeros((2, 4))
    entry[:, 0] = 1.0

    def ours() -> None:
        line(stages=washers, feed_consistency_pct=10.0, feed_conc_kg_per_t=150.0, dilution_factor_t_per_bdt=2.5)
        fed(rejects, accept_to, reject_to, entry)

    rng = np.random.default_rng(8)
    large, right = rng.random((24, 24)) + 24 * np.eye(24), rng.random(24)  # vat, mat and filtrate of each drum
    small, entries = rng.random((2, 4, 4)) + 4 * np.eye(4), rng.random((2, 4, 1))

    def bare() -> None:
        np.linalg.solve(large, right)
        np.linalg.solve(small, entries)

    report(
        "8 washers and a cascade of 4, together",
        best(ours, 20, 200),
        best(bare, 20, 200),
        "under 5 ms, at most 3",
        1e6,
        "µs",
    )


def bleaching() -> None:
    """Six stages with washing between, against their exponentials; the least cost of them; a month of a tower."""
    import math

    import numpy as np

    from stock.bleaching.cheapest import Lever, Limits, cheapest
    from stock.bleaching.sequence import STAGES, Pulp, stage_end
    from stock.bleaching.tower import ages_min

    stages = [
        {
            **STAGES.defaults, "charge_kg_per_bdt": charge, "response_per_kg": response, "ks_floor_ks": 0.005, "rate_factor": 4.0,
            "kappa_floor_kappa": 0.5, "cut_scission": 0.3, "loss_per_kappa_pct": 0.2, "loss_pct": 0.2,
            "cod_demand_kg_per_kg": 0.1, "wash_removal_frac": 0.8,
        }
        for charge, response in ((20, 0.18), (5, 0.2), (6, 0.3), (4, 0.2), (5, 0.3), (6, 0.25))
    ]  # fmt: skip

    def ours() -> None:
        pulp = Pulp(24.0, 0.6, 1500.0, 1.0, 8.0)
        for row in stages:
            _, pulp = stage_end(row, pulp)

    def bare() -> None:
        for row in stages:
            math.exp(-row["charge_kg_per_bdt"] / 240)

    report("6 bleach stages with washing between", best(ours, 20, 500), best(bare, 20, 500), "under 5 ms", 1e6, "µs")
    three = [stages[0], stages[1], stages[5]]
    levers = [Lever(0, 2, 14, 1.4, 2.63), Lever(1, 1, 8, 0.85), Lever(2, 2, 16, 0.85)]

    def march() -> None:
        pulp = Pulp(12.0, 0.4, 1300.0, 1.0, 8.0)
        for row in three:
            _, pulp = stage_end(row, pulp)

    report(
        "cheapest charges of 3 stages, with what is flat",
        best(lambda: cheapest(three, 12, 42, 900, 8, levers, Limits(82.0)), 3),
        best(march, 20, 500),
        "under 500 ms",
    )
    minutes = np.arange(30 * 1440, dtype=float)
    feed = 6 + np.sin(minutes / 300)
    held = np.full(len(minutes), 18.0)
    report(
        "30 days of a tower, a minute each",
        best(lambda: ages_min(minutes, feed, held), 5),
        best(lambda: np.cumsum(feed), 5),
        "under 1 s",
    )
