"""Files: the yard's records in and out, through a preview that says row by row what is wrong."""

from typing import Final

from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import UploadedFile
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from desk.exchange.models import Staged
from desk.exchange.reading import FORMS, MOST_BYTES, MOST_ROWS, read_rows, write_rows
from desk.exchange.tables import check, keep_all
from desk.floor import clock
from desk.floor.services import require
from desk.floor.state import State
from desk.people.roles import RECORD
from desk.stations.frame import on_line, signed_in
from desk.stations.frame import page as render_page
from desk.stations.pages.yard.overview import words_of, yard_context
from desk.yard.tables import YARD_TABLES

SHOWN: Final = 60


def show(request: HttpRequest, state: State, *, refused: str = "", done: str = "") -> HttpResponse:
    """Show what can be brought in and taken out."""
    context = yard_context(state, "yard_files")
    context |= {
        "sentence": done or "The yard's records, out as CSV, XLSX or JSON, and in again through a preview.",
        "tables": list(YARD_TABLES.values()),
        "forms": list(FORMS),
        "most_rows": MOST_ROWS,
        "most_mb": MOST_BYTES // 1_000_000,
        "refused": refused,
    }
    return render_page(request, state, "yard/files.html", context, here="yard", status=422 if refused else 200)


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the files page."""
    kept = request.GET.get("kept", "")
    done = f"{kept} records were imported." if kept.isdigit() else ""
    return show(request, state, done=done)


@on_line
@require_POST
def preview(request: HttpRequest, state: State) -> HttpResponse:
    """Read an uploaded file and keep its rows until they are looked at."""
    person = signed_in(request)
    require(person, RECORD)
    table = YARD_TABLES.get(request.POST.get("table", ""))
    upload = request.FILES.get("file")
    if table is None:
        raise Http404
    if not isinstance(upload, UploadedFile):
        return show(request, state, refused="No file was chosen; nothing was imported.")
    if (upload.size or 0) > MOST_BYTES:
        return show(
            request, state, refused=f"The file is larger than {MOST_BYTES // 1_000_000} MB; nothing was imported."
        )
    try:
        rows = read_rows(upload.name or "", upload.read())
    except ValidationError as error:
        return show(request, state, refused=f"Nothing was imported: {words_of(error)}.")
    staged = Staged.objects.create(
        world=state.world, table=table.id, name=(upload.name or "")[:120], rows=rows, by=person
    )
    return redirect("yard_staged", world_slug=state.world.slug, pk=staged.pk)


def _mine(request: HttpRequest, state: State, pk: int) -> Staged:
    return get_object_or_404(Staged, pk=pk, world=state.world, by=signed_in(request), kept_at=None)


@on_line
def staged(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Show what an import would do, row by row."""
    return _preview(request, state, _mine(request, state, pk))


def _preview(request: HttpRequest, state: State, one: Staged, refused: str = "") -> HttpResponse:
    table = YARD_TABLES[one.table]
    rows = check(table, state.world, signed_in(request), one.rows, f"p{one.pk}")
    wrong = [row for row in rows if row.faults]
    context = yard_context(state, "yard_files")
    verdict = f"{len(wrong)} of {len(rows)} rows cannot be kept." if wrong else f"All {len(rows)} rows can be kept."
    context |= {
        "sentence": f"{one.name}: {verdict}",
        "one": one,
        "table": table,
        "wrong": wrong[:SHOWN],
        "right": [row for row in rows if not row.faults][: max(0, SHOWN - len(wrong))],
        "more": max(0, len(rows) - SHOWN),
        "may_keep": not wrong,
        "refused": refused,
    }
    return render_page(request, state, "yard/preview.html", context, here="yard", status=422 if refused else 200)


@on_line
@require_POST
def keep(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Import a previewed file, all of it or none."""
    one = _mine(request, state, pk)
    try:
        count = keep_all(YARD_TABLES[one.table], state.world, signed_in(request), one.rows, f"i{one.pk}")
    except ValidationError as error:
        return _preview(request, state, one, refused=words_of(error))
    one.kept_at = clock.now()
    one.save(update_fields=["kept_at"])
    response = redirect("yard_files", world_slug=state.world.slug)
    response["Location"] += f"?kept={count}"
    return response


@on_line
def export(request: HttpRequest, state: State, table: str, form: str) -> HttpResponse:
    """Send a kind of record as a file."""
    if table not in YARD_TABLES or form not in FORMS:
        raise Http404
    found = YARD_TABLES[table]
    response = HttpResponse(write_rows(form, found.names, found.rows(state.world)), content_type=FORMS[form])
    stamp = clock.local(state.now).strftime("%Y%m%d_%H%M")
    response["Content-Disposition"] = f'attachment; filename="{state.world.slug}_{table}_{stamp}.{form}"'
    return response
