"""Chip samples: where they are taken, what they come to."""

from typing import Final

import numpy as np

from desk.stations.yard.news import Sampled
from stock.intake.chip_classes import Shares, chip_class_percent
from stock.intake.definition import YardDef


def shares_of(row: Sampled) -> Shares:
    """Return a sample's shares."""
    found: Shares = chip_class_percent(mass_by_class_g=np.array(row.masses_g), sample_mass_g=row.sample_g)
    return found


FEED: Final = "feed"  # the sample of what runs to the digesters


def feeds(part: YardDef) -> dict[str, str]:
    """Return where the chips that run to each stream are sampled: stream and source."""
    streams = list(dict.fromkeys(pile.stream for pile in part.piles if pile.feeds and pile.form == "chips"))
    return {name: FEED if index == 0 else f"{FEED}-{name}"[:40] for index, name in enumerate(streams)}


def source_name(part: YardDef, source: str) -> str:
    """Return where a chip sample was taken, in words."""
    names = {chipper.id: chipper.name for chipper in part.chippers}
    names |= {material.id: material.name for material in part.materials}
    own = feeds(part)
    names |= {
        name: "chips to the digesters" if len(own) < 2 else f"chips of {stream.replace('_', ' ')}"
        for stream, name in own.items()
    }
    return names.get(source, source)


def sources(part: YardDef) -> list[tuple[str, str]]:
    """Return every place chips are sampled."""
    chips = [material.id for material in part.materials if material.form == "chips"]
    listed = (*feeds(part).values(), *(one.id for one in part.chippers), *chips)
    return [(name, source_name(part, name)) for name in listed]
