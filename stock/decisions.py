"""Every row of the decision tables, and every reason why nothing is moved, from the chapters they belong to, in the order of the work."""

from typing import Final

from stock.bleaching.decisions import QUIET as BLEACHING_QUIET
from stock.bleaching.decisions import ROWS as BLEACHING
from stock.blending.decisions import QUIET as BLENDING_QUIET
from stock.blending.decisions import ROWS as BLENDING
from stock.consistency.decisions import QUIET as CONSISTENCY_QUIET
from stock.consistency.decisions import ROWS as CONSISTENCY
from stock.cooking.decisions import QUIET as COOKING_QUIET
from stock.cooking.decisions import ROWS as COOKING
from stock.delivery.decisions import QUIET as DELIVERY_QUIET
from stock.delivery.decisions import ROWS as DELIVERY
from stock.intake.decisions import QUIET as INTAKE_QUIET
from stock.intake.decisions import ROWS as INTAKE
from stock.judge.quiet import Quiet
from stock.judge.rule import Rule
from stock.recovered.decisions import QUIET as RECOVERED_QUIET
from stock.refining.decisions import QUIET as REFINING_QUIET
from stock.refining.decisions import ROWS as REFINING
from stock.screening.decisions import QUIET as SCREENING_QUIET
from stock.screening.decisions import ROWS as SCREENING
from stock.slushing.decisions import QUIET as SLUSHING_QUIET
from stock.slushing.decisions import ROWS as SLUSHING
from stock.washing.decisions import QUIET as WASHING_QUIET
from stock.washing.decisions import ROWS as WASHING
from stock.water.decisions import QUIET as WATER_QUIET
from stock.water.decisions import ROWS as WATER

RULES: Final[tuple[Rule, ...]] = (
    *INTAKE, *COOKING, *WASHING, *SCREENING, *BLEACHING, *SLUSHING, *REFINING, *CONSISTENCY, *BLENDING, *DELIVERY, *WATER,
)  # fmt: skip
REASONS: Final[tuple[Quiet, ...]] = (
    *INTAKE_QUIET, *COOKING_QUIET, *WASHING_QUIET, *SCREENING_QUIET, *BLEACHING_QUIET, *RECOVERED_QUIET,
    *REFINING_QUIET, *CONSISTENCY_QUIET, *BLENDING_QUIET, *SLUSHING_QUIET, *DELIVERY_QUIET, *WATER_QUIET,
)  # fmt: skip
