"""Every address of the desk."""

from django.urls import URLPattern, URLResolver, include, path

from desk.keep.health import health

urlpatterns: list[URLPattern | URLResolver] = [
    path("health/", health, name="health"),
    path("", include("desk.people.urls")),
    path("", include("desk.screens.urls")),
]
handler400 = "desk.floor.faults.unreadable"
handler403 = "desk.floor.faults.closed"
handler404 = "desk.floor.faults.not_found"
handler500 = "desk.floor.faults.broken"
