"""What other people's crontabs and timers start: scrubs as jobs, copies as something to be entered by hand."""

import re

from kavrel.core.seen.machine import SeenTask

# What copies something away, in the words of the tools: common practice, no source.
COPIES = re.compile(
    r"\b(rsync|zfs send|btrfs send|scp|sftp|tar|dump\w*|\w*backup\w*|\w*sync)\b", re.IGNORECASE
)
# A timer that Debian's dpkg brings along: it keeps its own lists, nobody's data.
OF_THE_SYSTEM = frozenset({"dpkg-db-backup"})
SCRUB = re.compile(r"\bzpool scrub (?:-\w+ )*([\w.-]+)|\bbtrfs scrub start (?:-\w+ )*(/\S+)")


def scrubbed_by(task: SeenTask) -> str:
    """The pool, or the folder, that a task scrubs; empty where it scrubs none."""
    match = SCRUB.search(task.command)
    return (match.group(1) or match.group(2)) if match else ""


def copies(task: SeenTask) -> bool:
    """Whether it looks like a copy of something."""
    if task.name in OF_THE_SYSTEM:
        return False
    return bool(COPIES.search(task.command or task.name))
