"""How the units of a line hang together: what runs in and out, what lies up and down the stock's own way."""

from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, TypeVar

from stock.primitives import Dose, Mix, React, Sink, Source, Split, Store, Tank, Unit, Water

if TYPE_CHECKING:
    from stock.line.definition import StreamDef

U = TypeVar("U", bound=Unit)


class Graph:
    """The streams of a line by the units they join."""

    def __init__(self, units: Sequence[Unit], streams: Sequence["StreamDef"]) -> None:
        """Sort the streams by where they begin and end."""
        self.units = {unit.id: unit for unit in units}
        self.streams = {stream.id: stream for stream in streams}
        self._into: dict[str, list[StreamDef]] = {name: [] for name in self.units}
        self._out: dict[str, list[StreamDef]] = {name: [] for name in self.units}
        for stream in streams:
            self._out.setdefault(stream.source, []).append(stream)
            self._into.setdefault(stream.target, []).append(stream)

    def into(self, unit_id: str) -> Sequence["StreamDef"]:
        """Return the streams that run into a unit."""
        return self._into.get(unit_id, [])

    def out(self, unit_id: str) -> Sequence["StreamDef"]:
        """Return the streams that leave a unit."""
        return self._out.get(unit_id, [])

    def onward(self, unit_id: str) -> "StreamDef | None":
        """Return the stream stock goes on in: the accepts of a separation, else the one that leaves."""
        unit = self.units[unit_id]
        name = getattr(unit, "accept", None) or getattr(unit, "overflow", None)
        if name is not None:
            return self.streams.get(name)
        leaving = self.out(unit_id)
        return leaving[0] if leaving else None

    def fed_by(self, unit_id: str) -> "StreamDef | None":
        """Return the stream stock comes in: not water, not what is dosed."""
        found = [one for one in self.into(unit_id) if self._carries_stock(one)]
        return found[0] if found else None

    def _carries_stock(self, stream: "StreamDef") -> bool:
        source = self.units.get(stream.source)
        if source is None or isinstance(source, (Tank, Water, Dose)):
            return False
        return self.onward(source.id) is stream

    def dilution(self, unit_id: str) -> "StreamDef | None":
        """Return the stream of water let in at a unit."""
        return next((one for one in self.into(unit_id) if isinstance(self.units.get(one.source), (Tank, Water))), None)

    def upstream(self, unit_id: str) -> Iterator[Unit]:
        """Yield the units stock came through, the nearest first, back to its source."""
        seen = {unit_id}
        stream = self.fed_by(unit_id)
        while stream is not None and stream.source not in seen:
            seen.add(stream.source)
            yield self.units[stream.source]
            stream = self.fed_by(stream.source)

    def downstream(self, unit_id: str) -> Iterator[Unit]:
        """Yield the units stock goes through, the nearest first, to where it ends."""
        seen = {unit_id}
        stream = self.onward(unit_id)
        while stream is not None and stream.target not in seen:
            seen.add(stream.target)
            unit = self.units[stream.target]
            yield unit
            stream = None if isinstance(unit, Sink) else self.onward(unit.id)

    def nearest(self, unit_id: str, kind: type[U], *, up: bool = False) -> U | None:
        """Return the unit itself, or the nearest of a kind down or up the stock's way."""
        if isinstance(self.units[unit_id], kind):
            return self.units[unit_id]  # type: ignore[return-value]
        way = self.upstream(unit_id) if up else self.downstream(unit_id)
        return next((unit for unit in way if isinstance(unit, kind)), None)

    def flow_into(self, unit_id: str) -> "StreamDef | None":
        """Return the stream by which a vessel's feed is set: what leaves the nearest thing before it that holds stock, or cooks it."""
        for unit in self.upstream(unit_id):
            held = getattr(unit, "volume_m3", None) is not None or isinstance(unit, (Source, Store))
            if held or (isinstance(unit, React) and unit.kind == "batch_digesters"):
                onward = self.onward(unit.id)
                into = None if onward is None else self.units[onward.target]
                blown = isinstance(unit, React) and getattr(into, "volume_m3", None) is not None
                return None if blown else onward  # what is blown into a vessel comes in batches, not as a flow
        return None

    def arriving_frac(self, stream: "StreamDef", unit_id: str, bdt_per_h: Callable[[str], float]) -> float:
        """Return the share of a stream's bone-dry that comes into a unit further down: 1 where nothing is parted on the way.

        Raises
        ------
        LookupError
            Where it does not come there.
        """
        found, fed = 1.0, self.fed_by(unit_id)
        seen = {unit_id}
        while fed is not None and fed.id != stream.id and fed.source not in seen:
            seen.add(fed.source)
            came = sum(bdt_per_h(one.id) for one in self.into(fed.source))
            found *= bdt_per_h(fed.id) / came if came > 0 else 1.0  # where nothing runs, nothing is known to be lost
            fed = self.fed_by(fed.source)
        if fed is None or fed.id != stream.id:
            raise LookupError(stream.id)
        return found

    def parted_to(self, stream: "StreamDef", unit_id: str) -> "StreamDef | None":
        """Return the other branch of the first parting between a stream and a unit that it feeds; None where there is none."""
        for unit in self.upstream(unit_id):
            if unit.id == stream.source:
                break
            if isinstance(unit, Split) and not unit.by_grade and 0 < unit.accept_frac < 1:
                return self.streams[unit.rest]
        return None

    @property
    def blend(self) -> Mix:
        """Where the furnish is set; LookupError where nothing says so."""
        for unit in self.units.values():
            if isinstance(unit, Mix) and unit.recipe:
                return unit
        message = "no unit of this line sets the furnish"
        raise LookupError(message)
