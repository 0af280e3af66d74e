"""Why nothing single is moved for ink that is off."""

from stock.judge.quiet import Quiet

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "ink",
        ("high",),
        "Lot, soap, air and froth in this order: which lot came in, soap per tonne and its hardness, air to stock, froth depth. One at a time, a cell's time apart; more reject costs fibre and filler.",
        at=("flotation",),
    ),
    Quiet(
        "ink",
        ("low",),
        "Cleaner than asked: fibre and filler may be going out with the froth. Weigh the froth before it is cut back.",
        at=("flotation",),
    ),
)
