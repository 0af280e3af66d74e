"""The hand-over sheet on paper."""

from io import BytesIO
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer

FONTS = Path(__file__).resolve().parents[1] / "static" / "desk" / "fonts"


def _fonts() -> None:
    """Register the desk's own letters once."""
    if "Hyperlegible" not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont("Hyperlegible", str(FONTS / "atkinson-next-regular.ttf")))
        pdfmetrics.registerFont(TTFont("Hyperlegible-Semi", str(FONTS / "atkinson-next-semibold.ttf")))


def sheet_pdf(sheet: dict[str, Any]) -> bytes:
    """Return a sheet as PDF; the same sheet gives the same bytes."""
    _fonts()
    title = ParagraphStyle("title", fontName="Hyperlegible-Semi", fontSize=16, leading=21, spaceAfter=4)
    heading = ParagraphStyle(
        "heading", fontName="Hyperlegible-Semi", fontSize=10.5, leading=14, spaceBefore=9, spaceAfter=2
    )
    body = ParagraphStyle("body", fontName="Hyperlegible", fontSize=9.5, leading=13.5)
    parts: list[Any] = [
        Paragraph(escape(f"{sheet['mill']}, hand-over"), title),
        Paragraph(escape(f"Shift {sheet['shift']}. Composed {sheet['composed']}."), body),
    ]
    for section in sheet["sections"]:
        parts.append(Paragraph(escape(section["title"]), heading))
        parts += [Paragraph(escape(row), body) for row in section["rows"]]
    parts.append(Spacer(1, 8 * mm))
    signed = f"Signed: {sheet['signed']}" if "signed" in sheet else "Not signed: a draft."
    parts.append(Paragraph(escape(signed), heading))
    if "seal" in sheet:
        parts.append(Paragraph(escape(f"Seal {sheet['seal']}"), ParagraphStyle("seal", body, fontSize=7.5)))
    parts.append(
        Paragraph(
            "Fox Vat advises. Permits, interlocks, local codes and licensed practice rule.",
            ParagraphStyle("foot", body, fontSize=8, spaceBefore=6),
        )
    )
    out = BytesIO()
    document = SimpleDocTemplate(out, pagesize=A4, invariant=1, title="Hand-over", author="Fox Vat", topMargin=16 * mm)
    document.build(parts)
    return out.getvalue()
