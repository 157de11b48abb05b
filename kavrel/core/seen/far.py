"""What a box has to mount of others, for the paths of its applications, against what is mounted there."""

from kavrel.core.index import Index
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.machine import Machine
from kavrel.core.shares.brought import Brought, brought


def paths_brought(index: Index, host: str, machine: Machine) -> tuple[list[Drifted], int]:
    """Those that are not mounted, or of which something else is; and how many agree."""
    rows, agreed = [], 0
    for one in brought(index, host):
        there = machine.over_nfs.get(one.folder)
        if there is None or there.rpartition(":")[2].rstrip("/") != one.path:
            rows.append(_off(index, host, one, there))
        else:
            agreed += 1
    return rows, agreed


def _off(index: Index, host: str, one: Brought, there: str | None) -> Drifted:
    apps = {a.id: a.name for a in index.plan.apps}
    who = ", ".join(dict.fromkeys(apps[m.app] for m in one.mounts))
    return Drifted(
        host=host,
        verdict="missing" if there is None else "different",
        collection="mounts",
        about=one.mounts[0].id,
        name=f"path of {who}",
        field="over NFS",
        planned=f"{one.at}:{one.path} at {one.folder}",
        seen=f"{there} at {one.folder}" if there else "nothing is mounted there",
        urgent=True,
        command=f"mount {one.folder}",
    )
