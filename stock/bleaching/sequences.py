"""Starting, stopping and holding a bleach plant, in their order, with the caution before its step.

The usual order; the site's own instructions, permits and licensed people stand above it.
"""

from typing import Final

from stock.washing.sequences import Sequence, Step

SEQUENCES: Final = (
    Sequence(
        "Start",
        (
            Step(
                "Fan and scrubber on and proved; dilution water on",
                "Read the gas monitor before anybody goes near the dioxide line.",
            ),
            Step("Stock flow proved above 30 % of its usual"),
            Step("Heat to each stage's warmth"),
            Step("Each solution titrated this shift", "No stock flow, no dioxide."),
            Step("Chemicals by ratio, up 20 % every five minutes"),
            Step(
                "Pulp of the gap tagged at its exit hour, sampled, blended or set aside; no correction is taken from it"
            ),
        ),
    ),
    Sequence(
        "Stop",
        (
            Step("Chemicals off first, then steam"),
            Step(
                "Dioxide and peroxide lines flushed with water, relief open",
                "Never shut peroxide in between two valves.",
            ),
            Step("Oxygen shut and vented; fan stays on"),
            Step("Note the hour: pulp keeps reacting in the towers"),
        ),
    ),
    Sequence(
        "Hold",
        (
            Step(
                "First dioxide stage and dithionite two hours at most, peroxide three, later dioxide and extraction four"
            ),
            Step("Alkaline pulp without residual darkens: a little peroxide, or out with it"),
            Step(
                "Longer than that: cool, dilute, and take the pulp for a lower grade",
                "Towers, presses and chests: lock out, drain, gas test, permit.",
            ),
        ),
    ),
)
