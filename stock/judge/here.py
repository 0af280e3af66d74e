"""Where a row of a decision table, or a set panel, stands on the line, and what it can see from there.

A part's own parameters, what is read at it, its inlet and outlet, its dilution, what lies up
and down the stock's way, the recipe cooked there: all by the definition's graph.
"""

from functools import cached_property
from typing import TYPE_CHECKING, Protocol, TypeVar

from stock.cooking.recipe import Recipe, Tank
from stock.cooking.school import drawing_from
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.definition import PileDef
from stock.parts import Fitted, Instrumented
from stock.primitives import Source, Unit, Vessel
from stock.tag import Tag

if TYPE_CHECKING:
    from collections.abc import Sequence

    from stock.cooking.relation import Relation
    from stock.line.balance import LineResult, Load
    from stock.line.definition import Definition, StreamDef

U = TypeVar("U", bound=Unit)


class Facts(Protocol):
    """Where numbers come from, each with its origin."""

    @property
    def line(self) -> "Definition":
        """The line they are of."""

    def reading(self, tag_id: str) -> Datum:
        """Return the last value of a tag; LookupError where there is none."""

    def target(self, tag_id: str) -> Datum:
        """Return a tag's target; LookupError where it has none."""

    def flow(self, stream_id: str) -> Datum:
        """Return the bone-dry flow of a stream in the balance, BDt/h."""

    def thickness(self, stream_id: str) -> Datum:
        """Return the consistency of a stream in the balance, %."""

    def recent(self, tag_id: str, count: int) -> list[float]:
        """Return the last results of a tag, the newest last, as many as there are up to a count."""

    @property
    def result(self) -> "LineResult":
        """The balance of the line at its order."""

    def learned(self, point: str, tag_id: str) -> Datum | None:
        """Return what a move there does to what is read, of what is computed, as the mill accepted it; None before it did."""

    def stands(self, point: str) -> Datum | None:
        """Return where something people move stands, by what was set last; None where nobody set it."""

    def fitted(self, recipe_id: str) -> "Relation | None":
        """Return the relation the mill fitted on its own cooks of a recipe; None before it accepted one."""

    def series(self, name: str) -> Datum:
        """Return a list the line keeps, such as the counts of past shifts; LookupError where none is kept."""

    def set_origin(self, what: str) -> Origin:
        """Say in which approved version something was set."""


class Place:
    """A part of a line, with what can be seen from it."""

    def __init__(self, facts: Facts, part: Instrumented) -> None:
        """Stand at a part."""
        self.facts = facts
        self.line = facts.line
        self.part = part

    # ---- where

    @cached_property
    def unit(self) -> Unit:
        """The unit: the part itself, or the one its stream leaves; LookupError at what is neither."""
        if isinstance(self.part, Unit):
            return self.part
        return self.line.unit(self.line.stream(self.part.id).source)

    @cached_property
    def stream(self) -> "StreamDef":
        """The stream: the part itself, or what goes on from its unit; LookupError where nothing does."""
        if isinstance(self.part, Unit):
            onward = self.line.graph.onward(self.part.id)
            if onward is None:
                raise LookupError(self.part.id)
            return onward
        return self.line.stream(self.part.id)

    @property
    def name(self) -> str:
        """What the part is called."""
        return str(getattr(self.part, "name", "") or getattr(self.part, "called", self.part.id))

    @cached_property
    def kinds(self) -> frozenset[str]:
        """What it can be known as: its unit's kind, `to:` the kind its stream runs to, a pile, a liquor."""
        if isinstance(self.part, PileDef):
            return frozenset({"pile", f"pile:{self.part.form}"})
        if isinstance(self.part, Tank):
            return frozenset({f"liquor:{self.part.liquor}"})
        graph = self.line.graph
        if self.part.id not in graph.units and self.part.id not in graph.streams:
            return frozenset({type(self.part).__name__.lower()})
        found = set()
        onward = graph.onward(self.unit.id)
        if isinstance(self.part, Unit) or (onward is not None and onward.id == self.part.id):
            found.add(self.unit.kind)
        stream = self.part.id if self.part.id in graph.streams else onward.id if onward else ""
        if stream:
            found.add(f"to:{graph.units[graph.streams[stream].target].kind}")
        return frozenset(found)

    def at(self, part: Instrumented) -> "Place":
        """Stand at another part."""
        return Place(self.facts, part)

    def up(self, kind: type[U]) -> U:
        """Return the unit, or the nearest of a kind the stock came through; LookupError where there is none."""
        return self._found(self.line.graph.nearest(self.unit.id, kind, up=True), kind)

    def down(self, kind: type[U]) -> U:
        """Return the unit, or the nearest of a kind the stock goes through; LookupError where there is none."""
        return self._found(self.line.graph.nearest(self.unit.id, kind), kind)

    @staticmethod
    def _found(unit: U | None, kind: type[U]) -> U:
        if unit is None:
            raise LookupError(kind.__name__)
        return unit

    @property
    def source(self) -> Source:
        """Where its fibre came from."""
        return self.up(Source)

    @property
    def family(self) -> str:
        """Name of the fibre family, in words."""
        return next((one.name.lower() for one in self.line.families if one.id == self.source.family), "fibre")

    @cached_property
    def recipe(self) -> Recipe:
        """The recipe cooked there, with this liquor, or of this pulp; LookupError where none is."""
        cook = self.line.cook
        if isinstance(self.part, Tank):
            found = [one for one in cook.recipes if one.school in drawing_from(self.part.liquor)]
        else:
            ends = {self.unit.id, self.stream.target}
            found = [one for one in cook.recipes if one.unit in ends]
        if not found:
            raise LookupError(self.part.id)
        return found[0]

    # ---- numbers

    def reading(self, point: str) -> Datum:
        """Return the last value read at a point of the part; LookupError where nothing reads it."""
        return self.facts.reading(self._tag(point))

    def target(self, point: str) -> Datum:
        """Return the target of a point of the part; LookupError where it has none."""
        return self.facts.target(self._tag(point))

    def _tag(self, point: str) -> str:
        if (tag := self.part.tag_of(point)) is None:
            message = f"nothing reads {point} of {self.name}"
            raise LookupError(message)
        return tag

    def given(self, field: str) -> Datum:
        """Return a parameter of the part, of a stream also of the unit it leaves; LookupError where none is given."""
        if getattr(self.part, field, None) is None and self.part.id in self.line.graph.streams:
            return given(self.facts, self.unit, field, self.unit.name)
        return given(self.facts, self.part, field, self.name)

    def stands(self, point: str, usual: Datum) -> Datum:
        """Return where something people move stands now: by what was set last, else as it usually does."""
        return self.facts.stands(point) or usual

    def flow(self, stream_id: str | None = None) -> Datum:
        """Return the bone-dry flow of its stream, or of another."""
        return self.facts.flow(self.stream.id if stream_id is None else stream_id)

    def room_up(self) -> "tuple[float, Load] | None":
        """Return how much more the units before it can pass on, and which of them binds; None where none has a limit."""
        before = {unit.id: unit for unit in self.line.graph.upstream(self.unit.id)}
        return self._room({unit.name for unit in before.values()})

    def room_down(self) -> "tuple[float, Load] | None":
        """Return how much more the units after it, as far as the next vessel, can take on, and which of them binds; None where none has a limit."""
        names = set()
        for unit in self.line.graph.downstream(self.unit.id):
            if isinstance(unit, Vessel) and getattr(unit, "volume_m3", None):
                break
            names.add(unit.name)
        return self._room(names)

    def _room(self, names: set[str]) -> "tuple[float, Load] | None":
        loads = [load for load in self.facts.result.loads if load.unit in names]
        if not loads:
            return None
        load = min(loads, key=lambda one: one.capacity_bdt_per_h / max(one.bdt_per_h, 1e-9))
        onward = self.line.graph.onward(self.unit.id)
        drawn = self.facts.result.streams[onward.id].bdt_per_h if onward is not None else load.bdt_per_h
        return drawn * (load.capacity_bdt_per_h / max(load.bdt_per_h, 1e-9) - 1), load

    def fed_bdt_per_h(self) -> float:
        """Return all that runs into its unit, bone-dry."""
        return self._sum(self.line.graph.into(self.unit.id))

    def drawn_bdt_per_h(self) -> float:
        """Return all that leaves its unit, bone-dry."""
        return self._sum(self.line.graph.out(self.unit.id))

    def arriving_frac(self, stream: "StreamDef") -> float:
        """Return the share of a stream, from further up, that comes to its unit; LookupError where it does not come there."""
        streams = self.facts.result.streams
        return self.line.graph.arriving_frac(stream, self.unit.id, lambda name: streams[name].bdt_per_h)

    def _sum(self, streams: "Sequence[StreamDef]") -> float:
        return sum(self.facts.result.streams[one.id].bdt_per_h for one in streams)

    def flow_in(self) -> Datum:
        """Return the bone-dry flow of the stock that comes in; LookupError where none does."""
        fed = self.line.graph.fed_by(self.unit.id)
        if fed is None:
            raise LookupError(self.unit.id)
        return self.facts.flow(fed.id)

    def dilution_pct(self) -> Datum:
        """Return the consistency of the water let in there; LookupError where none is."""
        water = self.line.graph.dilution(self.unit.id)
        if water is None:
            raise LookupError(self.unit.id)
        return self.facts.thickness(water.id)

    def flow_l_per_min(self) -> Datum:
        """Return the volume flow of its stream: as read, else by the balance."""
        try:
            return self.reading("flow")
        except LookupError:
            data = {"bdt_per_h": self.flow(), "consistency_pct": self.reading("consistency")}
            return figure("stock_flow_l_per_min", "flow", data, decimals=0).as_datum()

    def contents(self, point_value: Datum, label: str) -> Figure:
        """Return the bone-dry stock of a vessel at a level."""
        try:
            thick = self.reading("consistency")
        except LookupError:
            thick = Datum(getattr(self.unit, "holds_pct", 0.0), self.facts.set_origin(self.unit.name))
        data = {"volume_m3": self.given("volume_m3"), "level_pct": point_value, "consistency_pct": thick}
        return figure("chest_bdt", label, data)


class Here(Place):
    """A place where a tag reads off its band."""

    def __init__(self, facts: Facts, tag: Tag, side: str = "") -> None:
        """Stand where a tag reads; `side` says which way it is off."""
        super().__init__(facts, facts.line.part(tag.of))
        self.tag = tag
        self.side = side

    @cached_property
    def _run(self) -> list[float]:
        """The results a correction goes by, the newest last."""
        return self.facts.recent(self.tag.id, self.tag.mean_of) if self.tag.mean_of > 1 else []

    @property
    def results_count(self) -> int:
        """How many results what it reads stands on."""
        return max(1, len(self._run))

    @property
    def now(self) -> Datum:
        """What the tag reads; the mean of the last results where its corrections go by several."""
        if self.results_count == 1:
            return self.facts.reading(self.tag.id)
        said = ", ".join(f"{value:.{self.tag.decimals}f}" for value in self._run)
        return Datum(sum(self._run) / len(self._run), Origin("computed", f"mean of the last results: {said}"))

    @property
    def wanted(self) -> Datum:
        """What it should read."""
        return self.facts.target(self.tag.id)


def given(facts: Facts, part: object, field: str, name: str) -> Datum:
    """Return a parameter of a part with its origin: fitted, or set in the approved definition.

    Raises
    ------
    LookupError
        If the definition does not give it.
    """
    value = getattr(part, field, None)
    if isinstance(value, Fitted):
        return Datum(value.value, Origin("set", f"{name}, {value.words}"))
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        message = f"the definition gives no {field} of {name}"
        raise LookupError(message)  # noqa: TRY004  a definition that says nothing of it
    return Datum(float(value), facts.set_origin(name))
