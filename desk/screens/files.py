"""Files: a station's records in and out, through a preview that says row by row what is wrong."""

from datetime import timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import UploadedFile
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from desk.exchange.models import Dropped, Staged
from desk.exchange.reading import FORMS, MOST_BYTES, MOST_ROWS, read_rows, write_rows
from desk.exchange.tables import Checked, Table, check, keep_some
from desk.floor import clock
from desk.floor.services import require
from desk.floor.state import State
from desk.floor.station import Station, stations
from desk.floor.text import seen, whole
from desk.frame.forms import words_of
from desk.frame.page import on_line, signed_in, tabs_of
from desk.frame.page import page as render_page
from desk.people.models import Person
from desk.people.roles import who_may

SHOWN: Final = 60
BROKEN_BACK: Final = timedelta(days=1)
FORGOTTEN: Final = timedelta(days=2)  # a file nobody went on with


def _station(part: str) -> Station:
    return next(one for one in stations() if one.kind == part)


def _context(state: State, part: str) -> dict[str, Any]:
    return {
        "here": state.line.stop_id(part) or part,
        "tabs": tabs_of(state, _station(part), f"{part}_files"),
        "tabs_label": _station(part).title,
        "part": part,
        "refused": "",
        "addresses": {name: f"{part}_{name}" for name in ("files", "preview", "keep", "export")},
    }


def show(request: HttpRequest, state: State, part: str, *, refused: str = "", done: str = "") -> HttpResponse:
    """Show what can be brought in and taken out."""
    context, tables = _context(state, part), list(_station(part).tables.values())
    person = signed_in(request)
    context |= {
        "sentence": done
        or f"The records of the {_station(part).title.lower()}, out as CSV, XLSX or JSON, and in again through a preview.",
        "tables": tables,
        "offered": [table for table in tables if table.may_bring(person)],
        "closed": [(table.title, who_may(table.actions[0])) for table in tables if not table.may_bring(person)],
        "broken": Dropped.objects.filter(
            world=state.world, kind__in=list(_station(part).takers), at__gt=state.now - BROKEN_BACK
        ).exclude(reason=""),
        "forms": list(FORMS),
        "most_rows": MOST_ROWS,
        "most_mb": MOST_BYTES // 1_000_000,
        "refused": refused,
    }
    return render_page(
        request, state, "files/page.html", context, here=state.line.stop_id(part), status=422 if refused else 200
    )


@on_line
def page(request: HttpRequest, state: State, part: str) -> HttpResponse:
    """Show the files page."""
    kept = request.GET.get("kept", "")
    done = f"{whole(kept)} records were imported." if whole(kept) > 0 else ""
    return show(request, state, part, done=done)


@on_line
@require_POST
def preview(request: HttpRequest, state: State, part: str) -> HttpResponse:
    """Read an uploaded file and keep its rows until they are looked at."""
    person = signed_in(request)
    table = _station(part).tables.get(request.POST.get("table", ""))
    upload = request.FILES.get("file")
    if table is None:
        raise Http404
    _may_bring(person, table)
    if not isinstance(upload, UploadedFile):
        return show(request, state, part, refused="No file was chosen; nothing was imported.")
    if (upload.size or 0) > MOST_BYTES:
        return show(
            request, state, part, refused=f"The file is larger than {MOST_BYTES // 1_000_000} MB; nothing was imported."
        )
    try:
        rows = read_rows(upload.name or "", upload.read())
    except ValidationError as error:
        return show(request, state, part, refused=f"Nothing was imported: {words_of(request, error)}.")
    Staged.objects.filter(by=person, kept_at=None, at__lt=clock.now() - FORGOTTEN).delete()
    staged = Staged.objects.create(
        world=state.world, table=table.id, name=seen(upload.name or "")[:120], rows=rows, by=person
    )
    _check_on(staged, table, person)
    return redirect(f"{part}_staged", world_slug=state.world.slug, pk=staged.pk)


def _may_bring(person: Person, table: Table) -> None:
    if not table.may_bring(person):
        require(person, table.actions[0])


def _check_on(one: Staged, table: Table, person: Person) -> None:
    """Try the next piece of a file's rows, and keep what is wrong with each."""
    tried = check(table, one.world, person, one.rows, f"p{one.pk}", len(one.checked))
    one.checked = [*one.checked, *(list(row.faults) for row in tried)]
    one.save(update_fields=["checked"])


def _mine(request: HttpRequest, state: State, part: str, pk: int) -> Staged:
    return get_object_or_404(
        Staged, pk=pk, world=state.world, by=signed_in(request), kept_at=None, table__in=list(_station(part).tables)
    )


@on_line
def staged(request: HttpRequest, state: State, part: str, pk: int) -> HttpResponse:
    """Show what an import would do, row by row."""
    return _preview(request, state, part, _mine(request, state, part, pk))


def _preview(request: HttpRequest, state: State, part: str, one: Staged, refused: str = "") -> HttpResponse:
    table = _station(part).tables[one.table]
    tried = [
        Checked(index + 2, [row.get(name, "") for name in table.names], faults)
        for index, (row, faults) in enumerate(zip(one.rows, one.checked, strict=False))
    ]
    wrong = [row for row in tried if row.faults]
    context = _context(state, part)
    context |= {
        "sentence": f"{one.name}: {_verdict(one, len(wrong))}",
        "one": one,
        "table": table,
        "wrong": wrong[:SHOWN],
        "right": [row for row in tried if not row.faults][: max(0, SHOWN - len(wrong))],
        "more": max(0, len(one.rows) - SHOWN),
        "refused": refused,
        "addresses": {**context["addresses"], "go_on": f"{part}_go_on", "drop": f"{part}_drop"},
    }
    return render_page(
        request, state, "files/preview.html", context, here=state.line.stop_id(part), status=422 if refused else 200
    )


def _verdict(one: Staged, wrong: int) -> str:
    count = len(one.rows)
    if one.kept_rows:
        return f"{one.kept_rows} of {count} rows are kept; go on, or stop here."
    if not one.is_checked:
        return f"{len(one.checked)} of {count} rows are looked at."
    return f"{wrong} of {count} rows cannot be kept." if wrong else f"All {count} rows can be kept."


@on_line
@require_POST
def go_on(request: HttpRequest, state: State, part: str, pk: int) -> HttpResponse:
    """Look at the next piece of a long file."""
    one = _mine(request, state, part, pk)
    person, table = signed_in(request), _station(part).tables[one.table]
    _may_bring(person, table)
    if not one.is_checked:
        _check_on(one, table, person)
    return redirect(f"{part}_staged", world_slug=state.world.slug, pk=one.pk)


@on_line
@require_POST
def drop(request: HttpRequest, state: State, part: str, pk: int) -> HttpResponse:
    """Leave a file: what was kept of it stays, the rest is forgotten."""
    _mine(request, state, part, pk).delete()
    return redirect(f"{part}_files", world_slug=state.world.slug)


@on_line
@require_POST
def keep(request: HttpRequest, state: State, part: str, pk: int) -> HttpResponse:
    """Import a previewed file: a short one whole or not at all, a long one piece by piece."""
    one = _mine(request, state, part, pk)
    person, table = signed_in(request), _station(part).tables[one.table]
    if not one.is_sound:
        return _preview(request, state, part, one, refused="Not every row can be kept yet; nothing was imported.")
    try:
        one.kept_rows = keep_some(table, state.world, person, one.rows, f"i{one.pk}", one.kept_rows)
    except ValidationError as error:
        return _preview(request, state, part, one, refused=words_of(request, error))
    if one.kept_rows < len(one.rows):
        one.save(update_fields=["kept_rows"])
        return redirect(f"{part}_staged", world_slug=state.world.slug, pk=one.pk)
    one.kept_at = clock.now()
    one.save(update_fields=["kept_rows", "kept_at"])
    response = redirect(f"{part}_files", world_slug=state.world.slug)
    response["Location"] += f"?kept={one.kept_rows}"
    return response


@on_line
def export(request: HttpRequest, state: State, part: str, table: str, form: str) -> HttpResponse:
    """Send a kind of record as a file."""
    if table not in _station(part).tables or form not in FORMS:
        raise Http404
    found = _station(part).tables[table]
    response = HttpResponse(write_rows(form, found.names, found.rows(state.world)), content_type=FORMS[form])
    stamp = clock.local(state.now).strftime("%Y%m%d_%H%M")
    response["Content-Disposition"] = f'attachment; filename="{state.world.slug}_{table}_{stamp}.{form}"'
    return response
