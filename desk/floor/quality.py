"""What a server says of a value it does not vouch for, in words. The numbers are those of OPC UA, part 8."""

from typing import Final

WORDS: Final = {
    0x80740000: "the value is no number",
    0x808A0000: "not connected",
    0x808B0000: "device failure",
    0x808C0000: "sensor failure",
    0x808D0000: "out of service",
    0x80310000: "no communication",
    0x80320000: "waiting for its first value",
    0x80890000: "configuration error",
}


def quality_words(code: int) -> str:
    """Return why a value of bad quality is none."""
    return WORDS.get(code & 0xFFFF0000, f"bad quality, status 0x{code & 0xFFFFFFFF:08X}")
