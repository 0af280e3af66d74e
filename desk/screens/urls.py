"""Addresses of the screens. The line is in the address: what is written belongs to it."""

from django.urls import URLPattern, include, path

from desk.floor.station import Station, stations
from desk.frame.page import frame, only_where
from desk.screens import entry, files, gallery, handover, line, log, methods, order, shift, views, witness
from desk.stations.plain import page as station


def files_of(one: Station) -> list[URLPattern]:
    """Return the addresses of a station's records in and out."""
    part, given = one.kind, {"part": one.kind}
    return [
        path(f"{part}/files/", files.page, given, name=f"{part}_files"),
        path(f"{part}/files/preview/", files.preview, given, name=f"{part}_preview"),
        path(f"{part}/files/<int:pk>/", files.staged, given, name=f"{part}_staged"),
        path(f"{part}/files/<int:pk>/keep/", files.keep, given, name=f"{part}_keep"),
        path(f"{part}/files/<int:pk>/go-on/", files.go_on, given, name=f"{part}_go_on"),
        path(f"{part}/files/<int:pk>/drop/", files.drop, given, name=f"{part}_drop"),
        path(f"{part}/files/<slug:table>.<slug:form>", files.export, given, name=f"{part}_export"),
    ]


def of_stations() -> list[URLPattern]:
    """Return the addresses of every station, open only on lines it serves; its files before what it names by words."""
    found = []
    for one in stations():
        own = [*(files_of(one) if one.tables else []), *one.urls()]
        found += [only_where(one, address) for address in own]
    return found


on_line = [
    path("", line.page, name="line"),
    path("order/", order.page, name="order"),
    path("order/try/", order.attempt, name="order_try"),
    path("order/accept/", order.accept, name="order_accept"),
    path("order/<int:pk>/withdraw/", order.withdraw, name="order_withdraw"),
    path("at/<slug:station_id>/", station.page, name="station"),
    path("at/<slug:station_id>/panels/<slug:panel_id>/", station.panel, name="set_panel"),
    path("at/<slug:station_id>/set/<slug:panel_id>/", station.set_points, name="panel"),
    *of_stations(),
    path("log/", log.page, name="log"),
    path("log/note/", log.note, name="note"),
    path("log/<int:pk>/correct/", log.correct_entry, name="correct"),
    path("hand-over/", handover.page, name="handover"),
    path("hand-over/sign/", handover.sign_sheet, name="sign"),
    path("hand-over/open/", shift.open_one, name="point_open"),
    path("hand-over/points/<int:pk>/renew/", shift.renew_one, name="point_renew"),
    path("hand-over/points/<int:pk>/close/", shift.close_one, name="point_close"),
    path("hand-over/stop/", shift.stop, name="stop"),
    path("hand-over/stops/<int:pk>/end/", shift.end_stop, name="stop_end"),
    path("hand-over/<int:pk>/take/", handover.take, name="handover_take"),
    path("hand-over/sheet.pdf", handover.draft_pdf, name="handover_draft"),
    path("hand-over/<int:pk>/", handover.kept, name="handover_kept"),
    path("hand-over/<int:pk>/sheet.pdf", handover.kept_pdf, name="handover_pdf"),
    path("frame/", frame, name="frame"),
    path("working/", views.working, name="working"),
    path("entry/read/", entry.read, name="entry_read"),
    path("entry/record/", entry.record, name="entry_record"),
    path("witness/<slug:tag_id>/", witness.page, name="witness"),
    path("witness/<slug:tag_id>/trim/", witness.trim, name="witness_trim"),
    path("witness/<slug:tag_id>/take-back/", witness.take_back, name="witness_take_back"),
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
