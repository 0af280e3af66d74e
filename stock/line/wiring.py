"""What a tag reads, and where: the rest of what a screen needs of it follows from the point."""

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any

from stock.cooking.recipe import Digester, Tank
from stock.intake.definition import PileDef
from stock.line.kinds import KINDS
from stock.parts import STATION_POINTS, STREAM_POINTS, Points, points
from stock.steam import ATMOSPHERE_KPA, saturation_pressure_kpa_abs

if TYPE_CHECKING:
    from stock.line.definition import Definition, StreamDef
    from stock.parts import Instrumented


NOWHERE = "nowhere"  # station of a tag that reads what there is not, until the checks name it


def _rows(raw: Mapping[str, Any], *path: str) -> Iterator[dict[str, Any]]:
    """Yield the mappings of a list in a raw definition, whatever else somebody wrote there."""
    here: Any = raw
    for step in path:
        here = here.get(step) if isinstance(here, Mapping) else None
    if isinstance(here, list):
        yield from (row for row in here if isinstance(row, dict) and isinstance(row.get("id"), str))


def _station(raw: Mapping[str, Any], kind: str) -> str:
    return next((row["id"] for row in _rows(raw, "stations") if row.get("kind") == kind), "")


def _places(raw: Mapping[str, Any]) -> dict[str, tuple[str, str, Points]]:
    """Return name, station and points of every part that can be read, by id."""
    found: dict[str, tuple[str, str, Points]] = {}
    for row in _rows(raw, "stations"):
        found[row["id"]] = (str(row.get("name", row["id"])), row["id"], STATION_POINTS)
    yard, cook = _station(raw, "yard"), _station(raw, "cook")
    for row in _rows(raw, "cook", "digesters"):
        found[row["id"]] = (f"Digester {row.get('number')}", cook, Digester.POINTS)
    for row in _rows(raw, "cook", "tanks"):
        found[row["id"]] = (str(row.get("name", row["id"])), cook, Tank.POINTS)
    for row in _rows(raw, "yard", "piles"):
        found[row["id"]] = (str(row.get("name", row["id"])), yard, PileDef.POINTS)
    stations: dict[str, str] = {}
    for row in _rows(raw, "units"):
        kind = KINDS.get(str(row.get("kind")))
        stations[row["id"]] = str(row.get("station", ""))
        if kind is not None:
            found[row["id"]] = (str(row.get("name", row["id"])), stations[row["id"]], kind.points_of_kind())
    for row in _rows(raw, "streams"):
        name = str(row.get("name") or row["id"].replace("_", " "))
        found[row["id"]] = (name, stations.get(str(row.get("from")), ""), STREAM_POINTS)
    return found


def fill_tags(raw: dict[str, Any]) -> dict[str, Any]:
    """Return a raw definition with what its tags leave out filled in from the points they read.

    What cannot be found is left for the checks to name.
    """
    tags = raw.get("tags")
    if not isinstance(tags, list):
        return raw
    places, limits = _places(raw), _digester_limits(raw)
    return {**raw, "tags": [_filled(tag, places, limits) if isinstance(tag, dict) else tag for tag in tags]}


def _digester_limits(raw: Mapping[str, Any]) -> dict[tuple[str, str], tuple[float, float]]:
    """Return target and limit of heat and pressure in each digester: of the hottest of its recipes, as they say themselves."""
    recipes = {row["id"]: row for row in _rows(raw, "cook", "recipes")}
    found: dict[tuple[str, str], tuple[float, float]] = {}
    for row in _rows(raw, "cook", "digesters"):
        names = row.get("recipes")
        own = (
            [_recipe_limits(recipes[str(name)]) for name in names if str(name) in recipes]
            if isinstance(names, list)
            else []
        )
        known = [one for one in own if one is not None]
        if known:
            heat, pressure = max(one[0] for one in known), max(one[1] for one in known)
            found |= {(row["id"], point): heat for point in ("temperature", "bottom")}
            found[row["id"], "pressure"] = pressure
    return found


def _recipe_limits(recipe: Mapping[str, Any]) -> tuple[tuple[float, float], tuple[float, float]] | None:
    """Return (target, limit) of °C and of kPa g of a recipe as it was written; None where it says too little."""
    stages = recipe.get("stages")
    last = stages[-1] if isinstance(stages, list) and stages else None
    cook, most = last.get("to_c") if isinstance(last, Mapping) else None, recipe.get("most_c")
    if not isinstance(cook, (int, float)) or not isinstance(most, (int, float)) or not 20 <= cook <= most <= 200:
        return None
    over, held = recipe.get("over_kpa", 50), last.get("to_kpa_g") if isinstance(last, Mapping) else None
    over = float(over) if isinstance(over, (int, float)) else 50.0
    steam = [saturation_pressure_kpa_abs(temperature_c=one) - ATMOSPHERE_KPA for one in (cook, most)]
    limit = max(steam[1], 0.0) + over
    target = float(held) if isinstance(held, (int, float)) else max(steam[0], 0.0)
    return (cook, most), (min(target, limit), limit)


def _filled(
    tag: dict[str, Any],
    places: Mapping[str, tuple[str, str, Points]],
    limits: Mapping[tuple[str, str], tuple[float, float]],
) -> dict[str, Any]:
    name, station, known = places.get(str(tag.get("of")), ("", "", points()))
    station = station or NOWHERE
    point = known.get(str(tag.get("reads")))
    if point is None:
        blank = {"name": tag.get("id"), "short": "", "station": station, "unit": "", "quantity": "ratio"}
        return {**blank, "words": [], "plausible": (-1e9, 1e9), **tag}
    title = point.title.format(of=name if point.title.startswith("{of}") else _inside(name))
    title = str(tag.get("name", title[:1].upper() + title[1:]))
    said = [word.strip(",.").lower() for word in f"{title} {name}".split()]
    words = dict.fromkeys(word for word in (*said, *point.words) if word not in {"of", "the", "in", "and", "after"})
    usual = {
        "name": title,
        "short": point.short,
        "station": station,
        "unit": point.unit,
        "quantity": point.quantity,
        "decimals": point.decimals,
        "plausible": point.plausible,
    }
    if (of := limits.get((str(tag.get("of")), str(tag.get("reads"))))) is not None:
        target, most = (min(one, point.plausible[1]) for one in of)
        usual["band"] = {"target": target, "control": (point.plausible[0], most), "action": (point.plausible[0], most)}
    own = tag.get("words", [])
    if isinstance(own, list):  # whatever else it is, the checks name
        own = [*words, *own]
    return {**usual, **tag, "words": own}


def _inside(name: str) -> str:
    """Return a part's name as it is said inside a sentence; one that is no word, such as D0, stays as it is."""
    return name[:1].lower() + name[1:] if name[1:2].islower() else name


def wire(line: "Definition") -> None:
    """Let every part know the tags that read it; a unit knows those of the stream that goes on from it, and it of the unit."""
    for tag in line.tags:
        part = line.parts.get(tag.of)
        if part is not None:
            part._read_by[tag.reads] = tag.id
    for unit in line.units:
        stream = line.graph.onward(unit.id) or next(iter(line.graph.into(unit.id)), None)
        if stream is not None:
            _share(stream, unit)
    for recipe in line.cook.recipes:
        at = line.graph.units.get(recipe.unit)
        if at is not None:
            recipe._read_by.update(at.is_read)
    for tank in line.cook.tanks:
        if tank.liquor == "black" and tank.strength is None:
            residual = next((one.residual_tag for one in line.cook.recipes if one.residual_tag), None)
            if residual is not None:
                tank._read_by["strength"] = residual


def _share(stream: "StreamDef", unit: "Instrumented") -> None:
    for point, tag in list(stream.is_read.items()):
        unit._read_by.setdefault(point, tag)
    if stream.source == unit.id:
        for point, tag in list(unit.is_read.items()):
            if point in STREAM_POINTS:
                stream._read_by.setdefault(point, tag)


def faults_of_tags(line: "Definition") -> list[str]:
    """Return what is wrong with where tags read, one sentence a fault."""
    faults = []
    taken: dict[tuple[str, str], str] = {}
    raw_points = _points_by_id(line)
    for tag in line.tags:
        place = f"tags · {tag.id}"
        known = raw_points.get(tag.of)
        if known is None:
            faults.append(f"{place} · of: there is no unit, stream, pile, digester, tank or station {tag.of}")
            continue
        if tag.reads not in known:
            allowed = ", ".join(sorted(known)) or "nothing"
            faults.append(f"{place} · reads: {tag.of} has no point {tag.reads}; allowed: {allowed}")
            continue
        if (other := taken.setdefault((tag.of, tag.reads), tag.id)) != tag.id:
            faults.append(f"{place}: {other} reads {tag.reads} of {tag.of} already; a point is read by one tag")
    return faults


def _points_by_id(line: "Definition") -> dict[str, Points]:
    return {name: part.points_of_kind() for name, part in line.parts.items()}
