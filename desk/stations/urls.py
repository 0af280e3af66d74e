"""Addresses of the screens. The line is in the address: what is written belongs to it."""

from django.urls import include, path

from desk.stations import views
from desk.stations.pages import cook, entry, gallery, handover, line, log, methods, order, station
from desk.stations.pages.yard import blend, cane, chips, files, lots, overview, pile

yard_pages = [
    path("yard/trip/", overview.trip, name="yard_trip"),
    path("yard/release/", overview.release, name="yard_release"),
    path("yard/lots/", lots.page, name="yard_lots"),
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
    path("yard/files/", files.page, name="yard_files"),
    path("yard/files/preview/", files.preview, name="yard_preview"),
    path("yard/files/<int:pk>/", files.staged, name="yard_staged"),
    path("yard/files/<int:pk>/keep/", files.keep, name="yard_keep"),
    path("yard/files/<slug:table>.<slug:form>", files.export, name="yard_export"),
]
on_line = [
    path("", line.page, name="line"),
    path("order/", order.page, name="order"),
    path("order/try/", order.attempt, name="order_try"),
    path("order/accept/", order.accept, name="order_accept"),
    path("at/<slug:station_id>/", station.page, name="station"),
    path("at/<slug:station_id>/set/", station.set_points, name="set"),
    path("at/<slug:station_id>/set/<slug:panel_id>/", station.set_points, name="panel"),
    *yard_pages,
    path("cook/<int:number>/", cook.page, name="cook"),
    path("cook/<int:number>/blow/", cook.blow, name="blow"),
    path("log/", log.page, name="log"),
    path("log/note/", log.note, name="note"),
    path("log/<int:pk>/correct/", log.correct_entry, name="correct"),
    path("hand-over/", handover.page, name="handover"),
    path("hand-over/sign/", handover.sign_sheet, name="sign"),
    path("hand-over/sheet.pdf", handover.draft_pdf, name="handover_draft"),
    path("hand-over/<int:pk>/", handover.kept, name="handover_kept"),
    path("hand-over/<int:pk>/sheet.pdf", handover.kept_pdf, name="handover_pdf"),
    path("working/", views.working, name="working"),
    path("entry/read/", entry.read, name="entry_read"),
    path("entry/record/", entry.record, name="entry_record"),
    path("trend/<slug:tag_id>/", views.trend, name="trend"),
    path("methods/", methods.page, name="methods"),
    path("methods/<slug:name>/", methods.entry, name="method"),
]
urlpatterns = [
    path("", views.home, name="home"),
    path("components/", gallery.page, name="gallery"),
    path("<slug:world_slug>/", include(on_line)),
]
