"""The script that makes a host's pools, datasets, quotas, groups and accounts, once."""

import re
import shlex
from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.plan import Dataset, Disk, Plan, Pool
from kavrel.core.shares.names import slug
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import plain, render

LEVELS = {"raid5": "5", "raid6": "6", "raid50": "5", "raid60": "6", "mirror": "1", "stripe": "0"}


@dataclass(frozen=True)
class Part:
    """A part of the script with its commands."""

    title: str
    commands: tuple[str, ...]


@dataclass(frozen=True)
class Named:
    """A disk as the script names it: by its serial number, never as sdb."""

    variable: str
    serial: str


def setup_script(plan: Plan, host: str, origin: str) -> str:
    """The text of setup.sh; wanted pools on full disks are left to the run sheet of the shuffle."""
    box = Box(plan, host)
    made = [p for p in box.pools if not any(d in box.index.held for d in p.disks)]
    disks = [box.index.disks[d] for p in made for d in (*p.disks, *p.spares, *p.tier)]
    parts = [Part(f"pool {p.name}", tuple(_pool(box, p))) for p in made]
    datasets = [
        c for d in box.datasets if any(d.pool == p.id for p in made) for c in _dataset(box, d)
    ]
    parts.append(Part("datasets, with their quotas", tuple(datasets)))
    parts.append(Part("groups and accounts", tuple(_people(box))))
    parts.append(Part("owners and modes", tuple(_owners(box, made))))
    parts.append(Part("folders for SFTP", tuple(_shut_in(box))))
    logins = sorted(a.login for a in plan.accounts if a.enabled)
    return render(
        "setup.sh.j2",
        host=box.host,
        plan=plan,
        origin=origin,
        wiped=[_said(d) for d in disks],
        disks=[Named(_variable(d), plain(d.serial) or "NOT-KNOWN") for d in disks],
        parts=[p for p in parts if p.commands],
        passwords=[f"smbpasswd -a {login}" for login in logins],
    )


def _said(disk: Disk) -> str:
    size = f"{disk.capacity_bytes / 1e12:.2f} TB"
    return plain(
        f"  {disk.label}  serial {disk.serial or 'NOT KNOWN'}  {disk.bay or 'shelf'}  {size}"
    )


def _variable(disk: Disk) -> str:
    return "disk_" + re.sub(r"[^a-z0-9]", "_", disk.id)


def _names(pool_disks: tuple[str, ...], box: Box) -> str:
    return " ".join(f'"${_variable(box.index.disks[d])}"' for d in pool_disks)


def _pool(box: Box, pool: Pool) -> Iterator[str]:
    name = box.pool_name(pool)
    if pool.filesystem == "zfs":
        word = {"mirror": "mirror", "striped_mirror": "mirror"}.get(pool.family, pool.family)
        kind = "" if word in ("single", "stripe") else f"{word} "
        groups = " ".join(f"{kind}{_names(g, box)}" for g in pool.groups)
        spares = f" spare {_names(pool.spares, box)}" if pool.spares else ""
        lock = " -O encryption=on -O keyformat=passphrase" if pool.encrypted else ""
        yield (
            f"run zpool create -o ashift={pool.ashift} -O recordsize={pool.record_kib}K "
            f"-O compression=lz4 -O atime=off -O mountpoint=/srv/{name}{lock} {name} {groups}{spares}"
        )
        return
    volumes = [v for v in box.volumes if v.pool is pool]
    devices = list(_array(box, pool, name))
    yield from devices[:-1]
    targets = devices[-1].split()
    for volume, target in zip(volumes, targets, strict=False):
        flag = {"ext4": "-q -U", "xfs": "-q -m uuid=", "btrfs": "-q -U"}[pool.filesystem]
        space = "" if flag.endswith("=") else " "
        rest = (
            targets if pool.filesystem == "btrfs" and pool.family.startswith("copies") else [target]
        )
        profile = {"copies2": " -d raid1 -m raid1", "copies3": " -d raid1c3 -m raid1c3"}.get(
            pool.family, ""
        )
        yield f"run mkfs.{pool.filesystem}{profile} {flag}{space}{volume.uuid} {' '.join(rest)}"
        yield f"run mkdir -p {volume.folder}"
        yield f"run mount UUID={volume.uuid} {volume.folder}"


def _array(box: Box, pool: Pool, name: str) -> Iterator[str]:
    """Commands that make the device, and last the devices that get a file system."""
    members = pool.disks
    if pool.family == "single" or pool.family.startswith("copies"):
        yield _names(members, box)
    elif pool.family in ("union", "parity1", "parity2"):
        yield _names(pool.groups[0], box)
    elif pool.family == "span" or pool.family.startswith("slices"):
        if pool.family != "span":
            yield "# cut the disks into slices by the drawing first, and make an array of each"
        yield f"run pvcreate {_names(members, box)}"
        yield f"run vgcreate {name} {_names(members, box)}"
        yield f"run lvcreate -n data -l 100%FREE {name}"
        yield f"/dev/{name}/data"
    elif pool.family in ("raid50", "raid60", "striped_mirror"):
        level = "1" if pool.family == "striped_mirror" else LEVELS[pool.family]
        inner = []
        for n, group in enumerate(pool.groups):
            yield (
                f"run mdadm --create /dev/md/{name}-{n} --level={level} "
                f"--raid-devices={len(group)} {_names(group, box)}"
            )
            inner.append(f"/dev/md/{name}-{n}")
        yield (
            f"run mdadm --create /dev/md/{name} --level=0 --raid-devices={len(inner)} "
            f"{' '.join(inner)}"
        )
        yield f"/dev/md/{name}"
    else:
        spare = f" --spare-devices={len(pool.spares)}" if pool.spares else ""
        names = _names((*members, *pool.spares), box)
        yield (
            f"run mdadm --create /dev/md/{name} --level={LEVELS[pool.family]} "
            f"--raid-devices={len(members)}{spare} {names}"
        )
        yield f"/dev/md/{name}"


def _dataset(box: Box, dataset: Dataset) -> Iterator[str]:
    pool = box.index.pools[dataset.pool]
    folder = box.folders[dataset.id]
    if pool.filesystem == "zfs":
        options = [f"compression={dataset.compression}"]
        if dataset.record_kib:
            options.append(f"recordsize={dataset.record_kib}K")
        if not dataset.checksums:
            options.append("checksum=off")
        if dataset.quota_bytes is not None:
            options.append(f"quota={dataset.quota_bytes or 'none'}")
        if dataset.reserve_bytes:
            options.append(f"reservation={dataset.reserve_bytes}")
        if dataset.encrypted:
            options += ["encryption=on", "keyformat=passphrase"]
        flags = " ".join(f"-o {o}" for o in options)
        yield f"run zfs create {flags} {folder.removeprefix('/srv/')}"
        for quota in box.plan.quotas:
            if quota.dataset == dataset.id:
                login = box.login(quota.account)
                yield f"run zfs set userquota@{login}={quota.bytes} {folder.removeprefix('/srv/')}"
        for export in box.exports("iscsi"):
            if export.dataset == dataset.id:
                thin = "" if export.thick else " -s"
                yield (
                    f"run zfs create{thin} -V {export.size_bytes} "
                    f"{folder.removeprefix('/srv/')}/{export.name}"
                )
    elif pool.filesystem == "btrfs":
        yield f"run mkdir -p {folder.rpartition('/')[0]}"
        yield f"run btrfs subvolume create {folder}"
        if dataset.quota_bytes:
            yield f"run btrfs qgroup limit {dataset.quota_bytes} {folder}"
    else:
        yield f"run mkdir -p {folder}"


def _people(box: Box) -> Iterator[str]:
    for group in box.plan.groups:
        yield f"getent group {group.name} >/dev/null || run groupadd {group.name}"
    for account in box.plan.accounts:
        if not account.enabled:
            continue
        groups = [g.name for g in box.plan.groups if account.id in g.members]
        more = f" -G {','.join(groups)}" if groups else ""
        ends = f" -e {account.expires_on}" if account.expires_on else ""
        who = shlex.quote(plain(account.full_name).replace(":", " "))
        yield (
            f"id {account.login} >/dev/null 2>&1 || "
            f"run useradd -M -s /usr/sbin/nologin -c {who}{ends}{more} {account.login}"
        )


def _owners(box: Box, made: list[Pool]) -> Iterator[str]:
    pools = {p.id for p in made}
    for dataset in box.datasets:
        if dataset.pool not in pools:
            continue
        folder = box.folders[dataset.id]
        owner = box.login(dataset.owner) if dataset.owner else "root"
        group = _group(box, dataset)
        yield f"run chown {owner}:{group} {folder}"
        yield f"run chmod {dataset.mode} {folder}"


def _shut_in(box: Box) -> Iterator[str]:
    """Folders that SFTP accounts are shut in: root's, with the data mounted below."""
    for export in box.exports("sftp"):
        yield f"run mkdir -p /srv/sftp/{export.name}/files"
        yield f"run chmod 755 /srv/sftp /srv/sftp/{export.name}"


def _group(box: Box, dataset: Dataset) -> str:
    """The one group that writes the dataset over SMB, or root."""
    shares = {s.id for s in box.plan.shares if s.dataset == dataset.id}
    names = {g.id: g.name for g in box.plan.groups}
    writing = {
        names[g.group]
        for g in box.plan.grants
        if g.share in shares and g.group and g.right == "write"
    }
    return writing.pop() if len(writing) == 1 else slug("root", "root")
