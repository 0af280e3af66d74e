"""A charge sheet, planned against actual, as rows; and on paper."""

from collections.abc import Sequence
from dataclasses import dataclass
from io import BytesIO
from typing import Any, Final

from desk.floor import clock
from desk.floor.models import Cook
from desk.floor.sheet_pdf import paper
from desk.floor.state import State
from desk.frame.units import turns_for
from desk.stations.cook.amounts import step_words
from desk.stations.cook.models import Charge, Forecast, Result, Step
from stock.cooking.charge import Sheet
from stock.cooking.recipe import Recipe
from stock.units import readable

OFF_FRAC: Final = 0.03  # a charge is kept to within three in a hundred


@dataclass(frozen=True, slots=True)
class Line:
    """A row of the sheet: what was planned, what was done."""

    label: str
    unit: str
    planned: float | None
    actual: float | None
    decimals: int = 1
    strict: bool = True

    @property
    def off(self) -> bool:
        """Whether what was done left the plan by more than three in a hundred."""
        if not self.strict or self.planned is None or self.actual is None or not self.planned:
            return False
        return abs(self.actual / self.planned - 1) > OFF_FRAC

    @property
    def by_pct(self) -> float | None:
        """By how much, per cent."""
        if self.planned is None or self.actual is None or not self.planned:
            return None
        return 100 * (self.actual / self.planned - 1)

    @property
    def planned_text(self) -> str:
        """What was planned, as written."""
        return self.text(self.planned)

    @property
    def actual_text(self) -> str:
        """What was done, as written."""
        return self.text(self.actual)

    def text(self, value: float | None) -> str:
        """Write a number of this row."""
        if value is None:
            return ""
        number, unit = readable(value, self.unit)
        return f"{number:.{self.decimals}f} {unit}".strip()


def sheet_lines(
    recipe: Recipe,
    charge: Charge | None,
    cook: Cook | None,
    steps: Sequence[Step],
    did: Sheet | None,
    forecast: Forecast | None,
    result: Result | None,
) -> list[Line]:
    """Return the rows of a sheet, in the order of the work; `did` is the sheet of what really went in.

    A cook charged without a sheet has what the plant reported of it.
    """
    planned: dict[str, float] = charge.planned if charge else {}
    given: dict[str, float] = charge.given if charge else {}
    done: dict[str, list[Step]] = {}
    for step in steps:
        done.setdefault(step.kind, []).append(step)
    chips = done.get("chips", [None])[-1]
    green = chips.green_t if chips else None
    wet = chips.moisture_pct / 100 if chips and chips.moisture_pct is not None else None
    wood = green * (1 - wet) if green is not None and wet is not None else None
    liquor = _sum(done.get("liquor"))
    fill = _sum(done.get("fill"))
    last = done["liquor"][-1] if "liquor" in done else None
    strength = (last.total_so2_pct if recipe.is_sulphite else last.strength_kg_per_m3_as_naoh) if last else None
    poured = _on_wood(liquor, strength, wood, 0.1)
    reported = cook.charge_pct_naoh_on_wood if cook and not charge else None
    aimed = given.get("kappa_target_kappa", cook.kappa_target if cook else None)
    lines = [
        Line(f"{recipe.raw.capitalize()} over the scale", "t", planned.get("green"), green),
        Line(recipe.moisture_name, "%", _pct(given.get("moisture_wet_frac")), _pct(wet)),
        Line(f"Bone-dry {recipe.raw}", "BDt", planned.get("chips", given.get("bd_wood_t")), wood, 2),
        Line(recipe.practice.liquor.capitalize(), "m³", planned.get("liquor"), liquor),
    ]
    if recipe.is_sulphite:
        lines.append(Line("Total SO2 of the acid", "%", given.get("total_pct"), strength, 2))
        lines.append(Line("SO2 on wood", "%", planned.get("so2"), _on_wood(liquor, strength, wood, 1.0)))
        lines.append(
            Line("Base on wood, as its oxide", "kg/BDt", planned.get("base"), did.value("base") if did else None)
        )
    else:
        lines.append(Line("Its effective alkali", "g/L NaOH", given.get("strength_kg_per_m3_as_naoh"), strength))
        lines.append(
            Line(
                "Charge",
                recipe.naoh_unit,
                given.get("charge_pct_naoh_on_wood"),
                reported if poured is None else poured,
                2,
            )
        )
        lines.append(Line(recipe.practice.fill.capitalize(), "m³", planned.get("fill"), fill))
    ratio = did.figures["fit"].data["liquor_to_wood"].value if did else None
    lines += [
        Line("Liquor to wood", "m³/BDt", given.get("liquor_to_wood"), ratio, 2),
        Line("Head over the liquor", "m³", planned.get("fit"), did.value("fit") if did else None, strict=False),
        Line("Heat to bring it up", "GJ", planned.get("heat"), did.value("heat") if did else None),
        Line("Steam for it", "t", planned.get("steam"), did.value("steam") if did else None),
        Line(
            f"{recipe.practice.factor[:1].upper()}{recipe.practice.factor[1:]} at the blow",
            recipe.practice.unit,
            planned.get("aim"),
            forecast.factor if forecast else None,
            0,
            strict=False,
        ),
        Line("Kappa", "", aimed, result.kappa if result else None, 1, strict=False),
        Line(
            "Yield",
            "%",
            forecast.yield_pct if forecast else None,
            result.yield_pct if result else None,
            1,
            strict=False,
        ),
    ]
    return lines


def _sum(steps: list[Step] | None) -> float | None:
    return sum(step.amounts.poured_m3 for step in steps) if steps else None


def _pct(frac: float | None) -> float | None:
    return None if frac is None else 100 * frac


def _on_wood(volume: float | None, strength: float | None, wood: float | None, factor: float) -> float | None:
    if volume is None or strength is None or not wood:
        return None
    return factor * volume * strength / wood


def sheet_pdf(state: State, number: int, lines: Sequence[Line], facts: dict[str, Any]) -> bytes:
    """Return the sheet as a PDF, in the line's own units and on its basis of alkali: it hangs where everybody reads it."""
    said = turns_for(us=False, na2o=state.line.alkali_basis == "na2o", both=False).page
    recipe, charge, cook = facts["recipe"], facts["charge"], facts["cook"]
    digester = cook.digester if cook else charge.digester
    rows = [["", "planned", "actual", "off by"]]
    for line in lines:
        by = f"{line.by_pct:+.1f} %" if line.off and line.by_pct is not None else ""
        rows.append([line.label, said(line.planned_text), said(line.actual_text) or "________", by])
    steps = [
        f"{clock.local(step.at):%H:%M} {step_words(recipe, step.kind, step.amounts, step.text)}"
        f" ({step.by.short_name if step.by else 'the plant'})"
        for step in facts["steps"]
    ]
    buffer = BytesIO()
    paper(
        buffer,
        title=f"Cook {number}, digester {digester}",
        under=f"{state.line.mill}. {recipe.name}. Printed {clock.local(state.now):%d %b %Y %H:%M}.",
        table=rows,
        parts=[
            ("Done", [said(one) for one in steps] or ["Nothing yet."]),
            ("Mind", [f"{step}: {words}" for step, words in recipe.cautions.items()]),
        ],
    )
    return buffer.getvalue()
