"""What a machine needs before its files: system, address, passwords, updates, and the way back in.

No script does these: they come before any script can run, or are somebody's own to decide. They are works
like all others, so that every paper has them in the same words.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from kavrel.core.index import Index
from kavrel.core.plan import Host
from kavrel.core.quantities import size_words
from kavrel.core.works.services import ServiceRuns
from kavrel.core.works.set_up import is_set_up
from kavrel.core.works.tools import standing_layers, tools_of
from kavrel.core.works.work import Work

BOOT_WORDS = {
    "ssd": "its SSD",
    "nvme": "its NVMe",
    "hdd": "its hard disk",
    "usb_stick": "its USB stick",
    "sd_card": "its SD card",
}
AFTER_A_CUT = {
    "by_itself": "starts by itself",
    "over_network": "stays off, and is woken over the network (wake-on-LAN on)",
    "by_hand": "stays off until somebody presses its button",
}
LOOKS = "nothing to take back: it only looks"
REFUSED = "sign in with the password that it came with: it is refused"
NEVER_BACK = "nobody goes back to that password"
BEFORE = ("Do this before it is on any network.",)


@dataclass(frozen=True)
class Readied(Work):
    """Something done by hand at a machine before the files of its bundle; `minds`: what to mind with it."""

    minds: tuple[str, ...] = ()


@dataclass(frozen=True)
class SystemThere(Readied):
    """Its system is on the disk that the plan names, and on no other."""

    fields = ("hosts.boot_device", "hosts.boot_disk", "hosts.system_bytes")


@dataclass(frozen=True)
class SignedIn(Readied):
    """It is found on the LAN, and known by its fingerprint."""

    fields = ("hosts.address", "hosts.addressing")


@dataclass(frozen=True)
class PasswordChanged(Readied):
    """A password that came with it is another one, or its account is off."""

    fields = (
        "hosts.default_passwords_changed",
        "default_logins.service",
        "default_logins.login",
        "default_logins.changed_on",
        "default_logins.off",
    )


@dataclass(frozen=True)
class UpToDate(Readied):
    """It has the updates that there are."""

    fields = ("hosts.kind",)


@dataclass(frozen=True)
class PackagesThere(Readied):
    """Debian's packages that its files, its script and its nights call."""

    fields = ("hosts.kind",)

    packages: tuple[str, ...] = ()


@dataclass(frozen=True)
class WayIn(Readied):
    """Somebody gets in when the network is gone."""

    fields = ("hosts.kind",)


@dataclass(frozen=True)
class SettingsKept(Readied):
    """Its configuration lies elsewhere, too."""

    fields = ("hosts.kind",)


@dataclass(frozen=True)
class ComesBack(Readied):
    """What it does when the mains come back, and in which order."""

    fields = ("hosts.after_power_cut", "hosts.start_order")


@dataclass(frozen=True)
class AddressHeld(Readied):
    """It has its address of the plan after every start; `at_router`: the router is told, not the machine."""

    fields = ("hosts.address", "hosts.addressing")

    address: str = ""
    at_router: bool = False


@dataclass(frozen=True)
class VpnJoined(Readied):
    """It is in the VPN by its address there."""

    fields = ("hosts.vpn_address",)

    address: str = ""


def is_at_work(index: Index, host: str) -> bool:
    """Whether a machine has anything of the plan in it, or hangs on a UPS of it."""
    plan = index.plan
    pools, supplied = {p.host for p in plan.pools}, {h for s in plan.supplies for h in s.hosts}
    return host in pools | supplied | {d.host for d in plan.disks}


def machine_works(index: Index, host: str, rest: Sequence[Work] = ()) -> Iterator[Readied]:
    """In the order of work; `rest` are its other works, whose packages come before them."""
    box = index.hosts[host]
    makes = (("hosts", host),)
    at_work = is_at_work(index, host)
    if at_work and not box.personal:
        if not box.closed:
            yield _system(index, box)
        yield SignedIn(
            "signed-in", f"the first way in to {box.name}", makes, (),
            "its page, beside what the browser showed" if box.closed
            else "ssh-keygen -lf /etc/ssh/ssh_host_ed25519_key.pub", LOOKS,
            f"{_found_at(index, box)}, and sign in from the same LAN",
            minds=("A certificate that warns on the first visit is its own: compare its fingerprint.",),
        )  # fmt: skip
    if at_work:
        yield from _passwords(index, box)
        yield _updates(box)
    packages = () if box.closed else _packages(index, box, rest)
    if packages:
        yield PackagesThere(
            "packages", f"packages of {box.name}", makes, (), f"dpkg-query -W {' '.join(packages)}",
            "leave them", f"install what its files call (`apt-get install {' '.join(packages)}`)",
            packages=packages,
        )  # fmt: skip
    if at_work and not box.closed:
        yield WayIn(
            "way-in", f"the way in to {box.name} without the network", makes, (),
            "sign in there with its LAN cable out", LOOKS,
            "try the way in that is left when the network is not: screen and keyboard, or its serial console; "
            "write it onto the restore sheet",
            minds=("Shell access that is lost is won back there, and nowhere else.",),
        )  # fmt: skip
    if any(p.host == host for p in index.plan.pools) and not box.personal:
        yield SettingsKept(
            "settings", f"the configuration of {box.name}", makes, (), "open the copy", "delete the copy",
            "copy its configuration elsewhere once it runs",
        )  # fmt: skip
        yield ComesBack(
            "comes-back", f"start of {box.name}", makes, (), "pull its plug once, and see",
            "set it back in its firmware",
            f"in its firmware: after a power cut it {AFTER_A_CUT[box.after_power_cut]}",
            minds=(f"It comes back as number {box.start_order}.",),
        )  # fmt: skip
    yield from _addresses(box)


def _system(index: Index, box: Host) -> SystemThere:
    target = _target(index, box)
    if _stands(index, box):
        how = f"runs already, from {target}; its system is left as it is"
        minds = "Where its boot device died, the restore sheet says what comes first."
    else:
        how = "write its system onto a stick, after comparing the image's checksum with the "
        how += f"one that its makers sign; install it onto {target}"
        minds = _spared(index, box)
    see = "findmnt -n -o SOURCE /; lsblk -o NAME,SERIAL"
    makes = (("hosts", box.id), *((("disks", box.boot_disk),) if box.boot_disk else ()))
    return SystemThere(
        "system",
        f"the system of {box.name}",
        makes,
        (),
        see,
        "write another system onto it",
        how,
        minds=(minds,),
    )


def _stands(index: Index, box: Host) -> bool:
    return any(p.standing for p in index.plan.pools if p.host == box.id)


def _target(index: Index, host: Host) -> str:
    disk = index.disks.get(host.boot_disk or "")
    if disk is None:
        return BOOT_WORDS[host.boot_device]
    serial = f"serial {disk.serial}" if disk.serial else "the serial is not in the plan"
    most = f", of at most {size_words(host.system_bytes)}" if host.system_bytes else ""
    return f"a part of {disk.label} ({serial}){most}, with a GPT, the rest of it left unused"


def _spared(index: Index, host: Host) -> str:
    others = [d for d in index.plan.disks if d.host == host.id and d.id != host.boot_disk]
    if not others:
        return "It has no other disk in it."
    serials = ", ".join(d.serial or d.label for d in others)
    return f"Pull out the data disks until it has started once, or compare serials: never onto {serials}."


def _found_at(index: Index, host: Host) -> str:
    fixed = host.addressing == "static" or not host.address
    if _stands(index, host):
        return (
            "look up its address"
            if fixed
            else f"see that the router reserves {host.address} for it"
        )
    if fixed:
        return "find its first address on its screen, or in the router's list of devices"
    return f"find its first address in the router's list of devices, and reserve {host.address} for it there"


def _passwords(index: Index, box: Host) -> Iterator[PasswordChanged]:
    for login in index.plan.default_logins:
        if login.host == box.id and login.changed_on is None and not login.off:
            yield PasswordChanged(
                f"default/{login.id}", f"{login.login} for {login.service} on {box.name}",
                (("default_logins", login.id),), (), REFUSED, NEVER_BACK,
                f"{login.service}: change the password of {login.login}, or switch it off", minds=BEFORE,
            )  # fmt: skip
    if not box.default_passwords_changed:
        yield PasswordChanged(
            "default", f"default passwords of {box.name}", (("hosts", box.id),), (), REFUSED, NEVER_BACK,
            "change every default password (web, root shell, file service)", minds=BEFORE,
        )  # fmt: skip


def _updates(box: Host) -> UpToDate:
    how = "install what updates there are, start it again, and look what changed"
    if box.personal:
        how = "let it take updates by itself; whoever works at it administers nothing"
    makes = (("hosts", box.id),)
    see = "look whether it offers any" if box.closed else "apt list --upgradable"
    return UpToDate("updates", f"updates of {box.name}", makes, (), see, "they stay", how)


def _packages(index: Index, box: Host, rest: Sequence[Work]) -> tuple[str, ...]:
    """What its works call, each once, in the order in which it is needed."""
    nights = [p for w in rest for p in getattr(w, "packages", ())]
    if not is_set_up(index, box.id):
        return tuple(dict.fromkeys(nights))
    services = (w.service.package for w in rest if isinstance(w, ServiceRuns) and not w.by_hand)
    layers = standing_layers(index, box.id)
    named = [
        *(p for _, p in tools_of([*rest, *layers])),
        *(p for s in services for p in s.split()),
        *nights,
    ]
    return tuple(dict.fromkeys(named))


def _addresses(box: Host) -> Iterator[Readied]:
    makes = (("hosts", box.id),)
    if box.address and box.addressing in ("static", "reserved"):
        reserved = box.addressing == "reserved"
        yield AddressHeld(
            "address", f"address {box.address} of {box.name}", makes, (), "ip -brief address",
            "take the reservation out of the router" if reserved else "let the router give it one",
            f"reserve {box.address} for it in the router"
            if reserved
            else f"set its address {box.address} by hand",
            minds=("Restart it and see that it has it.",) if reserved else (),
            address=box.address, at_router=reserved,
        )  # fmt: skip
    if box.vpn_address:
        yield VpnJoined(
            "vpn", f"{box.name} in the VPN", makes, (), f"ping -c 1 {box.vpn_address}",
            "take it out of the VPN at both ends",
            f"join the VPN as {box.vpn_address}, and authorise it at both ends",
            minds=("Try the way back too: from the other end, by that address.",),
            address=box.vpn_address,
        )  # fmt: skip
