"""Pools and the data on them, as a plan could take them over."""

import re
from typing import Any

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import parts_of
from kavrel.core.seen.box import BoxOffer
from kavrel.core.seen.known import is_made_alike
from kavrel.core.seen.machine import SeenDataset, SeenPool
from kavrel.core.shares.names import folders, pool_roots, slug

UUID = re.compile(r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")
STEP = re.compile(r"^[A-Za-z0-9_][A-Za-z0-9_.-]{0,59}$")
FOLDER = re.compile(r"^(/[A-Za-z0-9_][A-Za-z0-9_.-]{0,59}){1,8}$")
WORTH = "that it is irreplaceable, until you say what it is worth; how it grows"
UNMEASURED = "its size (what is used, in even parts: lab-look --sizes measures it), "
COPIES_OF_OURS = ".points"


class StoreOffer(BoxOffer):
    """Pools with their groups, and datasets with their properties."""

    # -- pools -------------------------------------------------------------------------------------

    def _pool(self, seen: SeenPool) -> None:
        assert self.host is not None
        if why := self._cannot_be_planned(seen):
            self.not_taken.append(f"pool {seen.name}: {why}")
            return
        known = self.known.pools.get(seen.name)
        item = self._made_of(seen, known, self.host.id) | self._known_by(seen)
        if seen.encrypted and not (known and known.encrypted):
            item["encrypted"] = True
        item |= self._places(seen, item)
        guess = "how it is opened: by passphrase" if seen.encrypted and not known else ""
        base = known.model_dump(mode="json") if known else item
        disks = [*(d for g in item["groups"] for d in g), *item["spares"], *item.get("tier", [])]
        self.take(
            "pools",
            seen.name,
            item,
            why=self._pool_differs(base, item) if known else "",
            guess=guess,
            needs=(f"hosts/{self.host.id}", *(f"disks/{d}" for d in disks)),
            item_id=known.id if known else None,
        )

    def _cannot_be_planned(self, seen: SeenPool) -> str:
        """Why a pool cannot be taken over as it is; empty where it can."""
        devices = [d for g in seen.groups for d in g]
        missing = [d for d in devices if d not in self.ids and d not in self.known.by_card]
        if seen.gone:
            gone = f"{len(seen.gone)} of its disks is gone ({', '.join(seen.gone)})"
            return f"{gone}: replace it, then look again"
        if not seen.family or seen.filesystem not in FILESYSTEMS:
            return "no layout of Kavrel's is like it"
        if not devices or missing:
            lacks = ", ".join(missing) or "all of its disks"
            return f"{lacks} not in the listing: paste lsblk -J -b -O as well"
        return ""

    def _made_of(self, seen: SeenPool, known: Pool | None, host: str) -> dict[str, Any]:
        """The pool as planned, if it is, with its layout and its disks as they were seen."""
        base = (
            known.model_dump(mode="json")
            if known
            else {"name": self._free_name("pools", seen.name)}
        )
        alike = known and is_made_alike(self.known.index, known, seen.family)
        item = {
            **base,
            "host": host,
            "family": known.family if alike and known else seen.family,
            "filesystem": seen.filesystem,
            "groups": [[self.ids[d] for d in g if d in self.ids] for g in seen.groups],
            "spares": [self.ids[d] for d in seen.spares if d in self.ids],
            "standing": True,
        }
        if seen.tier and all(d in self.ids for d in seen.tier):
            item["tier"] = [self.ids[d] for d in seen.tier]
            item["tier_mirrored"] = len(seen.tier) > 1
        if alike and known and FAMILIES[known.family].card:
            item |= known.model_dump(mode="json", include={"groups", "spares"})
            return item
        family = FAMILIES[seen.family]
        if family.one_set and not family.parity_last and len(seen.groups) > 1:
            item["groups"] = [[d for g in item["groups"] for d in g]]
        return item

    @staticmethod
    def _known_by(seen: SeenPool) -> dict[str, Any]:
        """What its file system is known by."""
        system, item = FILESYSTEMS[seen.filesystem], dict[str, Any]()
        if system.sector_shift and seen.ashift:
            item["ashift"] = seen.ashift
        if system.uses("uuid") and UUID.match(seen.uuid):
            item["uuid"] = seen.uuid
        return item

    @staticmethod
    def _places(seen: SeenPool, item: dict[str, Any]) -> dict[str, Any]:
        """Its name on the machine, where it is mounted, and where its parts are."""
        places: dict[str, Any] = {}
        named = slug(item["name"], "pool")
        if FILESYSTEMS[seen.filesystem].by_name and named != seen.name:
            places["known_as"] = seen.name
        root = f"/srv/{places.get('known_as') or item.get('known_as') or named}"
        if seen.path and seen.path != root and seen.path.startswith("/"):
            places["path"] = seen.path
        # What a plan cannot hold is said when it is taken: a folder's name with a blank, say.
        parts = parts_of(Pool.model_construct(None, **item))
        if len(parts) == len(seen.branch_paths) > 1 and all(map(FOLDER.match, seen.branch_paths)):
            root = places.get("path") or item.get("path") or root
            made = [f"{root}{p.end}" for p in parts]
            places["branch_paths"] = [] if made == [*seen.branch_paths] else [*seen.branch_paths]
            if all(UUID.match(uuid) for uuid in seen.branch_uuids):
                places["branch_uuids"] = [*seen.branch_uuids]
        return places

    @staticmethod
    def _pool_differs(old: dict[str, Any], new: dict[str, Any]) -> str:
        fields = [k for k in new if old.get(k) != new[k]]
        return f"differs in {', '.join(f.replace('_', ' ') for f in fields)}" if fields else ""

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
