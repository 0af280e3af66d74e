"""Does a line run inside the bands it is given: what each instrument would read with everything at its target."""

from collections.abc import Iterator
from typing import Final

from stock.errors import DomainError
from stock.judge.limits import judge
from stock.line.definition import Definition
from stock.simulate.plant import Plant

RECKONED: Final = frozenset({"loss", "brightness", "freeness"})  # told as a change from the target, but reckoned whole


def outside_own_bands(line: Definition) -> Iterator[str]:
    """Yield a sentence for each tag that would stand outside its own band; a level stands where it is run, and is not asked.

    A definition is not refused for it: a plant may be set so. But such a tag is off from the first hour,
    so its band, or its unit, is looked at before anybody is told to move something.
    """
    try:
        plant = Plant(line)
    except DomainError as error:
        yield f"it does not run as a plant: {error.message}"
        return
    for tag in line.tags:
        value = plant.readings.at_rest.get(tag.id) if tag.reads in RECKONED else plant.readings.truth(tag.id)
        if tag.band is None or tag.reads == "level" or value is None:
            continue
        verdict = judge(tag, value)
        if verdict.level != "ok":
            read = f"{value:.{tag.decimals}f} {tag.unit}".strip()
            yield f"tags · {tag.id}: {tag.name} would stand at {read}, {verdict.words}"
