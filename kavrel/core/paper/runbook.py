"""The runbook: the plan as steps in the order of work, each with its cautions, to tick by hand."""

from collections.abc import Iterator, Mapping
from datetime import date

from kavrel.core.evaluate import Evaluation
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.log.last import last_good
from kavrel.core.paper.copying import copying
from kavrel.core.paper.document import Document, Section, SheetStep
from kavrel.core.paper.machines import addresses, machines, unlocking, waits
from kavrel.core.plan import App, Disk, Host, Mount, Plan, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.shares.addresses import opened_ports
from kavrel.core.shares.brought import brought, for_machine, is_far, lacks
from kavrel.core.shares.names import folders, pool_names
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.protocols.nfs import fixed_client, root_is_let_in
from kavrel.core.typed import typed
from kavrel.core.works import (
    AccountLimited,
    AccountThere,
    CertificateThere,
    DatasetLimited,
    DatasetThere,
    DoorOpen,
    FolderAccess,
    GroupThere,
    KerberosThere,
    OutsideTold,
    PasswordsSet,
    RepositoryThere,
    ServerAccount,
    ServiceRuns,
    bill,
)
from kavrel.core.works.folders import Lack, bits
from kavrel.core.works.page import PageFilled
from kavrel.core.works.pools import PoolComplete, members, refusal
from kavrel.core.works.set_up import is_set_up
from kavrel.core.works.ups import PowerWatched, power_works

MAINS = (
    "Pull the mains plug before opening a case; never open a power supply.",
    "Touch bare metal first: static kills boards without a spark to be seen.",
    "No connector needs force; each goes in one way only.",
    "Lay bare drives on card, not on the chassis; let spinning disks stop and heat sinks cool.",
    "UPS batteries are lead and can deliver a dangerous current when shorted; dispose of them "
    "by local rules. Do not daisy-chain power strips.",
    "New circuits and anything fixed to the mains are work for a licensed electrician under the "
    "local code.",
)
LABELLED = (
    "Label and serial go onto the tray before anything else: pulling the wrong disk is the classic "
    "disaster."
)
IN_ITS_PAGE = "A box with a page of its own checks its disks there: the long self-test."
# Sources: smartctl(8), badblocks(8): -w writes and reads four patterns.
SURFACE = (
    "A surface check is `smartctl -t long DISK`, which reads all of it in the hours said; then "
    "`smartctl -a DISK`: it completed without error, and nothing is reallocated, pending or uncorrectable. "
    "A new disk, and none of a pool, can be written besides, `badblocks -b 4096 -wsv DISK`: eight times as "
    "long, and all that is on it goes. DISK is its name below /dev/disk/by-id, where its serial stands."
)


READ_ALONE = "It is read, and never written: the long self-test alone."


def runbook(plan: Plan, evaluation: Evaluation, revision: str) -> Document:
    """The runbook of a plan; `revision` names where it comes from."""
    index = Index(plan)
    sections = [
        Section(
            title="Before anything",
            intro="Safety. Local codes and licensed practice come before this sheet.",
            steps=tuple(SheetStep(text=text) for text in MAINS),
        ),
        _open_cautions(evaluation),
        _bench(index),
        machines(index, evaluation.today),
        _power(index, evaluation),
        _network(index, evaluation.today),
        _pools(index, evaluation),
        _shares(index, evaluation.today),
        copying(index, evaluation),
        _restore(index, evaluation),
        _upkeep(evaluation),
    ]
    return Document(
        title=f"Runbook: {plan.name}" + (f", {plan.variant}" if plan.variant else ""),
        origin=f"{revision}, {evaluation.today}",
        sections=tuple(s for s in sections if s.steps),
    )


def _open_cautions(evaluation: Evaluation) -> Section:
    alike: dict[tuple[str, str], list[str]] = {}  # what is alike is said once, with all names
    for caution in evaluation.cautions:
        if caution.severity == "serious":
            alike.setdefault((caution.why, caution.remedy), []).append(caution.name)
    return Section(
        title="Settle these first",
        intro="Serious cautions that stand against the plan as it is.",
        steps=tuple(
            SheetStep(text=f"{', '.join(names)}: {why}", minds=(remedy,))
            for (why, remedy), names in alike.items()
        ),
    )


def _bench(index: Index) -> Section:
    steps: list[SheetStep] = []
    for disk in index.plan.disks:
        where = "on the shelf"
        if disk.host:
            where = f"into bay {disk.bay} of {index.hosts[disk.host].name}"
        elif disk.shelf:
            where = f"on the shelf at {index.sites[disk.shelf].name}"
        checked = last_good(index, "disk_check", "disk", disk.id)
        hours = None if checked else disk.capacity_bytes / (disk.mb_per_s * 1e6) / 3600
        pool = index.pools.get(index.disks_in_pools.get(disk.id, ""))
        first = f"its surface was checked on {checked}" if checked else "surface-check it, then"
        verb = "; it belongs" if checked else " put it"
        held = "It holds data that must survive: copy it off and check the copy first."
        standing = pool is not None and pool.standing
        in_use = disk.holds_data or disk.id in index.held or standing
        if pool and pool.standing and not checked:
            first, verb = f"at work in pool {pool.name}: surface-check it where it is", ","
            where = where.removeprefix("into ")
        steps.append(
            SheetStep(
                text=f"{_named(disk)}: {first}{verb} {where}",
                minds=(
                    *((held,) if disk.holds_data else ()),
                    *((READ_ALONE,) if not checked and in_use else ()),
                ),
                hours=hours,
            )
        )
    return Section(title="Bench", intro=_surface(index), steps=tuple(steps))


def _surface(index: Index) -> str:
    """How a disk is checked: where commands are typed, and where a page does it."""
    closed = [h.closed for h in index.plan.hosts]
    ways = [SURFACE] if not closed or not all(closed) else []
    return " ".join([LABELLED, *ways, *([IN_ITS_PAGE] if any(closed) else [])])


def _power(index: Index, evaluation: Evaluation) -> Section:
    steps = []
    for supply, view in zip(index.plan.supplies, evaluation.power.supplies, strict=True):
        told = [index.hosts[h].name for h in supply.signals]
        steps.append(
            SheetStep(
                text=f"{supply.name}: plug in {', '.join(index.hosts[h].name for h in supply.hosts)}; "
                f"signal to {', '.join(told) or 'nobody'}; shut down after {supply.delay_minutes:g} min",
                minds=(view.why, "Pull its plug once, with nobody at work, and see that all stop."),
            )
        )
        steps += [
            SheetStep(
                text=f"After the cut, {w.order}: {w.name} {w.how}; look that its pool is there",
                minds=_locked(index, w.host),
            )
            for w in view.waking
        ]
    for host in index.plan.hosts:
        steps += [_service(host, work) for work in power_works(index, host.id)]
    return Section(title="Power", steps=tuple(steps))


def _locked(index: Index, host: str) -> tuple[str, ...]:
    """What somebody has to open there after a start."""
    mine = [p for p in index.plan.pools if p.host == host]
    locked = [(p, unlocking(index, p)) for p in mine if waits(index, p)]
    return tuple(f"Pool {p.name} is locked: {'; then '.join(how)}." for p, how in locked if how)


def _named(disk: Disk) -> str:
    return f"{disk.label} (serial {disk.serial})" if disk.serial else disk.label


def _pools(index: Index, evaluation: Evaluation) -> Section:
    steps = []
    views = {p.id: p for p in evaluation.pools}
    for pool in index.plan.pools:
        layout = views[pool.id].layout
        members = "; ".join(
            ", ".join(_named(index.disks[d]) for d in group) for group in pool.groups
        )
        over = f"{layout.title} with {pool.filesystem} over {members}"
        if pool.standing:
            text = f"On {index.hosts[pool.host].name} look that pool {pool.name} is there: {over}"
            minds = ["It stands: nothing makes it again; setup.sh only looks for it."]
        else:
            text, minds = _to_make(index, pool, over)
        if layout.survives_any == 0:
            minds.append(
                "It is lost with any one disk."
                if layout.remains == "nothing"
                else "A dead disk takes its own files, and those alone: its redundancy is none."
            )
        elif layout.remains != "nothing":
            minds.append(
                f"Beyond any {layout.survives_any} the dead disks' files are lost; {layout.remains} stay."
            )
        if FAMILIES[pool.family].card:
            minds += _card(pool)
        how = "; then ".join(unlocking(index, pool))
        if how and waits(index, pool):
            minds.append(f"After each start it is locked, until somebody gives: {how}.")
        elif how:
            minds.append(
                "Its key file opens it: start the box once and see that it does. Should the system disk "
                f"be gone, its passphrase does: {how}."
            )
        if pool.encrypted:
            place = pool.passphrase_at or "____________ (say it in the plan)"
            minds.append(f"Its passphrase is kept at {place}; without it all of it is lost.")
        steps.append(SheetStep(text=text, minds=tuple(minds)))
        if layout.rebuild_hours and not pool.standing:
            steps.append(
                SheetStep(
                    text=f"Pool {pool.name}: pull one disk, see that the mail arrives, put it back",
                    minds=("Do it while the pool is empty.",),
                    hours=layout.rebuild_hours,
                )
            )
    return Section(title="Pools", steps=tuple(steps))


def _to_make(index: Index, pool: Pool, over: str) -> tuple[str, list[str]]:
    """How a wanted pool comes about: by the script of its box, or by hand where that leaves it alone."""
    host = index.hosts[pool.host]
    wipes = "Making the pool wipes every disk named. Read the serials aloud."
    if any(d in index.held for d in pool.disks):
        return (
            f"On {host.name} make pool {pool.name} by the run sheet of the shuffle: {over}",
            [
                "Its disks hold data: the sheet copies and verifies before it wipes. setup.sh leaves it alone."
            ],
        )
    if host.closed:
        return f"On {host.name} create pool {pool.name}: {over}", [wipes]
    kept = [d.label for d in map(index.disks.__getitem__, members(pool)) if d.holds_data]
    if kept:
        return (
            f"Copy off what is on {', '.join(kept)} and check the copy; then {host.name} gets pool "
            f"{pool.name}, by a new bundle of a plan that holds no data there: {over}",
            ["By the plan it must survive: setup.sh leaves the pool alone until then.", wipes],
        )
    bare = [d.label for d in map(index.disks.__getitem__, members(pool)) if not d.serial]
    if bare:
        return (
            f"Write the serial of {', '.join(bare)} into the plan and take a new bundle: then "
            f"`sh setup.sh` of {host.name} makes pool {pool.name}: {over}",
            [
                "The serial stands on the disk's label: photograph it before the disk goes in.",
                wipes,
            ],
        )
    if why := refusal(index, pool):
        return (
            f"On {host.name} create pool {pool.name} by hand: {over}",
            [f"setup.sh leaves it alone: {why}.", wipes],
        )
    return (
        f"Take the bundle to {host.name}; there `sh setup.sh --print`, then `sh setup.sh`: it makes pool "
        f"{pool.name}: {over}",
        [
            "It shows each disk with what is on it, and wipes nothing before "
            f"`{pool_names(index.plan)[pool.id]}` is typed. The same run makes what stands under Shares.",
            wipes,
        ],
    )


def _card(pool: Pool) -> list[str]:
    """What has to be known of a hardware card before it dies."""
    spare = "its spare is on the shelf" if pool.spare_card else "it has no spare"
    read = "its disks are read without it" if pool.card_readable else "nothing else reads its disks"
    return [
        f"Made by {pool.card or 'a hardware card: write down card, chip and driver'}; {spare}, {read}.",
        "Note its firmware and save its settings; its battery or capacitor ages like any other.",
    ]


def _shares(index: Index, today: date) -> Section:
    steps: list[SheetStep] = []
    paths = folders(index.plan)
    for host in index.plan.hosts:
        if is_set_up(index, host.id):
            steps += _host(index, host, paths, today)
    for share in index.plan.shares:
        text = f"Try share {share.name} as one who may write, one who may read, one who may not"
        minds = ("The unsuccessful first try is normal: note address, share, user.",)
        steps.append(SheetStep(text=text, minds=minds))
    for export in index.plan.exports:
        title = PROTOCOLS[export.protocol].title
        text = f"Try {title} {export.name} from a client that is let in, and from one that is not"
        only = fixed_client(export) if root_is_let_in(export) else None
        minds = (f"Root of {only} is root on it, by the plan: for that machine alone.",)
        steps.append(SheetStep(text=text, minds=minds if only else ()))
    for app in index.plan.apps:
        steps += _app(index, app, paths)
    return Section(title="Shares", steps=tuple(steps))


# What setup.sh says it has left alone.
LEFT_BY_SCRIPT = (
    PoolComplete,
    DatasetThere,
    DatasetLimited,
    AccountLimited,
    ServerAccount,
    KerberosThere,
    OutsideTold,
)


def _host(index: Index, host: Host, paths: Mapping[str, str], today: date) -> Iterator[SheetStep]:
    """People, folders and services of a box, from its works: what its script and files make true."""
    works = bill(index, host.id, today)
    left = [w.by_hand for w in works if w.by_hand and isinstance(w, GroupThere | AccountThere)]
    people = [w.login for w in works if isinstance(w, AccountThere) and not w.by_hand]
    if host.closed:
        for page in works:
            if isinstance(page, PageFilled):
                lines = tuple(f"{label}: {value}" for label, value in page.values)
                where = "on it" if host.personal else "in its web page"
                yield SheetStep(text=f"{host.name}, {where}: {page.title}", minds=lines)
        return
    wanted = [w.pool for w in works if isinstance(w, PoolComplete) and not w.by_hand]
    pools = f"pools ({', '.join(p.name for p in wanted)}), " if wanted else ""
    yield SheetStep(
        text=f"{host.name}: `sh setup.sh --print`, read it, then run it: it makes {pools}groups, accounts "
        f"({', '.join(people) or 'none'}), datasets, and who may do what in them",
        minds=tuple(left),
    )
    steps_of_passwords = (w for w in works if isinstance(w, PasswordsSet))
    yield from (SheetStep(text=f"{host.name}: {w.by_hand}") for w in steps_of_passwords)
    for work in works:
        if isinstance(work, FolderAccess):
            key = work.makes[0][1]
            stands = index.pools[index.datasets[key].pool].standing
            verb = "Look that dataset" if stands else "Dataset"
            text = f"{verb} {index.datasets[key].name} is at {paths[key]}: {typed(work.see)}"
            yield SheetStep(text=text, minds=tuple(_lack(one) for one in work.lacks))
    for work in works:
        if isinstance(work, ServiceRuns) and not isinstance(work, PowerWatched):
            yield _service(host, work)
        elif isinstance(work, CertificateThere):
            yield SheetStep(
                text=f"{host.name}, {work.what}: setup.sh makes it; write down what {typed(work.see)} says",
                minds=(
                    "It signs itself: each client compares the fingerprint once. One of an authority of your "
                    "own is put there before the script runs, with its key, and stays.",
                ),
            )
        elif isinstance(work, RepositoryThere):
            yield SheetStep(text=f"{host.name}, {work.what}: {typed(work.see)}")
        elif work.by_hand and isinstance(work, LEFT_BY_SCRIPT):
            yield SheetStep(text=f"{host.name}, {work.what}: {work.by_hand}")
    yield SheetStep(
        text=f"{host.name}: lab-look as /usr/local/sbin/lab-look, mode 755; run it, and paste what it prints "
        "in the Log: there stands what is not as planned",
        minds=("It changes nothing.",),
    )


def _lack(one: Lack) -> str:
    return f"{one.who} is granted {bits(one.granted)}, and the mode leaves {bits(one.left)}."


def _service(host: Host, work: ServiceRuns) -> SheetStep:
    if work.by_hand:
        return SheetStep(text=f"{work.what}: {work.by_hand}")
    service = work.service
    placed = "; ".join(service.placed(name, place) for name, place in service.files)
    folders = {(name.rpartition("/")[0], place.rpartition("/")[0]) for name, place in service.files}
    if len(service.files) > 3 and len(folders) == 1:
        ((ours, theirs),) = folders
        placed = f"all files of {ours or 'the bundle'} into {theirs}"
    return SheetStep(
        text=f"{host.name}: {service.first}{placed}; {service.tried}",
        minds=service.minds,
    )


STARTED_BEFORE = (
    "Start it once its folder is mounted: what was started before goes on seeing the empty one."
)


def _app(index: Index, app: App, paths: Mapping[str, str]) -> Iterator[SheetStep]:
    """An application's paths: outside, inside, as whom; a path that is missing shows as an empty one."""
    account = index.accounts.get(app.account or "")
    who = f"as {account.login}" if account else "as root: give it an account of its own"
    if app.address:
        yield SheetStep(
            text=f"{app.name}: give it {app.address} on a bridge of {index.hosts[app.host].name} to the LAN, "
            "and keep the router from giving that address out",
            minds=("Its host's firewall does not see what comes to it: it needs one of its own.",),
        )
    mounts = [m for m in index.plan.mounts if m.app == app.id]
    for mount in mounts:
        right = "to read" if mount.may == "read" else "to read and write"
        text = (
            f"{app.name}: {_outside(index, mount, paths)} is seen at {mount.inside}, {right}, {who}"
        )
        minds = (
            "A library that is empty means a path that is missing, or an account without rights.",
            *([STARTED_BEFORE] if is_far(index, mount) and app.kind != "vm" else []),
        )
        yield SheetStep(text=text, minds=minds)
    if app.ports:
        ports = ", ".join(map(str, app.ports))
        place = f"{app.address}, port {ports}" if app.address else f"port {ports}"
        yield SheetStep(
            text=f"{app.name}: sign in the first time at {place} and set its own password",
            minds=(
                "Whoever comes first there is its administrator: do it before anything is opened.",
            ),
        )


def _outside(index: Index, mount: Mount, paths: Mapping[str, str]) -> str:
    """Where the box that an application runs on has a path's data."""
    app = next(a for a in index.plan.apps if a.id == mount.app)
    if why := lacks(index, mount):
        return f"settle first where it comes from ({why}); what"
    # A virtual machine sees no folder of the box that it runs on, unless it is handed one.
    if app.kind == "vm" and (one := for_machine(index, mount)):
        return f"{one.at}:{one.path}, which it mounts itself over NFS,"
    if not is_far(index, mount):
        handed = f", which {index.hosts[app.host].name} hands in as a shared folder (virtiofs),"
        return f"{paths[mount.dataset]}{handed if app.kind == 'vm' else ''}"
    (here,) = (b for b in brought(index, app.host) if mount in b.mounts)
    over = f"{here.folder} on {index.hosts[app.host].name}, brought over by NFS,"
    return f"{over} by its web page," if index.hosts[app.host].closed else over


def _network(index: Index, today: date) -> Section:
    """Addresses, the VPN and what is opened, before anything is served."""
    steps = addresses(index, today)
    for opening in index.plan.openings:
        host = index.hosts[opening.host]
        if opening.source == "internet":
            minds = (
                "Change default passwords and update before it is opened.",
                "A name that follows a changing address is needed where the provider gives one.",
            )
            for first, last in opened_ports(index, opening):
                ports = f"{first}" if first == last else f"{first}-{last}"
                at = f"{host.address}:{ports}" if host.address else f"port {ports}"
                what = f"{opening.transport} {ports} to {host.name} ({at}), for {opening.purpose}"
                steps.append(SheetStep(text=f"In the router: forward {what}", minds=minds))
    for cap in index.plan.caps:
        link = next(x for x in index.plan.links if x.id == cap.link)
        ends = f"{index.sites[link.a].name} and {index.sites[link.b].name}"
        text = f"In the routers: {cap.mbit:g} Mbit/s at most between {ends}, {cap.from_at} to {cap.to_at}"
        steps.append(SheetStep(text=text, minds=("The week reckons with it; no box sets it.",)))
    for bucket in index.plan.buckets:
        lock = f"locked for {bucket.locked_days} days" if bucket.locked_days else "without a lock"
        renewed = ", renewed by each run" if bucket.locks_renewed else ""
        text = f"At the provider: make bucket {bucket.name}, its objects {lock}{renewed}"
        keys = (
            "The key that the job has may write, and not shorten a lock nor close the account.",
        )
        steps.append(SheetStep(text=text, minds=keys))
    for host in index.plan.hosts:
        doors = (w for w in bill(index, host.id, today) if isinstance(w, DoorOpen) and w.by_hand)
        steps += [SheetStep(text=f"{host.name}: {w.what}: {w.by_hand}") for w in doors]
    return Section(title="Network", steps=tuple(steps))


def _restore(index: Index, evaluation: Evaluation) -> Section:
    tested = [index.jobs[d.about] for d in evaluation.due if d.kind == "restore_test"]
    names = [
        index.jobs[j.reads_from].name if not KINDS[j.kind].copies and j.reads_from else j.name
        for j in tested
    ]
    return Section(
        title="Proof",
        intro="A copy is a hope until something came back from it.",
        steps=tuple(
            SheetStep(text=f"From {name}: restore one item, open it, note the minutes in the log")
            for name in names
        ),
    )


def _upkeep(evaluation: Evaluation) -> Section:
    words = {
        "disk_check": "surface check",
        "smart_reading": "SMART long test",
        "scrub": "scrub",
        "shelf_copy": "shelf copy",
        "update": "updates",
        "password_change": "change default passwords",
    }
    return Section(
        title="Log: what is due",
        steps=tuple(
            SheetStep(text=f"{d.due_on}: {words[d.kind]}, {d.name}", minds=(d.why,))
            for d in evaluation.due
            if d.kind in words
        ),
    )
