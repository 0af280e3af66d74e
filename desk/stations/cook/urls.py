"""Addresses of the cook house."""

from django.urls import URLPattern, path

from desk.stations.cook.pages import charge, done, liquor, relation, sheet, what_if
from desk.stations.cook.pages import overview as cook


def urls() -> list[URLPattern]:
    """Return them."""
    return [
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
        path("cook/<int:number>/", cook.page, name="cook"),
        path("cook/<int:number>/step/", cook.step, name="cook_step"),
        path("cook/<int:number>/blow/", cook.step, {"kind": "blow"}, name="blow"),
        path("cook/<int:number>/gauges/", cook.gauges, name="cook_gauges"),
        path("cook/<int:number>/step/<int:pk>/take-back/", cook.take_back_step, name="cook_step_take_back"),
        path("cook/<int:number>/step/<int:pk>/correct/", cook.correct, name="cook_step_correct"),
        path("cook/<int:number>/what-if/", what_if.work_out, name="cook_what_if"),
        path("cook/<int:number>/sheet/", sheet.page, name="cook_sheet"),
        path("cook/<int:number>/sheet.pdf", sheet.pdf, name="cook_sheet_pdf"),
        path("cook/<int:number>/start/", sheet.start, name="cook_start"),
        path("cook/<int:number>/result/correct/", done.correct, name="cook_result_correct"),
    ]
