"""The simulated laboratory's burettes: titrations that come to the strengths the laboratory reports, and devices' files."""

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any, Final

import numpy as np

from standin.digesters import RESULT_AFTER_S
from stock.line.definition import Definition

if TYPE_CHECKING:
    from standin.living import Tested
    from standin.plant import Plant

NORMAL: Final = 0.5
SAMPLE_ML: Final = 5.0
NAOH_G: Final = 39.997
TITRATE_EVERY_S: Final = 8 * 3600
FIELDS: Final = ("at_s", "liquor", "a_ml", "b_ml", "c_ml", "acid_ml", "acid_normality", "sample_ml", "cook")


def burette(ea: float, sulphidity_pct: float, causticity_pct: float) -> dict[str, float]:
    """Return the cumulative readings that come to a white liquor."""
    ml = SAMPLE_ML / (NORMAL * NAOH_G)
    active = ea / (1 - sulphidity_pct / 200)
    naoh = 2 * ea - active
    carbonate = naoh * (100 / causticity_pct - 1)
    a, b = ea * ml, active * ml
    return {"a_ml": round(a, 2), "b_ml": round(b, 2), "c_ml": round(b + carbonate * ml, 2)}


def titrations(line: Definition, readings: Iterable[tuple[str, int, float]], seed: int) -> Iterator[dict[str, Any]]:
    """Yield the titrations behind the laboratory's liquor readings, and green liquor beside the white."""
    tanks = {tag: tank for tank in line.cook.tanks for tag in tank.is_read.values()}
    by: dict[tuple[int, str], dict[str, float]] = {}
    for tag, at_s, value in readings:
        if (tank := tanks.get(tag)) is not None and tank.liquor in ("white", "caustic"):
            point = line.tag(tag).reads
            by.setdefault((at_s, tank.liquor), {})[point] = value
    for (at_s, liquor), found in sorted(by.items()):
        shared = {"at_s": at_s, "acid_normality": NORMAL, "sample_ml": SAMPLE_ML}
        if liquor == "white" and {"strength", "sulphidity", "causticity"} <= set(found):
            read = burette(found["strength"], found["sulphidity"], found["causticity"])
            yield {**shared, "liquor": "white", **read}
            rng = np.random.default_rng([seed, 61, at_s % 1_000_000])
            green = {"a_ml": 7.3, "b_ml": 11.3, "c_ml": 36.0}  # sulphide as in the white: it survives causticizing
            moved = float(rng.normal(0, 0.25))
            if (at_s // TITRATE_EVERY_S) % 3 == 0:
                moved_on = {name: round(value + moved, 2) for name, value in green.items()}
                yield {**shared, "at_s": at_s + 600, "liquor": "green", **moved_on}
        if liquor == "caustic" and "strength" in found:
            acid = found["strength"] * SAMPLE_ML / (NORMAL * NAOH_G)
            yield {**shared, "liquor": "caustic", "acid_ml": round(acid, 2)}


def device_files(
    plant: "Plant", from_s: float, to_s: float, tested: "Iterable[Tested] | None" = None
) -> Iterator[tuple[str, str]]:
    """Yield (name, text) of the titrator's and the kappa machine's files of a span; `tested` are the cooks of the plant that runs."""
    for cook in _tested(plant, from_s, to_s) if tested is None else tested:
        row = f"{int(cook.at_s)},{cook.number},{cook.kappa},{cook.rejects_pct},{cook.residual}"
        yield f"kappa_{cook.number}.csv", f"at_s,cook,kappa,rejects_pct,residual_kg_per_m3_as_naoh\n{row}\n"
    usual = _usual_white(plant)
    if usual is None:
        return
    first = int(np.ceil((from_s - plant.anchor_s) / TITRATE_EVERY_S))
    last = int(np.floor((to_s - plant.anchor_s) / TITRATE_EVERY_S))
    for index in range(max(first, 1), last + 1):
        rng = np.random.default_rng([plant.seed, 62, index])
        at_s = int(plant.anchor_s + index * TITRATE_EVERY_S)
        read = burette(*(mean + rng.normal(0, spread) for mean, spread in zip(usual, (0.8, 0.5, 0.5), strict=True)))
        row = f"{at_s},white,{read['a_ml']},{read['b_ml']},{read['c_ml']},{NORMAL},{SAMPLE_ML}"
        yield f"titrator_{at_s}.csv", f"at_s,liquor,a_ml,b_ml,c_ml,acid_normality,sample_ml\n{row}\n"


def _tested(plant: "Plant", from_s: float, to_s: float) -> "Iterator[Tested]":
    """Yield the cooks of the past whose results came in a span."""
    from standin.living import Tested

    for cook in plant.digesters.cooks(from_s - 14 * 3600, to_s):
        tested = cook.relief_s + RESULT_AFTER_S
        if from_s < tested <= to_s:
            yield Tested(cook.number, tested, cook.kappa, cook.rejects_pct, cook.residual)


def _usual_white(plant: "Plant") -> list[float] | None:
    """Return strength, sulphidity and causticity white liquor stays near; None on a line that titrates none."""
    tank = plant.line.cook.tank("white")
    tags = [tank.tag_of(point) if tank else None for point in ("strength", "sulphidity", "causticity")]
    if None in tags:
        return None
    return [plant.starts(plant.line.tag(tag)) for tag in tags if tag is not None]
