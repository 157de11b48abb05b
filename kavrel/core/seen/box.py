"""The box itself and its disks in their bays, as a plan could take them over."""

import re
from typing import Any

from kavrel.core.bench.bays import bays, misfit
from kavrel.core.index import LEAST_DATA_BYTES, ROUNDING_MIB, Index
from kavrel.core.plan import Disk
from kavrel.core.quantities import MIB
from kavrel.core.seen.machine import SeenDisk
from kavrel.core.seen.offer import Offer

GIB = 2**30
# Field of a host, and the most that it takes, by the kind of bay.
BAYS = {
    "3.5": ("bays_35", 60),
    "2.5": ("bays_25", 60),
    "nvme": ("slots_nvme", 24),
    "usb": ("ports_usb", 16),
}
USED_HOURS = 200  # a disk that ran longer was not bought new today: common practice, no source
OVERLAY = re.compile(r"^100\.(6[4-9]|[7-9]\d|1[01]\d|12[0-7])\.")  # RFC 6598


class BoxOffer(Offer):
    """The host, and its disks."""

    # -- the box -----------------------------------------------------------------------------------

    def _host(self) -> None:
        machine = self.machine
        if self.host is None and not self.plan.sites:
            self.take("sites", "home", {"name": "home"}, guess="a site, to stand somewhere")
        ram = round(machine.ram_bytes / GIB * 2) / 2 if machine.ram_bytes else None
        overlay = next((a for a in machine.addresses if OVERLAY.match(a)), None)
        lan = [a for a in machine.addresses if not OVERLAY.match(a) and ":" not in a]
        if self.host is None:
            if not self.plan.sites:
                return
            boots = next((d.boots for d in machine.disks if d.boots), None)
            board = boots == "sd_card"
            site = self.plan.sites[0]
            item: dict[str, Any] = {
                "name": machine.host or "pasted box",
                "kind": "single_board" if board else "tower",
                "site": site.id,
                "bays_35": 0,
                **self._wanted_bays(),
                "default_passwords_changed": False,
            }
            item |= {"ram_gib": ram} if ram else {}
            item |= {"network_mbit": machine.network_mbit} if machine.network_mbit else {}
            item |= {"boot_device": boots} if boots else {}
            item |= {"vpn_address": overlay} if overlay else {}
            where = (
                f"; its address is {lan[0]} today: reserve it in the router, then enter it"
                if lan
                else ""
            )
            made = self.take(
                "hosts",
                item["name"],
                item,
                why=f"{machine.system or 'a machine'}{where}",
                guess="its kind, its site, as many bays as it has disks, and that its default passwords stand",
                needs=(f"sites/{site.id}",),
            )
            self.host = Index(self.plan).hosts.get(made or "")
            return
        old = self.host.model_dump(mode="json")
        new = dict(old)
        why = []
        if ram and abs(ram - self.host.ram_gib) > self.host.ram_gib * 0.1:
            new["ram_gib"] = ram
            why.append(f"memory is {ram:g} GiB, {self.host.ram_gib:g} GiB were planned")
        for field, count in self._wanted_bays().items():
            if count > old[field]:
                new[field] = count
                why.append(
                    f"{count} disks want {field.replace('_', ' ')}, {old[field]} were planned"
                )
        self.take("hosts", self.host.name, new, why="; ".join(why), item_id=self.host.id)
        self.host = Index(self.plan).hosts[self.host.id]

    def _wanted_bays(self) -> dict[str, int]:
        data = [d for d in self.machine.disks if not self._only_system(d) and d.boots != "sd_card"]
        kinds = [_bay_kind(d) for d in data]
        return {field: min(most, kinds.count(kind)) for kind, (field, most) in BAYS.items()}

    def _only_system(self, disk: SeenDisk) -> bool:
        pooled = any(disk.device in g for p in self.machine.pools for g in (*p.groups, p.spares))
        return disk.system and not pooled

    # -- disks -------------------------------------------------------------------------------------

    def _disk(self, seen: SeenDisk) -> None:
        assert self.host is not None
        if seen.device in self.known.by_card:
            return  # the pool is known, and what it is made of
        if self._only_system(seen):
            self.not_taken.append(
                f"{seen.device}: the system is on it, and no data pool: it is no disk of the plan"
            )
            return
        if seen.capacity_bytes < 10**9:
            self.not_taken.append(f"{seen.device}: smaller than 1 GB")
            return
        known = self.known.disks.get(seen.device)
        if known is not None:
            self.ids[seen.device] = known.id
            self._known_disk(seen, known)
            return
        pooled = any(seen.device in g for p in self.machine.pools for g in (*p.groups, p.spares))
        used = (seen.hours or 0) > USED_HOURS
        item: dict[str, Any] = {
            "label": self._label(seen),
            "serial": seen.serial,
            "capacity_bytes": seen.capacity_bytes,
            "kind": seen.kind,
            "form": seen.form or ("m.2" if seen.kind == "nvme" else "3.5"),
            "host": self.host.id,
            "bay": self._bay(seen),
            "holds_data": not pooled and len(seen.paths) > 1 and self._has_parts(seen),
            "condition": "used" if used else "new",
        }
        item |= {"sector": seen.sector} if seen.sector else {}
        item |= {"wear_percent": min(100, seen.wear_percent or 0)} if seen.kind != "hdd" else {}
        item |= {"mb_per_s": 3000.0 if seen.kind == "nvme" else 450.0} if seen.kind != "hdd" else {}
        guess = ["which bay it is in", "its speed"]
        guess += [] if seen.form else ["its form"]
        guess += [] if seen.hours is not None else ["that it is new"]
        no_serial = "" if seen.serial else "; it has no serial: another disk could pass for it"
        made = self.take(
            "disks",
            item["label"],
            item,
            why=f"{seen.device}{f', {seen.model}' if seen.model else ''}{no_serial}",
            guess=", ".join(guess),
            needs=(f"hosts/{self.host.id}",),
        )
        if made:
            self.ids[seen.device] = made

    def _has_parts(self, seen: SeenDisk) -> bool:
        return any(p.startswith(seen.device) and p != seen.device for p in seen.paths)

    def _known_disk(self, seen: SeenDisk, known: Disk) -> None:
        assert self.host is not None
        item = known.model_dump(mode="json")
        why = []
        if known.host != self.host.id:
            index = Index(self.plan)
            was = f"in {index.hosts[known.host].name}" if known.host else "on the shelf"
            why.append(f"it was planned {was}, and is in {self.host.name}")
            item |= {"host": self.host.id, "bay": self._bay(seen), "shelf": None}
        if known.capacity_bytes != seen.capacity_bytes:
            why.append("its size is another to the byte")
            item["capacity_bytes"] = seen.capacity_bytes
        if seen.wear_percent is not None and seen.kind != "hdd":
            worn = min(100, seen.wear_percent)
            why += [f"its wear is {worn} %"] if worn != known.wear_percent else []
            item["wear_percent"] = worn
        if seen.sector and seen.sector != known.sector:
            why.append("its sectors are others")
            item["sector"] = seen.sector
        self.take("disks", known.label, item, why="; ".join(why), item_id=known.id)

    def _label(self, seen: SeenDisk) -> str:
        assert self.host is not None
        taken = {d.label.casefold() for d in self.plan.disks}
        # The end of the serial is what can be read on a tray.
        end = re.sub(r"[^A-Za-z0-9]", "", seen.serial)[-4:]
        base = f"{self.host.name} {end}".strip()
        number = 1
        label = base if end else f"{self.host.name} 1"
        while label.casefold() in taken:
            number += 1
            label = f"{base} {number}"
        return label

    def _bay(self, seen: SeenDisk) -> str | None:
        """A free bay for it; where all are full, the host gets one more."""
        assert self.host is not None
        bay = self._free_bay(seen)
        if bay is None:
            wanted, most = BAYS[_bay_kind(seen)]
            if getattr(self.host, wanted) >= most:
                return None  # no box can be planned with more
            more = {wanted: getattr(self.host, wanted) + 1}
            self._host_becomes(more, "more disks are in it than it was planned to hold")
            bay = self._free_bay(seen)
        return bay

    def _host_becomes(self, fields: dict[str, Any], why: str) -> None:
        """The host with other fields, in the place where it was offered."""
        assert self.host is not None
        mark = f"hosts/{self.host.id}"
        place = next((n for n, t in enumerate(self.things) if t.key == mark), None)
        before = self.things.pop(place) if place is not None else None
        item = {**self.host.model_dump(mode="json"), **fields}
        said = "; ".join(w for w in ((before.why if before else ""), why) if w)
        self.take("hosts", self.host.name, item, why=said, item_id=self.host.id)
        if before is not None and place is not None:
            last = self.things.pop()
            what = "new" if before.what == "new" else last.what
            kept = {"what": what, "needs": before.needs, "guess": before.guess}
            self.things.insert(place, last.model_copy(update=kept))
        self.host = Index(self.plan).hosts[self.host.id]

    def _free_bay(self, seen: SeenDisk) -> str | None:
        assert self.host is not None
        full = {d.bay for d in self.plan.disks if d.host == self.host.id}
        form = seen.form or ("m.2" if seen.kind == "nvme" else "3.5")
        disk = Disk(
            id="x",
            label="x",
            capacity_bytes=max(seen.capacity_bytes, 10**9),
            kind=seen.kind,
            form=form,
        )
        free = [b for b in bays(self.host) if b not in full and misfit(disk, b) is None]
        wanted = _bay_kind(seen)
        return next((b for b in free if b.startswith(f"{wanted}-")), free[0] if free else None)

    def _boots_from_data(self) -> None:
        assert self.host is not None
        both = next((d for d in self.machine.disks if d.system and d.device in self.ids), None)
        if both is None:
            return
        fields: dict[str, Any] = {"boot_disk": self.ids[both.device]}
        # What is rounded off on both sides of it counts, too: less is no part for data.
        left = both.capacity_bytes - (both.system_bytes or 0) - (ROUNDING_MIB + 1) * MIB
        if both.system_bytes and left >= LEAST_DATA_BYTES and self.host.system_bytes is None:
            fields["system_bytes"] = both.system_bytes
        if fields.items() <= self.host.model_dump().items():
            return
        item = {**self.host.model_dump(mode="json"), **fields}
        mark = f"hosts/{self.host.id}"
        position = next((n for n, t in enumerate(self.things) if t.key == mark), None)
        before = self.things[position] if position is not None else None
        made = self.take(
            "hosts",
            self.host.name,
            item,
            why="system and data are on one disk",
            item_id=self.host.id,
            needs=(f"disks/{self.ids[both.device]}",),
        )
        if made and before is not None and before.what == "new":
            # Two steps: the host is made, then told which disk it boots from.
            self.things[-1] = self.things[-1].model_copy(
                update={"key": f"{mark}/boot", "needs": (mark, *self.things[-1].needs)}
            )
        self.host = Index(self.plan).hosts[self.host.id]


def _bay_kind(disk: SeenDisk) -> str:
    if disk.usb:
        return "usb"
    if disk.kind == "nvme" or disk.form == "m.2":
        return "nvme"
    return "2.5" if disk.form == "2.5" else "3.5"
