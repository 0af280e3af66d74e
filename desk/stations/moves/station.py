"""What moves add to the desk."""

from typing import Final

from django.urls import reverse

from desk.floor.station import Station
from desk.stations.moves.history import load_moves
from desk.stations.moves.tables import MOVE_TABLES
from desk.stations.moves.telling import due, held, learned, made, moved, sheet, spoken, stands, under_card, under_panel
from desk.stations.moves.urls import urls

STATION: Final = Station(
    kind="moves",
    title="Moves",
    urls=urls,
    tables=MOVE_TABLES,
    due=due,
    held=held,
    learned=learned,
    stands=stands,
    moved=moved,
    made=made,
    sheet=sheet,
    spoken=spoken,
    under_card=under_card,
    under_panel=under_panel,
    past=load_moves,
    places=lambda state, text: (
        [("Moves", "what was set, and what it did", reverse("moves", args=[state.world.slug]))]
        if text[:4].lower() in "moves" and text
        else []
    ),
    pages=lambda state: [reverse("moves", args=[state.world.slug])],
    pictures={"moves": ("moves/", "orr", "light")},
)
