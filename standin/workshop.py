"""Acid and bisulphite cooks of the past, run by hand: gauges read, liquor titrated; repeatable from a seed."""

import csv
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final

import numpy as np

from stock.cooking.recipe import Recipe
from stock.cooking.schedule import planned_pressure, planned_profile
from stock.cooking.ways import WAYS
from stock.intake.chips import packed_bdt
from stock.line.definition import Definition
from stock.line.story import CookStory, Story

GAUGE_MIN: Final = 15.0
GAUGES_KEPT_S: Final = 4 * 86_400
COLUMNS: Final = (
    "number", "digester", "recipe", "started_s", "chips_t", "moisture_frac", "liquor_m3", "total_pct", "combined_pct",
    "factor", "blown_s", "tested_s", "kappa", "yield_pct", "rejects_pct", "flag",
)  # fmt: skip


class HandCooks:
    """Every acid cook of a line, and what was read while it ran."""

    def __init__(self, line: Definition, seed: int, anchor_s: float, story: Story | None = None) -> None:
        """Know the recipes; everything else follows from seed and number."""
        self.line, self.seed, self.anchor_s = line, seed, anchor_s
        self.recipes = [one for one in line.cook.recipes if one.is_sulphite]
        told = {one.recipe: one for one in story.cooks} if story is not None else {}
        first = self.recipes[0] if self.recipes else None
        self.told = told.get(first.id) if first is not None else None
        if self.told is None and first is not None:
            number = line.cook.holding(first).number
            self.told = CookStory(recipe=first.id, number=40, digester=number, every_min=2160, in_for_min=240)

    def cooks(self, days: float) -> Iterator[tuple[dict[str, Any], list[tuple[int, float, float]]]]:
        """Yield each cook as a row with its gauges, oldest first; none on a line that cooks no acid."""
        if self.told is None:
            return
        first = self.told.number - int(days * 1440 / (self.told.every_min or 2160))
        for number in range(max(1, first), self.told.number + 1):
            yield self._cook(number, self.told)

    def _cook(self, number: int, told: CookStory) -> tuple[dict[str, Any], list[tuple[int, float, float]]]:
        rng = np.random.default_rng([self.seed, 81, number])
        running = number == told.number
        back = told.number - number
        recipe = self.recipes[back % len(self.recipes)]
        digester = self.line.cook.holding(recipe)
        started_s = self.anchor_s - 60 * told.in_for_min - 60 * back * (told.every_min or 2160)
        wood_t = packed_bdt(digester.volume_m3, recipe.basic_density_kg_per_m3, recipe.solid_volume_factor)
        wood_t *= 1.0 if running else float(rng.normal(1, 0.015))
        moisture = recipe.chip_moisture_frac + float(rng.normal(0, 0.006))
        water = moisture / (1 - moisture) + recipe.condensate_t_per_bdt
        liquor = wood_t * (recipe.liquor_to_wood - water) * float(rng.normal(1, 0.01))
        acid = recipe.acid
        late = told.late_min if running else float(rng.gamma(2.0, 3.0))
        minutes, celsius, kpa = self._gauges(recipe, late, rng)
        gained = WAYS[recipe.school].curve(recipe, minutes, celsius, kpa)
        aim = self._aim(recipe) * float(rng.normal(1, 0.035)) - recipe.tail
        relief = float(np.interp(aim, gained[1], gained[0]))
        factor = float(np.interp(relief, *gained)) + recipe.tail
        row: dict[str, Any] = {
            "number": number,
            "digester": digester.number,
            "recipe": recipe.id,
            "started_s": int(started_s),
            "chips_t": round(wood_t / (1 - moisture), 5),
            "moisture_frac": round(moisture, 4),
            "liquor_m3": round(liquor, 5),
            "total_pct": round(acid.total_so2_pct + float(rng.normal(0, 0.07)), 2),
            "combined_pct": round(acid.combined_so2_pct + float(rng.normal(0, 0.03)), 2),
            "factor": round(factor, 2),
        }
        end = (self.anchor_s - started_s) / 60 - 6 if running else relief
        if not running:
            row |= self._found(recipe, started_s + 60 * (relief + recipe.relief_min), factor, rng)
        read = minutes <= end
        gauges = [
            (int(started_s + 60 * at), round(float(c), 1), float(round(float(p))))
            for at, c, p in zip(minutes[read], celsius[read], kpa[read], strict=True)
        ]
        return (row, gauges) if started_s > self.anchor_s - GAUGES_KEPT_S else (row, [])

    def _aim(self, recipe: Recipe) -> float:
        acid = recipe.acid
        wanted, normal = (np.log(acid.zero_kappa / one) for one in (recipe.kappa_target, acid.reference_cook_kappa))
        return float(acid.reference_factor * wanted / normal)

    def _gauges(
        self, recipe: Recipe, late: float, rng: np.random.Generator
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        start = recipe.fill_min + recipe.liquor_min
        minutes = np.arange(start, start + recipe.ramp_min + 400, GAUGE_MIN)
        times, planned = planned_profile(recipe, 500.0)
        celsius = np.interp(minutes - late, times, planned) + rng.normal(0, 0.35, len(minutes))
        kpa = planned_pressure(recipe, minutes - late) + rng.normal(0, 6, len(minutes))
        return minutes, celsius, np.clip(kpa, 0, 1200)

    def _found(self, recipe: Recipe, blown_s: float, factor: float, rng: np.random.Generator) -> dict[str, Any]:
        acid = recipe.acid
        decay = np.log(acid.reference_cook_kappa / acid.zero_kappa) / acid.reference_factor
        kappa = acid.zero_kappa * np.exp(decay * factor * float(rng.normal(0.985, 0.018))) + rng.normal(0, 0.5)
        kappa = round(max(float(kappa), 4.0), 1)
        found = recipe.reference_yield_pct + recipe.slope_pct * (kappa - recipe.reference_kappa) + rng.normal(0, 0.4)
        return {
            "blown_s": int(blown_s),
            "tested_s": int(blown_s + 3 * 3600),
            "kappa": kappa,
            "yield_pct": round(float(found), 1),
            "rejects_pct": round(float(abs(rng.normal(1.4, 0.4))), 1),
            "flag": "",
        }


def write_hand_cooks(line: Definition, story: Story, folder: Path, seed: int, anchor_s: float, days: float) -> None:
    """Write the past of the cooks run by hand up to the anchor; nothing on a line that has none."""
    if not any(recipe.is_sulphite for recipe in line.cook.recipes):
        return
    folder.mkdir(parents=True, exist_ok=True)
    cooks, gauges, titrations = [], [], []
    for row, read in HandCooks(line, seed, anchor_s, story).cooks(days):
        cooks.append(row)
        gauges += [{"number": row["number"], "at_s": at, "temperature_c": c, "pressure_kpa_g": p} for at, c, p in read]
        iodate = row["total_pct"] / (0.1 * 3.2033)
        naoh = (row["total_pct"] - row["combined_pct"]) / (0.1 * 3.2033)
        titrations.append(
            {
                "at_s": int(row["started_s"]) - 1500,
                "liquor": "acid",
                "iodate_ml": round(iodate, 2),
                "iodate_normality": 0.1,
                "naoh_ml": round(naoh, 2),
                "naoh_normality": 0.1,
                "sample_ml": 1.0,
            }
        )
    for name, rows, columns in (
        ("hand_cooks", cooks, COLUMNS),
        ("hand_gauges", gauges, ("number", "at_s", "temperature_c", "pressure_kpa_g")),
        ("hand_titrations", titrations, tuple(titrations[0])),
    ):
        with (folder / f"{name}.csv").open("w", newline="", encoding="utf-8") as file:
            writer = csv.DictWriter(file, columns)
            writer.writeheader()
            writer.writerows(rows)
