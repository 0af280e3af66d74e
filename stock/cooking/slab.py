"""What thickness does to a cook: alkali diffusing into a chip while it reacts there."""

import math
from dataclasses import replace
from typing import Final, NamedTuple

import numpy as np

from stock.cooking.alkali import NAOH_G_PER_MOL
from stock.cooking.end_point import KELVIN, refuse_disorder
from stock.cooking.kinetics import (
    ACETYL_G_PER_MOL,
    ALKALI,
    LIGNIN_PER_KAPPA,
    SULPHIDITY,
    TEMPERATURES,
    TIMES,
    WOODS,
    Wood,
    start_ions,
)
from stock.working import Arg, Example, method

CELLS: Final = 16
VOID_L_PER_KG: Final = 1.846
CHIP_WATER_KG_PER_KG: Final = 1.0
PENETRATED: Final = (VOID_L_PER_KG - CHIP_WATER_KG_PER_KG) / VOID_L_PER_KG


class Slab(NamedTuple):
    """A cooked chip, through its thickness."""

    mean_kappa: float
    surface_kappa: float
    centre_kappa: float


@method(
    "dc/dt = d/dx(D * dc/dx) + reaction, in half the thickness; D[cm2/min] = 0.057 * T^0.5 * exp(-2452.4 / T)"
    " * (-2.0 * lignin / 100 + 0.13 * pH^0.55 + 0.58)",
    title="Kappa through a chip's thickness",
    station="cooking",
    source="Gustafson et al. (1983); ideal, full penetration, real beds are worse",
    exact=False,
    results=Slab._fields,
    example=Example(
        {
            "thickness_mm": 10.0,
            "times_min": [0, 90, 190],
            "temperatures_c": [80, 170, 170],
            "effective_alkali_pct_naoh_on_wood": 18.5,
            "sulphidity_frac": 0.30,
            "liquor_to_wood": 4.0,
        },
        {"mean_kappa": 32.9},
        0.03,
    ),
    thickness_mm=Arg("thickness of the chip", 1, 25),
    times_min=TIMES,
    temperatures_c=TEMPERATURES,
    effective_alkali_pct_naoh_on_wood=ALKALI,
    sulphidity_frac=SULPHIDITY,
    liquor_to_wood=Arg("liquor to wood", 2.5, 10),
)
def simulate_chip_slab(
    *,
    thickness_mm: float,
    times_min: np.ndarray,
    temperatures_c: np.ndarray,
    effective_alkali_pct_naoh_on_wood: float,
    sulphidity_frac: float,
    liquor_to_wood: float,
) -> Slab:
    """Return the kappa of a softwood chip, mean, at its surface and at its centre."""
    refuse_disorder(times_min, temperatures_c)
    wood = WOODS["softwood"]
    charge, volume = effective_alkali_pct_naoh_on_wood, liquor_to_wood
    outside_oh, outside_hs = (
        mol * volume / (volume - CHIP_WATER_KG_PER_KG)
        for mol in start_ions(charge, sulphidity_frac, volume, replace(wood, acetyl_pct=0.0))
    )
    free = volume - VOID_L_PER_KG
    free_oh = outside_oh - 10 * wood.acetyl_pct / ACETYL_G_PER_MOL / free
    cells = np.ones(CELLS)
    start = np.concatenate(
        (
            PENETRATED * outside_oh * cells,
            PENETRATED * outside_hs * cells,
            wood.lignin_pct * cells,
            wood.carbohydrate_pct * cells,
            [free_oh, outside_hs],
        )
    )
    end = _diffuse(start, thickness_mm / 20, times_min, temperatures_c, free, wood)
    lignin, carbohydrate = end[2 * CELLS : 3 * CELLS], end[3 * CELLS : 4 * CELLS]
    each = 100 * lignin / (lignin + carbohydrate) / LIGNIN_PER_KAPPA
    mean = 100 * lignin.sum() / (lignin + carbohydrate).sum() / LIGNIN_PER_KAPPA
    return Slab(float(mean), float(each[0]), float(each[-1]))


SLAB_STEP_MIN: Final = 0.25


def _diffuse(
    start: np.ndarray, half_cm: float, times_min: np.ndarray, temperatures_c: np.ndarray, free: float, wood: Wood
) -> np.ndarray:
    """March the chip: cells from the surface inwards, the free liquor last.

    Half a step of reaction, a step of diffusion, half a step of reaction (Strang); the
    reaction by the midpoint rule in every cell, diffusion trapezoidal and so free of a
    limit on the step. What diffuses in is what the free liquor loses.
    """
    dx = half_cm / CELLS
    oh, hs, lignin, carbohydrate = (part.copy() for part in start[: 4 * CELLS].reshape(4, CELLS))
    ions = np.array([np.append(oh, start[-2]), np.append(hs, start[-1])])
    count = math.ceil(float(times_min[-1] - times_min[0]) / SLAB_STEP_MIN)
    grid = np.linspace(float(times_min[0]), float(times_min[-1]), count + 1)
    kelvin = np.interp((grid[:-1] + grid[1:]) / 2, times_min, temperatures_c) + KELVIN
    step = grid[1] - grid[0]
    for warmth in kelvin:
        lignin, carbohydrate = _react(ions, lignin, carbohydrate, float(warmth), step / 2, wood)
        ions = _spread(ions, _mobility(ions[0, :-1], lignin, float(warmth)), dx, free, step)
        lignin, carbohydrate = _react(ions, lignin, carbohydrate, float(warmth), step / 2, wood)
    return np.concatenate((ions[0, :-1], ions[1, :-1], lignin, carbohydrate, ions[:, -1]))


def _react(
    ions: np.ndarray, lignin: np.ndarray, carbohydrate: np.ndarray, kelvin: float, step: float, wood: Wood
) -> tuple[np.ndarray, np.ndarray]:
    """React in every cell for a step, taking what is used from the ions in place."""
    b_lignin, b_carbohydrate, b_sulphide = wood.alkali
    per_litre = 10 / (NAOH_G_PER_MOL * VOID_L_PER_KG)
    oh, hs = ions[0, :-1], ions[1, :-1]
    d_lignin, share = _cell_rates(kelvin, lignin, np.maximum(oh, 1e-9), np.maximum(hs, 0.0), wood)
    half = step / 2
    used = per_litre * (b_lignin + b_carbohydrate * share) * d_lignin
    middle_oh = np.maximum(oh + half * used, 1e-9)
    middle_hs = np.maximum(hs + half * per_litre * b_sulphide * d_lignin, 0.0)
    d_lignin, share = _cell_rates(kelvin, lignin + half * d_lignin, middle_oh, middle_hs, wood)
    ions[0, :-1] = np.maximum(oh + step * per_litre * (b_lignin + b_carbohydrate * share) * d_lignin, 1e-9)
    ions[1, :-1] = np.maximum(hs + step * per_litre * b_sulphide * d_lignin, 0.0)
    return lignin + step * d_lignin, carbohydrate + step * share * d_lignin


def _mobility(oh: np.ndarray, lignin: np.ndarray, kelvin: float) -> np.ndarray:
    """Return how fast ions spread in each cell, cm²/min."""
    acid = np.maximum(14 + np.log10(np.maximum(oh, 1e-9)), 0.0)
    still = 0.057 * math.sqrt(kelvin) * math.exp(-2452.4 / kelvin)
    spread: np.ndarray = still * (-2.0 * lignin / 100 + 0.13 * acid**0.55 + 0.58)
    return spread


def _spread(ions: np.ndarray, spread: np.ndarray, dx: float, free: float, step: float) -> np.ndarray:
    """Diffuse both ions for a step, cells and free liquor together."""
    between = np.concatenate(([2 * spread[0]], (spread[:-1] + spread[1:]) / 2)) / dx**2
    size = CELLS + 1
    matrix = np.zeros((size, size))
    cells = np.arange(CELLS)
    outer = np.concatenate(([CELLS], cells[:-1]))  # what lies outside each cell: the free liquor, then the cell before
    room = VOID_L_PER_KG / CELLS / free
    np.add.at(matrix, (cells, outer), between)
    np.add.at(matrix, (cells, cells), -between)
    inner = outer[1:]
    np.add.at(matrix, (inner, cells[1:]), between[1:])
    np.add.at(matrix, (inner, inner), -between[1:])
    matrix[CELLS, 0] += room * between[0]
    matrix[CELLS, CELLS] -= room * between[0]
    half = 0.5 * step * matrix
    unit = np.eye(size)
    moved: np.ndarray = np.linalg.solve(unit - half, (unit + half) @ ions.T).T
    return moved


def _cell_rates(
    kelvin: float, lignin: np.ndarray, oh: np.ndarray, hs: np.ndarray, wood: Wood
) -> tuple[np.ndarray, np.ndarray]:
    """Return lignin rates and carbohydrate shares cell by cell; a starved core stands still."""
    initial = -wood.rate[0] * 36.2 * math.sqrt(kelvin) * math.exp(-4807.69 / kelvin) * lignin * oh / (oh + 0.01)
    alkali = math.exp(35.19 - 17200 / kelvin) * oh + math.exp(29.23 - 14400 / kelvin) * np.sqrt(oh) * hs**0.4
    bulk = -wood.rate[1] * alkali * lignin
    residual = -wood.rate[2] * math.exp(19.64 - 10804 / kelvin) * oh**0.7 * lignin
    first, last = lignin > wood.to_bulk_pct, lignin <= wood.to_residual_pct
    rate = np.where(first, initial, np.where(last, residual, bulk))
    share = np.where(first, wood.carbohydrate[0] * oh**0.11, np.where(last, wood.carbohydrate[2], wood.carbohydrate[1]))
    return rate, share
