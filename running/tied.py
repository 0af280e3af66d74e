"""`python -m running.tied COMMAND`: run a command that ends with whoever started it, however that ends."""

import ctypes
import os
import signal
import sys
from typing import Final

PR_SET_PDEATHSIG: Final = 1


def main() -> None:
    """Tie this process to its parent, then become the command."""
    if sys.platform == "linux":
        parent = os.getppid()
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
        if os.getppid() != parent:  # it ended before the tie held
            sys.exit(1)
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(number, signal.SIG_DFL)
    os.execvp(sys.argv[1], sys.argv[1:])  # noqa: S606  the supervisor's own command


if __name__ == "__main__":
    main()
