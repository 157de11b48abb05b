"""A box whose firmware is its own: values for its web page, and no commands anywhere."""

from datetime import timedelta

from kavrel.core.edit import put
from kavrel.core.index import Index
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Grant, Plan, Share
from kavrel.core.works.page import PageFilled, page_works
from kavrel.formats.lab_jobs import hosts_with_jobs
from kavrel.formats.papers import PAPERS
from kavrel.formats.servers.bundle import host_files
from tests.builders import TODAY, dataset, job, lab, result

FAR = {"kind": "backup", "target_pool": "second"}


def closed(**more: object) -> Plan:
    box, far = lab().hosts
    box = box.model_copy(update={"kind": "bought_box", "address": "192.168.1.5"})
    shares = (Share(id="s", name="papers", dataset="files", hidden=True, recycle_days=9),)
    grants = (
        Grant(id="g", share="s", account="ana", right="write"),
        Grant(id="h", share="s", account="bo", right="read"),
    )
    fields = {
        "hosts": (box, far),
        "shares": shares,
        "grants": grants,
        "jobs": (job("r", limit_mbit=20.0, **FAR),),
        "datasets": (dataset(quota_bytes=5_000_000_000),),
        **more,
    }
    return lab(**fields)


def filled(plan: Plan) -> dict[str, dict[str, str]]:
    works = page_works(Index(plan), "box", TODAY)
    return {w.title: dict(w.values) for w in works}


def test_every_part_of_the_plan_is_a_value_of_the_page() -> None:
    page = filled(closed())
    assert page["Share papers"]["read and write"] == "ana"
    assert page["Share papers"]["read"] == "bo"
    assert page["Share papers"]["guests"] == "not let in"
    assert page["Share papers"]["shown in lists"] == "no"
    assert page["Share papers"]["bin"] == "on, emptied after 9 days"
    assert page["Folder files"]["limit"] == "5 GB"
    assert page["Job r"]["to"].startswith("second on far")
    assert page["Job r"]["at most"] == "20 Mbit/s"
    assert "everything else" in page["Firewall"]
    assert next(iter(page)) == "Address and sign-in"
    # What ran out is not entered.
    ana = lab().accounts[0].model_copy(update={"expires_on": TODAY - timedelta(days=1)})
    gone = filled(put(closed(), "accounts", ana))
    assert "User ana" not in gone
    assert "read and write" not in gone["Share papers"]


def test_nothing_that_takes_files_is_written_for_it() -> None:
    plan = closed()
    (name,) = host_files(plan, "box", "r", TODAY)
    assert name == "values.txt"
    text, _ = host_files(plan, "box", "r", TODAY)[name]
    said = {s.text: s.minds for x in runbook(plan, result(plan), "r").sections for s in x.steps}
    for work in page_works(Index(plan), "box", TODAY):
        assert isinstance(work, PageFilled)
        # The bundle and the runbook have each part, value by value.
        assert f"box, in its web page: {work.title}" in said
        for label, value in work.values:
            assert f"   {label}: {value}\n" in text
            assert f"{label}: {value}" in said[f"box, in its web page: {work.title}"]
    assert "box" not in hosts_with_jobs(plan)
    for paper in ("setup.sh", "smb.conf", "fstab", "nftables.conf", "crontab"):
        offered = PAPERS[paper].hosts
        assert offered is not None
        assert "box" not in offered(plan), paper
    values = PAPERS["values.txt"].hosts
    assert values is not None
    assert list(values(plan)) == ["box"]
    for word in ("systemctl", "apt", "smbpasswd", "useradd"):
        assert word not in text
