"""fstab read back: what is mounted against the pools of the plan. Source: fstab(5)."""

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Plan
from kavrel.formats.readers.report import Report, numbered
from kavrel.formats.servers.site import Box


def read_fstab(text: str, plan: Plan, host: str) -> Report:
    """Differences only: a mount is no thing of the plan, its pool is."""
    report = Report(kind="fstab")
    wanted = {v.folder: v for v in Box(plan, host).volumes}
    seen: set[str] = set()
    mounted = {f.id for f in FILESYSTEMS.values() if not f.by_name and not f.bare}
    for number, line in numbered(text, report):
        parts = line.split()
        if len(parts) < 4:
            report.say(number, line, "not understood", "device, folder, type and options")
            continue
        device, folder, kind, options = parts[:4]
        folder = folder.replace("\\040", " ")
        if folder not in wanted:
            known = kind not in mounted or folder in ("/", "/boot", "/boot/efi", "/home")
            why = "" if known else "no pool of the plan is mounted there"
            report.say(number, line, "no matter" if known else "not understood", why)
            if not known:
                report.differences.append(f"{folder} is mounted, and the plan has no pool there")
            continue
        volume = wanted[folder]
        seen.add(folder)
        report.say(number, line, "understood")
        if kind != volume.pool.filesystem:
            report.differences.append(f"{folder} is {kind}, the plan has {volume.pool.filesystem}")
        if not device.startswith(("UUID=", "/dev/disk/by-uuid/")):
            report.differences.append(f"{folder} is mounted by {device}, which may change: by UUID")
        if "nofail" not in options.split(","):
            when = "can be pulled out" if volume.removable else "may be dead one day"
            report.differences.append(
                f"{folder} {when} and lacks nofail: a start hangs, and nobody gets in from afar"
            )
    for folder in sorted(set(wanted) - seen):
        report.differences.append(f"{folder} is in the plan and not in the file")
    return report
