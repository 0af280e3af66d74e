"""Words the screens put together."""

from stock.units import readable

NUMBERS = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine")


def lower_first(text: str) -> str:
    """Start a name small, to stand inside a sentence."""
    return text[:1].lower() + text[1:]


def number_word(number: int) -> str:
    """Write a small number as a word that opens a sentence."""
    return NUMBERS[number] if number < len(NUMBERS) else str(number)


def rate_text(t_per_h: float) -> str:
    """Write what the machine, or a sheet mould, is asked for."""
    value, unit = readable(t_per_h, "t/h")
    return f"{value:g} {unit}"
