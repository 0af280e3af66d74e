"""A charge planned: the number the cook gets, the sheet that is kept."""

from collections.abc import Mapping
from datetime import datetime, timedelta

from django.core.exceptions import ValidationError

from desk.floor.keeping import keep, sent_before, verb
from desk.floor.models import Cook
from desk.floor.services import require
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import COOK
from desk.stations.cook.amounts import amount_text
from desk.stations.cook.house import as_json, house_of, recipe_of
from desk.stations.cook.known import known
from desk.stations.cook.models import Charge
from desk.stations.cook.steps import tell
from stock.cooking.charge import Sheet, usual
from stock.cooking.recipe import Digester, Recipe
from stock.figure import Datum, Figure, Origin


def next_number(state: State, recipe: Recipe | None = None) -> int:
    """Return the number the next cook gets: one more than the last of its digesters, or of all."""
    numbers = [cook.number for cook in state.cooks if recipe is None or recipe_of(state, cook).id == recipe.id]
    numbers += [
        number for number, one in house_of(state).news.charges.items() if recipe is None or one.recipe == recipe.id
    ]
    if not numbers:
        rows = Cook.objects.filter(world=state.world)
        if recipe is not None:
            numbers = list(rows.filter(recipe=recipe.id).order_by("-number").values_list("number", flat=True)[:1])
        numbers = numbers or list(rows.order_by("-number").values_list("number", flat=True)[:1])
    return max(numbers, default=0) + 1


@verb
def plan_charge(
    state: State,
    person: Person,
    *,
    number: int,
    digester: Digester,
    recipe: Recipe,
    planned_at: datetime,
    typed: Mapping[str, float],
    form_key: str,
) -> Charge:
    """Keep a charge sheet; one planned before for the same cook is superseded.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: a number already cooked, a recipe this digester does not cook, a sheet that cannot be.
    """
    require(person, COOK)
    world = state.world
    if (sent := sent_before(Charge, world, form_key)) is not None:
        return sent
    if not 0 < number < 10_000_000:
        raise ValidationError({"number": f"a cook cannot be number {number}"})
    if Cook.objects.filter(world=world, number=number).exists():
        raise ValidationError({"number": f"cook {number} was started already; its sheet cannot change"})
    if recipe.id not in digester.recipes:
        raise ValidationError({"recipe": f"digester {digester.number} does not cook {recipe.name}"})
    if planned_at < state.now - timedelta(hours=12) or planned_at > state.now + timedelta(days=3):
        raise ValidationError({"planned_at": "a charge is planned from half a day back to three days ahead"})
    said = Origin("entered", f"typed by {person.short_name}", state.now)
    sheet = house_of(state).sheet(recipe, digester, {name: Datum(value, said) for name, value in typed.items()})
    given = {name: datum.value for name, datum in _given(state, recipe, digester, typed).items()}
    before = Charge.objects.filter(world=world, number=number, superseded_by=None).first()
    row = Charge(
        world=world,
        by=person,
        number=number,
        digester=digester.number,
        recipe=recipe.id,
        planned_at=planned_at,
        given=as_json(given),
        planned=as_json({name: one.value for name, one in sheet.figures.items()}),
        warnings=list(sheet.warnings),
        supersedes=before,
        why="planned again" if before else "",
        form_key=form_key,
    )
    words = f"Cook {number}, digester {digester.number} planned: {sheet_words(recipe, sheet)}"
    return keep(row, lambda kept: tell(kept, person, number, words, state.now, "p"))


def _given(state: State, recipe: Recipe, digester: Digester, typed: Mapping[str, float]) -> dict[str, Datum]:
    house = house_of(state)
    said = Origin("entered", "typed")
    return usual(recipe, digester) | known(house, recipe) | {k: Datum(v, said) for k, v in typed.items()}


def sheet_words(recipe: Recipe, sheet: Sheet) -> str:
    """Say a charge in a line: wood, liquor, fill."""
    chips = sheet.figures.get("chips") or sheet.figures["green"].data["bd_wood_t"].figure
    wood = chips.value if isinstance(chips, Figure) else sheet.figures["green"].data["bd_wood_t"].value
    liquor = sheet.value("liquor") or 0.0
    words = f"{amount_text(wood, 'BDt')}, {amount_text(liquor, 'm³')} {recipe.practice.liquor}"
    if (fill := sheet.value("fill")) is not None:
        words += f", {amount_text(fill, 'm³')} {recipe.practice.fill}"
    return words
