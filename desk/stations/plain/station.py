"""What serves every stop that has no station of its own."""

from typing import Final

from desk.floor.station import Station
from desk.stations.plain.devices import TAKERS
from desk.stations.plain.panels import PROCESS_PANELS

STATION: Final = Station(kind="", title="Station", panels=PROCESS_PANELS, takers=TAKERS)
