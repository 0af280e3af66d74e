"""The set panels from the washers to the machine, by kind of unit."""

from collections.abc import Callable
from typing import Final

from desk.floor.state import State
from desk.frame.panels.attempt import Panel, Sets
from desk.frame.panels.fills import Fill, assumed, flow, flow_in, given, reading, step, target
from desk.stations.plain.bleach_panels import BLEACH_PANELS
from desk.stations.plain.wash_panels import THICKENER_PANEL, WASH_PANELS
from stock.blending.place import filler_brought, filler_kept
from stock.delivery.unit import Dryer
from stock.figure import Datum
from stock.judge.here import Place


def _wash(field: str) -> Fill:
    def fill(place: Place) -> Datum:
        wash = getattr(place.unit, "wash", None)
        if wash is None:
            raise LookupError(place.name)
        return Datum(getattr(wash, field), place.facts.set_origin(place.name))

    return fill


def _contents(place: Place) -> Datum:
    shown = place.contents(place.reading("level"), "bone-dry in the chest").as_datum()
    return Datum(round(shown.value, 2), shown.origin, shown.figure)


def _ash(place: Place) -> Datum:
    if not isinstance(place.facts, State):
        raise LookupError(place.name)  # noqa: TRY004  no order is known there
    return Datum(place.line.grade(place.facts.order.grade).ash_frac, place.facts.set_origin("grade"))


def _sheet(place: Place) -> Datum:
    """Return what the sheet is made at: what leaves the dryer."""
    datum = place.flow(place.at(place.down(Dryer)).stream.id)
    return Datum(round(datum.value, 3), datum.origin, datum.figure)


def _brought(place: Place) -> Datum:
    datum = filler_brought(place)
    return Datum(round(datum.value, 3), datum.origin)


def _kept(place: Place) -> Datum:
    """Return the overall retention of filler at the machine it runs to."""
    return filler_kept(place, place.down(Dryer))


def _in_batches(place: Place) -> bool:
    return getattr(place.unit, "batch_bdt", None) is not None


def _measured(point: str) -> Callable[[Place], bool]:
    return lambda place: place.part.tag_of(point) is not None


PROCESS_PANELS: Final[tuple[Panel, ...]] = (
    Panel(
        "shower",
        "Shower for a dilution factor, {of}",
        "shower_flow_l_per_min",
        {
            "production_bdt_per_h": ("Pulp over the washers", flow()),
            "dilution_factor_t_per_bdt": ("Dilution factor", _wash("dilution_factor_t_per_bdt")),
            "discharge_consistency_pct": ("Mat consistency", given("consistency_pct")),
        },
        lambda size: f"Set the shower to {size.text} L/min.",
        at=("washer",),
        sets=Sets(lambda place: f"flow:{place.unit.wash.stream}"),  # type: ignore[attr-defined]
    ),
    *WASH_PANELS,
    Panel(
        "rejects",
        "Reject rate for a removal, {of}",
        "mass_reject_for_removal",
        {
            "removal_frac": ("Shives to take out", assumed(0.64, "a usual aim")),
            "quotient_ratio": ("Screening quotient", given("quotient")),
        },
        lambda size: f"Run the reject rate at {100 * size.value:.1f} % by mass.",
        decimals=3,
        at=("screen",),
    ),
    THICKENER_PANEL,
    *BLEACH_PANELS,
    Panel(
        "batch_water",
        "Water to correct a batch, {of}",
        "batch_water_correction",
        {
            "bdt": ("Bone-dry in the vat", given("batch_bdt")),
            "consistency_pct": ("Consistency measured", reading("consistency")),
            "target_consistency_pct": ("Consistency wanted", target("consistency")),
        },
        lambda size: step(size, "water to the batch", "t"),
        decimals=1,
        brings=("consistency", "consistency_pct", "target_consistency_pct"),
        at=("pulper",),
        where=_in_batches,
    ),
    Panel(
        "chest_batch",
        "Water to correct the {of}",
        "batch_water_correction",
        {
            "bdt": ("Bone-dry in the chest", _contents),
            "consistency_pct": ("Consistency measured", reading("consistency")),
            "target_consistency_pct": ("Consistency wanted", target("consistency")),
        },
        lambda size: step(size, "water to the chest", "t"),
        decimals=1,
        brings=("consistency", "consistency_pct", "target_consistency_pct"),
        at=("chest",),
        where=_measured("consistency"),
    ),
    Panel(
        "power",
        "Power for a freeness, {of}",
        "power_step",
        {
            "now_csf_ml": ("Freeness now", reading("freeness")),
            "target_csf_ml": ("Freeness wanted", target("freeness")),
            "bdt_per_h": ("Flow through them", flow_in()),
            "slope_ratio": ("Slope, per kWh/BDt", given("slope")),
        },
        lambda size: step(size, "net power", "kW"),
        at=("refiner", "beater"),
        sets=Sets(lambda place: f"power:{place.unit.id}", by_step=True),
        brings=("freeness", "now_csf_ml", "target_csf_ml"),
    ),
    Panel(
        "filler",
        "Filler for the ash",
        "filler_feed_t_per_h",
        {
            "sheet_bdt_per_h": ("Sheet made", _sheet),
            "sheet_filler_frac": ("Filler in the sheet", _ash),
            "overall_frac": ("Overall retention", _kept),
            "broke_filler_t_per_h": ("Filler the furnish brings", _brought),
        },
        lambda size: f"Feed {size.text} t/h of filler.",
        decimals=2,
        at=("filler",),
    ),
    Panel(
        "stock_flow",
        "Thick stock for the machine",
        "stock_flow_l_per_min",
        {
            "bdt_per_h": ("Thick stock", flow()),
            "consistency_pct": ("Machine chest consistency", reading("consistency")),
        },
        lambda size: f"Thick-stock flow {size.text} L/min.",
        at=("machine_chest",),
        sets=Sets(lambda place: f"flow:{place.stream.id}"),
    ),
)
