import re

from kavrel.core.evaluate import evaluate
from kavrel.core.paper.document import SheetStep
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Plan
from kavrel.formats.servers.setup import setup_script
from tests.builders import TODAY, lab, result


def test_work_comes_in_order_and_safety_first(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    assert [s.title for s in book.sections] == [
        "Before anything",
        "Settle these first",
        "Bench",
        "Machines",
        "Power",
        "Network",
        "Pools",
        "Shares",
        "Copies",
        "Proof",
        "Log: what is due",
    ]
    safety = " ".join(s.text for s in book.sections[0].steps)
    for word in ("mains plug", "power supply", "static", "card", "UPS", "licensed electrician"):
        assert word in safety


def test_wiping_steps_carry_their_warning_and_the_serials(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    pools = next(s for s in book.sections if s.title == "Pools")
    (shuffled,) = [s for s in pools.steps if "run sheet" in s.text]
    # What stands is looked for and never made again; what holds data is no work of a script.
    assert "make pool loft" in shuffled.text
    assert not any("`sh setup.sh`" in s.text for s in pools.steps)
    assert sum("look that pool" in s.text for s in pools.steps) == len(demo.pools) - 1
    wanted = demo.model_copy(
        update={"pools": tuple(p.model_copy(update={"standing": False}) for p in demo.pools)}
    )
    book = runbook(wanted, evaluate(wanted, TODAY), "revision 1")
    pools = next(s for s in book.sections if s.title == "Pools")
    made = [s for s in pools.steps if "`sh setup.sh`" in s.text]
    assert len(made) == len(demo.pools) - 1
    for step in made:
        assert any("wipes every disk" in mind for mind in step.minds)
        assert "serial" in step.text
    shares = next(s for s in book.sections if s.title == "Shares")
    run = [s.text for s in shares.steps if s.text.startswith("heron: `sh setup.sh --print`")]
    assert "it makes pools (ridge), groups" in run[0]


def test_a_pool_says_who_makes_it(demo: Plan) -> None:
    """The script of its box, once it knows the serials; else a hand, with the reason."""

    def first(plan: Plan) -> SheetStep:
        book = runbook(plan, evaluate(plan, TODAY), "revision 1")
        return next(s for s in book.sections if s.title == "Pools").steps[0]

    pools = tuple(p.model_copy(update={"standing": False}) for p in lab().pools)
    bare = lab(pools=pools)
    assert "Write the serial of box 1, box 2, box 3 into the plan" in first(bare).text
    told = tuple(d.model_copy(update={"serial": f"SN-{n}"}) for n, d in enumerate(bare.disks))
    known = bare.model_copy(update={"disks": told})
    assert (
        "there `sh setup.sh --print`, then `sh setup.sh`: it makes pool main" in first(known).text
    )
    assert any("`main` is typed" in mind for mind in first(known).minds)
    card = pools[0].model_copy(update={"family": "card_mirror", "filesystem": "ext4"})
    by_hand = known.model_copy(update={"pools": (card, *pools[1:])})
    assert "create pool main by hand" in first(by_hand).text
    assert first(by_hand).minds[0].startswith("setup.sh leaves it alone: ")


def test_a_disk_that_holds_data_is_copied_first(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    bench = next(s for s in book.sections if s.title == "Bench")
    (step,) = [s for s in bench.steps if s.text.startswith("D12")]
    assert "must survive" in step.minds[0]


def test_a_disk_at_work_is_checked_where_it_is_and_nothing_is_written_to_it(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    bench = next(s for s in book.sections if s.title == "Bench")
    (step,) = (s for s in bench.steps if "LR-4322" in s.text)
    assert step.text == (
        "D6 (serial LR-4322): at work in pool ridge: surface-check it where it is, bay 3.5-6 of heron"
    )
    assert step.minds == ("It is read, and never written: the long self-test alone.",)


def test_a_12_tb_disk_is_checked_in_about_18_hours(demo: Plan) -> None:
    # Common practice, no source: 12 TB at 185 MB/s averaged over the platter.
    def step_of(plan: Plan) -> SheetStep:
        book = runbook(plan, evaluate(plan, TODAY), "revision 1")
        bench = next(s for s in book.sections if s.title == "Bench")
        (found,) = [s for s in bench.steps if s.text.startswith("D7 ")]
        return found

    step = step_of(demo.model_copy(update={"log": ()}))
    assert step.hours is not None
    assert abs(step.hours - 18) < 0.2
    # The log says that this one has been through it: it is not checked again.
    assert step_of(demo).hours is None
    assert "checked on 2025-02-20" in step_of(demo).text


def test_an_empty_plan_leaves_only_the_safety_section() -> None:
    plan = Plan(name="empty")
    assert len(runbook(plan, evaluate(plan, TODAY), "r").sections) == 1


def test_sections_follow_the_plan() -> None:
    # Without redundancy or checksums a scrub finds nothing: nobody runs one.
    bare = {"family": "single", "filesystem": "ext4", "record_kib": 128}
    pools = tuple(p.model_copy(update={**bare, "groups": (p.groups[0][:1],)}) for p in lab().pools)
    plan = lab(pools=pools)
    titles = [s.title for s in runbook(plan, result(plan), "r").sections]
    assert "Copies" not in titles


def test_every_service_of_a_host_is_installed_checked_started_and_tried(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    (shares,) = [s for s in book.sections if s.title == "Shares"]
    said = [s.text for s in shares.steps]
    for host, words in {
        "heron": ("exports as /etc/exports", "testparm", "rsyncd.secrets", "targetctl", "nft -c"),
        "dipper": ("S3", "testparm", "nft -c"),
    }.items():
        mine = " ".join(x for x in said if host in x)
        for word in words:
            assert word in mine, (host, word)
    for export in demo.exports:
        assert any(x.startswith("Try ") and f" {export.name} " in x for x in said)
    # Every path that an application sees, on both sides, with the account that it runs as.
    for mount in demo.mounts:
        (line,) = [x for x in said if f"is seen at {mount.inside}," in x]
        assert " as " in line
    for dataset in demo.datasets:
        assert any(f"ataset {dataset.name} is at /srv/" in x for x in said)


def test_the_network_comes_before_what_is_served_over_it(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    (network,) = [s for s in book.sections if s.title == "Network"]
    said = " ".join(s.text for s in network.steps)
    assert "set its address 192.168.20.10 by hand" in said
    assert "wren: reserve 192.168.20.11 for it in the router" in said
    assert "join the VPN as 100.80.0.20" in said
    forwarded = next(s for s in network.steps if "forward tcp 8096" in s.text)
    assert "default passwords" in forwarded.minds[0]


def test_a_box_with_firmware_of_its_own_is_told_no_commands() -> None:
    hosts = tuple(
        h.model_copy(update={"kind": "router"}) if h.id == "box" else h for h in lab().hosts
    )
    plan = lab(hosts=hosts)
    book = runbook(plan, result(plan), "revision 1")
    (shares,) = [s for s in book.sections if s.title == "Shares"]
    mine = " ".join(s.text for s in shares.steps if "box" in s.text)
    assert "web page" in mine
    assert "setup.sh" not in mine
    assert "smb.conf" not in mine


def test_a_machine_is_installed_onto_its_own_disk_reached_and_its_passwords_changed_first() -> None:
    base = lab()
    disks = (base.disks[0].model_copy(update={"serial": "SYS-1"}), *base.disks[1:])
    hosts = (base.hosts[0].model_copy(update={"boot_disk": disks[0].id}), *base.hosts[1:])
    hosts = (hosts[0].model_copy(update={"default_passwords_changed": False}), *hosts[1:])
    wanted = tuple(p.model_copy(update={"standing": False}) for p in base.pools)
    plan = base.model_copy(update={"hosts": hosts, "disks": disks, "pools": wanted})
    book = runbook(plan, result(plan), "r")
    titles = [s.title for s in book.sections]
    assert titles.index("Machines") < titles.index("Pools")
    mine = [s for s in book.sections[titles.index("Machines")].steps if s.text.startswith("box: ")]
    told = [s.text for s in mine]
    assert "serial SYS-1" in told[0]
    assert "never onto" in mine[0].minds[0]
    assert disks[1].label in mine[0].minds[0]
    order = (
        "install it onto",
        "first address",
        "default password",
        "updates",
        "way in that is left",
    )
    found = [next(n for n, t in enumerate(told) if word in t) for word in order]
    assert found == sorted(found)
    # Nobody installs anew what holds data: the system of a box that stands is left as it is.
    pools = tuple(p.model_copy(update={"standing": p.host == "box"}) for p in wanted)
    stands = plan.model_copy(update={"pools": pools})
    (again,) = [s for s in runbook(stands, result(stands), "r").sections if s.title == "Machines"]
    told = [s.text for s in again.steps if s.text.startswith("box")]
    assert re.match(
        r"box: runs already, from .*serial SYS-1.*; its system is left as it is$", told[0]
    )
    assert not [t for t in told if "install it onto" in t or "first address" in t]
    assert [t for t in told if "default password" in t]


def test_what_is_locked_after_a_start_is_opened_by_the_commands_of_the_script() -> None:
    pools = tuple(
        p.model_copy(update={"encrypted": True, "standing": False, "filesystem": "ext4"})
        if p.id == "second"
        else p
        for p in lab().pools
    )
    disks = tuple(d.model_copy(update={"serial": f"SN-{d.id}"}) for d in lab().disks)
    plan = lab(pools=pools, disks=disks)
    steps = [
        s
        for s in next(
            s for s in runbook(plan, result(plan), "r").sections if s.title == "Pools"
        ).steps
        if "pool second" in s.text
    ]
    said = " ".join(steps[0].minds)
    opened = re.search(r"cryptsetup open /dev/disk/by-uuid/([0-9a-f-]{36}) second-0", said)
    assert opened
    script = setup_script(plan, "far", "r")
    assert f"lock {opened[1]} " in script
    assert "mount /srv/second" in said
    sheet = restore_sheet(plan, result(plan), "r")
    keys = next(s for s in sheet.sections if s.title == "Where the keys are")
    assert any("pool second on far is locked" in f.text for f in keys.facts)
