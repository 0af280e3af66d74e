"""Every error the core raises on purpose: data first, wording second."""

from typing import Any, Final

CODES: Final[dict[str, str]] = {
    "E_TYPE": "missing, text where a number belongs, or not finite",
    "E_UNIT": "basis or unit missing or unknown",
    "E_RANGE": "impossible, or outside a hard limit",
    "E_COUNT": "too few points, or lists of unequal length",
    "E_SUM": "shares that do not add up",
    "E_ORDER": "values in an impossible order",
    "E_EXTRAP": "outside the data a fit was made from",
    "E_LIMIT": "a motor, pump, tank or count limit is exceeded",
    "E_INFEASIBLE": "legal inputs, but the target cannot be met",
    "E_SINGULAR": "an undefined ratio, or a loop with no exit",
    "E_OBSERV": "cannot be determined from the data",
    "E_BALANCE": "measured streams contradict a mass balance",
}


class DomainError(ValueError):
    """A refusal by the core: which argument, its value, what is allowed.

    Attributes
    ----------
    code : str
        One of `CODES`.
    argument : str
        The name of the argument at fault, as the caller wrote it.
    allowed : str
        What would have been accepted, in the reader's units.
    message : str
        One sentence an operator can act on.
    """

    def __init__(self, code: str, argument: str, message: str, allowed: str = "") -> None:
        """Keep the facts as attributes; the message is the text of the exception."""
        if code not in CODES:
            unknown = f"unknown error code {code}"
            raise KeyError(unknown)
        super().__init__(message)
        self.code = code
        self.argument = argument
        self.message = message
        self.allowed = allowed

    def as_dict(self) -> dict[str, Any]:
        """Return the error as plain data, ready for JSON."""
        return {"code": self.code, "argument": self.argument, "message": self.message, "allowed": self.allowed}
