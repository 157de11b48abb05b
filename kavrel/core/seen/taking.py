"""What a plan could take over from a machine: hosts, disks in their bays, pools, data, and jobs guessed.

Nothing is made up silently: what is guessed says so, and what cannot be taken over says why.
"""

import re
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from kavrel.core.bench.bays import bays, misfit
from kavrel.core.edit import STEMS, brought_in, checked, find, fresh_id
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import COLLECTIONS, Disk, Host, Plan, Schedule
from kavrel.core.pools.families import FAMILIES
from kavrel.core.seen.known import Known, host_of
from kavrel.core.seen.machine import Machine, SeenDataset, SeenDisk, SeenPool
from kavrel.core.seen.rhythm import retention_of, schedule_of
from kavrel.core.shares.names import folders, pool_roots, slug

GIB = 2**30
USED_HOURS = 200  # a disk that ran longer was not bought new today: common practice, no source
UUID = re.compile(r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")
STEP = re.compile(r"^[A-Za-z0-9_][A-Za-z0-9_.-]{0,59}$")
OVERLAY = re.compile(r"^100\.(6[4-9]|[7-9]\d|1[01]\d|12[0-7])\.")  # RFC 6598
WORTH = "that it is irreplaceable, until you say what it is worth; how it grows"
UNMEASURED = "its size (what is used, in even parts: lab-look --sizes measures it), "
COPIES_OF_OURS = ".points"


class Taken(BaseModel):
    """A thing that the plan could take over: complete, with the id that it would get.

    `needs` are keys of others without which it cannot be taken; `guess` says what of it nobody printed.
    """

    model_config = ConfigDict(frozen=True)

    key: str
    collection: str
    what: Literal["new", "changed", "same"]
    name: str
    item: dict[str, Any]
    why: str = ""
    guess: str = ""
    needs: tuple[str, ...] = ()


class Takes(BaseModel):
    """All that could be taken over, and what could not, with the reason."""

    model_config = ConfigDict(frozen=True)

    host: str | None
    things: tuple[Taken, ...]
    not_taken: tuple[str, ...]

    def into(self, plan: Plan) -> Plan:
        """The plan with all of it."""
        before = plan
        for thing in self.things:
            item = COLLECTIONS[thing.collection].model_validate(thing.item)
            plan = _with(plan, thing.collection, item)
        return checked(plan, before)


class Taker:
    """Goes through a machine, thing by thing, with a plan that grows by each."""

    def __init__(self, plan: Plan, machine: Machine, host: str | None = None) -> None:
        self.plan, self.machine, self.before = plan, machine, plan
        known = Index(plan).hosts.get(host) if host else host_of(Index(plan), machine)
        self.host: Host | None = known
        self._known: tuple[Plan, Known] | None = None
        self.things: list[Taken] = []
        self.not_taken: list[str] = []
        self.ids: dict[str, str] = {}  # device to disk id
        self.keys: dict[tuple[str, str], str] = {}
        self.copies: dict[str, tuple[str, str]] = {}  # folder here to what it is a copy of, by what

    @property
    def known(self) -> Known:
        """What of the machine the plan knows, as it stands now."""
        made = self._known
        if made is None or made[0] is not self.plan:
            host = self.host.id if self.host else None
            made = self._known = (self.plan, Known(Index(self.plan), self.machine, host))
        return made[1]

    # -- one thing ---------------------------------------------------------------------------------

    def take(
        self,
        collection: str,
        name: str,
        item: dict[str, Any],
        *,
        why: str = "",
        guess: str = "",
        needs: tuple[str, ...] = (),
        item_id: str | None = None,
    ) -> str | None:
        """Its id, once the plan with it holds together; None where it does not, with the reason kept."""
        key = item_id or fresh_id(self.plan, collection)
        old = find(self.plan, collection, key)
        try:
            thing = COLLECTIONS[collection].model_validate({**item, "id": key})
        except ValidationError as e:
            said = "; ".join(f"{'.'.join(map(str, p['loc']))}: {p['msg']}" for p in e.errors()[:3])
            self.not_taken.append(f"{name}: {said}")
            return None
        if old != thing:
            self.plan = _with(self.plan, collection, thing)
        what: Literal["new", "changed", "same"] = (
            "new" if old is None else "same" if old == thing else "changed"
        )
        mark = f"{collection}/{key}"
        self.things.append(
            Taken(
                key=mark,
                collection=collection,
                what=what,
                name=name,
                item=thing.model_dump(mode="json"),
                why=why,
                guess=guess,
                needs=tuple(
                    n for n in needs if any(t.key == n and t.what == "new" for t in self.things)
                ),
            )
        )
        return key

    def all(self) -> Takes:
        """Everything, in the order in which one needs the other."""
        self._host()
        if self.host is not None:
            for seen in self.machine.disks:
                self._disk(seen)
            self._boots_from_data()
            for pool in self.machine.pools:
                self._pool(pool)
            self._find_copies()
            self._datasets()
            self._jobs()
            self._replications()
        self.settle()
        return self.takes()

    def settle(self) -> None:
        """Leaves out what would make the plan contradict itself, with all that stands on it.

        Looked at once for everything: a plan of two hundred disks is not gone through for each of them.
        """
        while any(t.what != "same" for t in self.things):
            wrong = brought_in(self.plan, self.before)
            if not wrong:
                return
            said = {f"{p.collection}/{p.item}": p.message for p in wrong}
            bad = {t.key for t in self.things if t.key in said and t.what != "same"}
            if not bad:
                # Something else of the plan is what no longer fits: the last that touched it goes.
                bad = {next(t.key for t in reversed(self.things) if t.what != "same")}
            for thing in self.things:
                if thing.key in bad:
                    why = said.get(thing.key) or next(iter(said.values()))
                    self.not_taken.append(f"{thing.name}: {why}")
                elif bad & set(thing.needs):
                    bad.add(thing.key)
                    self.not_taken.append(f"{thing.name}: what it stands on was not taken")
            self.things = [t for t in self.things if t.key not in bad]
            self.plan = self.before
            for thing in self.things:
                if thing.what != "same":
                    item = COLLECTIONS[thing.collection].model_validate(thing.item)
                    self.plan = _with(self.plan, thing.collection, item)

    def takes(self) -> Takes:
        """What there is so far."""
        return Takes(
            host=self.host.id if self.host else None,
            things=tuple(self.things),
            not_taken=tuple(self.not_taken),
        )

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
        return {
            "bays_35": min(60, kinds.count("3.5")),
            "bays_25": min(60, kinds.count("2.5")),
            "slots_nvme": min(24, kinds.count("nvme")),
            "ports_usb": min(16, kinds.count("usb")),
        }

    def _only_system(self, disk: SeenDisk) -> bool:
        pooled = any(disk.device in g for p in self.machine.pools for g in (*p.groups, p.spares))
        return disk.system and not pooled

    # -- disks -------------------------------------------------------------------------------------

    def _disk(self, seen: SeenDisk) -> None:
        assert self.host is not None
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
            field = {"3.5": "bays_35", "2.5": "bays_25", "nvme": "slots_nvme", "usb": "ports_usb"}
            wanted = field[_bay_kind(seen)]
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
        if both is None or self.host.boot_disk == self.ids[both.device]:
            return
        item = {**self.host.model_dump(mode="json"), "boot_disk": self.ids[both.device]}
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

    # -- pools -------------------------------------------------------------------------------------

    def _pool(self, seen: SeenPool) -> None:
        assert self.host is not None
        known = self.known.pools.get(seen.name)
        devices = [d for g in seen.groups for d in g]
        missing = [d for d in devices if d not in self.ids]
        if seen.gone:
            self.not_taken.append(
                f"pool {seen.name}: {len(seen.gone)} of its disks is gone ({', '.join(seen.gone)}): "
                "replace it, then look again"
            )
            return
        if not seen.family or seen.filesystem not in FILESYSTEMS:
            self.not_taken.append(f"pool {seen.name}: no layout of Kavrel's is like it")
            return
        if not devices or missing:
            lacks = ", ".join(missing) or "all of its disks"
            self.not_taken.append(
                f"pool {seen.name}: {lacks} not in the listing: paste lsblk -J -b -O as well"
            )
            return
        base = (
            known.model_dump(mode="json")
            if known
            else {"name": self._free_name("pools", seen.name)}
        )
        item = {
            **base,
            "host": self.host.id,
            "family": seen.family,
            "filesystem": seen.filesystem,
            "groups": [[self.ids[d] for d in g] for g in seen.groups],
            "spares": [self.ids[d] for d in seen.spares if d in self.ids],
            "standing": True,
        }
        if FAMILIES[seen.family].one_set and len(seen.groups) > 1:
            item["groups"] = [[d for g in item["groups"] for d in g]]
        if FILESYSTEMS[seen.filesystem].sector_shift and seen.ashift:
            item["ashift"] = seen.ashift
        if FILESYSTEMS[seen.filesystem].uses("uuid") and UUID.match(seen.uuid):
            item["uuid"] = seen.uuid
        if seen.encrypted and not (known and known.encrypted):
            item["encrypted"] = True
        named = slug(item["name"], "pool")
        if FILESYSTEMS[seen.filesystem].by_name and named != seen.name:
            item["known_as"] = seen.name
        if (
            seen.path
            and seen.path != f"/srv/{item.get('known_as') or named}"
            and seen.path.startswith("/")
        ):
            item["path"] = seen.path
        guess = "how it is opened: by passphrase" if seen.encrypted and not known else ""
        why = "" if known is None else self._pool_differs(base, item)
        self.take(
            "pools",
            seen.name,
            item,
            why=why,
            guess=guess,
            needs=(
                f"hosts/{self.host.id}",
                *(f"disks/{d}" for g in (*item["groups"], item["spares"]) for d in g),
            ),
            item_id=known.id if known else None,
        )

    @staticmethod
    def _pool_differs(old: dict[str, Any], new: dict[str, Any]) -> str:
        fields = [k for k in new if old.get(k) != new[k]]
        return f"differs in {', '.join(f.replace('_', ' ') for f in fields)}" if fields else ""

    def _free_name(self, collection: str, name: str) -> str:
        taken = {x.name.casefold() for x in getattr(self.plan, collection)}
        wanted = (name or STEMS[collection])[:70]
        if wanted.casefold() not in taken:
            return wanted
        if self.host and f"{wanted} of {self.host.name}".casefold() not in taken:
            return f"{wanted} of {self.host.name}"[:80]
        return next(n for i in range(2, 10_000) if (n := f"{wanted} {i}").casefold() not in taken)

    # -- data --------------------------------------------------------------------------------------

    def _datasets(self) -> None:
        assert self.host is not None
        by_pool: dict[str, list[SeenDataset]] = {}
        for seen in self.machine.datasets:
            by_pool.setdefault(seen.pool, []).append(seen)
        known = self.known
        for pool in self.machine.pools:
            mine = known.pools.get(pool.name)
            if mine is None:
                continue
            rows = sorted(by_pool.get(pool.name, []), key=lambda d: d.name.count("/"))
            for seen in rows:
                self._dataset(seen, mine.id)
            if not rows and not FILESYSTEMS[pool.filesystem].by_name:
                self._folders(pool, mine.id)

    def _dataset(self, seen: SeenDataset, pool: str) -> None:
        assert self.host is not None
        if seen.name.startswith(COPIES_OF_OURS) or f"/{COPIES_OF_OURS}/" in seen.folder:
            return
        if seen.folder in self.copies:
            return
        known = self.known.datasets.get(seen.folder)
        above, _, leaf = seen.name.rpartition("/")
        parent = self.keys.get((pool, above)) if above else None
        if above and parent is None and known is None:
            self.not_taken.append(f"dataset {seen.folder}: what it lies in was not taken")
            return
        size = (
            seen.used_bytes if seen.used_bytes is not None else self.machine.sizes.get(seen.folder)
        )
        base = (
            known.model_dump(mode="json") if known else {"name": self._free_name("datasets", leaf)}
        )
        item: dict[str, Any] = {**base, "pool": pool, "parent": parent}
        if known:
            item["parent"] = known.parent
        why = []
        if size is not None:
            if known and abs(size - known.size_bytes) > known.size_bytes * 0.05 + 10**9:
                why.append("its size is another")
            if not known or why:
                item["size_bytes"] = size
        else:
            item.setdefault("size_bytes", 0)
        if (known and seen.quota_bytes != known.quota_bytes) or (not known and seen.quota_bytes):
            item["quota_bytes"] = seen.quota_bytes
            why += ["its quota is another"] if known else []
        if seen.reserve_bytes:
            item["reserve_bytes"] = seen.reserve_bytes
        if not known:
            item |= {"worth": "irreplaceable"} | _properties(seen)
            if slug(item["name"], "data") != leaf:
                if not STEP.match(leaf):
                    self.not_taken.append(
                        f"dataset {seen.folder}: a folder of that name cannot be planned"
                    )
                    return
                item["folder"] = leaf
        made = self.take(
            "datasets",
            seen.folder,
            item,
            why="; ".join(why),
            guess="" if known else WORTH,
            needs=(f"pools/{pool}", *([f"datasets/{parent}"] if parent else [])),
            item_id=known.id if known else None,
        )
        if made:
            self.keys[pool, seen.name] = made

    def _folders(self, pool: SeenPool, pool_id: str) -> None:
        """Of a file system without datasets: the folders in it that are shared, else all of it as one."""
        mine = {folders(self.plan)[d.id]: d for d in self.plan.datasets if d.pool == pool_id}
        root = pool_roots(self.plan)[pool_id]
        shared = [f for f in self.machine.sizes if f.startswith(f"{root}/")]
        for text in self.machine.files.values():
            shared += re.findall(rf"({re.escape(root)}/[A-Za-z0-9_.-]+)", text)
        leaves = dict.fromkeys(s[len(root) + 1 :].split("/")[0] for s in shared)
        able = [leaf for leaf in leaves if STEP.match(leaf) and leaf != COPIES_OF_OURS]
        new = [f"{root}/{leaf}" for leaf in able if f"{root}/{leaf}" not in mine]
        if not new and not mine:
            new = [f"{root}/data"]
        left = max(0, (pool.used_bytes or 0) - sum(d.size_bytes for d in mine.values()))
        for folder in new:
            leaf = folder.rpartition("/")[2]
            measured = self.machine.sizes.get(folder)
            name = self._free_name("datasets", leaf)
            size = measured if measured is not None else left // len(new)
            item = {"name": name, "pool": pool_id, "size_bytes": size, "worth": "irreplaceable"}
            item |= {"folder": leaf} if slug(name, "data") != leaf else {}
            sized = "" if measured is not None else UNMEASURED
            self.take(
                "datasets",
                folder,
                item,
                guess=f"{sized}{WORTH}",
                needs=(f"pools/{pool_id}",),
            )

    # -- copies of another box's data --------------------------------------------------------------

    def _find_copies(self) -> None:
        """Datasets whose points have the name that a snapshot job of another box gives to data so called.

        Points travel with their names: the same name over data of the same name is a copy.
        """
        assert self.host is not None
        index = Index(self.plan)
        elsewhere = {
            (slug(j.name, j.id), index.datasets[d].name): d
            for j in self.plan.jobs
            if KINDS[j.kind].snapshots and KINDS[j.kind].in_place
            for d in j.datasets
            if index.pools[index.datasets[d].pool].host != self.host.id
        }
        by_name = {f"{d.pool}/{d.name}": d for d in self.machine.datasets}
        for points in self.machine.points:
            here = by_name.get(points.place) or next(
                (d for d in self.machine.datasets if d.folder == points.place), None
            )
            leaf = here.name.rpartition("/")[2] if here else ""
            source = elsewhere.get((points.maker, leaf))
            if here is not None and source is not None:
                self.copies[here.folder] = (source, points.maker)

    def _replications(self) -> None:
        """One job for each source pool and pool here: what was copied, by the rhythm of its points."""
        assert self.host is not None
        known = self.known
        index = known.index
        rows: dict[tuple[str, str], list[tuple[str, tuple[float, ...]]]] = {}
        by_folder = {d.folder: d for d in self.machine.datasets}
        times = {p.place: p.times for p in self.machine.points}
        for folder, (source, _) in self.copies.items():
            here = by_folder[folder]
            pool = known.pools.get(here.pool)
            found = times.get(f"{here.pool}/{here.name}") or times.get(folder) or ()
            if pool is not None and found:
                rows.setdefault((index.datasets[source].pool, pool.id), []).append((source, found))
        for (start, end), copied in sorted(rows.items()):
            datasets = sorted({d for d, _ in copied})
            if any(
                j.target_pool == end and set(j.datasets) & set(datasets) for j in self.plan.jobs
            ):
                continue
            longest = max((t for _, t in copied), key=len)
            nightly = Schedule(kind="daily", at="02:00")
            name = self._free_name("jobs", f"{index.pools[start].name} to {index.pools[end].name}")
            item = {
                "name": name,
                "kind": "replication",
                "datasets": datasets,
                "target_pool": end,
                "schedule": (schedule_of(longest, self.plan.zone) or nightly).model_dump(
                    mode="json"
                ),
                "retention": retention_of(longest, self.plan.zone).model_dump(mode="json"),
                # Who holds the keys nobody printed: the worse is that the source could delete it.
                "credentials": "source",
            }
            self.take(
                "jobs",
                name,
                item,
                why=f"{len(longest)} points came over with the names that the other box gave them",
                guess="when it runs, how long points are kept, and that the source could delete them",
                needs=(f"pools/{end}", *(f"datasets/{d}" for d in datasets)),
            )

    # -- jobs --------------------------------------------------------------------------------------

    def _jobs(self) -> None:
        """Snapshots that look like a job: one job for all datasets that have them by one name."""
        assert self.host is not None
        known = self.known
        index = known.index
        own = {slug(j.name, j.id) for j in self.plan.jobs}
        by_name = {f"{d.pool}/{d.name}": d.folder for d in self.machine.datasets}
        rows: dict[str, list[tuple[str, tuple[float, ...]]]] = {}
        for points in self.machine.points:
            folder = by_name.get(points.place, points.place)
            dataset = known.datasets.get(folder)
            if dataset and points.maker not in own:
                rows.setdefault(points.maker, []).append((dataset.id, points.times))
        for maker, found in sorted(rows.items()):
            longest = max((times for _, times in found), key=len)
            schedule = schedule_of(longest, self.plan.zone)
            if schedule is None:
                self.not_taken.append(
                    f"points {maker}: {len(longest)} are too few to see a rhythm in"
                )
                continue
            pools = {index.datasets[d].pool for d, _ in found}
            for pool in sorted(pools):
                datasets = [d for d, _ in found if index.datasets[d].pool == pool]
                name = self._free_name("jobs", maker)
                item = {
                    "name": name,
                    "kind": "snapshot",
                    "datasets": datasets,
                    "schedule": schedule.model_dump(mode="json"),
                    "retention": retention_of(longest, self.plan.zone).model_dump(mode="json"),
                }
                self.take(
                    "jobs",
                    name,
                    item,
                    why=f"{len(longest)} points of this name are there",
                    guess="when it runs and how long points are kept, from those that are there",
                    needs=tuple(f"datasets/{d}" for d in datasets),
                )


def _with(plan: Plan, collection: str, item: Any) -> Plan:
    """The plan with a thing added, or in the place of the one with its id; nothing is looked at."""
    items = getattr(plan, collection)
    if find(plan, collection, item.id) is None:
        return plan.model_copy(update={collection: (*items, item)})
    changed = tuple(item if i.id == item.id else i for i in items)
    return plan.model_copy(update={collection: changed})


def _bay_kind(disk: SeenDisk) -> str:
    if disk.usb:
        return "usb"
    if disk.kind == "nvme" or disk.form == "m.2":
        return "nvme"
    return "2.5" if disk.form == "2.5" else "3.5"


def _properties(seen: SeenDataset) -> dict[str, Any]:
    item: dict[str, Any] = {}
    if seen.record_kib in (4, 8, 16, 32, 64, 128, 256, 512, 1024):
        item["record_kib"] = seen.record_kib
    word = seen.compression
    item["compression"] = "off" if word == "off" else "zstd" if word.startswith("zstd") else "lz4"
    if seen.encrypted:
        item["encrypted"] = True
    if seen.volume:
        item["use"] = "vm_disks"
    return item
