"""Papers as PDF, read back by tools that know nothing of us: pdftotext, qpdf, zbarimg."""

import re
import subprocess
from datetime import UTC, date, datetime
from pathlib import Path

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.paper.document import Document, Fact, Section, SheetStep
from kavrel.core.paper.labels import Label, cable_tags, tray_labels
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.plan import Plan
from kavrel.formats.papers import PAPERS, Occasion
from kavrel.formats.sheet_pdf import STICKERS, clean, document_pdf, labels_pdf
from tests.conftest import needs

STAMP = datetime(2026, 11, 24, 9, tzinfo=UTC)
PAGE = "https://lantern.lan:8321/plan/abc123"


def read(content: bytes, folder: Path) -> str:
    """The text of a PDF, in reading order, blanks made one."""
    path = folder / "paper.pdf"
    path.write_bytes(content)
    found = subprocess.run(
        ["pdftotext", "-raw", path, "-"], capture_output=True, text=True, check=True
    )
    return " ".join(found.stdout.split())


def codes(content: bytes, folder: Path) -> set[str]:
    """What a code reader sees on all pages, from near and from far, as a hand moves it."""
    path = folder / "codes.pdf"
    path.write_bytes(content)
    for dots in ("120", "150", "200"):
        subprocess.run(["pdftoppm", "-r", dots, "-png", path, folder / f"page{dots}"], check=True)
    found = subprocess.run(
        ["zbarimg", "--quiet", "--raw", "-Sdisable", "-Sqrcode.enable", *folder.glob("page*.png")],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    return set(found.stdout.splitlines())


@pytest.fixture(scope="module")
def occasion() -> Occasion:
    from kavrel.demo import demo_plan

    plan = demo_plan()
    return Occasion(plan, evaluate(plan, date(2026, 11, 24)), "revision 1", STAMP, PAGE)


@needs("pdftotext")
@needs("qpdf")
def test_the_restore_sheet_says_on_paper_all_that_it_says_on_screen(
    occasion: Occasion, tmp_path: Path
) -> None:
    content = PAPERS["if-something-happens.pdf"].on(occasion)
    text = re.sub(r"If something has happened: .{1,60}? \d+ / \d+ ?", "", read(content, tmp_path))
    paper = restore_sheet(occasion.plan, occasion.evaluation, occasion.origin)
    squeezed = re.sub(r"\W", "", text)
    wanted = [s.title for s in paper.sections]
    wanted += [t for s in paper.sections for f in s.facts for t in (f.text, *f.how)]
    wanted += [t for s in paper.sections for f in s.steps for t in (f.text, *f.minds)]
    missing = [w for w in wanted if re.sub(r"\W", "", w) not in squeezed]
    # A foot may stand within a paragraph that goes on over the page.
    assert len(missing) <= 3, missing
    assert len(wanted) > 100
    checked = subprocess.run(
        ["qpdf", "--check", tmp_path / "paper.pdf"], capture_output=True, text=True, check=False
    )
    assert checked.returncode == 0, checked.stderr


@pytest.mark.prove
@needs("zbarimg")
def test_each_part_of_the_restore_sheet_opens_by_its_code(
    occasion: Occasion, tmp_path: Path
) -> None:
    seen = codes(PAPERS["if-something-happens.pdf"].on(occasion), tmp_path)
    paper = restore_sheet(occasion.plan, occasion.evaluation, occasion.origin)
    wanted = {f"{PAGE}/restore-sheet#part-{n}" for n, s in enumerate(paper.sections) if not s.below}
    assert seen == wanted


@needs("zbarimg")
@pytest.mark.parametrize(
    "size",
    [
        pytest.param("70x37", marks=pytest.mark.prove),
        pytest.param("99x38", marks=pytest.mark.prove),
        "48x25",
    ],
)
def test_every_label_is_read_by_a_code_reader_and_says_its_serial(
    occasion: Occasion, tmp_path: Path, size: str
) -> None:
    content = PAPERS[f"labels-{size}.pdf"].on(occasion)
    labels = [*tray_labels(occasion.plan), *cable_tags(occasion.plan)]
    seen = codes(content, tmp_path)
    assert seen == {f"{PAGE}/{x.path}" if x.path else x.code for x in labels}
    text = read(content, tmp_path)
    for disk in occasion.plan.disks:
        assert disk.serial in text
    with pytest.raises(AssertionError):
        assert "no serial in the plan" in text


def test_each_box_has_a_tag_at_both_ends_of_its_network_cable(demo: Plan) -> None:
    tags = [x for x in cable_tags(demo) if x.title == "heron > network"]
    assert [x.lines[1] for x in tags] == ["at the box", "at the switch"]
    heron = next(h for h in demo.hosts if h.name == "heron")
    assert heron.address
    assert tags[0].lines == (
        f"network, {heron.network_mbit / 1000:g} Gbit/s",
        "at the box",
        heron.address,
    )
    assert not any(
        x.code.endswith(h.name) for x in cable_tags(demo) for h in demo.hosts if h.kind == "pc"
    )


def test_labels_stay_on_the_sheet() -> None:
    for wide, high, columns, rows, left, top, gap in STICKERS.values():
        assert left + columns * wide + (columns - 1) * gap <= 210.05  # ISO 216: A4
        assert top + rows * high <= 297.05


HOSTILE = (
    *("a" * 400, "line\nend\r\n%PDF-1.7 (x) Tj", "日本語のプール", "\x00\x1b[2J"),
    *("שלום", "💾 disk", "((((", "\\"),
)


@needs("pdftotext")
@needs("qpdf")
@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_names_are_text_on_paper_and_nothing_else(name: str, tmp_path: Path) -> None:
    paper = Document(
        title=name,
        origin=name,
        sections=(
            Section(
                title=name,
                intro=name,
                facts=(Fact(text=name, how=(name,)),),
                steps=(SheetStep(text=name, minds=(name,), hours=1.5),),
            ),
        ),
    )
    text = read(document_pdf(paper, STAMP, PAGE, "x"), tmp_path)
    assert "1.5 h" in text
    label = Label(title=name, lines=(name, name, name, name), code="x")
    assert read(labels_pdf([label] * 30, "48x25", name, STAMP), tmp_path) is not None
    checked = subprocess.run(
        ["qpdf", "--check", tmp_path / "paper.pdf"], capture_output=True, text=True, check=False
    )
    assert checked.returncode == 0, checked.stderr
    if clean(name).isascii() and len(name) < 60:
        assert clean(name) in text


def test_a_plan_without_disks_has_a_sheet_that_says_so(tmp_path: Path) -> None:
    empty = Plan(name="empty", currency="EUR", zone="UTC")
    occasion = Occasion(empty, evaluate(empty, date(2026, 11, 24)), "revision 1", STAMP)
    for paper in ("labels-70x37.pdf", "runbook.pdf", "if-something-happens.pdf"):
        assert PAPERS[paper].on(occasion).startswith(b"%PDF-")
