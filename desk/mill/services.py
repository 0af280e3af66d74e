"""Writing line definitions."""

from desk.mill.models import DefinitionVersion
from stock.line.proof import proven


def approve_definition(text: str, approved_by: str, note: str = "") -> DefinitionVersion:
    """Keep a definition as the next version; one already kept is returned as it is.

    Raises
    ------
    DefinitionError
        With every fault found, of the file and of what it comes to; nothing is kept.
    """
    proven(text)
    digest = DefinitionVersion.digest(text)
    if (known := DefinitionVersion.objects.filter(sha256=digest).first()) is not None:
        return known
    last = DefinitionVersion.objects.order_by("-number").values_list("number", flat=True).first() or 0
    return DefinitionVersion.objects.create(
        number=last + 1, text=text, sha256=digest, approved_by=approved_by, note=note
    )
