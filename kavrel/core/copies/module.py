"""The rsync module that a mirror lands in: how its files are named from afar.

Source: rsync(1), rsyncd.conf(5).
"""

from collections.abc import Mapping
from dataclasses import dataclass

from kavrel.core.bench.meeting import meeting
from kavrel.core.copies.carrier import runs_on, target_host
from kavrel.core.index import Index
from kavrel.core.plan import Job


@dataclass(frozen=True)
class Module:
    """Its `url`, with the account that signs in, and its own folder on the box that has it."""

    url: str
    path: str

    def within(self, folder: str) -> str:
        """A folder of that box as the module has it."""
        return f"{self.url}{folder.removeprefix(self.path)}"


def module_of(index: Index, job: Job, homes: Mapping[str, str]) -> Module | None:
    """The module of a job that lands in one; `homes` are the folders of datasets."""
    export = next((e for e in index.plan.exports if e.id == job.lands_in), None)
    if export is None or export.protocol != "rsync":
        return None
    far = index.hosts[target_host(index, job) or ""]
    host = meeting(index.hosts.get(runs_on(index, job) or "", far), far).at
    at = f"[{host}]" if ":" in host else host
    login = f"{index.accounts[job.lands_as].login}@" if job.lands_as else ""
    port = f":{export.port}" if export.port else ""
    return Module(f"rsync://{login}{at}{port}/{export.name}", homes[export.dataset])
