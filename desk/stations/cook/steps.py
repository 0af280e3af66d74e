"""What is done to a cook, one verb at a time: charged, heated, sampled, relieved, blown. Each is checked before it is kept."""

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.db import transaction

from desk.floor import clock
from desk.floor.keeping import keep, line_key, sent_before, verb
from desk.floor.models import Cook, Record
from desk.floor.services import check_moment, record_event, record_reading, require, stop_of
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import COOK, RECORD, SAMPLE
from desk.stations.cook.amounts import WORDS, Amounts, refuse_amounts, step_words
from desk.stations.cook.followed import Followed
from desk.stations.cook.house import House, house_of, recipe_of
from desk.stations.cook.judgement import decision
from desk.stations.cook.models import Forecast, Step
from desk.stations.cook.resized import charge_doubts
from stock.cooking.order import cannot, doubts
from stock.cooking.sulphite import gas_over_steam
from stock.errors import DomainError
from stock.steam import ATMOSPHERE_KPA, saturation_temperature_c

NEEDS: Final = {"sample": SAMPLE}  # steps that others than the cook may log


def action_of(kind: str) -> str:
    """Return what a person must be allowed, to log a step."""
    return NEEDS.get(kind, COOK)


ONCE: Final = frozenset({"chips", "steam", "relief", "blow", "empty"})
FREE: Final = frozenset({"sample", "note"})  # nothing hangs on them
MINDED: Final = {
    "liquor": "Before charging liquor",
    "steam": "Before steam",
    "relief": "Before relief",
    "blow": "Before the blow",
    "empty": "Before the empty check",
}
USUAL_CAUTIONS: Final = {  # where neither recipe nor station says its own
    "Before charging liquor": "Goggles, face shield, proved shower. Never let sulphide liquor meet acid. Licensed practice rules.",
    "Before steam": "Lid closed and locked, vents clear, nobody at the vessel. Interlocks and local code rule.",
    "Before relief": "H2S meter on, escape set at hand, gas line proved open. Stand clear of vents and flanges.",
    "Before the blow": "Clear the blow-tank deck, vent and gas alarm checked, room in the tank. Site permit and local code rule.",
    "Before the empty check": "No pressure, proved by two independent gauges; blow valve shut and locked. Look in from the side; nobody enters without a permit.",
}


IMPOSSIBLE_KPA: Final = 60.0  # two honest gauges may part by so much


@verb
def log_step(
    state: State,
    person: Person | None,
    number: int,
    kind: str,
    amounts: Amounts,
    *,
    at: datetime,
    text: str = "",
    minded: bool = False,
    sure: str = "",
    form_key: str,
    quiet: bool = False,
) -> Step:
    """Keep a step of a cook, if it may be done now. `person` is None where the plant reports it.

    Where something speaks against it, `sure` is the cook's number typed again and `text` says why it is right.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: out of order, too early without a reason, an empty or a full digester, no cautions minded.
    """
    if kind not in WORDS:
        raise ValidationError({"kind": f"{kind[:20]!r} is no step of a cook"})
    if person is not None:
        require(person, action_of(kind))
    if kind == "note" and not text.strip():
        raise ValidationError({"text": "a note says something: write what was corrected on the way"})
    if (sent := sent_before(Step, state.world, form_key)) is not None:
        return sent
    if person is not None and not quiet:
        check_moment(at)
        if kind in MINDED and not minded:
            raise ValidationError({"minded": f"tick '{MINDED[kind]}' first: {WORDS[kind]} was not logged"})
    world, house = state.world, house_of(state)
    cook = Cook.objects.filter(world=world, number=number).first()
    if cook is None:
        if kind != "chips":
            raise ValidationError({"number": f"cook {number} was not started: log its chips first"})
        cook = _start(state, house, number, at)
        new = True
    else:
        new = False
    recipe, digester = recipe_of(state, cook), house.part.digester(cook.digester)
    before = list(Step.objects.filter(world=world, number=number, superseded_by=None).order_by("at", "id"))
    _refuse_disorder(cook, kind, at, before, new=new)
    refuse_amounts(recipe, digester, kind, amounts, before)
    if person is not None and not quiet and not new:
        _refuse_doubtful(house, cook, kind, amounts, sure, text)
    row = Step(
        world=world,
        by=person,
        number=number,
        kind=kind,
        at=at,
        text=text.strip()[:300],
        form_key=form_key,
        **amounts.columns(),
    )

    def follow_up(row: Step) -> None:
        if new:
            cook.save()
        if kind == "blow":
            keep_forecast(State(world, max(at, state.now) if quiet else state.now), cook, row)
        if person is not None and not quiet:
            words = f"Cook {number}, digester {cook.digester}: {step_words(recipe, kind, amounts, text)}"
            tell(row, person, number, words, at, "s", tag="blow" if kind == "blow" else "")

    return keep(row, follow_up)


def _start(state: State, house: House, number: int, at: datetime) -> Cook:
    """Return the cook that chips begin, not yet kept: its digester must be empty."""
    planned = house.news.charges.get(number)
    if planned is None:
        raise ValidationError({"number": f"cook {number} has no charge sheet: plan it first"})
    recipe = house.part.recipe(planned.recipe)
    holding = next((one for one in state.cooks if one.digester == planned.digester), None)
    if holding is not None:
        followed = house.follow(holding)
        if followed is None or followed.running:
            message = f"digester {planned.digester} still holds cook {holding.number}: blow it first"
            raise ValidationError({"digester": message})
    started = at - timedelta(minutes=recipe.fill_min)
    if holding is not None:
        blow = house.step(holding, "blow")
        started = max(started, (blow.at if blow else holding.started_at) + timedelta(seconds=60))
    return Cook(
        world=state.world,
        number=number,
        digester=planned.digester,
        recipe=recipe.id,
        started_at=min(started, at),
        kappa_target=planned.given.get("kappa_target_kappa", recipe.kappa_target),
    )


def _refuse_disorder(cook: Cook, kind: str, at: datetime, before: Sequence[Step], *, new: bool) -> None:
    """Refuse what cannot follow what was done."""
    done = {one.kind: one for one in before}
    if kind in ONCE and kind in done:
        message = f"cook {cook.number} was {WORDS[kind]} at {clock.local(done[kind].at):%H:%M} already"
        raise ValidationError(
            {"kind": message if kind == "blow" else f"cook {cook.number}: {WORDS[kind]} is logged already"}
        )
    if "blow" in done and kind not in ("empty", "note"):
        raise ValidationError({"kind": f"cook {cook.number} is blown; {WORDS[kind]} cannot follow"})
    by_hand = new or "chips" in done
    if kind == "steam" and not {"chips", "liquor"} <= set(done):
        missing = "its chips" if "chips" not in done else "its liquor"
        raise DomainError(
            "E_ORDER",
            "kind",
            f"cook {cook.number} is not charged: {missing} was not logged",
            "chips, then liquor, then steam",
        )
    if kind in ("liquor", "fill") and "relief" in done:
        raise DomainError(
            "E_ORDER", "kind", f"cook {cook.number} is being relieved; no liquor goes in now", "before relief"
        )
    if kind in ("liquor", "fill") and not by_hand:
        raise DomainError("E_ORDER", "kind", f"log the chips of cook {cook.number} first", "chips, then liquor")
    if kind in ("relief", "blow", "sample") and by_hand and "steam" not in done:
        raise DomainError("E_ORDER", "kind", f"cook {cook.number} was never heated", "steam first")
    if kind == "empty" and "blow" not in done:
        raise DomainError("E_ORDER", "kind", f"cook {cook.number} is not blown yet", "blow first")
    last = max((one.at for one in before), default=cook.started_at)
    if at < last:
        message = f"{clock.local(at):%H:%M} is before the last step of cook {cook.number}, {clock.local(last):%H:%M}"
        raise DomainError("E_ORDER", "at", message, f"{clock.local(last):%H:%M} or later")


def doubts_of(house: House, cook: Cook, kind: str, amounts: Amounts | None = None) -> tuple[str, ...]:
    """Return what speaks against a step of a cook now, and against its amounts where they are known."""
    followed = house.follow(cook)
    against = charge_doubts(house, cook, kind, amounts)
    if followed is None:
        return against
    against += doubts(kind, followed.facts, followed.state)
    judged = decision(house, followed) if kind == "blow" and followed.running else None
    if judged is not None:
        against += tuple(one.words for one in judged.reasons if one.holds)
    return against


def _refuse_doubtful(house: House, cook: Cook, kind: str, amounts: Amounts, sure: str, text: str) -> None:
    """Refuse what cannot be as the cook stands; what only looks wrong wants its number typed and a reason."""
    followed = house.follow(cook)
    if followed is not None and (words := cannot(kind, followed.facts, followed.state)):
        raise DomainError("E_ORDER", "kind", f"cook {cook.number} {words}", "a cook that was heated")
    if not (against := doubts_of(house, cook, kind, amounts)):
        return
    words = "; ".join(against)
    if sure.strip() != str(cook.number):
        raise ValidationError({"sure": f"{words}. If it is done all the same, type the cook's number, {cook.number}"})
    if not text.strip():
        raise ValidationError({"text": f"{words}. Say why it was done all the same"})


def keep_forecast(state: State, cook: Cook, blow: Step) -> Forecast | None:
    """Keep what is forecast of a cook as it is blown; None where nothing was read of it."""
    at = blow.at
    house = House(state)  # afresh: the step just written belongs to it
    followed = house.follow(cook)
    if followed is None or len(house.read(house.part.digester(cook.digester).temperature, cook)[0]) < 2:
        return None
    row = forecast_row(house, followed, at)
    row.blow = blow
    row.save()
    return row


def forecast_row(house: House, followed: Followed, at: datetime) -> Forecast:
    """Return the forecast of a cook as it stands, not yet kept."""
    state, facts, recipe = followed.state, followed.facts, followed.recipe
    second = house.second(followed)
    digester = house.part.digester(followed.cook.digester)
    _, top = house.read(digester.temperature, followed.cook)
    _, low = house.read(digester.bottom, followed.cook)
    apart = None
    if len(top) and len(low):
        length = min(len(top), len(low))
        apart = float(abs(top[:length] - low[:length]).max())
    return Forecast(
        world=followed.cook.world,
        number=followed.cook.number,
        at=at,
        relation_version=facts.relation.version,
        relation_words=facts.relation.words[:200],
        factor=state.arriving,
        charge_pct_naoh_on_wood=None if recipe.is_sulphite else facts.charge.value,
        sulphidity_frac=facts.sulphidity.value if recipe.practice.has_sulphide else None,
        liquor_to_wood=facts.liquor_to_wood.value,
        kappa=state.kappa.value,
        half_kappa=state.kappa_half,
        yield_pct=state.yield_pct.value,
        residual_kg_per_m3_as_naoh=state.residual.value if state.residual else None,
        kinetic_kappa=second.kappa.value if second else None,
        kinetic_yield_pct=second.yield_pct.value if second else None,
        kinetic_residual_kg_per_m3_as_naoh=second.residual.value if second else None,
        apart_c=apart,
    )


@verb
def read_gauges(
    state: State,
    person: Person,
    cook: Cook,
    *,
    temperature_c: float,
    pressure_kpa_g: float | None,
    at: datetime,
    form_key: str,
) -> list[Record]:
    """Keep temperature and pressure of a digester as somebody read them.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: out of time order, a temperature that cannot be at that pressure.
    """
    require(person, RECORD)
    house = house_of(state)
    digester = house.part.digester(cook.digester)
    if at < cook.started_at:
        message = (
            f"{clock.local(at):%H:%M} is before cook {cook.number} was started, {clock.local(cook.started_at):%H:%M}"
        )
        raise DomainError("E_ORDER", "at", message, f"{clock.local(cook.started_at):%H:%M} or later")
    last = house.last_read_s(cook)
    if at.timestamp() < last:
        newest = clock.local(datetime.fromtimestamp(last, UTC))
        message = f"{clock.local(at):%H:%M} is before the last reading, {newest:%H:%M}; correct that one in the log if it is wrong"
        raise DomainError("E_ORDER", "at", message, f"{newest:%H:%M} or later")
    if pressure_kpa_g is not None and temperature_c > 100:
        over = gas_over_steam(pressure_kpa_g=pressure_kpa_g, temperature_c=temperature_c)
        if over < -IMPOSSIBLE_KPA:
            boils = saturation_temperature_c(pressure_kpa_abs=pressure_kpa_g + ATMOSPHERE_KPA)
            message = f"{temperature_c:g} °C cannot be at {pressure_kpa_g:g} kPa g: water boils at {boils:.0f} °C there; one gauge is wrong"
            raise DomainError("E_RANGE", "temperature_c", message, f"up to {boils + 3:.0f} °C at that pressure")
    with transaction.atomic():
        kept = [
            record_reading(
                state.world, person, digester.temperature, temperature_c, at=at, form_key=f"g-{form_key}"[:40]
            )
        ]
        if pressure_kpa_g is not None and digester.pressure is not None:
            kept.append(
                record_reading(
                    state.world, person, digester.pressure, pressure_kpa_g, at=at, form_key=f"k-{form_key}"[:40]
                )
            )
    return kept


def tell(row: Any, person: Person, number: int, words: str, at: datetime, prefix: str, tag: str = "") -> None:
    """Tell the log what was done to a cook, linked to the row that was kept."""
    record_event(
        row.world, person, words[:500], station=stop_of(row.world, "cook"), at=at, form_key=line_key(prefix, row),
        kind=Record.Kind.BATCH, tag=tag, subject=f"cook {number}", action=action_of(getattr(row, "kind", "")), source=row,
    )  # fmt: skip
