"""Addresses of the moves."""

from django.urls import URLPattern, path

from desk.stations.moves import pages


def urls() -> list[URLPattern]:
    """Return them."""
    return [
        path("moves/", pages.page, name="moves"),
        path("moves/make/", pages.make, name="move_make"),
        path("moves/card/<slug:tag_id>/", pages.by_card, name="move_card"),
        path("moves/<int:pk>/take-back/", pages.take_back, name="move_back"),
        path("moves/learn/", pages.learn, name="move_learn"),
    ]
