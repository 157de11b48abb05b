"""The script that makes a host's wanted pools, its datasets, quotas, groups and accounts.

It can be run again, and goes on where it stopped. A pool that stands is looked for, never made.
What it cannot build as the plan has it, it refuses, with the reason and what to do by hand: never a
layout below the promised level, and no disk wiped that is not used.
"""

import re
from dataclasses import dataclass
from datetime import date

from kavrel.core.copies.carrier import root_ways
from kavrel.core.plan import Plan
from kavrel.core.shares.names import pool_roots
from kavrel.core.works import bill
from kavrel.core.works.people import PasswordsSet
from kavrel.core.works.secured import DAYS
from kavrel.core.works.tools import standing_layers, tools_of
from kavrel.formats.servers.setup.certificates import certificate_lines
from kavrel.formats.servers.setup.datasets import dataset_lines, lifting_lines, shut_in_lines
from kavrel.formats.servers.setup.people import people_lines
from kavrel.formats.servers.setup.pools import numbers_at, pool_lines
from kavrel.formats.servers.setup.words import quoted
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import render


@dataclass(frozen=True)
class Part:
    """A part of the script with its lines."""

    title: str
    lines: tuple[str, ...]


def setup_script(plan: Plan, host: str, origin: str, today: date = date.min) -> str:
    """The text of setup.sh; wanted pools on full disks are left to the run sheet of the shuffle."""
    box = Box(plan, host)
    works = bill(box.index, host, today)
    # Pools first: on them stand the numbers that their files belong to.
    parts = [Part(f"pool {p.name}", tuple(pool_lines(box, p))) for p in box.pools]
    parts.append(Part("groups and accounts", tuple(people_lines(works))))
    datasets = [line for p in box.pools for line in dataset_lines(box, p, works)]
    parts.append(Part("datasets, their quotas, and who may do what in them", tuple(datasets)))
    parts.append(Part("limits that the plan no longer has", tuple(lifting_lines(works))))
    parts.append(Part("folders for SFTP", tuple(shut_in_lines(box))))
    parts.append(Part("certificates", tuple(certificate_lines(works))))
    let_in = sorted(box.index.hosts[a].name for a, b in root_ways(box.index.plan) if b == host)
    said = quoted(", ".join(let_in) or "no other box")
    parts.append(Part("who else is root here", (f"root_is_let_in {len(let_in)} {said}",)))
    return render(
        "setup.sh.j2",
        host=box.host,
        plan=plan,
        origin=origin,
        revision=_revision(origin),
        roots=" ".join(numbers_at(box, p) for p in box.pools),
        trees=" ".join(pool_roots(box.plan)[p.id] for p in box.pools),
        tools=list(dict.fromkeys(tools_of([*works, *standing_layers(box.index, host)]))),
        parts=[p for p in parts if p.lines],
        days=DAYS,
        passwords=[c for w in works if isinstance(w, PasswordsSet) for c in w.commands],
    )


def _revision(origin: str) -> int:
    """The number of the revision that it is written from; 0 where it has none."""
    number = re.search(r"\brevision (\d+)", origin)
    return int(number[1]) if number else 0
