"""What the script of the night was told on a box, its /etc/lab-jobs.json: jobs by their names there."""

import json
from typing import Any

from kavrel.core.seen.machine import Machine

FILE = "lab-jobs.json"  # as the listing is called


def jobs_in(text: str) -> dict[str, dict[str, Any]] | None:
    """Jobs and chores by name; None for what is no such file. What stands in them may be anything."""
    try:
        jobs = json.loads(text)["jobs"]
    except (ValueError, TypeError, KeyError, RecursionError):
        return None
    if not isinstance(jobs, dict) or not all(isinstance(j, dict) for j in jobs.values()):
        return None
    return jobs


def jobs_told(machine: Machine) -> dict[str, dict[str, Any]]:
    """The jobs of a machine; chores, which follow from a plan by themselves, are left out."""
    told = jobs_in(machine.files.get(FILE, "")) or {}
    return {
        name: one
        for name, one in told.items()
        if not name.startswith("upkeep-") and not name.endswith("-trash")
    }
