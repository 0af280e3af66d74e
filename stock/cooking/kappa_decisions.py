"""What to do about pulp that comes off its kappa, about knots, and about a digester outside what its recipe allows."""

from collections.abc import Iterable

from stock.cooking.place import charge_of, chips_of
from stock.cooking.recipe import Recipe
from stock.cooking.relation import Relation
from stock.cooking.ways import WAYS
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.place import is_bagasse, is_wood
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Moved, Rule

LEAST_MOVED = 0.002  # of an end point: less is the same
CAP_OF_AIM = 0.10  # of the present end point, the most a first step moves it
FIND_CAUSE_KAPPA = 3.0  # so far off, something is wrong that no end point mends


def aim_lower(here: Here, by: Datum) -> Figure:
    """End point of the next cook, its kappa aimed lower than now by what the last came out high."""
    recipe = here.recipe
    relation = _relation(here)
    aimed = kappa_aimed(recipe, relation, here.facts.stands(aim_point(recipe.unit)))
    wanted = Datum(aimed.value - by.value, Origin("computed", f"{aimed.origin.text} less {by.value:+.1f}"))
    charge = Datum(0.0, aimed.origin) if recipe.is_sulphite else charge_of(here)
    return WAYS[recipe.school].aim(recipe, relation, charge, wanted)


def _relation(here: Here) -> Relation:
    return here.facts.fitted(here.recipe.id) or Relation.of(here.recipe)


def aim_point(unit_id: str) -> str:
    """Return the point the end point of a batch group is moved by: per cent of what its relation asks."""
    return f"aim:{unit_id}"


def kappa_aimed(recipe: Recipe, relation: Relation, stands: Datum | None) -> Datum:
    """Return the kappa a batch group is aimed at: what the end point it stands at gives at the usual charge, else its target.

    `stands` is where people moved it to, per cent of what the relation asks, so that it holds whichever relation is accepted.
    """
    target = Datum(recipe.kappa_target, Origin("set", f"target {recipe.kappa_target:g}"))
    if stands is None or recipe.is_sulphite:
        return target
    way = WAYS[recipe.school]
    charge = Datum(recipe.usual_charge_pct, Origin("set", f"recipe {recipe.name}"))
    moved = stands.value / 100
    if abs(moved - 1) < LEAST_MOVED:
        return target
    usual = way.aim(recipe, relation, charge, target)
    at = Datum(
        moved * usual.value, Origin("set", f"{stands.value:.1f} % of {way.letter} {usual.text}", stands.origin.at)
    )
    shown = way.kappa(recipe, relation, at, charge)
    words = f"kappa {shown.value:.1f}, as {at.origin.text} gives at the usual charge; target {target.value:g}"
    return Datum(shown.value, Origin("set", words, stands.origin.at), shown)


def _aim_moved(here: Here) -> Moved | None:
    """Return the end point, where it goes by H."""
    if here.recipe.is_sulphite:
        return None
    recipe, relation = here.recipe, _relation(here)
    target = Datum(recipe.kappa_target, Origin("set", "target"))
    asks = WAYS[recipe.school].aim(recipe, relation, charge_of(here), target).value
    stands = here.facts.stands(aim_point(recipe.unit))
    name = here.line.unit(recipe.unit).name
    words = f"end point, {name[:1].lower()}{name[1:]}, of what the relation asks"
    return Moved(aim_point(recipe.unit), words, "%", 100 / asks, 100.0 if stands is None else stands.value)


def _kappa(here: Here) -> Figure:
    return aim_lower(here, Datum(here.now.value - here.wanted.value, here.now.origin))


def present_aim(here: Here) -> Datum:
    """End point that is aimed at as it is."""
    return aim_lower(here, Datum(0.0, Origin("computed", "as it is"))).as_datum()


def aim_limits(here: Here, size: Figure) -> Iterable[Most]:
    """Return how far a first step may move an end point."""
    aim = present_aim(here).value
    letter = WAYS[here.recipe.school].letter
    yield Most(CAP_OF_AIM * aim, f"a tenth of {letter} {aim:.{size.decimals}f} at most")


def next_cooks(here: Here) -> str:
    """Say when to look whether it was enough."""
    return "at the kappa of the next two cooks; leave the charge alone meanwhile"


def _feeds_on(here: Here, step: Figure) -> str:
    count = here.results_count
    school = "each cook by itself" if here.tag.mean_of == 1 else f"the mean of the last {count}"
    if here.tag.mean_of > count == 1:
        school = f"one cook alone; the mill goes by {here.tag.mean_of}"
    return f"By {school}. Tell bleaching what is in the tank: kappa {here.now.value:.1f}"


def _say_kappa(size: Figure, here: Here) -> str:
    letter = WAYS[here.recipe.school].letter
    which = "cook"
    if not here.recipe.is_sulphite and not here.recipe.practice.has_sulphide:
        which = "soda cook"
    words = f"blow the next {which} at {letter} {size.text}"
    off = here.now.value - here.wanted.value
    if abs(off) > FIND_CAUSE_KAPPA:
        return f"Find the cause first: {off:+.1f} kappa is more than an end point mends; until then {words}"
    return words[:1].upper() + words[1:]


def _rejects(here: Here) -> Figure:
    high = (here.now.value - here.wanted.value) / 100 * here.recipe.reference_yield_pct / 100
    data = {"bd_wood_t": chips_of(here).as_datum(), "screened_yield_frac": Datum(max(high, 0.0), here.now.origin)}
    return figure("pulp_per_cook", "pulp lost a cook", data, decimals=2)


COOKED = ("batch_digesters",)
KAPPA = Handle(next_cooks, present=present_aim, limits=aim_limits, also=_feeds_on, moves=_aim_moved)

KAPPA_ROWS: tuple[Rule, ...] = (
    Rule(
        "kappa_off",
        "kappa",
        ("low", "high"),
        ("charge off: wood drier or wetter than booked", "H short or over", "overthick chips or a cold corner"),
        "Charge sheet against the scale; residual; top and bottom of the last cook.",
        _kappa,
        _say_kappa,
        at=COOKED,
        where=is_wood,
        handle=KAPPA,
    ),
    Rule(
        "kappa_cane_off",
        "kappa",
        ("low", "high"),
        ("pith or sugar in the cane", "H short or over", "weak caustic"),
        "Fibre to pith, caustic strength, the last cook's temperatures.",
        _kappa,
        _say_kappa,
        at=COOKED,
        where=is_bagasse,
        handle=KAPPA,
    ),
    Rule(
        "cook_rejects_high",
        "knots",
        ("high",),
        ("overthick chips", "steaming short, air left in", "dense knots"),
        "Chip classes; the steaming log.",
        _rejects,
        lambda size, here: f"Hold 15 min longer below 120 °C and mend the chips: {size.text} ADt are lost a cook",
        at=COOKED,
    ),
)

KAPPA_QUIET: tuple[Quiet, ...] = (
    Quiet(
        "temperature",
        ("high",),
        "Over the most its recipe allows: cut the steam, hold it against the lower thermometer, and count H anew; each degree makes it a twelfth faster. No hand valve on the vessel; the interlocks rule.",
        at=("digester",),
    ),
    Quiet(
        "bottom",
        ("high",),
        "Over the most its recipe allows at the bottom: steam on a screen or a dead circulation. Cut the steam, look at the pump, count H on the colder sensor.",
        at=("digester",),
    ),
    Quiet(
        "pressure",
        ("high",),
        "Over what its recipe is held under: stop the steam, relieve by its own relief, and stay clear of flanges and vents. The relief valve and the interlocks rule; a gauge that is off is found afterwards.",
        at=("digester",),
    ),
    Quiet(
        "knots",
        ("low",),
        "Few knots are no trouble by themselves: with a low kappa they mean overcooking, which the kappa card sizes.",
        at=COOKED,
    ),
)
