"""Sheets on paper: the hand-over, a charge sheet."""

from collections.abc import Sequence
from functools import cache
from io import BytesIO
from pathlib import Path
from typing import Any, Final
from xml.sax.saxutils import escape

from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

FONTS: Final = Path(__file__).resolve().parents[1] / "static" / "desk" / "fonts"
ADVISES: Final = "Fox Vat advises. Permits, interlocks, local codes and licensed practice rule."


@cache
def _styles() -> dict[str, ParagraphStyle]:
    """Register the desk's own letters once, and return how each kind of line is set."""
    pdfmetrics.registerFont(TTFont("Hyperlegible", str(FONTS / "atkinson-next-regular.ttf")))
    pdfmetrics.registerFont(TTFont("Hyperlegible-Semi", str(FONTS / "atkinson-next-semibold.ttf")))
    body = ParagraphStyle("body", fontName="Hyperlegible", fontSize=9.5, leading=13.5)
    return {
        "title": ParagraphStyle("title", fontName="Hyperlegible-Semi", fontSize=16, leading=21, spaceAfter=4),
        "heading": ParagraphStyle(
            "heading", fontName="Hyperlegible-Semi", fontSize=10.5, leading=14, spaceBefore=9, spaceAfter=2
        ),
        "body": body,
        "seal": ParagraphStyle("seal", body, fontSize=7.5),
        "foot": ParagraphStyle("foot", body, fontSize=8, spaceBefore=6),
    }


def paper(
    out: BytesIO,
    *,
    title: str,
    under: str,
    parts: Sequence[tuple[str, Sequence[str]]],
    table: Sequence[Sequence[str]] = (),
    foot: Sequence[tuple[str, str]] = (),
    name: str = "Sheet",
) -> None:
    """Write a sheet as PDF: a title, a table where there is one, headed lines, a foot; the same sheet gives the same bytes."""
    style = _styles()
    flow: list[Any] = [Paragraph(escape(title), style["title"]), Paragraph(escape(under), style["body"])]
    if table:
        flow += [Spacer(1, 3 * mm), _table(table)]
    for heading, rows in parts:
        flow.append(Paragraph(escape(heading), style["heading"]))
        flow += [Paragraph(escape(row), style["body"]) for row in rows]
    flow.append(Spacer(1, 8 * mm))
    flow += [Paragraph(escape(words), style[kind]) for kind, words in foot]
    flow.append(Paragraph(ADVISES, style["foot"]))
    SimpleDocTemplate(out, pagesize=A4, invariant=1, title=name, author="Fox Vat", topMargin=16 * mm).build(flow)


def _table(rows: Sequence[Sequence[str]]) -> Table:
    table = Table([list(row) for row in rows], colWidths=[72 * mm, 38 * mm, 38 * mm, 22 * mm], hAlign="LEFT")
    table.setStyle(
        TableStyle(
            [
                ("FONT", (0, 0), (-1, -1), "Hyperlegible", 9.5),
                ("FONT", (0, 0), (-1, 0), "Hyperlegible-Semi", 9.5),
                ("ALIGN", (1, 0), (-1, -1), "RIGHT"),
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, colors.grey),
                ("TOPPADDING", (0, 0), (-1, -1), 2),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
            ]
        )
    )
    return table


def sheet_pdf(sheet: dict[str, Any]) -> bytes:
    """Return a hand-over sheet as PDF."""
    foot = [("heading", f"Signed: {sheet['signed']}" if "signed" in sheet else "Not signed: a draft.")]
    if "seal" in sheet:
        foot.append(("seal", f"Seal {sheet['seal']}"))
    if chain := sheet.get("chain"):
        foot.append(("seal", f"Log up to entry {chain['entry']}, head of its chain {chain['head']}"))
    out = BytesIO()
    paper(
        out,
        title=f"{sheet['mill']}, hand-over",
        under=f"Shift {sheet['shift']}. Composed {sheet['composed']}.",
        parts=[(section["title"], section["rows"]) for section in sheet["sections"]],
        foot=foot,
        name="Hand-over",
    )
    return out.getvalue()
