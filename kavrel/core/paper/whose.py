"""The restore sheet's last part: what comes back without its owners and rights gets those of the plan again.

Parity over files keeps names, times and contents, and neither owner nor right (snapraid(1), tried); a bucket
or a browser's download keeps none either.
"""

from datetime import date

from kavrel.core.index import Index
from kavrel.core.paper.document import Fact, Section
from kavrel.core.shares.names import folders
from kavrel.core.typed import typed
from kavrel.core.works.folders import FolderAccess, HomeFolder, folder_works, home_works

TITLE = "Whose it is"
SET_GROUP = "2"  # what is made in a folder belongs to its group


def whose(index: Index, today: date) -> Section:
    """Dataset by dataset what is typed on its box, private folders after the folder that they lie in."""
    facts = []
    for host in index.plan.hosts:
        if host.closed or host.personal:
            continue
        names = {path: index.datasets[d].name for d, path in folders(index.plan).items()}
        homes = list(home_works(index, host.id, today))
        for work in folder_works(index, host.id, today):
            mine = [h for h in homes if h.folder.rpartition("/")[0] == work.folder]
            facts.append(
                Fact(text=f"{names[work.folder]} on {host.name}", how=tuple(_given(work, mine)))
            )
    return Section(
        title=TITLE,
        intro="For what came back without its owners and rights: reckoned from parity, or downloaded. Nothing "
        "else needs it: a copy of the boxes brings them along.",
        facts=tuple(facts),
    )


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
