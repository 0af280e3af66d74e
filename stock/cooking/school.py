"""The schools of batch cooking: what each has of its own, said once."""

from dataclasses import dataclass
from typing import Final, Literal

School = Literal["kraft", "soda", "acid", "bisulphite"]
Liquor = Literal["white", "black", "caustic", "acid"]


@dataclass(frozen=True, slots=True)
class Practice:
    """How a school cooks: its liquors and tanks, what is titrated, what its end point is counted in.

    `letter`, `factor` and `unit` name the integral an end point goes by, `decimals` how it is
    shown; `factor_of` says in words what it counts.
    """

    liquor: str
    tank: Liquor
    titrated: tuple[str, ...]
    letter: str
    factor: str
    unit: str
    decimals: int
    factor_of: str
    fill: str = ""
    fill_tank: Liquor | None = None
    is_acid: bool = False
    has_sulphide: bool = False
    counts_gas: bool = False

    @property
    def tanks(self) -> tuple[Liquor, ...]:
        """The liquor tanks a cook is filled from."""
        return (self.tank,) if self.fill_tank is None else (self.tank, self.fill_tank)


_H: Final = ("H", "H-factor", "H", 0, "time and temperature")
PRACTICES: Final[dict[School, Practice]] = {
    "kraft": Practice(
        "white liquor", "white", ("white", "green", "black"), *_H,
        fill="black liquor", fill_tank="black", has_sulphide=True,
    ),
    "soda": Practice("caustic", "caustic", ("caustic", "black"), *_H, fill="weak liquor or water"),
    "acid": Practice(
        "acid", "acid", ("acid",), "S", "S-factor", "bar·h", 0, "gas pressure and heat together",
        is_acid=True, counts_gas=True,
    ),
    "bisulphite": Practice(
        "bisulphite acid", "acid", ("acid",), "R", "heat factor", "h at 100 °C", 1,
        "heat alone, since its gas pressure is small", is_acid=True,
    ),
}  # fmt: skip


def drawing_from(liquor: Liquor) -> frozenset[School]:
    """Return the schools whose cooks are filled from a tank of a liquor, or give it."""
    spent: set[School] = {"soda"} if liquor == "black" else set()  # the spent liquor of a soda cook is black too
    return frozenset({name for name, one in PRACTICES.items() if liquor in one.tanks} | spent)
