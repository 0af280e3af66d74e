"""Addresses of the screens. The line is in the address: what is written belongs to it."""

from django.urls import URLPattern, include, path

from desk.frame.page import frame
from desk.screens import entry, files, gallery, handover, line, log, methods, order, views
from desk.stations.cook.pages import charge, done, liquor, relation, what_if
from desk.stations.cook.pages import overview as cook
from desk.stations.plain import page as station
from desk.stations.yard.pages import blend, cane, chips, lots, overview, pile


def files_of(part: str) -> list[URLPattern]:
    """Return the addresses of a station's records in and out."""
    given = {"part": part}
    return [
        path(f"{part}/files/", files.page, given, name=f"{part}_files"),
        path(f"{part}/files/preview/", files.preview, given, name=f"{part}_preview"),
        path(f"{part}/files/<int:pk>/", files.staged, given, name=f"{part}_staged"),
        path(f"{part}/files/<int:pk>/keep/", files.keep, given, name=f"{part}_keep"),
        path(f"{part}/files/<slug:table>.<slug:form>", files.export, given, name=f"{part}_export"),
    ]


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
    *files_of("yard"),
]
cook_pages = [
    path("cook/", cook.house, name="cook_house"),
    path("cook/charge/", charge.page, name="cook_charge"),
    path("cook/charge/try/", charge.work_out, name="cook_charge_try"),
    path("cook/charge/plan/", charge.plan, name="cook_plan"),
    path("cook/liquor/", liquor.page, name="cook_liquor"),
    path("cook/liquor/try/", liquor.work_out, name="cook_liquor_try"),
    path("cook/liquor/take/", liquor.take, name="cook_liquor_take"),
    path("cook/liquor/<int:pk>/correct/", liquor.correct, name="cook_liquor_correct"),
    path("cook/done/", done.page, name="cook_done"),
    path("cook/done/take/", done.take, name="cook_result"),
    path("cook/relation/", relation.page, name="cook_relation"),
    path("cook/relation/accept/", relation.accept, name="cook_relation_accept"),
    *files_of("cook"),
    path("cook/<int:number>/", cook.page, name="cook"),
    path("cook/<int:number>/step/", cook.step, name="cook_step"),
    path("cook/<int:number>/blow/", cook.step, {"kind": "blow"}, name="blow"),
    path("cook/<int:number>/gauges/", cook.gauges, name="cook_gauges"),
    path("cook/<int:number>/step/<int:pk>/correct/", cook.correct, name="cook_step_correct"),
    path("cook/<int:number>/what-if/", what_if.work_out, name="cook_what_if"),
    path("cook/<int:number>/sheet/", charge.sheet, name="cook_sheet"),
    path("cook/<int:number>/sheet.pdf", charge.pdf, name="cook_sheet_pdf"),
    path("cook/<int:number>/start/", charge.start, name="cook_start"),
    path("cook/<int:number>/result/correct/", done.correct, name="cook_result_correct"),
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
    *cook_pages,
    path("log/", log.page, name="log"),
    path("log/note/", log.note, name="note"),
    path("log/<int:pk>/correct/", log.correct_entry, name="correct"),
    path("hand-over/", handover.page, name="handover"),
    path("hand-over/sign/", handover.sign_sheet, name="sign"),
    path("hand-over/sheet.pdf", handover.draft_pdf, name="handover_draft"),
    path("hand-over/<int:pk>/", handover.kept, name="handover_kept"),
    path("hand-over/<int:pk>/sheet.pdf", handover.kept_pdf, name="handover_pdf"),
    path("frame/", frame, name="frame"),
    path("working/", views.working, name="working"),
    path("entry/read/", entry.read, name="entry_read"),
    path("entry/record/", entry.record, name="entry_record"),
    path("trend/<slug:tag_id>/", views.trend, name="trend"),
    path("methods/", methods.page, name="methods"),
    path("methods/<slug:name>/", methods.entry, name="method"),
]
urlpatterns = [
    path("", views.home, name="home"),
    path("lines/", views.lines, name="lines"),
    path("components/", gallery.page, name="gallery"),
    path("<slug:world_slug>/", include(on_line)),
]
