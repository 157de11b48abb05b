"""What a plan is: one definition for the core, the API, the store, the file, its schema and the forms.

A plan is a frozen value. Things refer to one another by id; `consistency.problems` says
where a reference, a bay or a circle is wrong.
"""

from typing import Annotated, Literal

from pydantic import Field

from kavrel.core.plan.bench import (
    Addressing,
    BootDevice,
    Cap,
    Condition,
    Disk,
    DiskForm,
    DiskKind,
    Host,
    HostKind,
    Link,
    Network,
    Offer,
    Recording,
    Restart,
    SectorFormat,
    Site,
    Supply,
)
from kavrel.core.plan.copies import (
    Bucket,
    FirstCopy,
    Holder,
    Job,
    Pattern,
    PeriodName,
    Retention,
    Schedule,
    Window,
)
from kavrel.core.plan.ids import FamilyId, FilesystemId, JobKind, ProtocolId
from kavrel.core.plan.log import AboutKind, AssumptionValue, LogEntry, LogKind
from kavrel.core.plan.pools import (
    Dataset,
    DatasetUse,
    FilesystemUuid,
    Holding,
    Outcome,
    Pool,
    Purpose,
    RecordKib,
    Tick,
    Worth,
)
from kavrel.core.plan.proof import AcceptedRisk
from kavrel.core.plan.shares import (
    Account,
    App,
    Client,
    DefaultLogin,
    Export,
    Grant,
    Group,
    Login,
    Mount,
    Opening,
    Port,
    Quota,
    Right,
    Role,
    Share,
)
from kavrel.core.plan.value import Value
from kavrel.core.quantities import Line, MaybeLine, Zone

PLAN_FORMAT: Literal["kavrel-plan"] = "kavrel-plan"
PLAN_VERSION: Literal[2] = 2
MANY = 500


class Plan(Value):
    """One lab, whole."""

    name: Line
    variant: MaybeLine = ""
    currency: Annotated[str, Field(pattern=r"^[A-Z]{3}$")] = "EUR"
    zone: Zone = "UTC"
    sites: Annotated[tuple[Site, ...], Field(max_length=MANY)] = ()
    links: Annotated[tuple[Link, ...], Field(max_length=MANY)] = ()
    hosts: Annotated[tuple[Host, ...], Field(max_length=MANY)] = ()
    supplies: Annotated[tuple[Supply, ...], Field(max_length=MANY)] = ()
    offers: Annotated[tuple[Offer, ...], Field(max_length=MANY)] = ()
    disks: Annotated[tuple[Disk, ...], Field(max_length=MANY)] = ()
    pools: Annotated[tuple[Pool, ...], Field(max_length=MANY)] = ()
    datasets: Annotated[tuple[Dataset, ...], Field(max_length=MANY)] = ()
    holdings: Annotated[tuple[Holding, ...], Field(max_length=MANY)] = ()
    ticks: Annotated[tuple[Tick, ...], Field(max_length=MANY)] = ()
    networks: Annotated[tuple[Network, ...], Field(max_length=MANY)] = ()
    shares: Annotated[tuple[Share, ...], Field(max_length=MANY)] = ()
    accounts: Annotated[tuple[Account, ...], Field(max_length=MANY)] = ()
    groups: Annotated[tuple[Group, ...], Field(max_length=MANY)] = ()
    grants: Annotated[tuple[Grant, ...], Field(max_length=16 * MANY)] = ()
    quotas: Annotated[tuple[Quota, ...], Field(max_length=MANY)] = ()
    exports: Annotated[tuple[Export, ...], Field(max_length=MANY)] = ()
    apps: Annotated[tuple[App, ...], Field(max_length=MANY)] = ()
    mounts: Annotated[tuple[Mount, ...], Field(max_length=4 * MANY)] = ()
    default_logins: Annotated[tuple[DefaultLogin, ...], Field(max_length=MANY)] = ()
    openings: Annotated[tuple[Opening, ...], Field(max_length=MANY)] = ()
    caps: Annotated[tuple[Cap, ...], Field(max_length=MANY)] = ()
    buckets: Annotated[tuple[Bucket, ...], Field(max_length=MANY)] = ()
    jobs: Annotated[tuple[Job, ...], Field(max_length=MANY)] = ()
    accepted: Annotated[tuple[AcceptedRisk, ...], Field(max_length=16 * MANY)] = ()
    log: Annotated[tuple[LogEntry, ...], Field(max_length=40 * MANY)] = ()
    assumptions: Annotated[tuple[AssumptionValue, ...], Field(max_length=MANY)] = ()


class PlanFile(Value):
    """A plan as a file: the format's name and version, then the plan."""

    format: Literal["kavrel-plan"] = PLAN_FORMAT
    version: Literal[2] = PLAN_VERSION
    plan: Plan


# The plan's collections, in an order in which each only refers to those before it.
COLLECTIONS: dict[str, type[Value]] = {
    "sites": Site,
    "links": Link,
    "hosts": Host,
    "supplies": Supply,
    "offers": Offer,
    "disks": Disk,
    "pools": Pool,
    "datasets": Dataset,
    "holdings": Holding,
    "ticks": Tick,
    "networks": Network,
    "shares": Share,
    "accounts": Account,
    "groups": Group,
    "grants": Grant,
    "quotas": Quota,
    "exports": Export,
    "apps": App,
    "mounts": Mount,
    "default_logins": DefaultLogin,
    "openings": Opening,
    "caps": Cap,
    "buckets": Bucket,
    "jobs": Job,
    "accepted": AcceptedRisk,
    "log": LogEntry,
    "assumptions": AssumptionValue,
}

__all__ = [
    "COLLECTIONS",
    "MANY",
    "PLAN_FORMAT",
    "PLAN_VERSION",
    "AboutKind",
    "AcceptedRisk",
    "Account",
    "Addressing",
    "App",
    "AssumptionValue",
    "BootDevice",
    "Bucket",
    "Cap",
    "Client",
    "Condition",
    "Dataset",
    "DatasetUse",
    "DefaultLogin",
    "Disk",
    "DiskForm",
    "DiskKind",
    "Export",
    "FamilyId",
    "FilesystemId",
    "FilesystemUuid",
    "FirstCopy",
    "Grant",
    "Group",
    "Holder",
    "Holding",
    "Host",
    "HostKind",
    "Job",
    "JobKind",
    "Link",
    "LogEntry",
    "LogKind",
    "Login",
    "Mount",
    "Network",
    "Offer",
    "Opening",
    "Outcome",
    "Pattern",
    "PeriodName",
    "Plan",
    "PlanFile",
    "Pool",
    "Port",
    "ProtocolId",
    "Purpose",
    "Quota",
    "RecordKib",
    "Recording",
    "Restart",
    "Retention",
    "Right",
    "Role",
    "Schedule",
    "SectorFormat",
    "Share",
    "Site",
    "Supply",
    "Tick",
    "Value",
    "Window",
    "Worth",
]
