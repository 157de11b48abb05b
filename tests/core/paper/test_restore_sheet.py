"""The sheet for whoever restores without the administrator."""

from kavrel.core.evaluate import evaluate
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.plan import Dataset, Plan
from kavrel.formats.restore_markdown import RULES, restore_markdown
from tests.builders import GB, TODAY, job, lab

FAR = {"kind": "replication", "target_pool": "second", "credentials": "target"}


def sheet_of(plan: Plan) -> str:
    return restore_markdown(restore_sheet(plan, evaluate(plan, TODAY), "revision 7"))


def test_it_says_where_boxes_copies_and_keys_are() -> None:
    host = lab().hosts[1].model_copy(update={"vpn_address": "100.64.0.9"})
    text = sheet_of(
        lab(
            hosts=(lab().hosts[0], host),
            jobs=(
                job("r", **FAR),
                job(
                    "b", kind="backup", target_pool="second", encrypted=True, key_kept_at=("away",)
                ),
            ),
        )
    )
    assert "far, at away, address 100.64.0.9: holds second" in text
    # A day, the hour of the autumn night, and both jobs' runs on the one link.
    assert "r: replication of files on second at away, at most 1.1 days old" in text
    assert "b: away" in text
    for rule in RULES:
        assert rule in text


def test_what_is_worth_most_comes_first_and_every_step_has_a_box() -> None:
    cheap = Dataset(id="cheap", name="a cheap one", pool="main", size_bytes=GB)
    plan = lab(
        datasets=(cheap, lab().datasets[0]), jobs=(job("r", datasets=("files", "cheap"), **FAR),)
    )
    fire = sheet_of(plan).partition("## fire at its site")[2].partition("\n## ")[0]
    assert fire.index("### files") < fire.index("### a cheap one")
    assert "- [ ] first of all: notice (12.0 h)" in fire
    assert "- [ ] replace: replace box and disks (72.0 h)" in fire
    assert "- [ ] fetch: find the point in r" in fire
    assert "- [ ] check: read it back to verify" in fire


def test_where_nothing_helps_it_says_to_touch_nothing() -> None:
    assert "switch off, touch nothing, ask a recovery service" in sheet_of(lab())


def test_names_are_plain_text() -> None:
    files = lab().datasets[0].model_copy(update={"name": "a [link](x) & <b>"})
    text = sheet_of(lab(datasets=(files,), jobs=(job("r", **FAR),)))
    assert "a \\[link\\](x) \\& \\<b\\>" in text
