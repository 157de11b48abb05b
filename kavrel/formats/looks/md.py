"""/proc/mdstat, `mdadm --detail --export` and what the kernel counts. Source: md(4), mdadm(8)."""

import re

from kavrel.formats.looks.listing import Listing, ListingReader, Notes, Vdev, number

HEAD = re.compile(
    r"^(md[\w-]*) : (active|inactive)(?: \([\w-]+\))?\s*(?:(raid\d+|linear|multipath) )?(.*)$"
)
MEMBER = re.compile(r"([\w!/-]+)\[(\d+)\]((?:\([A-Z]\))*)")
SHAPE = re.compile(r"\[(\d+)/(\d+)\] \[([U_]+)\]")


def read_mdstat(listing: Listing, notes: Notes) -> None:
    """Arrays with their members, and what they are busy with."""
    store = None
    for line in listing.text.splitlines():
        head = HEAD.match(line)
        if head:
            store = notes.store("md", f"/dev/{head.group(1)}")
            store.level, store.vdevs, store.spares = head.group(3) or "", [Vdev("md")], []
            store.state = "online" if head.group(2) == "active" else "inactive"
            for name, _, marks in sorted(MEMBER.findall(head.group(4)), key=lambda m: int(m[1])):
                if "(S)" in marks:
                    store.spares.append(f"/dev/{name}")
                elif "(F)" in marks:
                    store.vdevs[0].gone.append(f"/dev/{name}")
                else:
                    store.vdevs[0].members.append(f"/dev/{name}")
            listing.took()
            continue
        if store is not None:
            shape = SHAPE.search(line)
            blocks = re.match(r"^\s+(\d+) blocks", line)
            if blocks:
                store.facts["size"] = int(blocks.group(1)) * 1024
            near = re.search(r"(\d+) (near|far|offset)-copies", line)
            if near:
                store.facts["copies"] = int(near.group(1))
            if shape and int(shape.group(2)) < int(shape.group(1)):
                store.state = "degraded"
                store.facts["missing"] = int(shape.group(1)) - int(shape.group(2))
            busy = re.search(r"(recovery|resync|reshape|check)\s*=\s*([\d.]+%)", line)
            if busy:
                store.facts["busy"] = f"{busy.group(1)}, {busy.group(2)} done"
        if not line.strip() or line.startswith((" ", "Personalities", "unused devices")):
            continue
        listing.puzzled(line)


def read_detail(listing: Listing, notes: Notes) -> None:
    """One array: MD_LEVEL, MD_DEVICES, MD_UUID and the device and role of each member."""
    facts = dict(line.partition("=")[::2] for line in listing.text.splitlines() if "=" in line)
    name = listing.asked.split(" ")[-1]
    if "MD_LEVEL" not in facts or not name.startswith("/dev/"):
        listing.puzzled(listing.text[:200])
        return
    store = notes.store("md", name)
    store.level = store.level or facts["MD_LEVEL"]
    store.facts |= {"uuid": facts.get("MD_UUID", ""), "named": facts.get("MD_NAME", "")}
    # It may be mounted by its name instead of its number.
    if facts.get("MD_DEVNAME"):
        notes.aliases[f"/dev/md/{facts['MD_DEVNAME']}"] = name
    wanted = number(facts.get("MD_DEVICES"))
    members = [v for k, v in facts.items() if k.startswith("MD_DEVICE_") and k.endswith("_DEV")]
    roles = {
        facts.get(k.removesuffix("_DEV") + "_ROLE"): v
        for k, v in facts.items()
        if k.startswith("MD_DEVICE_") and k.endswith("_DEV")
    }
    if not store.vdevs:
        at_work = [v for role, v in roles.items() if role not in ("spare", None)]
        store.vdevs = [Vdev("md", at_work)]
        store.spares = [v for v in members if v not in at_work]
        store.state = "online"
        if wanted and len(at_work) < wanted:
            store.state, store.facts["missing"] = "degraded", wanted - len(at_work)
    listing.took()


def read_counts(listing: Listing, notes: Notes) -> None:
    """Sectors that differed at the last check, or errors of reading that a member outlived.

    Source: md(4), SYSFS INTERFACE; the kernel's admin-guide/md.
    """
    where = re.fullmatch(
        r"/sys/block/(md[\w-]*)/md/(?:mismatch_cnt|dev-(.+)/errors)", listing.asked
    )
    many = number(listing.text.strip())
    if where is None or many is None:
        listing.puzzled(listing.text[:200])
        return
    array, member = where.groups()
    store = notes.store("md", f"/dev/{array}")
    if member:
        store.counts(f"/dev/{member.replace('!', '/')}", {"read": str(many)})
    else:
        store.facts["differ"] = many
    listing.took()


MDSTAT = ListingReader(
    "mdstat", "/proc/mdstat", read_mdstat, lambda t: t.lstrip().startswith("Personalities"), ("md",)
)
MDADM = ListingReader(
    "mdadm", "mdadm --detail --export", read_detail, lambda t: "MD_LEVEL=" in t[:200]
)
MD_COUNTS = ListingReader("md-counts", "/sys/block/md*/md/mismatch_cnt", read_counts)
