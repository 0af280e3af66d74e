"""What the furnish of a line is made of: its pulps by name and colour."""

from desk.floor.state import State
from stock.primitives import Unit


def furnish(state: State) -> dict[str, str]:
    """Return what the furnish of this line is made of: the streams into the blend, by name."""
    line = state.line
    listed = dict.fromkeys(name for grade in line.grades for name in grade.shares)
    into = [stream.id for stream in line.graph.into(line.graph.blend.id) if stream.id in listed]
    return {name: _called(state, name) for name in into}


def _called(state: State, stream_id: str) -> str:
    """Name a furnish: by its family, or by the store it comes from where a family has several."""
    line = state.line
    stream = line.stream(stream_id)
    if stream.name:
        return stream.name[:1].upper() + stream.name[1:]
    source = _source(state, stream_id)
    family = next((one for one in line.families if one.id == getattr(source, "family", None)), None)
    of_family = [unit for unit in line.units if getattr(unit, "family", None) == getattr(source, "family", "")]
    return family.name if family is not None and len(of_family) == 1 else source.name


def _source(state: State, stream_id: str) -> Unit:
    """Return what a furnish comes from: the nearest unit up the line that is of a family, else the last there is."""
    line = state.line
    source = line.stream(stream_id).source
    ends = [line.unit(source), *line.graph.upstream(source)]
    return next((one for one in ends if getattr(one, "family", None)), ends[-1])


def tones(state: State) -> dict[str, str]:
    """Return the colour of each furnish: its family's; hatched where another of the furnish has that already."""
    tone_of = {family.id: family.tone for family in state.line.families}
    found: dict[str, str] = {}
    for name in furnish(state):
        family = getattr(_source(state, name), "family", None)
        fill = f"fill-{tone_of[family]}" if family in tone_of else ""
        found[name] = f"{fill} swatch-again" if fill and fill in found.values() else fill
    return found
