"""Which line a part works for: by its address, or by the definition it was made from."""

from pathlib import Path

from django.core.management.base import CommandError

from desk.floor.models import World
from desk.mill.models import DefinitionVersion


def world_of(slug: str, mill: Path | None) -> World:
    """Return the line asked for; CommandError where there is none."""
    worlds = World.objects.select_related("version")
    if mill is None:
        found = worlds.filter(slug=slug).first()
        if found is None:
            message = f"there is no line at /{slug}/ in this database"
            raise CommandError(message)
        return found
    digest = DefinitionVersion.digest(mill.read_text(encoding="utf-8"))
    found = worlds.filter(version__sha256=digest).first()
    if found is None:
        message = f"no line in this database was made from {mill} as it is now"
        raise CommandError(message)
    return found
