"""Files into rows of text, whatever they come as; and rows back into files."""

import csv
import io
import json
import math
import re
import unicodedata
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final

from django.core.exceptions import ValidationError

from desk.floor.text import seen
from stock.names import present

MOST_BYTES: Final = 2_000_000
MOST_UNPACKED: Final = 40_000_000
MOST_ROWS: Final = 1000
MOST_COLUMNS: Final = 60
FORMS: Final = {
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


_NUMBER: Final = re.compile(r"[+-]?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?")
MOST_OF_A_PART: Final = 8_000_000  # bytes of one unpacked part of a workbook
MOST_STRINGS: Final = 60_000
MOST_OF_A_CELL: Final = 2_000


def read_rows(name: str, data: bytes) -> list[dict[str, str]]:
    """Return the rows of a CSV, JSON or XLSX file as text by column name, in the present spelling of its unit.

    Raises
    ------
    ValidationError
        Naming `file`: too large, not of a known kind, unreadable, empty.
    """
    if len(data) > MOST_BYTES:
        raise ValidationError({"file": f"the file is {len(data) / 1e6:.1f} MB; {MOST_BYTES / 1e6:.0f} MB is the most"})
    form = name.rpartition(".")[2].lower()
    readers = {"csv": _read_csv, "json": _read_json, "xlsx": _read_xlsx}
    if form not in readers:
        raise ValidationError({"file": f"{name[:60]} is no CSV, JSON or XLSX file by its name"})
    rows = readers[form](data)
    if not rows:
        raise ValidationError({"file": "the file holds no rows under its heading"})
    if len(rows) > MOST_ROWS:
        raise ValidationError({"file": f"the file holds {len(rows)} rows; {MOST_ROWS} at a time is the most"})
    return [{present(column): cell for column, cell in row.items()} for row in rows]


def _read_csv(data: bytes) -> list[dict[str, str]]:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ValidationError({"file": f"the file is not text in UTF-8 (byte {error.start})"}) from None
    first = text.partition("\n")[0]
    comma = ";" if first.count(";") > first.count(",") else ","
    try:
        reader = csv.reader(io.StringIO(text), delimiter=comma, strict=True)
        return _under_heading(list(_some(reader)))
    except csv.Error as error:
        raise ValidationError({"file": f"the file is not readable as CSV: {error}"}) from None


def _read_json(data: bytes) -> list[dict[str, str]]:
    try:
        found = json.loads(data, parse_constant=_no_constant)
    except (ValueError, RecursionError) as error:  # also a whole number of thousands of digits
        raise ValidationError({"file": f"the file is not readable as JSON: {str(error)[:80]}"}) from None
    if not isinstance(found, list) or not all(isinstance(row, dict) for row in found):
        raise ValidationError({"file": "the JSON must be a list of records"})
    return [{str(key)[:60]: _text(value) for key, value in list(row.items())[:MOST_COLUMNS]} for row in found]


def _no_constant(name: str) -> None:
    message = f"{name} is no number"
    raise ValueError(message)


def _read_xlsx(data: bytes) -> list[dict[str, str]]:
    from openpyxl import load_workbook

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            _refuse_bloated(packed)
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        table = [[_text(cell) for cell in row[:MOST_COLUMNS]] for row in _some(sheet.iter_rows(values_only=True))]
        book.close()
    except ValidationError:
        raise
    except Exception as error:  # noqa: BLE001  the reader raises many kinds on a broken workbook
        raise ValidationError({"file": f"the file is not readable as XLSX: {str(error)[:80]}"}) from None
    return _under_heading(table)


def _refuse_bloated(packed: zipfile.ZipFile) -> None:
    if sum(part.file_size for part in packed.infolist()) > MOST_UNPACKED:
        raise ValidationError({"file": "the workbook unpacks to more than 40 MB"})
    for part in packed.infolist():
        if part.file_size > MOST_OF_A_PART:
            raise ValidationError({"file": f"{part.filename[:60]} in the workbook unpacks to more than 8 MB"})
        if part.filename.lower().endswith("sharedstrings.xml"):  # all of it is read before the first row
            with packed.open(part) as strings:
                count = sum(chunk.count(b"<si") for chunk in iter(lambda: strings.read(65_536), b""))
            if count > MOST_STRINGS:
                raise ValidationError({"file": f"the workbook holds {count} texts; {MOST_STRINGS} is the most"})


def _some(rows: Iterable[Any]) -> Iterable[Any]:
    """Yield rows up to just past the most allowed, so that an endless sheet ends."""
    for index, row in enumerate(rows):
        if index > MOST_ROWS + 1:
            return
        yield row


def _under_heading(table: Sequence[Sequence[str]]) -> list[dict[str, str]]:
    if not table:
        return []
    heading = [name.strip() for name in table[0][:MOST_COLUMNS]]
    rows = [dict(zip(heading, [cell.strip() for cell in row], strict=False)) for row in table[1:]]
    return [row for row in rows if any(row.values())]


def _text(value: Any) -> str:
    """Return a cell as text a person would have typed."""
    if value is None:
        return ""
    if isinstance(value, list):
        return ";".join(_text(one) for one in value)
    if hasattr(value, "isoformat"):
        return str(value.isoformat())
    if isinstance(value, float):
        whole = math.isfinite(value) and value == int(value) and abs(value) < 1e15
        return str(int(value)) if whole else repr(value)
    text = str(value)
    if len(text) > MOST_OF_A_CELL:
        raise ValidationError({"file": f"a cell holds {len(text)} characters; {MOST_OF_A_CELL} is the most"})
    return seen(text)


def write_rows(form: str, columns: Sequence[str], rows: Iterable[Mapping[str, Any]]) -> bytes:
    """Return rows as a file of a form: csv, json or xlsx."""
    if form == "json":
        return json.dumps([dict(row) for row in rows], ensure_ascii=False, indent=0).encode()
    if form == "csv":
        text = io.StringIO()
        writer = csv.writer(text)
        writer.writerow(columns)
        writer.writerows([_safe(_text(row.get(name))) for name in columns] for row in rows)
        return text.getvalue().encode()
    from openpyxl import Workbook

    book = Workbook(write_only=True)
    sheet = book.create_sheet("records")
    sheet.append(list(columns))
    for row in rows:
        values = (row.get(name) for name in columns)
        sheet.append([_cell(value) for value in values])
    packed = io.BytesIO()
    book.save(packed)
    return packed.getvalue()


def _cell(value: Any) -> Any:
    """Return a cell of a workbook: numbers as numbers, unless its sixteen digits would lose some of them."""
    if isinstance(value, (int, float)) and float(f"{value:.16g}") == value:
        return value
    return _safe(_text(value))


def _safe(text: str) -> str:
    """Keep a spreadsheet from taking a text for a formula; numbers below zero stay numbers."""
    bare = unicodedata.normalize(
        "NFKC", text
    ).lstrip()  # a full-width sign is taken for the sign, a leading blank skipped
    if bare[:1] in "=+-@" and bare and not _NUMBER.fullmatch(text):
        return f"'{text}"
    return f"'{text}" if text[:1] in ("\t", "\r", "\n") else text
