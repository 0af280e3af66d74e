"""What is done at the reel when a test comes back bad: dye trimmed by what it shows, paper held that may be bad too."""

from stock.working import Arg, Example, method


@method(
    "change_pct = 100 * (wanted_ks - now_ks) / (now_ks - undyed_ks)",
    title="Dye to trim for a shade",
    station="delivery",
    source="Kubelka-Munk: what a dye absorbs adds to the sheet's own and goes with its dose",
    example=Example({"now_ks": 0.13, "wanted_ks": 0.11, "undyed_ks": 0.02}, {"change_pct": -18.18}),
    now_ks=Arg("K/S of the dyed band now", 0, 100, above=True),
    wanted_ks=Arg("K/S wanted", 0, 100),
    undyed_ks=Arg("K/S of the sheet with no dye", 0, 100),
)
def dye_trim_pct(*, now_ks: float, wanted_ks: float, undyed_ks: float = 0.0) -> float:
    """Return by how many per cent the dose of a dye is to change for the shade wanted.

    Raises
    ------
    DomainError
        E_SINGULAR where the sheet shows no dye at all.
    """
    return 100 * (wanted_ks - now_ks) / (now_ks - undyed_ks)


@method(
    "held_t = reel_t_per_h * (since_h + lag_h)",
    title="Paper to hold after a bad test",
    station="delivery",
    source="all that was made since the last good test, and what was on its way to it",
    example=Example({"reel_t_per_h": 12.8, "since_h": 4, "lag_h": 0.5}, {"held_t": 57.6}),
    reel_t_per_h=Arg("rate at the reel", 0, 200),
    since_h=Arg("hours since the last good test", 0, 168),
    lag_h=Arg("from the dose to the reel", 0, 24),
)
def paper_held_t(*, reel_t_per_h: float, since_h: float, lag_h: float = 0.5) -> float:
    """Return the paper that is held until it has been tested roll by roll."""
    return reel_t_per_h * (since_h + lag_h)
