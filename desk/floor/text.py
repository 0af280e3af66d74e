"""Text as people write it: without what nobody sees."""

import unicodedata


def seen(text: str) -> str:
    """Return a text without what cannot be seen: controls, marks of direction, halves of characters."""
    kept = {"\n", "\t"}
    return "".join(
        one for one in text if one in kept or unicodedata.category(one) not in ("Cc", "Cf", "Cs", "Co", "Cn")
    )


def whole(text: str) -> int:
    """Return the whole number a text of an address is, -1 where it is none: plain digits, no more than fifteen."""
    return int(text) if text.isascii() and text.isdigit() and len(text) <= 15 else -1
