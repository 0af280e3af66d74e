"""What the rows and panels of the blend ask of where they stand: the filler that comes, and how much of it the sheet keeps."""

from collections.abc import Iterable

from stock.blending.unit import Filler
from stock.delivery.unit import Dryer
from stock.figure import Datum, Origin, figure
from stock.judge.here import Place
from stock.material import INDEX

BALANCE = Origin("computed", "whole-line balance")


def _filler_of(place: Place, streams: Iterable[str]) -> Datum:
    found = place.facts.result.streams
    return Datum(sum(float(found[name].flows_t_per_h[INDEX["filler"]]) for name in streams), BALANCE)


def filler_brought(place: Place) -> Datum:
    """Return the filler the furnish brings, t/h: of its parts alone, not of the machine's own water and fibre come back."""
    grades = place.line.grades
    return _filler_of(place, sorted({name for grade in grades for name, share in grade.shares.items() if share}))


def filler_kept(place: Place, dryer: Dryer) -> Datum:
    """Return the share of the filler that comes to the machine which ends in a dryer's sheet, as the balance runs."""
    graph = place.line.graph
    fed = [stream.id for unit in place.line.units if isinstance(unit, Filler) for stream in graph.out(unit.id)]
    data = {
        "sheet_filler_t_per_h": _filler_of(place, [dryer.accept]),
        "fed_filler_t_per_h": _filler_of(place, fed),
        "broke_filler_t_per_h": filler_brought(place),
    }
    return figure("retention_of_balance", "overall retention", data, decimals=3).as_datum()
