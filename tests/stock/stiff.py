"""A cook of the three-phase kinetics by SciPy's stiff solver at tight tolerance: what ours is held against."""

import numpy as np
from scipy.integrate import solve_ivp

from stock.cooking.alkali import NAOH_G_PER_MOL
from stock.cooking.kinetics import KELVIN, _phase, _slope, start_ions


def stiff_end(times, celsius, charge_pct, sulphidity, liquor_to_wood, wood):
    """Return lignin, carbohydrate, hydroxide and hydrosulphide at the end of a cook."""
    scale = 10 / (NAOH_G_PER_MOL * liquor_to_wood)
    state = np.array(
        [wood.lignin_pct, wood.carbohydrate_pct, *start_ions(charge_pct, sulphidity, liquor_to_wood, wood)]
    )
    at, phase, end = float(times[0]), _phase(state[0], wood), float(times[-1])
    while at < end:
        border = (wood.to_bulk_pct, wood.to_residual_pct, -1.0)[phase]

        def slope(t, y, phase=phase):
            return _slope(tuple(y), phase, float(np.interp(t, times, celsius)) + KELVIN, scale, wood)

        def crossed(t, y, border=border):
            return y[0] - border

        crossed.terminal = True
        found = solve_ivp(slope, (at, end), state, method="Radau", rtol=1e-9, atol=1e-11, events=crossed, max_step=5)
        state, at, phase = found.y[:, -1], found.t[-1], phase + 1
    return state
