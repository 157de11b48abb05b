"""Shares, who may touch them, the other ways in, and what runs on them."""

from datetime import date
from typing import Annotated, Literal

from pydantic import Field

from kavrel.core.plan.ids import ProtocolId
from kavrel.core.plan.value import Ref, Shown, Unique, Value
from kavrel.core.quantities import Address, Bytes, Day, Flag, FullPath, Id, Line, MaybeLine, whole

_RIGHT = Shown("Right", words={"read": "read", "write": "read and write"})
_NAME_HELP = "small letters, digits, - and _"


class Share(Value):
    """A folder offered over SMB."""

    ESSENTIALS = ("name", "dataset", "guest", "home", "recycle_days")

    id: Id
    name: Annotated[Line, Unique(), Shown("Name", "as clients see it")]
    dataset: Annotated[Id, Ref("datasets"), Shown("Dataset")]
    guest: Annotated[
        Literal["none", "read", "write"],
        Shown(
            "Guests",
            "anybody on the network without a grant",
            words={"none": "none", "read": "read", "write": "read and write"},
        ),
    ] = "none"
    # One private folder a user.
    home: Annotated[
        Flag,
        Shown("Home folders", "one private folder a user; the administrator can read all"),
    ] = False
    recycle_days: Annotated[
        int,
        whole(0, 3650),
        Shown("Recycle bin", "0: none; emptied every night", "days", start=7),
    ] = 0
    hidden: Annotated[
        Flag, Shown("Hidden", "not in the list that clients see; its name opens it all the same")
    ] = False
    # The place where PCs put what they copy by a backup program of their own.
    pc_backups: Annotated[
        Flag,
        Shown(
            "For PCs' backups",
            "what PCs copy by a backup program of their own; the dataset's quota is the end of it",
        ),
    ] = False
    # An old client still needs the first dialect.
    smb1: Annotated[
        Flag, Shown("Old client", "one that still needs SMB 1: a finding, not a setting")
    ] = False
    comment: Annotated[MaybeLine, Shown("Comment")] = ""


Role = Literal["administrator", "everyday", "player", "machine", "backup"]
Login = Annotated[str, Field(pattern=r"^[a-z_][a-z0-9_-]{0,30}$")]
# Of people and of what signs in, never of the system. Source: login.defs(5), UID_MIN and UID_MAX.
Number = Annotated[int, whole(1000, 60_000)]
_NUMBER_HELP = (
    "the same on every box: files that were copied, restored or fetched over NFS belong to a number; "
    "empty: each box gives its own"
)


class Account(Value):
    """Somebody, or something, that signs in."""

    ESSENTIALS = ("login", "full_name", "role", "enabled", "second_factor")

    id: Id
    login: Annotated[Login, Unique(), Shown("Login", _NAME_HELP)]
    full_name: Annotated[Line, Shown("Who")]
    number: Annotated[Number, Shown("Number (uid)", _NUMBER_HELP)] | None = None
    role: Annotated[
        Role,
        Shown(
            "Role",
            words={
                "everyday": "everyday",
                "administrator": "administrator",
                "player": "player, reads only",
                "machine": "machine",
                "backup": "backup",
            },
        ),
    ] = "everyday"
    enabled: Annotated[Flag, Shown("Switched on")] = True
    # The first day on which it no longer works.
    expires_on: Annotated[Day, Shown("Runs out on")] | None = None
    second_factor: Annotated[Flag, Shown("Second factor")] = False
    # The password was reset: change it at the next sign-in.
    must_change: Annotated[Flag, Shown("Was reset", "changes the password at the next sign-in")] = (
        False
    )

    def works_on(self, day: date) -> bool:
        """Whether it can sign in on a day: switched on, and not run out."""
        return self.enabled and (self.expires_on is None or day < self.expires_on)


class Group(Value):
    """Accounts that are granted together."""

    id: Id
    name: Annotated[Login, Unique(), Shown("Name", _NAME_HELP)]
    number: Annotated[Number, Shown("Number (gid)", _NUMBER_HELP)] | None = None
    members: Annotated[
        tuple[Id, ...], Field(max_length=500), Ref("accounts"), Shown("Members")
    ] = ()


Right = Literal["none", "read", "write"]


class Grant(Value):
    """A right on a share for one account or one group; exactly one of the two is named."""

    id: Id
    share: Annotated[Id, Ref("shares")]
    account: Annotated[Id, Ref("accounts")] | None = None
    group: Annotated[Id, Ref("groups")] | None = None
    right: Right
    expires_on: Day | None = None  # the first day on which it no longer holds


class Quota(Value):
    """What one account may fill of one dataset."""

    id: Id
    account: Annotated[Id, Ref("accounts"), Shown("Who")]
    dataset: Annotated[Id, Ref("datasets"), Shown("Of")]
    bytes: Annotated[Bytes, Shown("May fill", start=0)]


Port = Annotated[int, whole(1, 65535)]
Client = Annotated[str, Field(min_length=1, max_length=223, pattern=r"^[\x21-\x7e]+$")]


class Export(Value):
    """A dataset offered in another way than over SMB; see `shares.protocols` for each.

    `clients`: hosts or networks (NFS, rsync) or initiator names (iSCSI). `accounts` sign in with
    a password or key. `size_bytes`: of the LUN, or the tenant's quota. `secured`: Kerberos (NFS),
    CHAP (iSCSI), TLS (S3, FTP).
    """

    ESSENTIALS = (
        "protocol",
        "name",
        "dataset",
        "may",
        "clients",
        "accounts",
        "size_bytes",
        "thick",
        "cluster_filesystem",
        "port",
        "buckets",
    )

    id: Id
    protocol: Annotated[ProtocolId, Shown("Over", start="nfs")]
    name: Annotated[
        str,
        Field(pattern=r"^[a-z0-9][a-z0-9._-]{0,62}$"),
        Shown("Name", "small letters, digits, . _ and -"),
    ]
    dataset: Annotated[Id, Ref("datasets"), Shown("Dataset")]
    may: Annotated[
        Literal["read", "write"],
        Shown("Right", words={"read": "read", "write": "read and write"}, start="read"),
    ] = "write"
    clients: Annotated[
        tuple[Client, ...],
        Field(max_length=100),
        Shown(
            "Let in",
            "hosts, addresses or networks; for iSCSI the initiator, as iqn.2026-01.home.lab:desk",
            by="protocol",
        ),
    ] = ()
    accounts: Annotated[
        tuple[Id, ...],
        Field(max_length=200),
        Ref("accounts"),
        Shown("Sign in", by="protocol"),
    ] = ()
    size_bytes: (
        Annotated[Bytes, Shown("Size", "of the disk, or the tenant's quota", by="protocol")] | None
    ) = None
    thick: Annotated[
        Flag,
        Shown("Thick", "its room is taken now and cannot be missed later", by="protocol"),
    ] = False
    secured: Annotated[
        Flag, Shown("Secured", "Kerberos (NFS), CHAP (iSCSI), TLS (S3, FTP)", by="protocol")
    ] = False
    squash: Annotated[
        Literal["root", "all", "none"],
        Shown(
            "Squash",
            words={
                "root": "root is nobody",
                "all": "everybody is nobody",
                "none": "root stays root",
            },
            by="protocol",
        ),
    ] = "root"
    many_sessions: Annotated[Flag, Shown("Many sessions", "multipath only", by="protocol")] = False
    cluster_filesystem: Annotated[
        Flag,
        Shown(
            "Cluster",
            "a cluster file system is on it: several clients may have it",
            by="protocol",
        ),
    ] = False
    port: Annotated[Port, Shown("Port", by="protocol")] | None = None
    console_port: Annotated[Port, Shown("Console port", by="protocol")] | None = None
    buckets: Annotated[
        tuple[Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{1,61}[a-z0-9]$")], ...],
        Field(max_length=50),
        Shown("Buckets", by="protocol"),
    ] = ()
    idle_minutes: Annotated[
        int, whole(1, 1440), Shown("Hangs up after", unit="min", by="protocol")
    ] = 10


class App(Value):
    """An application, container or virtual machine that takes paths; `account` is what it runs as."""

    ESSENTIALS = ("name", "host", "kind", "account", "ports")

    id: Id
    name: Annotated[Line, Shown("Name")]
    host: Annotated[Id, Ref("hosts"), Shown("Runs on")]
    kind: Annotated[
        Literal["app", "container", "vm"],
        Shown("Kind", words={"container": "container", "app": "app", "vm": "virtual machine"}),
    ] = "container"
    account: Annotated[Id, Ref("accounts"), Shown("Runs as", "none: root")] | None = None
    ports: Annotated[tuple[Port, ...], Field(max_length=50), Shown("Ports")] = ()
    # Beside its host in the LAN, as a virtual machine or a container on a bridge has it.
    address: (
        Annotated[Address, Shown("Address of its own", "in the LAN; empty: its host's")] | None
    ) = None


class Mount(Value):
    """A dataset that an application sees at a path of its own."""

    id: Id
    app: Annotated[Id, Ref("apps"), Shown("Application")]
    dataset: Annotated[Id, Ref("datasets"), Shown("Sees")]
    inside: Annotated[FullPath, Shown("At", "the path inside, as /media/films")]
    may: Annotated[Literal["read", "write"], _RIGHT] = "read"


class DefaultLogin(Value):
    """An account that a box came with: its password is changed before anything else."""

    id: Id
    host: Annotated[Id, Ref("hosts"), Shown("Host")]
    # Web, root shell, file service: often three different ones.
    service: Annotated[Line, Shown("Of", "web, root shell or file service: often three passwords")]
    login: Annotated[Line, Shown("Login")]
    changed_on: Annotated[Day, Shown("Changed on")] | None = None
    off: Annotated[Flag, Shown("Switched off")] = False  # instead


class Opening(Value):
    """A port of a host that something outside its LAN may reach."""

    id: Id
    host: Annotated[Id, Ref("hosts"), Shown("Host")]
    port: Annotated[Port, Shown("Port")]
    transport: Annotated[
        Literal["tcp", "udp"], Shown("Over", words={"tcp": "TCP", "udp": "UDP"})
    ] = "tcp"
    source: Annotated[
        Literal["internet", "vpn"],
        Shown("From", words={"internet": "the internet", "vpn": "the VPN"}),
    ] = "internet"
    purpose: Annotated[Line, Shown("For")]
