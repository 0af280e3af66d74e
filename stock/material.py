"""What flows: the components every stream is made of, and how streams mix and split."""

from dataclasses import dataclass
from typing import Final, Self

import numpy as np

from stock.errors import DomainError

COMPONENTS: Final = ("fibre", "fines", "bark", "filler", "ink", "grit", "organics", "inorganics", "water")
FILTERABLE: Final = ("fibre", "fines", "bark", "filler", "ink", "grit")
INDEX: Final = {name: index for index, name in enumerate(COMPONENTS)}
FILTERABLE_MASK: Final = np.array([name in FILTERABLE for name in COMPONENTS])


@dataclass(frozen=True, slots=True, eq=False)
class Stream:
    """Mass flow of each component, t/h, in the order of `COMPONENTS`."""

    flows_t_per_h: np.ndarray

    @classmethod
    def of(cls, **flows_t_per_h: float) -> Self:
        """Make a stream from named component flows; unnamed ones are nil.

        Raises
        ------
        DomainError
            E_UNIT for a component that does not exist, E_RANGE for a flow below zero.
        """
        flows = np.zeros(len(COMPONENTS))
        for name, value in flows_t_per_h.items():
            if name not in INDEX:
                raise DomainError("E_UNIT", name, f"there is no component {name}", ", ".join(COMPONENTS))
            if not (np.isfinite(value) and value >= 0):
                raise DomainError(
                    "E_RANGE", name, f"{name} flows at {value} t/h; it must be 0 or more", "0 t/h or more"
                )
            flows[INDEX[name]] = value
        return cls(flows)

    def __getitem__(self, component: str) -> float:
        """Return the flow of one component, t/h."""
        return float(self.flows_t_per_h[INDEX[component]])

    def __add__(self, other: Self) -> Self:
        """Mix two streams: every component adds."""
        return type(self)(self.flows_t_per_h + other.flows_t_per_h)

    @property
    def bdt_per_h(self) -> float:
        """Bone-dry filterable solids, t/h."""
        return float(self.flows_t_per_h[FILTERABLE_MASK].sum())

    @property
    def oven_dry_t_per_h(self) -> float:
        """All that stays in the oven, t/h: filterable solids and what is dissolved, such as the sugar of bagasse."""
        return self.total_t_per_h - self["water"]

    @property
    def total_t_per_h(self) -> float:
        """Everything, t/h."""
        return float(self.flows_t_per_h.sum())

    @property
    def consistency_pct(self) -> float:
        """Filterable solids over everything, %; 0 for an empty stream."""
        total = self.total_t_per_h
        return 100 * self.bdt_per_h / total if total > 0 else 0.0

    def split(self, accept_frac: float | dict[str, float]) -> tuple[Self, Self]:
        """Return (accepts, rest); `accept_frac` is one share for all, or one for each component named.

        Raises
        ------
        DomainError
            E_RANGE for a share outside 0 to 1.
        """
        shares = np.zeros(len(COMPONENTS))
        if isinstance(accept_frac, dict):
            for name, value in accept_frac.items():
                shares[INDEX[name]] = value
        else:
            shares[:] = accept_frac
        if not ((shares >= 0) & (shares <= 1)).all():
            raise DomainError("E_RANGE", "accept_frac", "a share lies outside 0 to 1", "0 to 1")
        accepts = self.flows_t_per_h * shares
        return type(self)(accepts), type(self)(self.flows_t_per_h - accepts)


LEAST_MOISTURE_PCT, MOST_MOISTURE_PCT = 2.0, 95.0  # of the mass as it lies; below: a fraction typed for a per cent


def refuse_moisture(name: str, label: str, moisture_pct: float | None) -> None:
    """Refuse a moisture no wood, bagasse or bale can have, in per cent of the mass as it lies.

    Raises
    ------
    DomainError
        It is missing, under 2 %, as a fraction typed for a per cent is, or 95 % and more.
    """
    if moisture_pct is None or not LEAST_MOISTURE_PCT <= moisture_pct < MOST_MOISTURE_PCT:
        shown = "missing" if moisture_pct is None else f"{moisture_pct:g} %"
        allowed = f"{LEAST_MOISTURE_PCT:g} to less than {MOST_MOISTURE_PCT:g} %, in per cent"
        raise DomainError("E_RANGE", name, f"{label} is {shown}", allowed)
