"""What to do about wood and bagasse off their band, in the order of the work."""

from stock.intake.cane_decisions import CANE_QUIET, CANE_ROWS
from stock.intake.chip_decisions import CHIP_QUIET, CHIP_ROWS
from stock.intake.pile_decisions import PILE_QUIET, PILE_ROWS
from stock.judge.quiet import Quiet
from stock.judge.rule import Rule

ROWS: tuple[Rule, ...] = (*CHIP_ROWS, *PILE_ROWS, *CANE_ROWS)
QUIET: tuple[Quiet, ...] = (*CHIP_QUIET, *PILE_QUIET, *CANE_QUIET)
