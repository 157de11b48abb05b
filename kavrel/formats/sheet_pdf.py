"""Papers as PDF: the same documents as on screen, in ink on A4, with codes that open the page."""

import logging
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

import segno
from fpdf import FPDF

from kavrel.core.paper.document import Document, Section
from kavrel.core.paper.labels import Label
from kavrel.core.typed import pieces

FONTS = Path(__file__).parent / "fonts"
TEXT, MONO = "DejaVu", "DejaVuMono"
MARGIN, LINE = 16.0, 5.0
INK, QUIET, HAIR, DANGER = (27, 42, 51), (85, 99, 107), (195, 193, 182), (165, 53, 26)
LEAST_HOURS = 0.1  # shorter steps are not worth a figure
# Sheets of stickers by the size of one in mm: columns, rows, left, top, gap between columns.
STICKERS: dict[str, tuple[float, float, int, int, float, float, float]] = {
    "70x37": (70.0, 37.0, 3, 8, 0.0, 0.5, 0.0),
    "99x38": (99.1, 38.1, 2, 7, 4.65, 15.15, 2.5),
    "48x25": (48.5, 25.4, 4, 11, 8.0, 8.8, 0.0),
}
# Characters that no font draws are left out with a mark in their place; what is lost is seen.
logging.getLogger("fpdf").setLevel(logging.ERROR)


def clean(text: str) -> str:
    """Text on one line, without what steers a printer."""
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())


class _Sheet(FPDF):
    """A4 with a foot that says what it is and which page."""

    def __init__(self, title: str, origin: str, stamp: datetime) -> None:
        super().__init__(unit="mm", format="A4")
        self.foot = ""
        self.add_font(TEXT, "", FONTS / "DejaVuSans.ttf")
        self.add_font(TEXT, "B", FONTS / "DejaVuSans-Bold.ttf")
        self.add_font(MONO, "", FONTS / "DejaVuSansMono.ttf")
        self.set_title(clean(title))
        self.set_lang("en")
        self.set_creator("Kavrel")
        self.set_creation_date(stamp)
        self.foot = clean(f"{title}, from {origin}")
        self.set_auto_page_break(True, 18.0)
        self.set_margin(MARGIN)
        self.set_draw_color(*HAIR)
        self.set_text_color(*INK)

    def footer(self) -> None:
        """Title, origin and page."""
        if not self.foot:
            return
        self.set_y(-12.0)
        self.set_font(TEXT, "", 7)
        self.set_text_color(*QUIET)
        self.cell(self.epw - 20, 4, self.foot[:150])
        self.cell(20, 4, f"{self.page_no()} / {{nb}}", align="R")
        self.set_text_color(*INK)

    def line_of(self, text: str, x: float, width: float, size: float = 9, style: str = "") -> None:
        """A paragraph from x on, so wide, what is typed in a type of its own; the pen stands below it then."""
        right, colour = self.r_margin, self.text_color
        self.set_left_margin(x)
        self.set_right_margin(self.w - x - width)
        self.set_x(x)
        for is_typed, piece in pieces(clean(text)):
            if is_typed:
                self.set_font(MONO, "", size * 0.92)
                self.set_text_color(*INK)
            else:
                self.set_font(TEXT, style, size)
                self.text_color = colour
            self.write(size * 0.5, piece)
        self.text_color = colour
        self.ln(size * 0.5)
        self.set_left_margin(MARGIN)
        self.set_right_margin(right)
        self.set_x(MARGIN)

    def code(self, text: str, x: float, y: float, side: float) -> None:
        """A QR code as squares with its quiet zone of four (ISO/IEC 18004, level M)."""
        drawn = segno.make(text, error="m", micro=False)
        rows = [bytes(row) for row in drawn.matrix_iter(border=4)]
        step = side / len(rows)
        self.set_fill_color(0, 0, 0)
        for r, row in enumerate(rows):
            c = 0
            while c < len(row):
                run = 0
                while c + run < len(row) and row[c + run]:
                    run += 1
                if run:
                    self.rect(x + c * step, y + r * step, run * step, step, style="F")
                c += run or 1

    def bytes(self) -> bytes:
        """The file."""
        return bytes(self.output())


def document_pdf(paper: Document, stamp: datetime, address: str = "", name: str = "") -> bytes:
    """The paper; with the page's address each part has a code that opens it there.

    `address` is of the plan's page, `name` of the paper below it.
    """
    sheet = _Sheet(paper.title, paper.origin, stamp)
    sheet.add_page()
    sheet.line_of(paper.title, MARGIN, sheet.epw, 15, "B")
    sheet.ln(1)
    sheet.set_text_color(*QUIET)
    sheet.line_of(f"From {paper.origin}. Date and hand: ____________________", MARGIN, sheet.epw, 8)
    sheet.set_text_color(*INK)
    for number, section in enumerate(paper.sections):
        opens = f"{address}/{name}#part-{number}" if address and not section.below else ""
        _section(sheet, section, opens)
    return sheet.bytes()


def _section(sheet: _Sheet, section: Section, opens: str) -> None:
    side = 22.0
    if sheet.will_page_break(side + 8 if opens else 16):
        sheet.add_page()
    sheet.ln(4 if not section.below else 2)
    top = sheet.get_y()
    width = sheet.epw - (side + 5 if opens else 0)
    sheet.start_section(clean(section.title), level=1 if section.below else 0, strict=False)
    sheet.line_of(section.title, MARGIN, width, 9.5 if section.below else 12, "B")
    if not section.below:
        sheet.set_draw_color(*INK)
        sheet.line(MARGIN, sheet.get_y() + 0.5, MARGIN + width, sheet.get_y() + 0.5)
        sheet.set_draw_color(*HAIR)
        sheet.ln(2)
    if opens:
        sheet.code(opens, MARGIN + sheet.epw - side, top, side)
    page = sheet.page_no()

    def room() -> float:
        """Beside the code the lines are shorter."""
        beside = opens and sheet.page_no() == page and sheet.get_y() < top + side + 2
        return width if beside else sheet.epw

    if section.intro:
        sheet.set_text_color(*QUIET)
        sheet.line_of(section.intro, MARGIN, room(), 8.5)
        sheet.set_text_color(*INK)
        sheet.ln(1)
    for fact in section.facts:
        _together(sheet, 2 + len(fact.how))
        sheet.line_of(fact.text, MARGIN, room())
        for n, how in enumerate(fact.how, 1):
            sheet.set_text_color(*QUIET)
            sheet.line_of(f"{n}. {how}", MARGIN + 8, room() - 8, 8.5)
            sheet.set_text_color(*INK)
        _rule(sheet, room())
    for step in section.steps:
        _together(sheet, 2 + 2 * len(step.minds))
        y = sheet.get_y()
        sheet.rect(MARGIN + 0.3, y + 0.7, 3.2, 3.2)
        hours = f" ({step.hours:.1f} h)" if step.hours and step.hours >= LEAST_HOURS else ""
        sheet.line_of(step.text + hours, MARGIN + 6, room() - 6)
        for mind in step.minds:
            begin = sheet.get_y()
            sheet.line_of(f"Mind: {mind}", MARGIN + 9, room() - 9, 8.5, "B")
            sheet.set_draw_color(*DANGER)
            sheet.set_line_width(0.6)
            if sheet.get_y() > begin:
                sheet.line(MARGIN + 7, begin + 0.4, MARGIN + 7, sheet.get_y() - 0.4)
            sheet.set_line_width(0.2)
            sheet.set_draw_color(*HAIR)
        _rule(sheet, room())


def _together(sheet: _Sheet, lines: int) -> None:
    """What belongs together is not torn apart at the foot of a page."""
    if sheet.will_page_break(min(lines, 12) * LINE):
        sheet.add_page()


def _rule(sheet: _Sheet, width: float) -> None:
    sheet.ln(0.8)
    sheet.line(MARGIN, sheet.get_y(), MARGIN + width, sheet.get_y())
    sheet.ln(0.8)


def labels_pdf(
    labels: Sequence[Label], size: str, origin: str, stamp: datetime, address: str = ""
) -> bytes:
    """Stickers on A4 sheets; the code says the serial, or opens the page where it is served."""
    wide, high, columns, rows, left, top, gap = STICKERS[size]
    sheet = _Sheet("Labels", origin, stamp)
    sheet.foot = ""
    sheet.set_auto_page_break(False)
    for number, label in enumerate(labels):
        at = number % (columns * rows)
        if at == 0:
            sheet.add_page()
        x = left + (at % columns) * (wide + gap)
        y = top + (at // columns) * high
        _label(sheet, label, (x, y, wide, high), address)
    if not labels:
        sheet.add_page()
        sheet.line_of("Nothing to label yet: put disks on the Bench first.", MARGIN, sheet.epw)
    return sheet.bytes()


def _label(
    sheet: _Sheet, label: Label, place: tuple[float, float, float, float], address: str
) -> None:
    x, y, wide, high = place
    pad = 2.2
    side = min(high - 1.0, wide * 0.42)
    opens = f"{address}/{label.path}" if address and label.path else label.code
    sheet.code(opens, x, y + (high - side) / 2, side)
    left, room = x + side, wide - side - pad
    size = min(13.0, high * 0.32)
    _fitted(sheet, TEXT, "B", label.title, left, y + pad, room, size)
    down = y + pad + size * 0.45
    step = (high - pad - (down - y)) / max(len(label.lines), 3)
    for n, line in enumerate(label.lines):
        font = MONO if n == 0 and " " not in line else TEXT
        _fitted(sheet, font, "", line, left, down + n * step, room, min(8.5, step * 2.3))


def _fitted(
    sheet: _Sheet, font: str, style: str, text: str, x: float, y: float, room: float, size: float
) -> None:
    """A line made smaller until it fits: a serial is never cut."""
    said = clean(text)
    sheet.set_font(font, style, size)
    while sheet.get_string_width(said) > room and size > 3.0:
        size -= 0.25
        sheet.set_font(font, style, size)
    sheet.set_xy(x, y)
    sheet.cell(room, size * 0.42, said)
