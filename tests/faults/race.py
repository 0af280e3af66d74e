"""Eight people at once press what may be done once; prints what each was told, one line a person."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

import django

django.setup()

from django.core.exceptions import ValidationError  # noqa: E402
from django.db import connection  # noqa: E402

from desk.floor import clock  # noqa: E402
from desk.floor.models import World  # noqa: E402
from desk.floor.state import State  # noqa: E402
from desk.people.models import Person  # noqa: E402
from desk.stations.cook.amounts import Amounts  # noqa: E402
from desk.stations.cook.house import house_of  # noqa: E402
from desk.stations.cook.planning import plan_charge  # noqa: E402
from desk.stations.cook.steps import log_step  # noqa: E402

PEOPLE = 8
CHIPS = Amounts(green_t=30.6, moisture_pct=48.2)


def main() -> None:
    world = World.objects.select_related("version").get(slug="live")
    person = Person.objects.create(username="one_cook", role="cook")
    state, at = State(world), clock.now()
    part = house_of(state).part
    plan_charge(
        state, person, number=1, digester=part.digesters[0], recipe=part.main, planned_at=at, typed={}, form_key="plan"
    )
    at = clock.now()
    together = Barrier(PEOPLE)

    def press(index: int) -> str:
        own = State(world)
        _ = house_of(own).news  # read before it was pressed
        together.wait()
        try:
            log_step(own, person, 1, "chips", CHIPS, at=at, form_key=f"press-{index}")
        except ValidationError as error:
            return " ".join(error.messages)
        finally:
            connection.close()
        return "kept"

    with ThreadPoolExecutor(PEOPLE) as pool:
        print(*pool.map(press, range(PEOPLE)), sep="\n")


if __name__ == "__main__":
    main()
