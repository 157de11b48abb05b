"""What starts by itself: systemd's timers and crontabs. Source: systemctl(1), crontab(5)."""

import re
import shlex

from kavrel.formats.looks.amounts import moment_of
from kavrel.formats.looks.listing import Listing, ListingReader, Notes

ENTRY = re.compile(r"^(@\w+|\S+\s+\S+\s+\S+\s+\S+\s+\S+)\s+(.+)$")
MOST = 2000  # characters of a command
SETTING = re.compile(r"^[A-Za-z_][A-Za-z0-9_]*\s*=")


def read_timers(listing: Listing, notes: Notes) -> None:
    """`systemctl show *.timer`: blocks of NAME=VALUE."""
    for block in re.split(r"\n\s*\n", listing.text):
        facts = dict(line.partition("=")[::2] for line in block.splitlines() if "=" in line)
        if not facts:
            continue
        name = facts.get("Id", "")
        if not name.endswith(".timer"):
            listing.puzzled(block)
            continue
        calendars = re.findall(r"OnCalendar=(.*?) ;", facts.get("TimersCalendar", ""))
        last = re.sub(r"^\w{3} | UTC$", "", facts.get("LastTriggerUSec", ""))
        on = facts.get("UnitFileState", "") in ("enabled", "static", "") or not facts.get(
            "UnitFileState"
        )
        notes.tasks.append(
            {
                "name": name.removesuffix(".timer"),
                "by": "timer",
                "unit": facts.get("Unit", ""),
                "on": "; ".join(calendars),
                "enabled": on and facts.get("ActiveState") == "active",
                "last": moment_of(last) if last else None,
            }
        )
        listing.took()


def read_services(listing: Listing, notes: Notes) -> None:
    """How the last run of each of our services ended."""
    for block in re.split(r"\n\s*\n", listing.text):
        facts = dict(line.partition("=")[::2] for line in block.splitlines() if "=" in line)
        if facts.get("Id", "").endswith(".service"):
            notes.machine.setdefault("services", {})[facts["Id"]] = facts.get("Result", "")
            listing.took()


def read_started(listing: Listing, notes: Notes) -> None:
    """What the services of timers run. Their words are joined by blanks: what a shell runs is one again."""
    for block in re.split(r"\n\s*\n", listing.text):
        name = re.search(r"^Id=(.+)$", block, re.MULTILINE)
        runs = re.findall(r"^ExecStart=\{.*? argv\[\]=(.*?) ; ignore_errors=", block, re.MULTILINE)
        if name is None:
            if block.strip():
                listing.puzzled(block)
            continue
        command = "; ".join(map(_as_typed, runs))
        for task in notes.tasks:
            if task.get("unit") == name[1]:
                task["command"] = command[:MOST]
        listing.took()


def _as_typed(words: str) -> str:
    shell = re.match(r"^(\S*\b(?:ba|da)?sh (?:-[a-z]+ )*-[a-z]*c) (.*)$", words, re.DOTALL)
    return f"{shell[1]} {shlex.quote(shell[2])}" if shell else words


def read_scripts(listing: Listing, notes: Notes) -> None:
    """Names of scripts that a crontab runs by their folder."""
    for line in listing.text.splitlines():
        match = re.match(r"^/etc/cron\.(hourly|daily|weekly|monthly)/\S+$", line)
        if match is None:
            listing.puzzled(line)
            continue
        task = {"name": line, "by": "cron", "on": f"@{match[1]}", "command": line, "enabled": True}
        notes.tasks.append(task)
        listing.took()


def read_crontab(listing: Listing, notes: Notes) -> None:
    """Lines of a crontab; in /etc the sixth word is who it runs as."""
    with_user = listing.asked.startswith("/etc/")
    for line in listing.text.splitlines():
        bare = line.strip()
        if not bare or bare.startswith("#") or SETTING.match(bare):
            continue
        match = ENTRY.match(bare)
        if match is None:
            listing.puzzled(line)
            continue
        on, command = match.groups()
        if with_user or re.match(r"^root\s+\S", command):
            command = command.split(None, 1)[-1]
        name = re.search(r"lab-job\s+(?:--cron\s+)?([a-z0-9][a-z0-9-]*)", command)
        notes.tasks.append(
            {
                "name": f"lab-{name.group(1)}" if name else command.split()[0],
                "by": "cron",
                "on": " ".join(on.split()),
                "command": command[:MOST],
                "enabled": True,
            }
        )
        listing.took()


def _is_crontab(text: str) -> bool:
    lines = [s for line in text.splitlines() if (s := line.strip()) and s[0] != "#"]
    lines = [line for line in lines if not SETTING.match(line)]
    field = r"[\d*/,\-]+"
    shape = re.compile(rf"^({field}\s+{field}\s+{field}\s+[\w*/,\-]+\s+[\w*/,\-]+|@\w+)\s+\S")
    return bool(lines) and all(shape.match(line) for line in lines)


TIMERS = ListingReader(
    "timers",
    "systemctl show *.timer",
    read_timers,
    lambda t: "TimersCalendar=" in t[:2000],
    ("timers",),
)
SERVICES = ListingReader("services", "systemctl show lab-*.service", read_services)
STARTED = ListingReader(
    "timer-services", "systemctl show *.service -p Id -p ExecStart", read_started
)
CRON_SCRIPTS = ListingReader("cron-scripts", "/etc/cron.*ly/*", read_scripts)
CRONTAB = ListingReader("crontab", "/etc/crontab", read_crontab, _is_crontab, ("crontabs",))
