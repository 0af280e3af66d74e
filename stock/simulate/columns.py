"""What a row of the plant carries, a column each: its masses, and what rides on the fibre."""

from typing import Final

import numpy as np

from stock.material import COMPONENTS, FILTERABLE_MASK, INDEX

MASSES: Final = len(COMPONENTS)
MARKERS: Final = ("kappa", "light_absorbed", "light_scattered", "log_csf", "shives")  # value times fibre: they add
COLUMNS: Final = (*COMPONENTS, *MARKERS)
FIBRE, WATER, FILLER = INDEX["fibre"], INDEX["water"], INDEX["filler"]
MARKED: Final = {name: MASSES + index for index, name in enumerate(MARKERS)}
DISSOLVED: Final = [INDEX["organics"], INDEX["inorganics"]]
SOLIDS: Final = np.flatnonzero(FILTERABLE_MASK)
