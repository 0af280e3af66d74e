"""Starting, stopping and washing up a line of washers: the steps in their order, each with the caution that belongs before it."""

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True)
class Step:
    """A step, and what to mind before it."""

    words: str
    caution: str = ""


@dataclass(frozen=True, slots=True)
class Sequence:
    """Steps in their order."""

    title: str
    steps: tuple[Step, ...]


SEQUENCES: Final = (
    Sequence(
        "Start",
        (
            Step(
                "Permits closed, guards on, gas test at vats and tanks",
                "On a gas alarm leave first; the nose soon smells nothing.",
            ),
            Step("Fill the filtrate tanks past the leg ends with hot water; circulate, the clean end first"),
            Step("Drum slow, vacuum up; stock at 40 to 50 % of the rate"),
            Step(
                "Mat formed: shower at a dilution factor one above the set point",
                "Hot alkaline liquor burns: shield and gloves at the samples.",
            ),
            Step("Thin liquor to the spill tank until it reaches the evaporators' floor"),
            Step("Rate up 10 % in a quarter of an hour; the factor to its set point after an hour"),
            Step("Judge it after three of its own times, not after the minutes of its tanks"),
        ),
    ),
    Sequence(
        "Stop",
        (
            Step("Feed off; wash the mat out; run repulper and conveyor empty; shower off"),
            Step(
                "Tanks to the spill tank, never to the sewer",
                "Acid never meets sulphide liquor, in a shared sewer either.",
            ),
            Step("For less than an hour keep them full and the drum turning"),
            Step(
                "Before anybody reaches in",
                "Isolate, lock out, tag and try: drum, doctor, repulper, press. Vats and tanks are confined spaces.",
            ),
        ),
    ),
    Sequence(
        "Wash up",
        (
            Step("Stock out; rinse; note efficiency and vacuum"),
            Step(
                "Soap and pitch: caustic of 2 to 5 %, 70 to 80 °C, one to two hours; rinse",
                "Caustic heats and burns; eyes first.",
            ),
            Step(
                "Scale: acid only on a machine rinsed neutral and found free of sulphide by test, its drain parted from"
                " brown and alkaline sewers",
                "Gas meter at the vat, people out. Below pH 9 sulphide gives hydrogen sulphide: half of it at pH 7.",
            ),
            Step("Rinse, neutralise, release by permit; note efficiency and vacuum again"),
        ),
    ),
)
