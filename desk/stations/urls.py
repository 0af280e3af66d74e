"""Addresses of the screens. The line is in the address: what is written belongs to it."""

from django.urls import include, path

from desk.stations import views
from desk.stations.pages import cook, entry, gallery, handover, line, log, methods, order, station

on_line = [
    path("", line.page, name="line"),
    path("order/", order.page, name="order"),
    path("order/try/", order.attempt, name="order_try"),
    path("order/accept/", order.accept, name="order_accept"),
    path("at/<slug:station_id>/", station.page, name="station"),
    path("at/<slug:station_id>/set/", station.set_points, name="set"),
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
