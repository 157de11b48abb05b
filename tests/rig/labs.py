"""Small labs drawn at random, of what the rig has stand-ins for."""

import random

from kavrel.core.consistency import problems
from kavrel.core.plan import (
    Account,
    Bucket,
    Dataset,
    Disk,
    Export,
    Grant,
    Host,
    Job,
    Plan,
    Pool,
    Retention,
    Schedule,
    Share,
    Site,
    Window,
)
from tests.builders import GB, dataset, disk, job, lab

RULES = (
    Retention(all_days=10),
    Retention(last=6),
    Retention(hourly=12, daily=7),
    Retention(daily=5, weekly=2),
    Retention(daily=6, counting="each", of_period="first"),
    Retention(windows=(Window(every="daily", days=9),)),
)


def at(luck: random.Random) -> str:
    return f"{luck.randrange(24):02}:{luck.choice((0, 10, 15, 30)):02}"


def nightly(luck: random.Random) -> Schedule:
    kind = luck.choice(("daily", "daily", "weekly"))
    days = tuple(sorted(luck.sample(range(7), luck.choice((1, 2))))) if kind == "weekly" else ()
    return Schedule(kind=kind, at=at(luck), weekdays=days)


def often(luck: random.Random) -> Schedule:
    return Schedule(kind="hourly", every=luck.choice((1, 4, 6)), at=f"00:{luck.choice((0, 20)):02}")


def drawn(seed: int, followers: bool = False) -> Plan:
    """Two boxes and some jobs; ZFS or Btrfs on both sides, or ext4 with what goes without snapshots.

    With `followers` a job may follow another: when it starts then hangs on the length of that one.
    """
    luck = random.Random(seed)
    system = luck.choice(("zfs", "zfs", "btrfs", "ext4"))
    families = {
        "zfs": ("raidz1", "mirror"), "btrfs": ("copies2", "copies2"), "ext4": ("raid5", "mirror"),
    }[system]  # fmt: skip
    plain = lab()
    pools = tuple(
        p.model_copy(update={"family": f, "filesystem": system, "encrypted": luck.random() < 0.2})
        for p, f in zip(plain.pools, families, strict=True)
    )
    sets: list[Dataset] = [
        dataset(
            size_bytes=luck.choice((50, 300)) * GB,
            change_bytes_per_day=luck.choice((0, 1, 4)) * GB,
            deleted_bytes_per_day=luck.choice((0, 1)) * GB,
            repeat_share=luck.choice((0.0, 0.5)),
        )
    ]
    sets.append(
        Dataset(id="more", name="more of it", pool=luck.choice(("main", "second")), size_bytes=20 * GB,
                change_bytes_per_day=GB // 2, worth=luck.choice(("irreplaceable", "nuisance")))
    )  # fmt: skip
    far = {"main": "second", "second": "main"}
    jobs: list[Job] = []
    for number in range(luck.randrange(2, 6)):
        told = luck.choice(sets)
        kinds = ["folder_mirror", "mirror", "backup", "image", "bucket", "shelf"]
        if system != "ext4":
            kinds += ["snapshot", "snapshot", "replication", "replication"]
        kind = luck.choice(kinds)
        key = f"j{number}"
        more: dict[str, object] = {"datasets": (told.id,), "schedule": nightly(luck)}
        more["retention"] = luck.choice(RULES)
        if kind == "snapshot":
            more["schedule"] = often(luck)
        elif kind == "bucket":
            more |= {"target_bucket": "b", "encrypted": luck.random() < 0.5}
        elif kind == "shelf":
            more |= {"target_disk": "loose9", "credentials": "hand", "retention": Retention(last=1)}
        else:
            more |= {
                "target_pool": far[told.pool],
                "credentials": luck.choice(("source", "target")),
            }
        if kind == "folder_mirror":
            more["retention"] = Retention(trash_days=luck.choice((3, 7)))
        if kind == "mirror":
            more["retention"] = Retention()
        if kind in ("backup",) and luck.random() < 0.5:
            more |= {
                "encrypted": True,
                "key_kept_at": luck.choice((("home",), ("home", "away"), ())),
            }
        if kind not in ("snapshot", "shelf") and luck.random() < 0.5:
            more["alarm_days"] = 9.0
        jobs.append(job(key, kind, **more))
    before = jobs[0]
    if followers and before.target_pool and luck.random() < 0.6:
        # One that follows another, on the same box or the other, and reads the same or what it left.
        told = next(d for d in sets if d.id == before.datasets[0])
        more = {"datasets": (told.id,), "schedule": Schedule(kind="after"), "after": before.id}
        # Of which day it is hangs on minutes where the one before it ends about midnight.
        lasting = [r for r in RULES if r.of_period == "last"]
        more |= {"retention": luck.choice(lasting), "target_pool": far[told.pool]}
        more["credentials"] = luck.choice(("source", "target"))
        if luck.random() < 0.5 and before.kind == "image":
            more |= {"reads_from": before.id, "target_pool": told.pool}
        jobs.append(job("next", "backup", **more))
    keeper = Account(id="keeper", login="keeper", full_name="Keeper", role="administrator")
    bucket = Bucket(
        id="b", name="b", site="store", account="keeper of it", locked_days=luck.choice((0, 30)),
        locks_renewed=luck.random() < 0.5,
    )  # fmt: skip
    wires = (*plain.links, plain.links[0].model_copy(update={"id": "out", "b": "store"}))
    return lab(
        name=f"drawn {seed}",
        sites=(*plain.sites, Site(id="store", name="a store")),
        links=wires,
        pools=pools,
        datasets=tuple(sets),
        buckets=(bucket,),
        accounts=(*plain.accounts, keeper),
        jobs=tuple(jobs),
    )


# Families by file system, with how many disks each is drawn.
WIDE = {
    "zfs": (
        ("raidz1", 3), ("raidz2", 4), ("raidz3", 5), ("mirror", 2), ("mirror", 3), ("striped_mirror", 4),
        ("stripe", 2), ("single", 1),
    ),
    "ext4": (
        ("raid5", 3), ("raid6", 4), ("raid10", 4), ("mirror", 2), ("single", 1), ("span", 2), ("stripe", 2),
    ),
    "btrfs": (("copies2", 2), ("copies2", 3), ("copies3", 3), ("copies10", 4), ("single", 1), ("raid6", 4)),
}  # fmt: skip


def wide(seed: int) -> Plan:
    """Such a lab with any family, slow and fast lines, limits, first copies yet to be made, dumps."""
    luck = random.Random(seed)
    plan = drawn(seed, followers=True)
    disks, pools = [disk(9, None)], []
    for pool, host in zip(plan.pools, ("box", "far"), strict=True):
        family, count = luck.choice(WIDE[pool.filesystem])
        ids = tuple(f"{host}{n}" for n in range(1, count + 1))
        disks += [disk(n, host) for n in range(1, count + 1)]
        groups = (ids[:2], ids[2:]) if family == "striped_mirror" else (ids,)
        pools.append(pool.model_copy(update={"family": family, "groups": groups}))
    jobs: list[Job] = []
    for one in plan.jobs:
        more: dict[str, object] = {}
        if one.target_pool and luck.random() < 0.2:
            more["limit_mbit"] = luck.choice((1.0, 5.0, 50.0))
        if one.target_pool and luck.random() < 0.2:
            more["first_copy"] = luck.choice(("over_link", "side_by_side", "carried"))
        if one.kind == "image" and luck.random() < 0.4:
            more["kind"] = "dump"
        if one.schedule.kind not in ("after", "hourly") and luck.random() < 0.2:
            more["catch_up"] = True
        changed = one.model_copy(update=more)
        late = plan.model_copy(update={"jobs": (*jobs, changed, *plan.jobs[len(jobs) + 1 :])})
        jobs.append(one if problems(late) else changed)
    speed = luck.choice((2.0, 20.0, 200.0))
    links = (plan.links[0].model_copy(update={"mbit_a_to_b": speed}), *plan.links[1:])
    return plan.model_copy(
        update={"disks": tuple(disks), "pools": tuple(pools), "jobs": tuple(jobs), "links": links}
    )


def nested(seed: int) -> Plan:
    """Such a lab with one dataset inside the other, and what is mounted by address at desks."""
    plan, luck = wide(seed), random.Random(seed + 7)
    inner = plan.datasets[1].model_copy(update={"parent": "files", "pool": "main"})
    jobs = tuple(
        j.model_copy(update={"target_pool": "second"})
        if inner.id in j.datasets and j.target_pool and not j.reads_from
        else j
        for j in plan.jobs
    )
    tried = plan.model_copy(update={"datasets": (plan.datasets[0], inner), "jobs": jobs})
    plan = plan if problems(tried) else tried
    exports = [
        Export.model_validate(
            {"id": f"x-{d.id}", "name": f"x-{d.id}", "protocol": "nfs", "dataset": d.id}
            | {"clients": (luck.choice(("192.168.1.50", "10.0.0.0/24")),)}
            | {"may": luck.choice(("read", "write"))}
        )
        for d in plan.datasets
        if luck.random() < 0.5
    ]
    return plan.model_copy(update={"exports": tuple(exports)})


def landing(seed: int) -> Plan:
    """Such a lab with a mirror that lands in a module of the far box, as a courier or as a person."""
    plan, luck = wide(seed), random.Random(seed + 11)
    room = dataset(
        id="room", name="room", pool="second", size_bytes=luck.choice((0, 1)) * GB,
        change_bytes_per_day=0, deleted_bytes_per_day=0,
    )  # fmt: skip
    more = plan.datasets[1].model_copy(update={"pool": "main"})
    who = Account(
        id="courier", login="courier", full_name="C", role=luck.choice(("backup", "everyday"))
    )
    mill = Export(
        id="mill", name="mill", protocol="rsync", dataset="room", accounts=("courier",),
        clients=("10.0.0.0/8",), may="write",
    )  # fmt: skip
    jobs = tuple(
        j.model_copy(update={"target_pool": "second"})
        if "more" in j.datasets and j.target_pool and not j.reads_from
        else j
        for j in plan.jobs
        if j.id != "next"
    )
    days = luck.choice((3, 9))
    kind = luck.choice(("mirror", "folder_mirror"))
    lands = job(
        "lands",
        kind,
        target_pool="second",
        datasets=(luck.choice(("files", "more")),),
        lands_in="mill",
        lands_as="courier",
        retention=Retention() if kind == "mirror" else Retention(trash_days=days),
        alarm_days=luck.choice((None, 3.0)),
    )
    tried = {
        "datasets": (plan.datasets[0], more, room),
        "accounts": (*plan.accounts, who),
        "exports": (mill,),
    }
    with_all = plan.model_copy(update={**tried, "jobs": (*jobs, lands)})
    return with_all if not problems(with_all) else with_all.model_copy(update={"jobs": (lands,)})


def closed(seed: int) -> Plan:
    """Such a lab in which one box, or both, has firmware of its own; and somebody's PC at home.

    What then cannot be is left out; what goes between the boxes lands in a module, or is a tool's.
    """
    plan, luck = (landing if seed % 2 else wide)(seed), random.Random(seed + 13)
    kinds = luck.choice((("bought_box", None), (None, "bought_box"), ("bought_box", "bought_box"),
                         (None, "router"), ("router", None), (None, None)))  # fmt: skip
    hosts = tuple(
        h.model_copy(update={"kind": kind or h.kind})
        for h, kind in zip(plan.hosts, kinds, strict=True)
    )
    system = luck.choice(("windows", "macos", "linux"))
    desk = Host.model_validate(
        {
            "id": "desk",
            "name": "desk",
            "site": "home",
            "kind": "pc",
            "system": system,
            "slots_nvme": 1,
        }
    )
    inside = Disk(
        id="ssd", label="inside", kind="nvme", form="m.2", capacity_bytes=10**12, host="desk",
        bay="nvme-1", serial="PC-1",
    )  # fmt: skip
    own = {"windows": "ntfs", "macos": "apfs", "linux": "ext4"}[system]
    c = Pool.model_validate(
        {
            "id": "c",
            "name": "C",
            "host": "desk",
            "family": "single",
            "filesystem": own,
            "standing": True,
        }
        | {"groups": [["ssd"]]}
    )
    mine = Dataset(id="mine", name="Pictures", pool="c", size_bytes=100 * GB,
                   change_bytes_per_day=luck.choice((0, 1)) * GB)  # fmt: skip
    kept = Dataset(id="kept", name="of PCs", pool="second", size_bytes=0)
    pcs = Share(id="pcs", name="pcs", dataset="kept", pc_backups=True)
    account = luck.choice([a.id for a in plan.accounts if a.enabled])
    copied = job(
        "desk-copy", "pc_copy", datasets=("mine",), target_pool="second", lands_share="pcs",
        lands_as=account, retention=Retention(), schedule=nightly(luck),
        alarm_days=luck.choice((None, 9.0)),
    )  # fmt: skip
    shelved = job(
        "desk-shelf", "shelf", datasets=("mine",), target_disk="loose9", credentials="hand",
        retention=Retention(last=1), schedule=nightly(luck),
    )  # fmt: skip
    base = plan.model_copy(
        update={
            "hosts": (*hosts, desk), "disks": (*plan.disks, inside), "pools": (*plan.pools, c),
            "datasets": (*plan.datasets, mine, kept), "shares": (*plan.shares, pcs),
            "grants": (*plan.grants, Grant(id="pc", share="pcs", account=account, right="write")),
        }
    )  # fmt: skip
    jobs: list[Job] = []
    for one in (*plan.jobs, copied, shelved):
        if not problems(base.model_copy(update={"jobs": (*jobs, one)})):
            jobs.append(one)
    return base.model_copy(update={"jobs": tuple(jobs)})


def spread(seed: int) -> Plan:
    """A box whose disks have a file system each, a union or parity over files; or an array with a fast tier."""
    luck = random.Random(seed)
    family, parity = luck.choice(
        (("union", 0), ("parity1", 1), ("parity1", 1), ("parity2", 2), ("raid5", 0))
    )
    data, flash = luck.choice((2, 3, 4)) + (family == "raid5"), luck.choice((0, 0, 1, 2))
    flash = flash or int(family == "raid5")
    ids = [f"box{n}" for n in range(1, data + parity + 1)]
    fast = tuple(f"box{n}" for n in range(data + parity + 1, data + parity + flash + 1))
    plain = lab()
    pool = plain.pools[0].model_copy(
        update={
            "family": family, "filesystem": luck.choice(("ext4", "xfs")), "tier": fast,
            "groups": (tuple(ids[:data]), tuple(ids[data:])) if parity else (tuple(ids),),
            "tier_mirrored": flash == 2, "encrypted": luck.random() < 0.2,
        }
    )  # fmt: skip
    still = luck.random() < 0.4
    files = dataset(
        size_bytes=luck.choice((50, 300)) * GB,
        change_bytes_per_day=0 if still else luck.choice((1, 4)) * GB,
        deleted_bytes_per_day=0 if still else luck.choice((0, 1)) * GB,
    )
    hosts = tuple(h.model_copy(update={"bays_35": 10}) for h in plain.hosts)
    disks = [disk(n, "box") for n in range(1, data + parity + flash + 1)]
    jobs = [
        job("m", "folder_mirror", target_pool="second", retention=Retention(trash_days=3),
            credentials=luck.choice(("source", "target")), schedule=nightly(luck)),
        job("b", "backup", target_pool="second", retention=luck.choice(RULES), schedule=nightly(luck)),
    ]  # fmt: skip
    if flash and luck.random() < 0.5:
        weekly = Schedule(kind="weekly", at="03:00", weekdays=(luck.randrange(7),))
        jobs.append(Job(id="move", name="move", kind="mover", pool="main", schedule=weekly))
    return lab(
        name=f"spread {seed}",
        hosts=hosts,
        disks=(*disks, *(d for d in plain.disks if d.host != "box")),
        pools=(pool, plain.pools[1].model_copy(update={"filesystem": "ext4"})),
        datasets=(files,),
        jobs=tuple(j for j in jobs if luck.random() < 0.8),
    )
