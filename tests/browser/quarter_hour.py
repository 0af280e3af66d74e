"""For the pictures: a quarter of an hour of the demonstration lived in the plant that runs, with a few moves; prints when it ends."""

import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

import django


def main() -> None:
    """Live it in the database of the environment."""
    django.setup()
    from desk.floor.models import World
    from desk.floor.state import State
    from desk.people.models import Person
    from desk.stations.ahead.looking import keep
    from desk.stations.moves.models import Setting
    from desk.stations.moves.reckoning import reckoned
    from desk.stations.moves.services import Wish, make_move
    from standin.plant import Plant
    from stock.line.load import load_definition
    from stock.line.story import story_beside
    from tests.lived import Lived

    start = datetime.fromtimestamp(float(sys.argv[1]), UTC)
    mill = Path("mills/hallin_reach.yaml")
    line = load_definition(mill)
    world = World.objects.select_related("version").get(slug="live")
    lived = Lived(world, Plant(line, 20, start.timestamp(), story_beside(mill, line)), start, lambda _: None)

    def move(who: str, point: str, by: float, why: str) -> None:
        setting = Setting.objects.get(world=world, point=point)
        to = round(setting.value + by, setting.decimals)
        tag, expected = reckoned(State(world, lived.now), setting, to)
        wish = Wish(to=to, point=point, tag=tag, expected=expected, text=why)
        make_move(world, Person.objects.get(username=who), wish, at=lived.now, form_key=point)

    lived.pass_time(1)
    move("orr", "flow:brown_water", 77, "thick by the transmitter; a pad is on its way")
    lived.pass_time(11)
    move("sundby", "flow:cane_stock", 240, "the soda cook runs late and the tower goes down")
    lived.pass_time(3)
    keep(State(world, lived.now))
    print((lived.now + timedelta(seconds=1)).isoformat())


if __name__ == "__main__":
    main()
