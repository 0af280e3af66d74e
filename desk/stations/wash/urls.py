"""Addresses of the washing."""

from django.urls import URLPattern, path

from desk.stations.wash import machine, pages


def urls() -> list[URLPattern]:
    """Return them."""
    return [
        path("wash/rounds/", pages.rounds, name="wash_rounds"),
        path("wash/rounds/take/", pages.take, name="wash_take"),
        path("wash/mats/judge/", pages.judge_mat, name="wash_mat"),
        path("wash/<slug:unit_id>/", pages.line, name="wash_line"),
        path("wash/<slug:unit_id>/<int:number>/", machine.machine, name="wash_machine"),
        path("wash/<slug:unit_id>/try/", pages.work_out, name="wash_try"),
    ]
