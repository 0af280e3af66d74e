"""Every kind of unit a line may name, from the chapters they belong to. A new kind is added to one of these unions."""

from typing import Annotated

from pydantic import Field

from stock.bleaching.unit import BleachDose, BleachStage, Tower
from stock.blending.unit import BlendChest, Filler
from stock.consistency.unit import Chest, Dilution, WaterTank
from stock.cooking.unit import BatchDigesters, BlowTank, LiquorDose
from stock.delivery.unit import Dryer, Effluent, HeadBox, MachineChest, Reel, SaveAll, Wire
from stock.intake.unit import (
    Bagasse,
    Bales,
    BoughtChips,
    ChipScreen,
    ChipSource,
    DebarkingDrum,
    Depither,
    Logs,
    RecoveredLots,
)
from stock.primitives import (
    PlainDose,
    PlainMix,
    PlainReact,
    PlainSeparate,
    PlainSink,
    PlainSource,
    PlainSplit,
    PlainStore,
    PlainTank,
    PlainWater,
    Unit,
)
from stock.recovered.unit import Flotation
from stock.refining.unit import Refiner
from stock.screening.unit import Cleaner, Screen, Thickener
from stock.slushing.unit import BrokeChest, Pulper
from stock.washing.unit import Press, Washer

Primitive = (
    PlainSource | PlainStore | PlainDose | PlainWater | PlainMix | PlainReact | PlainSeparate | PlainSplit
    | PlainTank | PlainSink
)  # fmt: skip
Fibre = Logs | ChipSource | Bagasse | RecoveredLots | Bales | BoughtChips | Filler
WoodAndCane = DebarkingDrum | ChipScreen | Depither | BatchDigesters | LiquorDose | BlowTank
Pulp = (
    Washer | Press | Screen | Cleaner | Thickener | BleachStage | BleachDose | Tower | Flotation | Pulper | BrokeChest
    | Refiner | Dilution | Chest | WaterTank
)  # fmt: skip
MachineEnd = BlendChest | MachineChest | HeadBox | Wire | SaveAll | Dryer | Reel | Effluent

AnyUnit = Annotated[Primitive | Fibre | WoodAndCane | Pulp | MachineEnd, Field(discriminator="kind")]


def _kinds() -> dict[str, type[Unit]]:
    found: dict[str, type[Unit]] = {}
    for union in (Primitive, Fibre, WoodAndCane, Pulp, MachineEnd):
        for one in union.__args__:
            for name in one.model_fields["kind"].annotation.__args__:
                found[name] = one
    return found


KINDS: dict[str, type[Unit]] = _kinds()
