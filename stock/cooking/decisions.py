"""What to do about liquor off its band, and about pulp that comes off its kappa."""

from stock.cooking.kappa_decisions import KAPPA_QUIET, KAPPA_ROWS
from stock.cooking.liquor_decisions import LIQUOR_QUIET, LIQUOR_ROWS
from stock.judge.quiet import Quiet
from stock.judge.rule import Rule

ROWS: tuple[Rule, ...] = (*LIQUOR_ROWS, *KAPPA_ROWS)
QUIET: tuple[Quiet, ...] = (*LIQUOR_QUIET, *KAPPA_QUIET)
