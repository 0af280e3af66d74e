"""Whether the desk is well, for a monitor: parts, age of readings, disk, last copy. It tells nothing of the mill."""

import shutil
from datetime import UTC, datetime
from typing import Any, Final

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError, connection
from django.http import HttpRequest, JsonResponse

from desk.floor.parts import running, told

LEAST_FREE: Final = 500_000_000
OLD_S: Final = 300


@login_not_required
def health(request: HttpRequest) -> JsonResponse:  # noqa: ARG001  every view takes one
    """Answer 200 where all is well, else 503; what is not well is named."""
    now = datetime.now(UTC)
    faults: list[str] = []
    found: dict[str, Any] = {"at": now.isoformat(timespec="seconds")}
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT slug FROM floor_world ORDER BY id")
            slugs = [slug for (slug,) in cursor.fetchall()]
    except DatabaseError:
        faults.append("database")
        slugs = []
    parts = running(now)
    found["parts"] = {one["name"]: {"running": one["running"], "restarts": one["restarts"]} for one in parts}
    faults += [f"part {one['name']}" for one in parts if not one["running"]]
    found["readings"] = {}
    for slug in slugs:
        collector = told(f"collector-{slug}", now)
        if collector:
            age = now.timestamp() - collector["newest_s"] if collector["newest_s"] else None
            found["readings"][slug] = {
                "age_s": None if age is None else round(age), "waiting": collector["waiting"], "dropped": collector["dropped"]
            }  # fmt: skip
            if age is None or age > OLD_S:
                faults.append(f"readings of {slug}")
    free = shutil.disk_usage(settings.VAR).free
    found["disk_free_mb"] = free // 1_000_000
    if free < LEAST_FREE:
        faults.append("disk")
    copy = _last_copy()
    if copy is not None:
        found["last_copy_age_h"] = round((now.timestamp() - copy["last_s"]) / 3600, 1) if copy["last_s"] else None
        if not copy["ok"]:
            faults.append("copy")
    found["faults"] = faults
    return JsonResponse(found, status=503 if faults else 200)


def _last_copy() -> dict[str, Any] | None:
    import json

    try:
        copy: dict[str, Any] = json.loads((settings.FOX_PARTS / "backup.json").read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return None
    return copy if {"last_s", "ok"} <= set(copy) else None
