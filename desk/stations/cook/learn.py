"""What the mill's own cooks teach: forecasts against results, a relation fitted, an engineer's acceptance of it."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any, Final

import numpy as np
from django.core.exceptions import ValidationError
from django.db import IntegrityError, connection

from desk.floor import clock
from desk.floor.keeping import keep, line_key, sent_before, verb
from desk.floor.models import Record
from desk.floor.services import record_event, require, stop_of
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import MODEL
from desk.stations.cook.house import house_of
from desk.stations.cook.models import RelationVersion
from stock.cooking.alkali import charge_as_na2o
from stock.cooking.liquor import alkali_consumed_pct
from stock.cooking.recipe import Recipe
from stock.cooking.relation import Relation, calibrate_bulk, fit_relation, hatton_rows
from stock.errors import DomainError
from stock.fit.kappa import outliers

MOST: Final = 400  # the newest cooks; older wood teaches about older wood
CALIBRATED: Final = 12
BACK: Final = timedelta(days=60)


@dataclass(frozen=True, slots=True)
class Past:
    """A cook that was forecast and measured."""

    number: int
    at: datetime
    factor: float
    kappa: float
    forecast: float
    half: float
    version: int
    kinetic: float | None
    charge_pct: float | None
    sulphidity: float | None
    ratio: float | None
    yield_pct: float | None
    forecast_yield_pct: float
    residual: float | None
    forecast_residual: float | None
    rejects_pct: float | None
    flag: str

    @property
    def error(self) -> float:
        """Found less forecast."""
        return self.kappa - self.forecast

    @property
    def inside(self) -> bool:
        """Whether it lies in the band that was given."""
        return abs(self.error) <= self.half

    @property
    def alkali_pct_na2o(self) -> float | None:
        """Its charge as the relation takes it."""
        return None if self.charge_pct is None else charge_as_na2o(charge_pct_naoh_on_wood=self.charge_pct)

    def as_cook(self) -> dict[str, float]:
        """Return it as the fit takes it."""
        row: dict[str, float] = {"factor": self.factor, "kappa": self.kappa}
        if self.charge_pct is not None:
            row |= {"alkali_pct_na2o": self.alkali_pct_na2o or 0.0, "charge_pct": self.charge_pct}
            row |= {"sulphidity": self.sulphidity or 0.0}
            if self.residual is not None and self.ratio is not None:
                try:
                    used = alkali_consumed_pct(
                        charge_pct_naoh_on_wood=self.charge_pct,
                        residual_kg_per_m3_as_naoh=self.residual,
                        liquor_to_wood=self.ratio,
                    )
                except DomainError:  # more left than was charged: a wrong sample teaches nothing
                    return row if self.yield_pct is None else row | {"yield_pct": self.yield_pct}
                row["used_pct"] = used
        if self.yield_pct is not None:
            row["yield_pct"] = self.yield_pct
        return row


_PAST: Final = """
SELECT r.number, r.at, f.factor, r.kappa, f.kappa, f.half_kappa, f.relation_version, f.kinetic_kappa,
 f.charge_pct_naoh_on_wood, f.sulphidity_frac, f.liquor_to_wood, r.yield_pct, f.yield_pct,
 r.residual_kg_per_m3_as_naoh, f.residual_kg_per_m3_as_naoh, r.rejects_pct, r.flag
FROM cooking_result r JOIN cooking_forecast f ON f.world_id = r.world_id AND f.number = r.number
 JOIN floor_cook k ON k.world_id = r.world_id AND k.number = r.number
WHERE r.world_id = %s AND r.at >= %s AND r.at <= %s AND (k.recipe = %s OR k.recipe = '' AND k.digester IN (DIGESTERS))
 AND NOT EXISTS (SELECT 1 FROM cooking_result later WHERE later.supersedes_id = r.id)
 AND NOT EXISTS (SELECT 1 FROM cooking_step later WHERE later.supersedes_id = f.blow_id AND later.kind <> 'blow')
ORDER BY r.at DESC LIMIT %s
"""


def past_cooks(state: State, recipe: Recipe, most: int = MOST) -> list[Past]:
    """Return the newest measured cooks of a recipe, the newest first."""
    house = state.line.cook
    own = [one.number for one in house.digesters if one.recipes[0] == recipe.id] or [-1]
    marks = ", ".join(["%s"] * len(own))
    with connection.cursor() as cursor:
        cursor.execute(
            _PAST.replace("DIGESTERS", marks),
            [state.world.pk, clock.as_stored(state.now - BACK), clock.as_stored(state.now), recipe.id, *own, most],
        )
        rows = cursor.fetchall()
    return [Past(row[0], _read(row[1]), *row[2:]) for row in rows]


def _read(at: Any) -> datetime:
    moment = at if isinstance(at, datetime) else datetime.fromisoformat(at)
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Lesson:
    """A fit of a recipe's cooks: what was used, what was left out, how the relation in force and the new one do."""

    recipe: Recipe
    cooks: Sequence[Past]
    used: Sequence[Past]
    suspect: Collection[int]
    relation: Relation | None
    in_force: Relation
    fault: str = ""

    def rest(self, relation: Relation) -> list[tuple[Past, float, float]]:
        """Return (cook, forecast by a relation, found less forecast) for every cook."""
        return [
            (one, value, one.kappa - value) for one in self.cooks if (value := forecast_of(relation, one)) is not None
        ]

    def spread(self, relation: Relation | None) -> float | None:
        """Return the spread of the used cooks about a relation."""
        if relation is None:
            return None
        numbers = {one.number for one in self.used}
        rest = [error for one, _, error in self.rest(relation) if one.number in numbers]
        return float(np.sqrt(np.mean(np.square(rest)))) if rest else None

    def bias(self, relation: Relation) -> float | None:
        """Return by how much the used cooks lie above a relation on average."""
        numbers = {one.number for one in self.used}
        rest = [error for one, _, error in self.rest(relation) if one.number in numbers]
        return float(np.mean(rest)) if rest else None


def forecast_of(relation: Relation, one: Past) -> float | None:
    """Return the kappa a relation gives a cook; no working, since a thousand are asked for."""
    place = place_of(relation, one)
    return None if place is None else float(relation.kappa_at(place))


def place_of(relation: Relation, one: Past) -> float | None:
    """Return where a cook lies along a relation's axis; None where its charge or its end is not known."""
    if not relation.reference_factor and (one.alkali_pct_na2o is None or one.factor <= 1):
        return None
    return relation.place(one.factor, one.alkali_pct_na2o)


def study(state: State, recipe: Recipe, left_out: Collection[int] | None = None) -> Lesson:
    """Fit a recipe's cooks; `left_out` are the numbers to leave out, those that bear a flag where not given.

    A cook that only lies far off stays in until somebody says what was wrong with it.
    """
    cooks = past_cooks(state, recipe)
    in_force = house_of(state).relation(recipe)
    suspect = _suspect(recipe, cooks)
    out = set(left_out) if left_out is not None else {one.number for one in cooks if one.flag}
    used = [one for one in cooks if one.number not in out]
    try:
        fitted = fit_relation(recipe, [one.as_cook() for one in used], in_force.version + 1, "")
    except DomainError as error:
        return Lesson(recipe, cooks, used, suspect, None, in_force, error.message)
    words = f"{len(used)} cooks up to {max(one.number for one in used)}"
    return Lesson(recipe, cooks, used, suspect, replace(fitted, words=words), in_force)


def _suspect(recipe: Recipe, cooks: Sequence[Past]) -> set[int]:
    """Return the numbers of cooks far from the others' line."""
    if recipe.is_sulphite:
        if len(cooks) < 8:
            return set()
        rate = np.array([np.log(recipe.acid.zero_kappa / one.kappa) / one.factor for one in cooks])
        middle = np.median(rate)
        scale = 1.4826 * np.median(np.abs(rate - middle))
        return {one.number for one, value in zip(cooks, rate, strict=True) if abs(value - middle) > 3.5 * scale}
    try:
        rows = hatton_rows([one.as_cook() for one in cooks])
        far = outliers(rows, recipe.alkali.n)
    except (DomainError, KeyError):
        return set()
    return {one.number for one, is_far in zip(cooks, far, strict=True) if is_far}


@verb
def accept_relation(
    state: State,
    person: Person,
    recipe: Recipe,
    left_out: Collection[int],
    *,
    causes: Mapping[int, str],
    why: str,
    form_key: str,
) -> RelationVersion:
    """Accept a fit as the next version of a recipe's relation. Forecasts made before keep theirs.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: no reason, too few cooks, somebody else accepted one meanwhile.
    """
    require(person, MODEL)
    if (sent := sent_before(RelationVersion, state.world, form_key)) is not None:
        return sent
    if not why.strip():
        raise ValidationError({"why": "say why the relation is replaced"})
    lesson = study(state, recipe, left_out)
    if lesson.relation is None:
        raise ValidationError({"recipe": lesson.fault})
    said_why = {one.number: causes.get(one.number, "").strip()[:100] for one in lesson.cooks if one.number in left_out}
    bare = [one.number for one in lesson.cooks if one.number in left_out and not one.flag and not said_why[one.number]]
    if bare:
        listed = ", ".join(str(number) for number in bare[:6])
        raise ValidationError(
            {"causes": f"say what was wrong with cook {listed}: lying far off alone is no cause, and narrows the band"}
        )
    numbers = [one.number for one in lesson.used]
    words = f"{len(numbers)} cooks, accepted {clock.local(state.now):%d %b} by {person.short_name}"
    relation = replace(lesson.relation, words=words)
    if not recipe.is_sulphite:
        relation = replace(relation, bulk_ratio=_bulk_ratio(recipe, lesson))
    figures = asdict(relation)
    row = RelationVersion(
        world=state.world,
        recipe=recipe.id,
        version=relation.version,
        figures=figures,
        left_out=sorted(set(left_out)),
        causes={str(number): words for number, words in said_why.items() if words},
        first_cook=min(numbers),
        last_cook=max(numbers),
        accepted_at=state.now,
        by=person,
        why=why.strip()[:200],
        form_key=form_key,
    )
    spread = f"spread {relation.spread_kappa:.2f} kappa"
    said = f"Relation {relation.version} of {recipe.name} accepted: {len(numbers)} cooks, {spread}. {why.strip()}"

    def tell(row: RelationVersion) -> None:
        record_event(
            state.world, person, said[:500], station=stop_of(state.world, "cook"), at=state.now,
            form_key=line_key("m", row), kind=Record.Kind.EVENT, action=MODEL, source=row,
        )  # fmt: skip

    try:
        return keep(row, tell)
    except IntegrityError:
        raise ValidationError({"recipe": "somebody else accepted a version meanwhile; look again"}) from None


def _bulk_ratio(recipe: Recipe, lesson: Lesson) -> float:
    """Return the kinetics' multiplier that is right for the newest of the cooks, what it was where none is."""
    rows = [one.as_cook() for one in lesson.used[:CALIBRATED] if one.charge_pct is not None]
    try:
        return calibrate_bulk(recipe, rows)
    except DomainError:
        return lesson.in_force.bulk_ratio
