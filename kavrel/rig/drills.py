"""Drills: nights that may come, made from the plan's own boxes, disks and copies.

Each does to the rig what its hazard does, and says what somebody then sees first. What to do about it is
not told: the restore sheet tells it.
"""

from collections.abc import Callable
from dataclasses import dataclass

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.paper.disk_dies import TITLE as DISK_DIES
from kavrel.core.paper.errors_found import TITLE as ERRORS_FOUND
from kavrel.core.paper.power_back import TITLE as POWER_WAS_AWAY_PAGE
from kavrel.core.plan import Plan
from kavrel.core.pools.families import FAMILIES
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.restores import WORTH_ORDER
from kavrel.rig.deeds import (
    AILING,
    BY_HAZARD,
    CABLE_OFF,
    FRAYED,
    POWER_WAS_AWAY,
    SLOW_DISK,
    Deed,
    struck,
    targets,
    together,
)
from kavrel.rig.faults import CLOCK, HOLLOW, MUTE, Fault, with_jobs
from kavrel.rig.lab import Lab
from kavrel.rig.unlike import unlike

HOUR = 3600.0
# What the sheet says of these is no matter of one dataset's copies: it has a part of its own there.
PAGES = {"one_disk": DISK_DIES, "power_cut": POWER_WAS_AWAY_PAGE}


@dataclass(frozen=True)
class Drill:
    """A drill of a hazard, and of what has happened `before` it.

    `late`: days until it is seen; `sees`: what is seen then, of a target. `mended`: what else must be
    right in the end beside the data; empty where nothing is. `caution`: of what hands may meet.
    `part`: what the restore sheet calls it, where that is not the hazard's own. `looks_like`: what is
    done, where it only looks like the hazard. `quiet`: what goes wrong unseen, so many days before that.
    """

    id: str
    title: str
    hazard: str
    sees: Callable[[Lab, str], str]
    before: tuple[str, ...] = ()
    late: float = 0.0
    mended: Callable[[Lab, str], str] = lambda lab, target: ""
    caution: str = ""
    looks_like: Deed | None = None
    quiet: Fault | None = None
    quiet_days: int = 0
    part: str = ""

    @property
    def deed(self) -> Deed:
        """What is done."""
        return self.looks_like or BY_HAZARD[self.hazard]

    @property
    def page(self) -> str:
        """What the restore sheet calls it."""
        return self.part or PAGES.get(self.hazard) or HAZARDS[self.hazard].title


OPEN_CASE = (
    "Pull the mains plug and wait until no light is on before a case is opened; touch bare metal of the "
    "case first; never open a power supply. Disks still turn for half a minute: set them down flat."
)


def _host(lab: Lab, pool: str) -> str:
    return lab.index.hosts[lab.index.pools[pool].host].name


def _names(lab: Lab, box: str) -> str:
    return ", ".join(s.name for s in lab.boxes[box].stores.values())


def _healthy(lab: Lab, pool: str) -> str:
    told = next(s for b in lab.boxes.values() for s in b.stores.values() if s.pool.id == pool)
    state = lab.health(told.pool)
    return "" if state == "ONLINE" else f"pool {told.name} is {state.lower()}"


def _up(lab: Lab, box: str) -> str:
    here = lab.boxes[box]
    if not here.up:
        return f"{here.name} does not run"
    locked = [s.name for s in here.stores.values() if s.locked]
    return f"pool {locked[0]} is locked" if locked else ""


def _all_up(lab: Lab, site: str) -> str:
    whys = (_up(lab, b.host.id) for b in lab.boxes.values() if b.host.site == site and b.stores)
    return next((w for w in whys if w), "")


def _mail(box: str, subject: str, text: str) -> str:
    return f"A mail from root of {box}: “{subject}”. {text}"


def _one_disk(lab: Lab, pool: str) -> str:
    name = next(s.name for b in lab.boxes.values() for s in b.stores.values() if s.pool.id == pool)
    box = _host(lab, pool)
    return _mail(box, f"{box}: scrub of {name} failed", f"pool {name} is not well: state: DEGRADED")


def _not_seen(lab: Lab, pool: str) -> str:
    cleaned = "Yesterday somebody vacuumed there."
    return f"{_one_disk(lab, pool)} {cleaned}"


def _ailing(lab: Lab, pool: str) -> str:
    box, disk = _host(lab, pool), lab.drives[together(lab, pool)[1]].disk
    said = f"Currently unreadable (pending) sectors of {disk.label}, serial {disk.serial}: 96, yesterday 12."
    return f"{_one_disk(lab, pool)} {_mail(box, f'{box}: SMART error', said)}"


def _slow_disk(lab: Lab, pool: str) -> str:
    name = next(s.name for b in lab.boxes.values() for s in b.stores.values() if s.pool.id == pool)
    said = "The scrub has gone on for three days, and no line of its status says why."
    return f"Opening a folder of {name} on {_host(lab, pool)} takes half a minute. {said}"


def _none_slow(lab: Lab, pool: str) -> str:
    slow = [
        lab.drives[d].disk
        for b in lab.boxes.values()
        for s in b.stores.values()
        if s.pool.id == pool
        for d in s.pool.disks
        if lab.drives[d].slow
    ]
    return f"pool {_store(lab, pool)} waits for one of its disks" if slow else _healthy(lab, pool)


def _store(lab: Lab, pool: str) -> str:
    stores = (s for b in lab.boxes.values() for s in b.stores.values())
    return next(s.name for s in stores if s.pool.id == pool)


def _errors(lab: Lab, pool: str) -> str:
    name, box = _store(lab, pool), _host(lab, pool)
    if FILESYSTEMS[lab.index.pools[pool].filesystem].checksums:
        said = (
            f"pool {name} is not well: one or more devices has experienced an unrecoverable error."
        )
        return _mail(box, f"{box}: scrub of {name} failed", said)
    disk = next(lab.drives[d].disk for d in lab.index.pools[pool].disks if lab.drives[d].frayed)
    said = f"199 UDMA_CRC_Error_Count of {disk.label}, serial {disk.serial} counts up."
    return _mail(box, f"{box}: SMART error", said)


def _quiet(lab: Lab, pool: str) -> str:
    drives = [lab.drives[d] for d in lab.index.pools[pool].disks]
    here = [d for d in drives if d.host == lab.index.pools[pool].host]
    name = f"pool {_store(lab, pool)}"
    if any(d.garbled for d in here):
        return f"{name} counts errors"
    if any(d.frayed and not d.doubted for d in here):
        return f"CRC errors of a disk of {name} still count up"
    if any(d.doubted for d in here):
        return f"nobody knows whether {name} counts errors again: nothing has read all of it since"
    return _healthy(lab, pool)


def _no_mail_came(lab: Lab, pool: str) -> str:
    said = "A look at its page, for another reason, shows a pool that is DEGRADED, for more than a week."
    return f"{_host(lab, pool)} was quiet. {said} No mail of it ever came."


def _told_and_whole(lab: Lab, pool: str) -> str:
    return _healthy(lab, pool) or MUTE.left(lab, lab.index.pools[pool].host)


def _refused(lab: Lab, box: str) -> str:
    """The newest mail of a box that does not believe its clock."""
    told = [m.text for m in lab.mail if m.box == box and "the clock of this box" in m.text]
    subject, _, text = (told or ["Subject: none"])[-1].partition("\n")
    name = lab.boxes[box].name
    return (
        f"The power at {name} was away the day before yesterday. Since then mails like this come. "
        + _mail(name, subject.removeprefix("Subject: "), " ".join(text.split()))
    )


def _all_was_well(lab: Lab, box: str) -> str:
    return f"{_box_lost(lab, box)} Every morning’s list of copies said: all went well."


def _copied_again(lab: Lab, box: str) -> str:
    return HOLLOW.left(lab, box)


def _second_disk(lab: Lab, pool: str) -> str:
    name = next(s.name for b in lab.boxes.values() for s in b.stores.values() if s.pool.id == pool)
    said = "Two of its disks click and are not found any more."
    return f"The shares of {name} on {_host(lab, pool)} are gone. {said}"


def _box_lost(lab: Lab, box: str) -> str:
    said = f"Its disks, pools {_names(lab, box)}, are dead."
    return f"{lab.boxes[box].name} gives no sign of life, and it smells burnt. {said}"


def _boot_lost(lab: Lab, box: str) -> str:
    device = lab.boxes[box].host.boot_device.replace("_", " ")
    said = f"Its {device} is dead, the disks spin."
    return f"{lab.boxes[box].name} stops at a black screen: no boot device. {said}"


def _power_cut(lab: Lab, site: str) -> str:
    name = lab.index.sites[site].name
    return f"The power at {name} was away for an hour and is back. Some shares do not open."


def _deleted(lab: Lab, nothing: str) -> str:
    return "Somebody asks where a folder is that was there last week. Nobody knows who deleted it, or when."


def _malware(lab: Lab, nothing: str) -> str:
    return "Files have an odd ending, and a note asks for money. It seems to have begun yesterday."


def _malware_credentials(lab: Lab, box: str) -> str:
    name = lab.boxes[box].name
    return (
        f"Nobody gets into {name} any more; its page shows a demand for money. Snapshots are gone."
    )


def _theft(lab: Lab, box: str) -> str:
    name = lab.boxes[box].name
    return f"The door stands open. {name} is gone, and so are the disks from the shelf beside it."


def _fire(lab: Lab, site: str) -> str:
    return f"It has burned at {lab.index.sites[site].name}. Nobody is hurt. Nothing that stood there is left."


def _no_line(lab: Lab, box: str) -> str:
    return f"The line to the outside has been down since morning. {_box_lost(lab, box)}"


def _cloud(lab: Lab, box: str) -> str:
    return f"A letter says that the bucket’s account is closed, for a bill nobody saw. {_box_lost(lab, box)}"


DRILLS = (
    Drill("one_disk", "a disk dies", "one_disk", _one_disk, mended=_healthy, caution=OPEN_CASE),
    Drill(
        "cable_off", "a disk is not seen", "one_disk", _not_seen, mended=_healthy, caution=OPEN_CASE,
        looks_like=CABLE_OFF,
    ),
    Drill(
        "slow_disk", "all waits for a disk", "one_disk", _slow_disk, mended=_none_slow, caution=OPEN_CASE,
        looks_like=SLOW_DISK,
    ),
    Drill(
        "errors", "errors are reported", "one_disk", _errors, mended=_quiet, caution=OPEN_CASE,
        looks_like=FRAYED, part=ERRORS_FOUND,
    ),
    Drill(
        "ailing", "a disk died, and the next one ails", "one_disk", _ailing, mended=_healthy,
        caution=OPEN_CASE, looks_like=AILING,
    ),
    Drill(
        "no_mail", "a disk died, and nobody was told", "one_disk", _no_mail_came, mended=_told_and_whole,
        caution=OPEN_CASE, late=8.0, quiet=MUTE,
    ),
    Drill("second_disk", "a second disk dies", "second_disk", _second_disk, caution=OPEN_CASE),
    Drill("box_lost", "a box burns out", "box_lost", _box_lost, caution=OPEN_CASE),
    Drill("boot_lost", "a box does not start", "boot_lost", _boot_lost, mended=_up),
    Drill("power_cut", "after a power cut", "power_cut", _power_cut, mended=_all_up),
    Drill(
        "clock", "a clock that nobody believes", "power_cut", _refused, mended=CLOCK.left,
        looks_like=POWER_WAS_AWAY, quiet=CLOCK, quiet_days=2,
    ),
    Drill(
        "hollow", "all went well, and nothing was copied", "box_lost", _all_was_well, mended=_copied_again,
        caution=OPEN_CASE, quiet=HOLLOW, quiet_days=5,
    ),
    Drill("deleted", "deleted last week", "deleted", _deleted, late=3.0),
    Drill("malware", "a demand for money", "malware", _malware, late=1.0),
    Drill(
        "malware_credentials", "the box is in other hands", "malware_credentials", _malware_credentials,
        late=0.5,
    ),
    Drill("theft", "the box is stolen", "theft", _theft),
    Drill("fire", "after the fire", "fire", _fire),
    Drill("no_line", "a box is lost, and the line is down", "box_lost", _no_line, ("uplink_down",)),
    Drill("cloud_closed", "a box lost, and the account closed", "box_lost", _cloud, ("cloud_closed",)),
)  # fmt: skip
BY_ID = {d.id: d for d in DRILLS}
SEEN_AT = (3 * HOUR + 12 * 60, 19 * HOUR + 40 * 60, 7 * HOUR + 5 * 60)  # of the day


MOST = 2  # datasets that a drill is about, those worth most


def concerned(lab: Lab, drill: Drill, target: str) -> list[str]:
    """Datasets whose coming back is what a drill is about: those with a copy first, by their worth."""
    hit = [d for d in struck(lab, drill.deed, target) if _takes_commands(lab.index, d)]
    copied = {d for j in lab.plan.jobs if lab.book.ages(j) is not None for d in j.datasets}
    hit.sort(key=lambda d: (d not in copied, WORTH_ORDER[lab.index.datasets[d].worth]))
    return hit[:MOST]


def _takes_commands(index: Index, dataset: str) -> bool:
    """Whether what is done about a dataset is typed on a box, and not entered in a page or a card's menu."""
    pool = index.pools[index.datasets[dataset].pool]
    return not (index.hosts[pool.host].closed or FAMILIES[pool.family].card)


def none_to_play(plan: Plan) -> str:
    """Why no drill can be played with a plan, in words; empty where one can."""
    index = Index(plan)
    here = [d for d in plan.datasets if index.pools[d.pool].standing]
    if not here:
        return "a drill needs a pool that stands, with a dataset on it"
    if not any(_takes_commands(index, d.id) for d in here):
        return "a drill needs a box that takes commands: here all have pages of their own, or a card's menu"
    return next(unlike(plan), "")


def strikes(lab: Lab, drill: Drill) -> list[str]:
    """What a drill can strike so that there is something to do: nobody needs to save what nothing took."""
    chosen = [t for t in targets(lab, drill.deed) if concerned(lab, drill, t)]
    if drill.quiet and drill.deed.at == "box":
        return [t for t in with_jobs(lab) if t in chosen] or chosen
    if drill.looks_like is AILING:
        return [t for t in chosen if FAMILIES[lab.index.pools[t].family].outlives(2) == 1] or chosen
    if drill.hazard == "second_disk":
        hurt = [t for t in chosen if not FAMILIES[lab.index.pools[t].family].outlives(2) > 1]
        return hurt or chosen
    if drill.hazard == "one_disk":
        return [t for t in chosen if FAMILIES[lab.index.pools[t].family].outlives(2) > 0] or chosen
    return chosen
