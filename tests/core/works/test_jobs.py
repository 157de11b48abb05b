"""Works of the night: what runs by itself, and what a person does once so that it can."""

import io
import re
import zipfile

import pytest

from kavrel.core.index import Index
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Host, Plan
from kavrel.core.works import bill
from kavrel.core.works.chores import ChoreRuns
from kavrel.core.works.jobs import JobRuns, MailHeard, NightRuns, RootLetIn, ToolOfOwn, job_works
from kavrel.formats.hostside import lab_job
from kavrel.formats.lab_jobs import hosts_with_jobs, jobs_on
from kavrel.formats.servers.bundle import bundle, host_files
from tests.builders import TODAY, job, lab, result

FAR = {"target_pool": "second"}


def of(plan: Plan, host: str) -> list[object]:
    return list(job_works(Index(plan), host))


def _readme(plan: Plan, host: str) -> str:
    with zipfile.ZipFile(io.BytesIO(bundle(plan, host, "r", TODAY))) as packed:
        return packed.read("README.txt").decode()


def test_what_is_done_by_hand_is_in_the_bundle_and_in_the_runbook(demo: Plan) -> None:
    said = " ".join(
        " ".join((s.text, *s.minds))
        for section in runbook(demo, result(demo), "r").sections
        for s in section.steps
    )
    for host in {p.host for p in demo.pools}:
        readme = re.sub(r"\s+", " ", _readme(demo, host))
        works = bill(Index(demo), host, TODAY)
        assert any(w.by_hand for w in works)
        for work in works:
            if work.by_hand:
                assert work.by_hand in readme
                assert work.by_hand in said, work.what
            if isinstance(work, NightRuns):
                # Each package once, before all else.
                (line,) = re.findall(r"apt-get install ([^`]*)`", readme)
                assert set(work.packages) <= set(line.split())
                assert f"apt-get install {line}" in said


@pytest.mark.parametrize("kind", ["backup", "image", "dump"])
def test_a_job_of_a_tool_needs_a_script_and_says_what_it_has_to_do(kind: str) -> None:
    plan = lab(jobs=(job("b", kind=kind, credentials="target", **FAR),))
    (tool,) = [w for w in of(plan, "far") if isinstance(w, ToolOfOwn)]
    assert "/usr/local/lib/lab-job.d/b, mode 755" in tool.by_hand
    assert "it reads /srv/main/files" in tool.by_hand
    assert "it writes to /srv/second/b on far" in tool.by_hand
    # Without it the job says so by its name and place, and nothing passes for a copy.
    told = {"kind": kind, "title": "versioned backup"}
    alone = lab_job.Job("no-such-script", told, "UTC", show=False, now=0.0)
    with pytest.raises(lab_job.Trouble, match="needs a tool of yours"):
        alone.run()


def test_root_is_let_in_by_the_address_that_the_far_end_sees() -> None:
    one, other = lab().hosts
    both = {"vpn_address": "100.64.0.1"}, {"vpn_address": "100.64.0.2"}
    jobs = (job("r", kind="replication", **FAR),)

    def said(*hosts: dict[str, str]) -> str:
        changed = tuple(h.model_copy(update=u) for h, u in zip((one, other), hosts, strict=True))
        (way,) = [w for w in of(lab(jobs=jobs, hosts=changed), "box") if isinstance(w, RootLetIn)]
        return way.by_hand

    overlay = said(*both)
    assert "from 100.64.0.1 alone" in overlay
    assert "ssh 100.64.0.2 true" in overlay
    # Only this end is in the VPN: the far one sees the address of the LAN.
    plain = said({"address": "192.168.1.5", **both[0]}, {"address": "192.168.1.6"})
    assert "from 192.168.1.5 alone" in plain
    # An address that moves is no lock: it would shut the job out one day.
    moving = said({"address": "", "addressing": "dhcp"}, {"address": "192.168.1.6"})
    assert "alone" not in moving


def test_each_job_that_runs_has_its_timer_and_each_host_that_runs_any_hears_of_failure(
    demo: Plan,
) -> None:
    for host in (h.id for h in demo.hosts):
        works = of(demo, host)
        files = host_files(demo, host, "r", TODAY) if host in {p.host for p in demo.pools} else {}
        runs = [w for w in works if isinstance(w, JobRuns) and not w.by_hand]
        assert {w.job.id for w in runs} == {j.id for j in jobs_on(demo, host)}
        for work in [*runs, *(w for w in works if isinstance(w, ChoreRuns))]:
            assert f"systemd/lab-{work.key.removeprefix('job/')}.service" in files
        assert any(isinstance(w, NightRuns) for w in works) == (host in hosts_with_jobs(demo))
        assert any(isinstance(w, MailHeard) for w in works) == (host in hosts_with_jobs(demo))


def test_a_host_with_nothing_to_do_at_night_gets_nothing() -> None:
    idle = Host(id="idle", name="idle", site="home", bays_35=2)
    assert of(lab(jobs=(), hosts=(*lab().hosts, idle)), "idle") == []


def test_a_pool_that_is_not_made_yet_is_scrubbed_once_it_is() -> None:
    """The bundle that makes it brings its timers: nobody fetches another one for them alone."""
    pools = tuple(p.model_copy(update={"standing": False}) for p in lab().pools)
    names = [w.name for w in of(lab(jobs=(), pools=pools), "far") if isinstance(w, ChoreRuns)]
    assert names == ["upkeep-scrub-second"]
