"""What the demonstration's people share."""

from typing import Final

DEMO_SECRET: Final = "2468"  # printed on the sign-in page of the demonstration, and nowhere else of use  # noqa: S105
