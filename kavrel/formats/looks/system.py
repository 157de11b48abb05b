"""What the machine is: its name of a system, memory, addresses, speed of its port, UPS, open ports."""

import json
import re

from kavrel.formats.looks.listing import Listing, ListingReader, Notes, number


def read_uname(listing: Listing, notes: Notes) -> None:
    """Kernel and architecture."""
    notes.machine.setdefault("system", " ".join(listing.text.split()))
    listing.took()


def read_os_release(listing: Listing, notes: Notes) -> None:
    """The name of the system. Source: os-release(5)."""
    name = re.search(r'^PRETTY_NAME="?(.*?)"?$', listing.text, re.MULTILINE)
    if name is None:
        listing.puzzled("no PRETTY_NAME in it")
        return
    notes.machine["system"] = name.group(1)
    listing.took()


def read_meminfo(listing: Listing, notes: Notes) -> None:
    """Memory. Source: proc_meminfo(5)."""
    total = re.search(r"^MemTotal:\s+(\d+) kB$", listing.text, re.MULTILINE)
    if total is None:
        listing.puzzled("no MemTotal in it")
        return
    notes.machine["ram_bytes"] = int(total.group(1)) * 1024
    listing.took()


def read_addresses(listing: Listing, notes: Notes) -> None:
    """Addresses that others can reach it by. Source: ip-address(8)."""
    kept = notes.machine.setdefault("addresses", [])
    for port in json.loads(listing.text):
        listing.took()
        for one in port.get("addr_info") or ():
            # A container's bridge is nobody's way in.
            inside = str(port.get("ifname", "")).startswith(
                ("docker", "veth", "br-", "virbr", "lxc")
            )
            if one.get("scope") == "global" and not one.get("temporary") and not inside:
                kept.append(str(one.get("local")))


def read_routes(listing: Listing, notes: Notes) -> None:
    """The way out."""
    for route in json.loads(listing.text):
        listing.took()
        if route.get("dst") == "default" and route.get("gateway"):
            notes.machine.setdefault("gateway", str(route["gateway"]))


def read_speed(listing: Listing, notes: Notes) -> None:
    """Mbit/s of a port, as the kernel has it; -1 is a port without a cable."""
    speed = number(listing.text.strip())
    listing.took()
    if speed:
        notes.machine["network_mbit"] = max(speed, notes.machine.get("network_mbit", 0))


def read_ups_names(listing: Listing, notes: Notes) -> None:
    """Names of UPS that are known there. Source: upsc(8)."""
    notes.machine.setdefault("ups", []).extend(listing.text.split())
    listing.took(len(listing.text.split()))


def read_ups(listing: Listing, notes: Notes) -> None:
    """Readings of one UPS: `name: value` lines."""
    name = listing.asked.rpartition(" ")[2]
    table = notes.machine.setdefault("ups_readings", {}).setdefault(name, {})
    for line in listing.text.splitlines():
        key, colon, value = line.partition(": ")
        if not colon:
            listing.puzzled(line)
            continue
        table[key] = value.strip()
        listing.took()


def read_ports(listing: Listing, notes: Notes) -> None:
    """What listens, beyond this machine itself. Source: ss(8)."""
    kept = notes.machine.setdefault("ports", [])
    for line in listing.text.splitlines():
        cells = line.split()
        if len(cells) < 5:
            listing.puzzled(line)
            continue
        listing.took()
        where, _, port = cells[4].rpartition(":")
        if not where.startswith(("127.", "[::1]")) and port.isdecimal():
            kept.append(f"{port}/{cells[0]}")


UNAME = ListingReader("uname", "uname -srm", read_uname)
OS_RELEASE = ListingReader(
    "os-release", "/etc/os-release", read_os_release, lambda t: "PRETTY_NAME=" in t[:800]
)
MEMINFO = ListingReader(
    "meminfo", "/proc/meminfo", read_meminfo, lambda t: t.startswith("MemTotal:")
)
IP_ADDR = ListingReader(
    "ip-addr", "ip -j addr", read_addresses, lambda t: '"addr_info"' in t[:2000], ("addresses",)
)
IP_ROUTE = ListingReader("ip-route", "ip -j route", read_routes)
LINK_SPEED = ListingReader("link-speed", "/sys/class/net/*/speed", read_speed)
UPS_NAMES = ListingReader("ups-names", "upsc -l", read_ups_names, None, ("ups",))
UPS = ListingReader("ups", "upsc UPS", read_ups)
PORTS = ListingReader("ss", "ss -Hlntu", read_ports, None, ("ports",))
