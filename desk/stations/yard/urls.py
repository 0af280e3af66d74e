"""Addresses of the yard."""

from django.urls import URLPattern, path

from desk.stations.yard.pages import blend, cane, chips, lots, overview, pile


def urls() -> list[URLPattern]:
    """Return them."""
    return [
        path("yard/trip/", overview.trip, name="yard_trip"),
        path("yard/trip/<int:pk>/take-back/", overview.trip_back, name="yard_trip_back"),
        path("yard/release/", overview.release, name="yard_release"),
        path("yard/lots/", lots.page, name="yard_lots"),
        path("yard/lots/tests/", lots.tests_of, name="yard_tests"),
        path("yard/lots/weigh/", lots.work_out, name="yard_weigh"),
        path("yard/lots/receive/", lots.take, name="yard_receive"),
        path("yard/lots/<str:number>/", lots.lot_page, name="yard_lot"),
        path("yard/lots/<str:number>/correct/", lots.correct, name="yard_correct"),
        path("yard/pile/<slug:pile_id>/", pile.page, name="yard_pile"),
        path("yard/pile/<slug:pile_id>/draw/", pile.draw, name="yard_draw"),
        path("yard/pile/<slug:pile_id>/undo/", pile.undo, name="yard_undo"),
        path("yard/pile/<slug:pile_id>/survey/", pile.take_survey, name="yard_survey"),
        path("yard/chips/", chips.page, name="yard_chips"),
        path("yard/chips/classify/", chips.take, name="yard_classify"),
        path("yard/chips/<int:pk>/correct/", chips.correct, name="yard_class_correct"),
        path("yard/chips/knife/", chips.knife, name="yard_knife"),
        path("yard/cane/", cane.page, name="yard_cane"),
        path("yard/blend/", blend.page, name="yard_blend"),
        path("yard/blend/try/", blend.work_out, name="yard_blend_try"),
        path("yard/blend/accept/", blend.accept, name="yard_blend_accept"),
    ]
