"""How a correction is carried out: the size of the first step, and when to look again."""

import math
from collections.abc import Sequence
from typing import Final, Literal, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method

GAIN: Final = {1: 0.5, 2: 0.7}  # share of a full correction by the results it rests on
GAIN_OF_MORE: Final = 0.8
TRUSTED_U: Final = 2.0  # a difference of so many standard uncertainties is no accident
Bound = Literal["", "band", "test", "cap", "room_up", "room_down"]


class FirstMove(NamedTuple):
    """A first step: its size, the share of the full correction, and what held it back."""

    step_moved: float
    setting_moved: float
    gain_frac: float
    uncertainty_read: float
    bound_word: Bound


@method(
    "uncertainty_read = sqrt(test_sd_read**2 / results_count + process_sd_read**2)\n"
    "leave it where the value is in its band, or abs(value_read - target_read) <= 2 * uncertainty_read\n"
    "gain_frac = gain0_frac * (1 - (uncertainty_read / (value_read - target_read))**2)\n"
    "step_moved = gain_frac * full_correction_moved / learned_ratio, cut to the cap and to the room of what is moved\n"
    "setting_moved = present_moved + step_moved",
    title="Size of a first move",
    station="judge",
    source="house rule; gains 0.5 for one result, 0.7 for the mean of two, 0.8 for more, to be fitted",
    aliases=("first_move",),
    exact=False,
    results=FirstMove._fields,
    example=Example(
        {
            "value_read": 81.9,
            "target_read": 83.5,
            "full_correction_moved": 5.74,
            "test_sd_read": 0.2,
            "process_sd_read": 0.3,
            "cap_moved": 2.4,
        },
        {"step_moved": 2.40, "gain_frac": 0.475, "uncertainty_read": 0.361},
        3e-3,
    ),
    value_read=Arg("what is read, one result or the mean of several"),
    target_read=Arg("what it should be"),
    full_correction_moved=Arg("correction in full, for what is still to come"),
    test_sd_read=Arg("standard uncertainty of one test", 0),
    process_sd_read=Arg("standard deviation of the process from test to test", 0),
    results_count=Arg("results it rests on", 1, 1000),
    cap_moved=Arg("greatest step", 0),
    room_down_moved=Arg("how far down it can go", 0),
    room_up_moved=Arg("how far up it can go", 0),
    present_moved=Arg("present setting of what is moved"),
    gain0_frac=Arg("share of the full correction, another than by the number of results", 0, 1, above=True),
    learned_ratio=Arg("what such a move does at this mill, of what is computed", 0.1, 5),
    control_low_read=Arg("low end of its band"),
    control_high_read=Arg("high end of its band"),
)
def first_step(
    *,
    value_read: float,
    target_read: float,
    full_correction_moved: float,
    test_sd_read: float,
    process_sd_read: float = 0.0,
    results_count: float = 1,
    cap_moved: float | None = None,
    room_down_moved: float | None = None,
    room_up_moved: float | None = None,
    present_moved: float = 0.0,
    gain0_frac: float | None = None,
    learned_ratio: float = 1.0,
    control_low_read: float | None = None,
    control_high_read: float | None = None,
) -> FirstMove:
    """Return the first step of a correction; nought, and why, where it is to be left."""
    error = value_read - target_read
    uncertainty = math.sqrt(test_sd_read**2 / results_count + process_sd_read**2)
    if control_low_read is not None and control_high_read is not None:
        if control_low_read > control_high_read:
            message = f"the low end of the band, {control_low_read:g}, lies over its high end, {control_high_read:g}"
            raise DomainError("E_ORDER", "control_low_read", message, f"{control_high_read:g} or less")
        if control_low_read <= value_read <= control_high_read:
            return FirstMove(0.0, present_moved, 0.0, uncertainty, "band")
    if abs(error) <= TRUSTED_U * uncertainty or error == 0:
        return FirstMove(0.0, present_moved, 0.0, uncertainty, "test")
    gain0 = GAIN.get(int(results_count), GAIN_OF_MORE) if gain0_frac is None else gain0_frac
    gain = gain0 * (1 - (uncertainty / error) ** 2)
    step, bound = gain * full_correction_moved / learned_ratio, ""
    rooms = (("cap", cap_moved), ("room_up", room_up_moved if step > 0 else None))
    for name, most in (*rooms, ("room_down", room_down_moved if step < 0 else None)):
        if most is not None and abs(step) > most:
            step, bound = math.copysign(most, step), name
    return FirstMove(step, present_moved + step, gain, uncertainty, bound)  # type: ignore[arg-type]  # of the names above


class LookAgain(NamedTuple):
    """When a move first shows, and when it has."""

    first_min: float
    settled_min: float


@method(
    "first_min = dead_min + plug_min + sum(mixed_each_min)\n"
    "settled_min = dead_min + 1.5 * plug_min + 3 * sum(mixed_each_min)",
    title="When to look again",
    station="judge",
    source="plug flow with some mixing, and first-order tanks; half of it shows at the first look, 95 % settled",
    aliases=("look_again_min",),
    exact=False,
    example=Example({"dead_min": 4, "plug_min": 150, "mixed_each_min": [12]}, {"first_min": 166, "settled_min": 265}),
    dead_min=Arg("pipe, mixer, sampling and laboratory", 0, 10_000),
    plug_min=Arg("time in towers", 0, 10_000),
    mixed_each_min=Arg("mean time in each mixed vessel", 0, 10_000, series=True, count=0),
)
def look_again(*, dead_min: float, plug_min: float = 0.0, mixed_each_min: Sequence[float] = ()) -> LookAgain:
    """Return the minutes to the first look at what a move did, and until it has settled."""
    mixed = float(np.sum(mixed_each_min))
    return LookAgain(dead_min + plug_min + mixed, dead_min + 1.5 * plug_min + 3 * mixed)
