"""The restore sheet's last part: what comes back without its owners and rights gets those of the plan again.

Parity over files keeps names, times and contents, and neither owner nor right (snapraid(1), tried); a bucket
or a browser's download keeps none either.
"""

from datetime import date

from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.paper.document import Fact, Section
from kavrel.core.pools.families import FAMILIES
from kavrel.core.typed import typed
from kavrel.core.works.folders import FolderAccess, HomeFolder, folder_works, home_works

TITLE = "Whose it is"
SET_GROUP = "2"  # what is made in a folder belongs to its group


def whose(index: Index, today: date) -> list[Section]:
    """Dataset by dataset what is typed on its box, private folders after the folder that they lie in."""
    facts, wanted = [], _ownerless(index)
    for host in index.plan.hosts:
        if host.closed or host.personal:
            continue
        homes = list(home_works(index, host.id, today))
        works = folder_works(index, host.id, today)
        for work in (w for w in works if w.makes[0][1] in wanted):
            mine = [h for h in homes if h.folder.rpartition("/")[0] == work.folder]
            name = index.datasets[work.makes[0][1]].name
            facts.append(Fact(text=f"{name} on {host.name}", how=tuple(_given(work, mine))))
    if not facts:
        return []
    return [
        Section(
            title=TITLE,
            intro="For what came back without its owners and rights: reckoned from parity, or downloaded. "
            "Nothing else needs it: a copy of the boxes brings them along.",
            facts=tuple(facts),
        )
    ]


def _ownerless(index: Index) -> set[str]:
    """Datasets that can come back so, with all that lie in one: what is given to a folder goes through it."""
    found = {
        d.id
        for d in index.plan.datasets
        if FAMILIES[index.pools[d.pool].family].parity_at
        or any(KINDS[j.kind].ownerless for j in index.jobs_of.get(d.id, ()))
    }
    for dataset in index.plan.datasets:
        above = dataset.parent
        while above:
            if above in found:
                found.add(dataset.id)
            above = index.datasets[above].parent
    return found


def _given(work: FolderAccess, homes: list[HomeFolder]) -> list[str]:
    # X: into folders, and not to run what is no program. Source: setfacl(1).
    entries = ",".join(e[:-1] + "X" if e.endswith("x") else e for e in work.entries())
    lines = [
        typed(f"chown -R {work.owner}:{work.group} {work.folder}"),
        typed(f"setfacl -R --set {entries} {work.folder}"),
    ]
    if len(work.mode) == 4 and work.mode[0] == SET_GROUP:
        lines.append(typed(f"find {work.folder} -type d -exec chmod g+s {{}} +"))
    lines += [
        typed(
            f"chown -R {home.login}: {home.folder}",
            f"setfacl -R -b -k {home.folder}",
            f"chmod -R u+rwX,go= {home.folder}",
        )
        for home in homes
    ]
    return lines
