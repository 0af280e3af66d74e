"""The simulated laboratory's burettes: titrations that come to the strengths the laboratory reports, and devices' files."""

from collections.abc import Iterable, Iterator
from typing import Any, Final

import numpy as np

from standin.digesters import RESULT_AFTER_S, Digesters

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


def titrations(readings: Iterable[tuple[str, int, float]], seed: int) -> Iterator[dict[str, Any]]:
    """Yield the titrations behind the laboratory's liquor readings, and green liquor beside the white."""
    by: dict[int, dict[str, float]] = {}
    for tag, at_s, value in readings:
        if tag in ("white_liquor_ea", "sulphidity", "causticity", "caustic_strength"):
            by.setdefault(at_s, {})[tag] = value
    for at_s, found in sorted(by.items()):
        shared = {"at_s": at_s, "acid_normality": NORMAL, "sample_ml": SAMPLE_ML}
        if {"white_liquor_ea", "sulphidity", "causticity"} <= set(found):
            yield {
                **shared,
                "liquor": "white",
                **burette(found["white_liquor_ea"], found["sulphidity"], found["causticity"]),
            }
            rng = np.random.default_rng([seed, 61, at_s % 1_000_000])
            green = {"a_ml": 8.2, "b_ml": 14.6, "c_ml": 37.0}
            moved = float(rng.normal(0, 0.25))
            if (at_s // TITRATE_EVERY_S) % 3 == 0:
                yield {
                    **shared,
                    "at_s": at_s + 600,
                    "liquor": "green",
                    **{k: round(v + moved, 2) for k, v in green.items()},
                }
        if "caustic_strength" in found:
            acid = found["caustic_strength"] * SAMPLE_ML / (NORMAL * NAOH_G)
            yield {**shared, "liquor": "caustic", "acid_ml": round(acid, 2)}


def device_files(
    digesters: Digesters, seed: int, anchor_s: float, from_s: float, to_s: float
) -> Iterator[tuple[str, str]]:
    """Yield (name, text) of the titrator's and the kappa machine's files of a span."""
    for cook in digesters.cooks(from_s - 14 * 3600, to_s):
        tested = cook.relief_s + RESULT_AFTER_S
        if from_s < tested <= to_s:
            row = f"{int(tested)},{cook.number},{cook.kappa},{cook.rejects_pct},{cook.residual}"
            yield f"kappa_{cook.number}.csv", f"at_s,cook,kappa,rejects_pct,residual_kg_per_m3_as_naoh\n{row}\n"
    first = int(np.ceil((from_s - anchor_s) / TITRATE_EVERY_S))
    last = int(np.floor((to_s - anchor_s) / TITRATE_EVERY_S))
    for index in range(max(first, 1), last + 1):
        rng = np.random.default_rng([seed, 62, index])
        at_s = int(anchor_s + index * TITRATE_EVERY_S)
        read = burette(104.6 + rng.normal(0, 0.8), 26.2 + rng.normal(0, 0.5), 80.8 + rng.normal(0, 0.5))
        row = f"{at_s},white,{read['a_ml']},{read['b_ml']},{read['c_ml']},{NORMAL},{SAMPLE_ML}"
        yield f"titrator_{at_s}.csv", f"at_s,liquor,a_ml,b_ml,c_ml,acid_normality,sample_ml\n{row}\n"
