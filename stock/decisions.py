"""Every row of the decision tables, from the chapters they belong to, in the order of the work."""

from typing import Final

from stock.bleaching.decisions import ROWS as BLEACHING
from stock.consistency.decisions import ROWS as CONSISTENCY
from stock.cooking.decisions import ROWS as COOKING
from stock.intake.cane_decisions import CANE_ROWS
from stock.intake.decisions import WOOD_ROWS
from stock.judge.rule import Rule
from stock.refining.decisions import ROWS as REFINING
from stock.screening.decisions import ROWS as SCREENING
from stock.slushing.decisions import ROWS as SLUSHING
from stock.washing.decisions import ROWS as WASHING

RULES: Final[tuple[Rule, ...]] = (
    *WOOD_ROWS, *CANE_ROWS, *COOKING, *WASHING, *SCREENING, *BLEACHING, *SLUSHING, *REFINING, *CONSISTENCY,
)  # fmt: skip
