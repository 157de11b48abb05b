"""Forty cells of the proof over four labs, written down by hand before the code was run.

Each is what a person of the trade would answer with paper and pencil: the fate, hours of work lost at
worst, and where it is not always so the share of the moments. Common practice, no source; arithmetic
beside each lab.
"""

from datetime import date

import pytest

from kavrel.core.plan import Plan, Pool, Retention
from kavrel.core.proof.cell import Cell
from tests.builders import daily, dataset, disk, job, lab, result


def nightly() -> Plan:
    """RAIDZ1 of three at home; every night at 01:00 pushed to a mirror elsewhere, kept 30 days.

    2 GB change a day, 20 Mbit/s of which 88 % are files: 2.2 MB/s, so a run takes 909 s and 20 s to
    start: the newest point is at worst a night and 0.26 h old. Noticed days later the run is over.
    """
    return lab(jobs=(job("far", kind="replication", target_pool="second"),))


def nothing() -> Plan:
    """RAIDZ1 of three on ZFS, on a UPS, and no copy of anything."""
    return lab()


def shelf() -> Plan:
    """One disk with ext4; every 30 days a disk is written that lies at another site.

    1 TB at 167 MB/s in the dock; changes of 30 days are 60 GB: some 6 minutes.
    """
    pool = Pool(
        id="main", name="main", host="box", family="single", filesystem="ext4", groups=(("box1",),)
    )
    disks = (disk(1), disk(1, "far"), disk(2, "far"), disk(9, None, shelf="away"))
    by_hand = job(
        "disk",
        kind="shelf",
        target_disk="loose9",
        credentials="hand",
        schedule=daily(every=30, start=date(2025, 1, 1)),
        retention=Retention(last=1),
    )
    return lab(disks=disks, pools=(pool, lab().pools[1]), jobs=(by_hand,))


def fetched() -> Plan:
    """The same as without copies, but everything can be fetched again."""
    return lab(datasets=(dataset(worth="fetch_again"),))


# The night on which the clocks go back is 25 hours long, and the worst night of a year is that one.
NIGHT, MONTH = 25.26, 30 * 24 + 1 + 0.2
ALWAYS = 1.0
# fate, hours lost at worst, share of the moments in which nothing comes back
TABLE: dict[str, tuple[str, float | None, float]] = {
    # A night's push with the source's own credentials.
    "nightly one_disk": ("runs_on", 0, 0),
    "nightly second_disk": ("restored", NIGHT, 0),
    "nightly box_lost": ("restored", NIGHT, 0),
    "nightly fire": ("restored", NIGHT, 0),
    "nightly theft": ("restored", NIGHT, 0),
    "nightly deleted": ("lost", None, ALWAYS),  # missed after 30 days, kept for 30
    "nightly malware": ("restored", 25.0, 0),
    "nightly malware_credentials": ("lost", None, ALWAYS),  # who pushes can delete
    "nightly uplink_down": ("exposed", NIGHT + 72, 0),
    "nightly never_tried": ("lost", None, ALWAYS),
    # No copy: what RAID does, and what it does not.
    "nothing one_disk": ("runs_on", 0, 0),
    "nothing second_disk": ("lost", None, ALWAYS),
    "nothing box_lost": ("lost", None, ALWAYS),
    "nothing fire": ("lost", None, ALWAYS),
    "nothing theft": ("lost", None, ALWAYS),
    "nothing deleted": ("lost", None, ALWAYS),
    "nothing malware": ("lost", None, ALWAYS),
    "nothing malware_credentials": ("lost", None, ALWAYS),
    "nothing corruption": ("runs_on", 0, 0),
    "nothing boot_lost": ("down", 0, 0),
    # A disk carried once a month.
    "shelf one_disk": ("restored", MONTH, 0),
    "shelf second_disk": ("restored", MONTH, 0),
    "shelf box_lost": ("restored", MONTH, 0),
    "shelf fire": ("restored", MONTH, 0),
    "shelf theft": ("restored", MONTH, 0),
    "shelf deleted": ("lost", None, ALWAYS),  # written over before anybody misses it
    "shelf malware": ("lost", None, 2 / 30),  # only if it is written in the two days
    "shelf malware_credentials": ("lost", None, 2 / 30),
    "shelf corruption": ("lost", None, ALWAYS),
    "shelf uplink_down": ("runs_on", 0, 0),
    # What is fetched again is no loss, and no copy either.
    "fetched one_disk": ("runs_on", 0, 0),
    "fetched second_disk": ("fetch_again", None, ALWAYS),
    "fetched box_lost": ("fetch_again", None, ALWAYS),
    "fetched fire": ("fetch_again", None, ALWAYS),
    "fetched theft": ("fetch_again", None, ALWAYS),
    "fetched deleted": ("fetch_again", None, ALWAYS),
    "fetched malware": ("fetch_again", None, ALWAYS),
    "fetched malware_credentials": ("fetch_again", None, ALWAYS),
    "fetched corruption": ("runs_on", 0, 0),
    "fetched offsite_silent": ("runs_on", 0, 0),
}
LABS = {"nightly": nightly, "nothing": nothing, "shelf": shelf, "fetched": fetched}


@pytest.fixture(scope="module")
def cells() -> dict[str, Cell]:
    return {f"{name} {c.hazard}": c for name, make in LABS.items() for c in result(make()).proof}


@pytest.mark.parametrize("which", TABLE)
def test_cell(which: str, cells: dict[str, Cell]) -> None:
    fate, hours, share = TABLE[which]
    cell = cells[which]
    assert cell.fate == fate
    if hours is None:
        assert cell.rpo_seconds is None
    else:
        assert cell.rpo_seconds is not None
        assert cell.rpo_seconds / 3600 == pytest.approx(hours, abs=max(0.3, hours * 0.001))
    assert cell.never_share == pytest.approx(share, rel=0.1, abs=0.005)


def test_there_are_forty_over_four_labs() -> None:
    assert len(TABLE) == 40
    assert {k.split()[0] for k in TABLE} == set(LABS)
