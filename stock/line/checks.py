"""Does a definition hang together: every fault found, each with part, field and what is allowed."""

from typing import Any

from stock.cooking.recipe import faults_of_cooking
from stock.line.definition import Definition, StreamDef
from stock.line.wiring import faults_of_tags
from stock.primitives import Dose, Mix, React, Separate, Sink, Source, Store, gives_water


def faults_of(line: Definition) -> list[str]:
    """Return what is wrong between the parts of a line, one sentence a fault."""
    faults = [*_duplicates(line), *_loose_ends(line), *_bad_sums(line), *_bad_limits(line), *_bad_yard(line)]
    streams, units = {stream.id for stream in line.streams}, {unit.id for unit in line.units}
    return [*faults, *faults_of_tags(line), *faults_of_cooking(line.cook, streams, units)]


def _duplicates(line: Definition) -> list[str]:
    faults = []
    for kind in ("families", "stations", "units", "streams", "tags", "grades"):
        seen: set[str] = set()
        for part in getattr(line, kind):
            if part.id in seen:
                faults.append(f"{kind} · {part.id}: the id is used twice; each must be its own")
            seen.add(part.id)
    return faults


def _loose_ends(line: Definition) -> list[str]:
    units = {unit.id for unit in line.units}
    stations = {station.id for station in line.stations}
    faults = [
        f"streams · {stream.id} · {end}: there is no unit {name}; allowed is any unit's id"
        for stream in line.streams
        for end, name in (("from", stream.source), ("to", stream.target))
        if name not in units
    ]
    for unit in line.units:
        faults += [*_misnamed(unit, stations), *_misrouted(line, unit)]
    faults += [
        f"tags · {tag.id} · station: there is no station {tag.station}"
        for tag in line.tags
        if tag.station not in stations and tag.of in line.parts
    ]
    if sum(isinstance(unit, Sink) and unit.order for unit in line.units) != 1:
        faults.append("units: exactly one sink must count the order (order: true)")
    return faults


def _misnamed(unit: Any, stations: set[str]) -> list[str]:
    """Stations and tags a unit names that do not exist."""
    faults = []
    if unit.station not in stations:
        allowed = ", ".join(sorted(stations))
        faults.append(f"units · {unit.id} · station: there is no station {unit.station}; allowed: {allowed}")
    if unit.gate is not None and unit.gate not in unit.points_of_kind():
        allowed = ", ".join(sorted(unit.points_of_kind()))
        faults.append(f"units · {unit.id} · gate: a {unit.kind} has no point {unit.gate}; allowed: {allowed}")
    return faults


def _misrouted(line: Definition, unit: Any) -> list[str]:
    """Streams a unit names, or has, that its kind does not allow."""
    streams = {stream.id: stream for stream in line.streams}
    faults = []
    for field in ("accept", "rest", "overflow"):
        name = getattr(unit, field, None)
        if name and (name not in streams or streams[name].source != unit.id):
            faults.append(f"units · {unit.id} · {field}: {name} is not a stream that leaves {unit.id}")
    if isinstance(unit, Dose) and unit.of_stream not in streams:
        faults.append(f"units · {unit.id} · of_stream: there is no stream {unit.of_stream}")
    if isinstance(unit, Separate) and unit.wash and not _is_water_to(unit, line, streams.get(unit.wash.stream)):
        name = unit.wash.stream
        faults.append(f"units · {unit.id} · wash · stream: {name} is not a stream that brings water to {unit.id}")
    leaving = [stream.id for stream in line.streams if stream.source == unit.id]
    if not isinstance(unit, Sink) and not leaving:
        faults.append(f"units · {unit.id}: nothing leaves it; add a stream from {unit.id}, or make it a sink")
    if isinstance(unit, (Mix, React, Source, Store, Dose)) and len(leaving) > 1:
        faults.append(f"units · {unit.id}: {len(leaving)} streams leave it; a {unit.kind} has one")
    return faults


def _is_water_to(unit: Any, line: Definition, stream: StreamDef | None) -> bool:
    """Whether a stream runs to a unit, from where as much can be drawn as is wanted."""
    if stream is None or stream.target != unit.id:
        return False
    source = next((one for one in line.units if one.id == stream.source), None)
    return source is not None and gives_water(source, stream.id)


def _bad_sums(line: Definition) -> list[str]:
    faults = [
        f"units · {unit.id} · solids: they add to {sum(unit.solids.values()):g}; they must add to 1"
        for unit in line.units
        if isinstance(unit, (Source, Store)) and abs(sum(unit.solids.values()) - 1) > 1e-6
    ]
    recipe_units = [unit.id for unit in line.units if isinstance(unit, Mix) and unit.recipe]
    into_recipe = {stream.id for stream in line.streams if stream.target in recipe_units}
    for grade in line.grades:
        total = sum(grade.shares.values())
        if abs(total - 1) > 1e-6:
            faults.append(f"grades · {grade.id} · shares: they add to {total:g}; they must add to 1")
        faults += [
            f"grades · {grade.id} · shares · {name}: no such stream runs into the blend; allowed: {', '.join(sorted(into_recipe))}"
            for name in grade.shares
            if name not in into_recipe
        ]
    return faults


def _bad_limits(line: Definition) -> list[str]:
    faults = []
    for tag in line.tags:
        if tag.plausible[0] >= tag.plausible[1]:
            faults.append(f"tags · {tag.id} · plausible: {tag.plausible[0]:g} is not below {tag.plausible[1]:g}")
        if tag.band is None:
            continue
        edges = [tag.plausible[0], tag.band.action[0], tag.band.control[0], tag.band.target]
        edges += [tag.band.control[1], tag.band.action[1], tag.plausible[1]]
        if edges != sorted(edges):
            faults.append(
                f"tags · {tag.id} · band: target must lie inside control, control inside action, action inside plausible"
            )
    return faults


def _bad_yard(line: Definition) -> list[str]:
    """Names the yard uses that nothing else knows, and ids used twice."""
    yard = line.yard
    if yard is None:
        return []
    known = {
        "species": {one.id for one in yard.species},
        "pile": {one.id for one in yard.piles},
        "stream": {stream.id for stream in line.streams},
    }
    faults = []
    for kind, parts in (("materials", yard.materials), ("piles", yard.piles)):
        for part in parts:
            for field, names in known.items():
                name = getattr(part, field, None)
                if name is not None and name not in names:
                    faults.append(f"yard · {kind} · {part.id} · {field}: there is no {field} {name}")
    for kind in ("species", "materials", "piles", "chippers"):
        ids = [part.id for part in getattr(yard, kind)]
        faults += [
            f"yard · {kind} · {name}: the id is used twice" for name in dict.fromkeys(ids) if ids.count(name) > 1
        ]
    faults += [
        f"yard · feeds · {one.stream}: there is no stream {one.stream}"
        for one in yard.feeds
        if one.stream not in known["stream"]
    ]
    letters = [material.letter for material in yard.materials]
    if len(set(letters)) < len(letters):
        faults.append("yard · materials · letter: two materials share a letter; lot numbers would clash")
    return faults
