"""What can be worked out at each station. A panel's id is its station's, or its own where a station has several."""

from desk.frame.panels.attempt import Attempt, Panel, attempt
from desk.stations.plain.panels import PROCESS_PANELS
from desk.stations.yard.panels import YARD_PANELS

PANELS: dict[str, Panel] = {**YARD_PANELS, **PROCESS_PANELS}

__all__ = ["PANELS", "Attempt", "Panel", "attempt"]
