"""What the rate of an order is typed in: the unit it is said in."""

from dataclasses import dataclass

from desk.floor.state import State
from desk.frame.fields import NumberField
from stock.units import readable


@dataclass(frozen=True, slots=True)
class ReelUnit:
    """What the rate at the reel is typed in: tonnes an hour of a mill, kilograms of a workshop."""

    label: str
    unit: str
    per_t: float
    most: float

    @classmethod
    def of(cls, state: State) -> "ReelUnit":
        """Return what a line's rates are read in: that of its largest grade."""
        _, unit = readable(max(grade.tonnes_per_h for grade in state.line.grades), "t/h")
        return cls("Tonnes", unit, 1.0, 200) if unit == "t/h" else cls("Kilograms", unit, 1000.0, 1000)

    def text(self, t_per_h: float) -> str:
        """Return a rate as it is typed."""
        return f"{self.per_t * t_per_h:.6g}"

    @property
    def field(self) -> NumberField:
        """The field it is typed in."""
        return NumberField(self.label, self.unit, above=0, most=self.most)
