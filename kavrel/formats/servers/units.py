"""systemd units of one host: mounts, the emptying of recycle bins, and scrubs."""

from collections.abc import Iterator

from kavrel.core.plan import Plan
from kavrel.formats.servers.files import mount_options
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import render


def unit_name(folder: str) -> str:
    """The mount unit of a folder, escaped as systemd-escape --path does."""
    kept = []
    for n, char in enumerate(folder.strip("/")):
        if char == "/":
            kept.append("-")
        elif (char.isascii() and (char.isalnum() or char in "_:")) or (char == "." and n):
            kept.append(char)
        else:
            kept.append("".join(f"\\x{b:02x}" for b in char.encode()))
    return "".join(kept) + ".mount"


def units(plan: Plan, host: str, origin: str) -> dict[str, str]:
    """Unit name to its text."""
    return dict(_units(Box(plan, host), origin))


def _units(box: Box, origin: str) -> Iterator[tuple[str, str]]:
    common = {"host": box.host, "origin": origin}
    for volume in box.volumes:
        name = unit_name(volume.folder)
        yield name, render("mount_unit.j2", unit=name, v=volume, options=mount_options, **common)
    # What a job of the plan does has a timer of its own: see `timers`.
    emptied = {d for j in box.plan.jobs if j.kind == "bin" for d in j.datasets}
    scrubbed = {j.pool for j in box.plan.jobs if j.kind == "scrub"}
    bins = [
        (box.folders[s.dataset], s.recycle_days)
        for s in box.plan.shares
        if s.recycle_days and s.dataset in {d.id for d in box.datasets} - emptied
    ]
    if bins:
        commands = [
            f"/usr/bin/find {folder} -path '*/.bin/*' -type f -mtime +{days} -delete"
            for folder, days in bins
        ]
        what = "Empty the recycle bins, or their room never comes back"
        yield (
            "kavrel-bins.service",
            render(
                "service_unit.j2",
                unit="kavrel-bins.service",
                what=what,
                commands=commands,
                **common,
            ),
        )
        yield (
            "kavrel-bins.timer",
            render(
                "timer_unit.j2",
                unit="kavrel-bins.timer",
                what=what,
                calendar="*-*-* 04:40:00",
                **common,
            ),
        )
    scrubs = {
        "zfs": "/usr/sbin/zpool scrub {name}",
        "btrfs": "/usr/bin/btrfs scrub start -B /srv/{name}",
    }
    for number, pool in enumerate(box.pools):
        command = scrubs.get(pool.filesystem)
        if not command or not pool.standing or pool.id in scrubbed:
            continue
        name = box.pool_name(pool)
        stem = f"kavrel-scrub-{name}"
        what = f"Scrub of pool {pool.name}, about every three months, in quiet hours"
        yield (
            f"{stem}.service",
            render(
                "service_unit.j2",
                unit=f"{stem}.service",
                what=what,
                commands=[command.format(name=name)],
                **common,
            ),
        )
        yield (
            f"{stem}.timer",
            render(
                "timer_unit.j2",
                unit=f"{stem}.timer",
                what=what,
                # Pools of one host scrub on different Sundays.
                calendar=f"Sun *-01,04,07,10-{1 + 7 * (number % 4):02}..{7 + 7 * (number % 4):02} 02:00:00",
                **common,
            ),
        )
