"""The locked dependencies against a shipped snapshot of advisories: works without a network, and says how old it is."""

import json
import re
import sys
from datetime import UTC, date, datetime
from typing import Final

from running.place import ROOT

SNAPSHOT: Final = ROOT / "docs" / "advisories.json"
OLD_DAYS: Final = 90


def locked() -> dict[str, str]:
    """Return every locked package with its version."""
    found = {}
    for name in ("requirements.txt", "requirements-dev.txt"):
        for line in (ROOT / name).read_text(encoding="utf-8").splitlines():
            if match := re.match(r"([A-Za-z0-9_.-]+)==([^ ;\\]+)", line):
                found[match[1].lower().replace("_", "-")] = match[2]
    return found


def parts_of(version: str) -> tuple[int, ...]:
    """Return a version as numbers that can be compared; what follows them is left out."""
    return tuple(int(part) for part in re.findall(r"\d+", version.partition("+")[0])[:4])


def concerns(version: str, advisory: dict[str, str]) -> bool:
    """Whether an advisory is about a version: from `from`, up to but not `fixed`."""
    low, high = advisory.get("from", "0"), advisory.get("fixed", "")
    return parts_of(low) <= parts_of(version) and (not high or parts_of(version) < parts_of(high))


def main() -> int:
    """Look up, and say."""
    packages = locked()
    try:
        snapshot = json.loads(SNAPSHOT.read_text(encoding="utf-8"))
        taken = date.fromisoformat(snapshot["taken"])
        advisories = snapshot["advisories"]
    except (OSError, ValueError, KeyError) as error:
        print(f"The audit could not be made: {SNAPSHOT.name} is not there or not readable ({error}).")
        return 2
    found = [one for one in advisories if one["package"] in packages and concerns(packages[one["package"]], one)]
    for one in found:
        print(f"{one['package']} {packages[one['package']]}: {one['id']}, {one['summary']}; mended in {one['fixed']}")
    age = (datetime.now(UTC).date() - taken).days
    print(
        f"{len(packages)} locked packages, {len(advisories)} advisories of {taken}, {age} days old: {len(found)} concern us."
    )
    if age > OLD_DAYS or not advisories:
        print("The snapshot is old or empty: this says nothing of what was found since. Bring a newer one.")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
