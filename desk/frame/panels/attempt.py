"""What can be worked out at each station, live as it is typed: fields filled from the line, answers with their working."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Final

from desk.floor.state import State
from desk.frame.panels.fills import Fill
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure, small
from stock.judge.here import Place
from stock.names import unit_of
from stock.parts import Instrumented
from stock.typed import typed_number
from stock.working import Arg, find_method

Data = Mapping[str, Datum]
TOLD_APART: Final = 2.0  # standard uncertainties of one test
FRACTION, SHARE = 0.01, 0.02  # up to 1 % typed where the line's own is 2 % or more: a fraction of one may be meant


@dataclass(frozen=True, slots=True)
class Sets:
    """What the answer of a panel sets: its point in a plant, and how: to the answer, by it, or to a field of its own."""

    point: Callable[[Place], str]
    by_step: bool = False
    field: str = ""


@dataclass(frozen=True, slots=True)
class Panel:
    """A panel: the kinds of part it is for, its fields and where each comes from, what is worked out, how it is said.

    It stands at every part of its kinds, and is worked out from what can be seen there; `{of}` in
    its title is the part's name. With `method` one method is worked out from all the fields; `work` strings several
    together instead, and `args_of` then names the method that sets each field's limits.
    `tell` says the answer from all the figures, where the first is not enough.
    `note` says in a sentence what schools differ on; `sets` what its answer sets, where that is one thing;
    `brings` names what is brought to where it is wanted: the point, the field of what is read, the field of what is wanted.
    """

    id: str
    title: str
    method: str
    fields: Mapping[str, tuple[str, Fill]]
    say: Callable[[Figure], str]
    decimals: int = 0
    work: Callable[[Data], Sequence[Figure]] | None = None
    args_of: Mapping[str, str] = field(default_factory=dict)
    note: str = ""
    tell: Callable[[Sequence[Figure]], str] | None = None
    at: tuple[str, ...] = ()
    where: Callable[[Place], bool] = field(default=lambda place: True)
    sets: "Sets | None" = None
    brings: tuple[str, str, str] | None = None

    def limits_of(self, name: str) -> Any:
        """Return what a field may hold."""
        return find_method(self.args_of.get(name, self.method)).arguments[name.partition("__")[0]]

    def scale_of(self, name: str) -> tuple[float, str]:
        """Return what a field is multiplied with where it is shown and typed, and its unit: a share is in per cent there."""
        argument = name.partition("__")[0]
        return (100.0, "%") if argument.endswith("_frac") else (1.0, unit_of(argument))

    def allowed_of(self, name: str) -> str:
        """Say what a field may hold, as it is typed; empty where it is no number."""
        arg, (scale, unit) = self.limits_of(name), self.scale_of(name)
        return replace(arg, low=scale * arg.low, high=scale * arg.high).allowed(unit) if isinstance(arg, Arg) else ""


@dataclass(frozen=True, slots=True)
class Stood:
    """A panel at a part of the line."""

    panel: Panel
    place: Place

    @property
    def id(self) -> str:
        """What it is called in an address."""
        return f"{self.panel.id}-{self.place.part.id}"

    @property
    def title(self) -> str:
        """Its title, with the part's name in it."""
        name = self.place.name
        return self.panel.title.format(of=name[:1].lower() + name[1:])


def picks_of(panels: Sequence[Stood], chosen: Stood) -> list[tuple[Stood, str]]:
    """Return what can be picked instead of a panel: those at its place by what they do, one of each other place by its name."""
    found, seen = [], {chosen.place.part.id}
    here = [one for one in panels if one.place.part.id == chosen.place.part.id]
    if len(here) > 1:
        found += [(one, one.panel.title.removesuffix(", {of}")) for one in here]
    else:
        found.append((chosen, chosen.place.name))
    for one in panels:
        if one.place.part.id not in seen:
            seen.add(one.place.part.id)
            found.append((one, one.place.name))
    return found if len(found) > 1 else []


def stand(state: State, panels: Iterable[Panel], parts: Iterable[Instrumented]) -> list[Stood]:
    """Return the panels that belong to some parts, at each of them, in the order of the panels."""
    places = [Place(state, part) for part in parts]
    found = []
    for panel in panels:
        found += [Stood(panel, place) for place in places if _belongs(panel, place)]
    return found


def _belongs(panel: Panel, place: Place) -> bool:
    try:
        return not place.kinds.isdisjoint(panel.at) and panel.where(place)
    except LookupError:
        return False


@dataclass(frozen=True, slots=True)
class Filled:
    """One field as shown."""

    name: str
    label: str
    unit: str
    text: str
    origin: str
    allowed: str
    fault: str = ""
    doubt: str = ""


@dataclass(frozen=True, slots=True)
class Attempt:
    """A panel worked out, or refused."""

    stood: Stood
    fields: list[Filled]
    figures: Sequence[Figure]
    sentence: str
    fault: str

    @property
    def panel(self) -> Panel:
        """The panel itself."""
        return self.stood.panel

    @property
    def id(self) -> str:
        """What it is called in an address."""
        return self.stood.id

    @property
    def title(self) -> str:
        """Its title at this part."""
        return self.stood.title

    @property
    def figure(self) -> Figure | None:
        """The first answer."""
        return self.figures[0] if self.figures else None

    @property
    def sets(self) -> tuple[str, float, bool] | None:
        """What its answer sets: the point, the value, and whether that is a step; None where it sets no one thing."""
        if self.panel.sets is None or self.figure is None:
            return None
        value = self.figure.value
        if self.panel.sets.field:
            value = float(self.figure.data[self.panel.sets.field].value)
        return self.panel.sets.point(self.stood.place), value, self.panel.sets.by_step

    @property
    def alike(self) -> str:
        """Say so where one test cannot tell what is read from what is wanted, as advice goes by too; empty elsewhere."""
        place = self.stood.place
        if self.panel.brings is None or self.figure is None:
            return ""
        point, now, wanted = self.panel.brings
        tag_id, data = place.part.tag_of(point), self.figure.data
        if tag_id is None:
            return ""
        tag = place.line.tag(tag_id)
        apart, reach = abs(float(data[now].value) - float(data[wanted].value)), TOLD_APART * tag.uncertainty
        if not 0 < apart <= reach:
            return ""
        return f"One test does not tell the two apart, ± {reach:g} {tag.unit}: leave it until the next says the same"

    @property
    def faults(self) -> str:
        """Everything that is wrong, with what is allowed; of the fields, else of what they make together."""
        named = [
            f"{one.fault[:1].upper()}{one.fault[1:]}."
            + (f" Allowed: {one.allowed}." if one.allowed and one.allowed not in one.fault else "")
            for one in self.fields
            if one.fault
        ]
        return " ".join(named) or f"{self.fault}."

    @property
    def warnings(self) -> list[str]:
        """What was typed and may not be meant, and what the methods warned of, each once."""
        doubts = [one.doubt for one in self.fields if one.doubt]
        return list(dict.fromkeys([*doubts, *(warning for one in self.figures for warning in one.warnings)]))


def attempt(stood: Stood, typed: Mapping[str, Any]) -> Attempt:
    """Work the panel out for what was typed, the line's own numbers where nothing was."""
    panel = stood.panel
    data: dict[str, Datum] = {}
    shown: list[Filled] = []
    faults: dict[str, str] = {}
    for name, (label, fill) in panel.fields.items():
        filled, datum = _field(stood, name, label, fill, typed)
        shown.append(filled)
        if datum is None:
            faults[name] = filled.fault
        else:
            data[name] = datum
    figures: Sequence[Figure] = ()
    fault = ""
    if not faults:
        try:
            figures = panel.work(data) if panel.work else [_one(stood, data)]
        except DomainError as error:
            faults[error.argument] = fault = _by_label(panel, error, data)
    shown = [replace(one, fault=faults.get(one.name, "")) for one in shown]
    fault = fault or next(iter(faults.values()), "")
    said = (panel.tell(figures) if panel.tell else panel.say(figures[0])) if figures else ""
    return Attempt(stood, shown, figures, said, fault)


def _by_label(panel: Panel, error: DomainError, data: Data) -> str:
    """Return a refusal with the field called what the panel calls it, and its value as it was typed."""
    if error.argument not in panel.fields:
        return error.message
    label, arg = panel.fields[error.argument][0], panel.limits_of(error.argument)
    scale, unit = panel.scale_of(error.argument)
    if scale != 1 and error.code == "E_RANGE" and error.allowed == arg.allowed(""):
        value = scale * float(data[error.argument].value)
        return f"{label} is {value:g} {unit}, outside {panel.allowed_of(error.argument)}"
    return label + error.message.removeprefix(arg.meaning) if error.message.startswith(arg.meaning) else error.message


def _one(stood: Stood, data: Data) -> Figure:
    return small(figure(stood.panel.method, stood.title, data, decimals=stood.panel.decimals))


def _field(stood: Stood, name: str, label: str, fill: Fill, typed: Mapping[str, Any]) -> tuple[Filled, Datum | None]:
    """Fill one field: what was typed, else the line's own."""
    scale, unit = stood.panel.scale_of(name)
    try:
        own = fill(stood.place)
    except (LookupError, DomainError):
        own = None
    own_text = _plain(own.value, scale) if own else ""
    text = str(typed.get(name, own_text)).strip()[:40]
    fault = ""
    try:
        datum = own if text and text == own_text else _typed(text, name, label, scale, unit)
    except DomainError as error:
        datum, fault = None, error.message
    doubt = _doubt(label, datum, own) if scale != 1 else ""
    origin = datum.origin.text if datum else ""
    return Filled(name, label, unit, text, origin, stood.panel.allowed_of(name), fault, doubt), datum


def _doubt(label: str, datum: Datum | None, own: Datum | None) -> str:
    """Ask whether a share was meant that was typed as a fraction of one, where the line's own is per cents."""
    if datum is None or own is None or not 0 < datum.value <= FRACTION <= SHARE <= own.value:
        return ""
    percent = 100 * datum.value
    return f"{label} is {percent:g} %: type {100 * percent:g} if that share was meant, it is in per cent"


def _plain(value: float, scale: float = 1.0) -> str:
    return f"{value:.5g}" if scale == 1 else f"{scale * value:.4g}"


def _typed(text: str, name: str, label: str, scale: float, unit: str) -> Datum:
    return Datum(typed_number(text, name, label, unit) / scale, Origin("entered", "typed just now"))
