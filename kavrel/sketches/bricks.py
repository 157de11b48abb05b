"""What sketches are built of: sites, boxes with their disks, pools, data with shares, and jobs."""

from typing import Any

from kavrel.core.plan import (
    Account,
    Bucket,
    Dataset,
    Disk,
    Grant,
    Group,
    Host,
    Job,
    Link,
    Network,
    Plan,
    Pool,
    Retention,
    Schedule,
    Share,
    Site,
)
from kavrel.core.shares.numbers import FIRST_ACCOUNT, FIRST_GROUP

FORM = {"hdd": "3.5", "ssd": "2.5", "nvme": "m.2"}
SPEED = {"hdd": 185.0, "ssd": 450.0, "nvme": 3000.0}
KEEP = Retention(daily=14, weekly=8, monthly=12, counting="beyond")
SHORT = Retention(hourly=24, daily=14, weekly=8, monthly=6, counting="each")


class Bricks:
    """A plan that grows brick by brick; everything gets an id of its own that speaks."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.parts: dict[str, list[Any]] = {}

    def add(self, collection: str, item: Any) -> Any:
        """Adds a thing, and gives it back."""
        self.parts.setdefault(collection, []).append(item)
        return item

    def plan(self) -> Plan:
        """The plan."""
        return Plan(name=self.name, **{k: tuple(v) for k, v in self.parts.items()})

    # -- places and boxes --------------------------------------------------------------------------

    def home(self, **more: Any) -> Site:
        """One's own place, with its network."""
        self.add("sites", Site(id="home", name="home"))
        net = {"range": "192.168.1.0/24", "dhcp_from": "192.168.1.100", "dhcp_to": "192.168.1.199"}
        network = {"id": "lan", "name": "LAN", "site": "home", "gateway": "192.168.1.1", **net}
        self.add("networks", Network.model_validate(network | more))
        return self.parts["sites"][0]  # type: ignore[no-any-return]

    def away(self, key: str, name: str, up: float = 40.0, own: bool = False) -> Site:
        """Somebody else's place, with the way there: a tunnel over the uplink."""
        self.add("links", Link(id=f"to-{key}", a="home", b=key, mbit_a_to_b=up, mbit_b_to_a=up))
        site: Site = self.add("sites", Site(id=key, name=name, own=own))
        return site

    def box(self, key: str, name: str, kind: str, site: str = "home", **more: Any) -> Host:
        """A box with a reserved address, whose configuration is copied and whose passwords were changed."""
        number = 10 + len(self.parts.get("hosts", []))
        base = {
            "id": key, "name": name, "kind": kind, "site": site, "boot_copied": True,
            "addressing": "reserved", "address": f"192.168.1.{number}",
            "after_power_cut": "by_itself", "default_passwords_changed": True,
        }  # fmt: skip
        host: Host = self.add("hosts", Host.model_validate(base | more))
        return host

    def disks(
        self, box: Host, count: int, size: int, kind: str = "hdd", bay: str = "", **more: Any
    ) -> list[str]:
        """So many disks in the box's next bays; their ids."""
        have = len([d for d in self.parts.get("disks", []) if d.host == box.id])
        bay = bay or {"3.5": "3.5", "2.5": "2.5", "m.2": "nvme"}[FORM[kind]]
        used = len(
            [
                d
                for d in self.parts.get("disks", [])
                if d.host == box.id and d.bay.startswith(f"{bay}-")
            ]
        )
        ids = []
        for n in range(count):
            disk = {
                "id": f"{box.id}-d{have + n + 1}", "label": f"{box.name} {have + n + 1}",
                "capacity_bytes": size, "kind": kind, "form": FORM[kind], "mb_per_s": SPEED[kind],
                "host": box.id, "bay": f"{bay}-{used + n + 1}", **more,
            }  # fmt: skip
            ids.append(self.add("disks", Disk.model_validate(disk)).id)
        return ids

    def shelf_disk(self, name: str, size: int, site: str = "home") -> str:
        """A disk that stands on the shelf between its copies."""
        disk = {
            "id": "shelf",
            "label": name,
            "capacity_bytes": size,
            "shelf": site,
            "own_supply": True,
        }
        key: str = self.add("disks", Disk.model_validate(disk)).id
        return key

    def pool(
        self,
        key: str,
        name: str,
        box: Host,
        family: str,
        filesystem: str,
        *groups: list[str],
        **more: Any,
    ) -> Pool:
        """A pool that is wanted: nothing stands yet."""
        pool = {
            "id": key, "name": name, "host": box.id, "family": family, "filesystem": filesystem,
            "groups": groups, "standing": False,
        }  # fmt: skip
        made: Pool = self.add("pools", Pool.model_validate(pool | more))
        return made

    # -- data and people ---------------------------------------------------------------------------

    def data(
        self, key: str, name: str, pool: Pool, size: int, worth: str = "irreplaceable", **more: Any
    ) -> Dataset:
        """A dataset that grows by a tenth a year and changes by a thousandth a day."""
        dataset = {
            "id": key, "name": name, "pool": pool.id, "size_bytes": size, "worth": worth,
            "growth_bytes_per_year": size // 10, "change_bytes_per_day": size // 1000,
        }  # fmt: skip
        made: Dataset = self.add("datasets", Dataset.model_validate(dataset | more))
        return made

    def people(self, logins: list[str]) -> Group:
        """Everyday accounts in a group, and one administrator who is nobody's everyday account."""
        for place, login in enumerate(logins):
            name, number = login.capitalize(), FIRST_ACCOUNT + 1 + place
            self.add("accounts", Account(id=login, login=login, full_name=name, number=number))
        keeper = {"id": "keeper", "login": "keeper", "full_name": "Whoever looks after it"}
        self.add(
            "accounts",
            Account.model_validate(
                keeper | {"role": "administrator", "second_factor": True, "number": FIRST_ACCOUNT}
            ),
        )
        group: Group = self.add(
            "groups",
            Group(id="household", name="household", number=FIRST_GROUP, members=tuple(logins)),
        )
        return group

    def share(self, dataset: Dataset, group: Group, **more: Any) -> Share:
        """A share that the group reads and writes, with a week's bin."""
        share = {
            "id": f"{dataset.id}-share",
            "name": dataset.name,
            "dataset": dataset.id,
            "recycle_days": 7,
        }
        made: Share = self.add("shares", Share.model_validate(share | more))
        grant = {
            "id": f"{dataset.id}-for-{group.id}",
            "share": made.id,
            "group": group.id,
            "right": "write",
        }
        self.add("grants", Grant.model_validate(grant))
        return made

    # -- copies ------------------------------------------------------------------------------------

    def job(self, key: str, name: str, kind: str, datasets: list[str], at: str, **more: Any) -> Job:
        """A job of every day, unless told otherwise."""
        job = {
            "id": key, "name": name, "kind": kind, "datasets": datasets,
            "schedule": Schedule(kind="daily", at=at), "retention": Retention(),
        }  # fmt: skip
        made: Job = self.add("jobs", Job.model_validate(job | more))
        return made

    def vault(self, datasets: list[str], at: str = "02:00", up: float = 40.0) -> Job:
        """Every night to a bucket elsewhere whose points nobody can delete while they are kept."""
        self.away("provider", "provider", up)
        bucket = {"id": "vault", "name": "vault", "site": "provider", "account": "household"}
        self.add(
            "buckets", Bucket.model_validate(bucket | {"locked_days": 90, "locks_renewed": True})
        )
        return self.job(
            "nightly", "nightly", "bucket", datasets, at, target_bucket="vault", encrypted=True,
            key_kept_at=("home", "friend"), retention=KEEP, alarm_days=3.0,
        )  # fmt: skip

    def snapshots(self, datasets: list[str], key: str = "hourly") -> Job:
        """A point every hour: a day of hours, two weeks of days, and on."""
        return self.job(
            key,
            key.replace("-", " "),
            "snapshot",
            datasets,
            "00:00",
            schedule=Schedule(kind="hourly", at="00:05"),
            retention=SHORT,
        )

    def upkeep(self, pool: Pool, day: int = 1) -> None:
        """A scrub every three months."""
        self.job(
            f"scrub-{pool.id}", f"scrub {pool.name}", "scrub", [], "10:00", pool=pool.id,
            schedule=Schedule(kind="monthly", every=3, day=day, at="10:00"),
        )  # fmt: skip

    def by_hand(self, datasets: list[str], disk: str) -> Job:
        """A copy on the shelf disk every quarter, encrypted where its key has a second place."""
        twice = "provider" in [s.id for s in self.parts["sites"]]
        return self.job(
            "on-the-shelf", "on the shelf", "shelf", datasets, "18:00", target_disk=disk, credentials="hand",
            encrypted=twice, key_kept_at=("home", "provider") if twice else (),
            schedule=Schedule(kind="monthly", every=3, day=2, at="18:00"), retention=Retention(last=1),
        )  # fmt: skip
