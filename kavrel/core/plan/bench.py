"""Sites, links, machines, power and disks: what stands on the bench."""

from typing import Annotated, Literal

from pydantic import Field

from kavrel.core.plan.value import Ref, Shown, Unique, Value, When
from kavrel.core.quantities import (
    Address,
    Bytes,
    Day,
    DiskBytes,
    Flag,
    Id,
    Line,
    MaybeLine,
    Money,
    NetworkRange,
    WallTime,
    real,
    whole,
)


class Site(Value):
    """A place that burns, floods or is robbed as one."""

    id: Id
    name: Annotated[Line, Unique(), Shown("Name")]
    # False: somebody else holds the key to the door.
    own: Annotated[
        Flag, Shown("In your hands", "else copies there are encrypted at the source")
    ] = True
    # Its boxes know each other by an overlay's addresses, over a relay.
    relayed: Annotated[
        Flag,
        Shown(
            "Boxes by relay",
            "they reach each other by the overlay's addresses, and not straight: a LAN of a few Mbit/s",
        ),
    ] = False


class Link(Value):
    """The way between two sites, with the speed of each direction in Mbit/s."""

    ESSENTIALS = ("a", "b", "mbit_a_to_b", "mbit_b_to_a", "encrypted")

    id: Id
    a: Annotated[Id, Ref("sites"), Shown("From site")]
    b: Annotated[Id, Ref("sites"), Shown("To site")]
    mbit_a_to_b: Annotated[float, real(0.1, 400_000.0), Shown("There", unit="Mbit/s", start=40)]
    mbit_b_to_a: Annotated[float, real(0.1, 400_000.0), Shown("Back", unit="Mbit/s", start=40)]
    # A VPN tunnel around everything that crosses.
    encrypted: Annotated[Flag, Shown("Inside a VPN")] = True
    # Through somebody's relay instead of straight from end to end.
    relayed: Annotated[
        Flag, Shown("Relayed", "through a relay instead of straight: many times slower")
    ] = False
    # What the contract carries a month.
    allowance_bytes_per_month: (
        Annotated[
            Bytes,
            Shown("Allowance", "empty: none; caps by time of day are on Copies", "a month"),
        ]
        | None
    ) = None


class Cap(Value):
    """A limit on a link at some hours of every day; `from_at` to `to_at` may pass midnight."""

    id: Id
    link: Annotated[Id, Ref("links"), Shown("Link")]
    from_at: Annotated[WallTime, Shown("From", "HH:MM, every day", start="07:00")]
    to_at: Annotated[WallTime, Shown("To", start="23:00")]
    mbit: Annotated[float, real(0.1, 400_000.0), Shown("At most", unit="Mbit/s", start=10)]


class Network(Value):
    """A subnet of a site, and the range in it that the router gives out by DHCP."""

    ESSENTIALS = ("name", "site", "range", "dhcp_from", "dhcp_to")

    id: Id
    name: Annotated[Line, Unique(), Shown("Name")]
    site: Annotated[Id, Ref("sites"), Shown("Site")]
    range: Annotated[NetworkRange, Shown("Range", "as 192.168.20.0/24", start="192.168.1.0/24")]
    dhcp_from: Annotated[Address, Shown("DHCP from")] | None = None
    dhcp_to: Annotated[Address, Shown("DHCP to")] | None = None
    gateway: Annotated[Address, Shown("Router")] | None = None


HostKind = Literal[
    "tower",
    "small_box",
    "old_desktop",
    "laptop",
    "single_board",
    "hypervisor",
    "router",
    "bought_box",
    "pc",
]
BootDevice = Literal["ssd", "nvme", "hdd", "usb_stick", "sd_card"]
Addressing = Literal["dhcp", "reserved", "static"]
PcSystem = Literal["windows", "macos", "linux"]
Speaks = Literal["modern", "strict", "old"]
Restart = Literal["by_itself", "over_network", "by_hand"]


class Host(Value):
    """A machine with bays. Speeds are those of its network port."""

    ESSENTIALS = ("name", "kind", "system", "site", "bays_35", "ram_gib")

    id: Id
    name: Annotated[Line, Unique(), Shown("Name")]
    kind: Annotated[
        HostKind,
        Shown(
            "Kind",
            words={
                "tower": "self-built tower",
                "small_box": "small box with bays",
                "old_desktop": "retired desktop",
                "laptop": "laptop",
                "single_board": "single-board computer",
                "hypervisor": "hypervisor",
                "router": "router with a USB port",
                "bought_box": "bought box with a web page",
                "pc": "PC or laptop in daily use",
            },
        ),
    ] = "tower"
    system: Annotated[
        PcSystem,
        Shown(
            "Its system",
            words={"windows": "Windows", "macos": "macOS", "linux": "Linux"},
            when=((When("kind", is_=("pc",)),),),
        ),
    ] = "windows"
    site: Annotated[Id, Ref("sites"), Shown("Site")]
    bays_35: Annotated[int, whole(0, 60), Shown("3.5-inch bays", start=4)] = 0
    bays_25: Annotated[int, whole(0, 60), Shown("2.5-inch bays")] = 0
    slots_nvme: Annotated[int, whole(0, 24), Shown("NVMe slots")] = 0
    ports_usb: Annotated[int, whole(0, 16), Shown("USB ports")] = 0
    ram_gib: Annotated[float, real(0.25, 4096.0), Shown("Memory", unit="GiB")] = 8.0
    network_mbit: Annotated[float, real(1.0, 400_000.0), Shown("Network port", unit="Mbit/s")] = (
        1000.0
    )
    boot_device: Annotated[
        BootDevice,
        Shown(
            "Boots from",
            words={
                "ssd": "SSD",
                "nvme": "NVMe",
                "hdd": "hard disk",
                "usb_stick": "USB stick",
                "sd_card": "SD card",
            },
        ),
    ] = "ssd"
    # It boots from a part of this disk, the rest of which is data.
    boot_disk: (
        Annotated[
            Id,
            Ref("disks", that="host", own=True),
            Shown(
                "On a data disk", "it boots from a part of this disk, and the rest of it is data"
            ),
        ]
        | None
    ) = None
    # Where the last of the system's parts ends: what is behind it is a part for data.
    system_bytes: (
        Annotated[
            Bytes,
            Shown(
                "The system takes",
                "of that disk, up to where the rest begins; empty: not known, and setup.sh makes no pool of "
                "the rest",
                when=((When("boot_disk", filled=True),),),
            ),
        ]
        | None
    ) = None
    boot_copied: Annotated[
        Flag, Shown("Config copied", "its configuration has a copy elsewhere")
    ] = False
    addressing: Annotated[
        Addressing,
        Shown(
            "Address by",
            words={
                "dhcp": "DHCP",
                "reserved": "a reservation in the router",
                "static": "hand (static)",
            },
        ),
    ] = "dhcp"
    address: (
        Annotated[
            Address,
            Shown(
                "Address",
                "outside the DHCP range when static",
                when=((When("addressing", not_=("dhcp",)),),),
            ),
        ]
        | None
    ) = None
    # In the overlay VPN, the same wherever the box stands.
    vpn_address: Annotated[Address, Shown("VPN address", "the same wherever it stands")] | None = (
        None
    )
    on_ups: Annotated[Flag, Shown("On a UPS", "or plug it into one of the plan, below")] = False
    # Without its disks.
    idle_watts: (
        Annotated[
            float,
            real(0.1, 5000.0),
            Shown("Draws", "without its disks; empty: the assumption for its kind", "W"),
        ]
        | None
    ) = None
    shutdown_minutes: Annotated[
        float, real(0.0, 240.0), Shown("Shuts down in", "with unmounting", "min")
    ] = 2.0
    after_power_cut: Annotated[
        Restart,
        Shown(
            "After a power cut",
            words={
                "by_itself": "starts by itself",
                "over_network": "woken over the network",
                "by_hand": "by hand",
            },
        ),
    ] = "by_hand"
    # Who waits for whom.
    start_order: Annotated[
        int,
        whole(1, 50),
        Shown("Starts as number", "boxes that others wait for come first"),
    ] = 1
    smb: Annotated[
        Speaks,
        Shown(
            "Speaks SMB",
            "old: of a box whose firmware knows nothing newer; its clients have to allow it",
            words={
                "modern": "2.1 and newer",
                "strict": "3.1.1 alone",
                "old": "SMB 1 alone",
            },
        ),
    ] = "modern"
    default_passwords_changed: Annotated[
        Flag, Shown("Passwords changed", "web, root shell and file service", start=False)
    ] = True
    price_minor: Annotated[Money, Shown("Price", unit="{currency}")] = 0

    @property
    def closed(self) -> bool:
        """Whether no file of ours goes onto it: it has a web page, or is somebody's PC."""
        return self.personal or self.kind in ("router", "bought_box")

    @property
    def personal(self) -> bool:
        """Whether somebody works at it every day."""
        return self.kind == "pc"


class Supply(Value):
    """A UPS: what it can carry, for which hosts, and who hears its signal.

    `battery_wh` is the energy at the rate of `rated_hours` (lead batteries: often 20 h);
    `exponent` is Peukert's, 1 for an ideal battery.
    """

    ESSENTIALS = ("name", "site", "va", "battery_wh", "hosts")

    id: Id
    name: Annotated[Line, Unique(), Shown("Name")]
    site: Annotated[Id, Ref("sites"), Shown("Site")]
    va: Annotated[float, real(50.0, 50_000.0), Shown("Rated", unit="VA", start=900)]
    watts: Annotated[float, real(30.0, 50_000.0), Shown("Carries", unit="W", start=540)]
    battery_wh: Annotated[float, real(5.0, 100_000.0), Shown("Battery", unit="Wh", start=216)]
    rated_hours: Annotated[
        float, real(0.05, 100.0), Shown("Rated over", "lead batteries: often 20 h", "h")
    ] = 20.0
    exponent: Annotated[
        float,
        real(1.0, 2.0),
        Shown("Discharge exponent", "1 for an ideal battery, 1.1 to 1.3 for lead (Peukert)"),
    ] = 1.15
    health_percent: Annotated[int, whole(1, 100), Shown("Health", unit="% of new")] = 100
    # Whose plugs it feeds, and who is told of the cut.
    hosts: Annotated[tuple[Id, ...], Field(max_length=50), Ref("hosts"), Shown("Feeds")] = ()
    signals: Annotated[tuple[Id, ...], Field(max_length=50), Ref("hosts"), Shown("Tells")] = ()
    delay_minutes: Annotated[
        float, real(0.0, 600.0), Shown("Waits", "before it tells hosts to stop", "min")
    ] = 5.0
    price_minor: Annotated[Money, Shown("Price", unit="{currency}")] = 0


DiskKind = Literal["hdd", "ssd", "nvme"]
DiskForm = Literal["3.5", "2.5", "m.2"]
Condition = Literal["new", "used", "refurbished"]
Recording = Literal["cmr", "smr"]
SectorFormat = Literal["512n", "512e", "4kn"]

_CAPACITY = Shown(
    "Capacity",
    "as sold (12TB, 500 GB), made exact by the size standards; or exact bytes",
    as_="capacity",
)
_KIND = Shown("Kind", words={"hdd": "hard disk", "ssd": "SSD", "nvme": "NVMe"})
_FORM = Shown("Form", words={"3.5": "3.5 inch", "2.5": "2.5 inch", "m.2": "M.2"})
_CONDITION = Shown("Condition", words={"new": "new", "used": "used", "refurbished": "refurbished"})
_RECORDING = Shown(
    "Recording",
    words={"cmr": "conventional (CMR)", "smr": "shingled (SMR)"},
    when=((When("kind", is_=("hdd",)),),),
)


class Disk(Value):
    """A disk. `capacity_bytes` is exact; `mb_per_s` is averaged over the whole platter."""

    ESSENTIALS = ("label", "serial", "capacity_bytes", "kind", "host", "bay", "shelf")

    id: Id
    label: Annotated[Line, Unique(), Shown("Label", "as written on the tray")]
    serial: Annotated[MaybeLine, Unique(), Shown("Serial")] = ""
    capacity_bytes: Annotated[DiskBytes, _CAPACITY]
    kind: Annotated[DiskKind, _KIND] = "hdd"
    form: Annotated[DiskForm, _FORM] = "3.5"
    condition: Annotated[Condition, _CONDITION] = "new"
    batch: Annotated[MaybeLine, Shown("Batch", "disks of one batch fail together")] = ""
    price_minor: Annotated[Money, Shown("Price", unit="{currency}")] = 0
    mb_per_s: Annotated[
        float, real(1.0, 30_000.0), Shown("Average speed", "over the whole platter", "MB/s")
    ] = 185.0
    yearly_failure_rate: (
        Annotated[
            float,
            real(0.0001, 0.99),
            Shown("Fails in a year", "empty: the assumption for its kind", "share"),
        ]
        | None
    ) = None
    bits_per_read_error: (
        Annotated[
            float,
            real(1e12, 1e20),
            Shown("Bits per error", "rated, as 1e14; empty: the assumption", "bits"),
        ]
        | None
    ) = None
    recording: Annotated[Recording, _RECORDING] = "cmr"  # smr: shingled tracks, slow to rewrite
    sector: Annotated[
        SectorFormat,
        Shown(
            "Sectors",
            words={
                "512n": "512 B native",
                "512e": "512 B over 4 KiB (512e)",
                "4kn": "4 KiB native (4Kn)",
            },
        ),
    ] = "512e"
    bought_on: Annotated[Day, Shown("Bought on")] | None = None
    # Already run when it was bought.
    run_hours: Annotated[
        int,
        whole(0, 300_000),
        Shown("Ran before", "hours already run when it was bought", "h"),
    ] = 0
    # Of a flash disk's rated writes.
    wear_percent: Annotated[
        int,
        whole(0, 100),
        Shown("Wear", unit="% of its rated writes", when=((When("kind", not_=("hdd",)),),)),
    ] = 0
    # When it works.
    watts: (
        Annotated[float, real(0.1, 60.0), Shown("Draws", "at work; empty: the assumption", "W")]
        | None
    ) = None
    own_supply: Annotated[Flag, Shown("Own supply", "a USB case with its own power")] = False
    holds_data: Annotated[Flag, Shown("Holds data", "what is on it now must survive")] = False
    host: Annotated[Id, Ref("hosts"), Shown("In host")] | None = None
    bay: (
        Annotated[
            str,
            Field(pattern=r"^(3\.5|2\.5|nvme|usb)-[1-9][0-9]?$"),
            Shown("Bay", "as 3.5-1, 2.5-1, nvme-1 or usb-1", when=((When("host", filled=True),),)),
        ]
        | None
    ) = None
    # The site where it stands when it is in no bay.
    shelf: (
        Annotated[Id, Ref("sites"), Shown("On the shelf at", when=((When("host", is_=("",)),),))]
        | None
    ) = None


class Offer(Value):
    """A disk that can be bought: the user's own price list."""

    ESSENTIALS = ("label", "capacity_bytes", "kind", "price_minor", "at_most")

    id: Id
    label: Annotated[Line, Unique(), Shown("Name")]
    capacity_bytes: Annotated[DiskBytes, _CAPACITY]
    kind: Annotated[DiskKind, _KIND] = "hdd"
    form: Annotated[DiskForm, _FORM] = "3.5"
    condition: Annotated[Condition, _CONDITION] = "new"
    recording: Annotated[Recording, _RECORDING] = "cmr"
    price_minor: Annotated[Money, Shown("Price", unit="{currency}")]
    mb_per_s: Annotated[float, real(1.0, 30_000.0), Shown("Average speed", unit="MB/s")] = 185.0
    # How many can be had.
    at_most: Annotated[int, whole(1, 24), Shown("To be had", unit="pieces")] = 24
