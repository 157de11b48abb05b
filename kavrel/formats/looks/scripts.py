"""The two scripts that a box runs, held against those of this Kavrel: an older one keeps its mended faults.

Source: sha256sum(1) of coreutils, its lines as `SUM  PATH`, or with a backslash before names that need one.
"""

import re
from collections.abc import Sequence
from functools import cache
from hashlib import sha256

from kavrel.core.index import Index
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.timers import FROM_BUNDLE
from kavrel.core.works.jobs import NightRuns, job_works
from kavrel.formats.lab_jobs import script
from kavrel.formats.lab_look import look_script

KIND = "scripts"  # as the listing is called
FOLDER = "/usr/local/sbin"
ASKED = f"sha256sum {FOLDER}/lab-job {FOLDER}/lab-look"
LINE = re.compile(rf"^([0-9a-f]{{64}}) [ *]{FOLDER}/(lab-job|lab-look)$", re.MULTILINE)


@cache  # they are part of what is installed
def sums() -> dict[str, str]:
    """SHA-256 of each script as this Kavrel hands it out."""
    handed = {"lab-job": script(), "lab-look": look_script()}
    return {name: sha256(text.encode()).hexdigest() for name, text in handed.items()}


def held(index: Index, host: str, text: str, said: Sequence[Drifted]) -> tuple[list[Drifted], int]:
    """Scripts that are another version or not there, and how many are as handed out."""
    there = {name: seen for seen, name in LINE.findall(text)}
    # What looked need not be installed; what runs at night has to be, where something does.
    nights = any(isinstance(w, NightRuns) for w in job_works(index, host))
    runs = {"lab-job"} if nights else set()
    wanted = {name: right for name, right in sums().items() if name in runs | there.keys()}
    rows = [
        Drifted(
            host=host,
            verdict="different" if name in there else "missing",
            collection="hosts",
            about=host,
            name=index.hosts[host].name,
            field=name,
            planned="the script that this Kavrel hands out",
            seen="another version of it" if name in there else f"none in {FOLDER}",
            urgent=name == "lab-job" and name not in there,
            command=f"install -m 755 {name} {FOLDER}/{FROM_BUNDLE}",
        )
        for name, right in wanted.items()
        if there.get(name) != right
    ]
    return rows, len(wanted) - len(rows)
