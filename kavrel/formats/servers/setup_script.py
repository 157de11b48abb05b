"""The script that makes a host's wanted pools, its datasets, quotas, groups and accounts.

It can be run again, and goes on where it stopped. A pool that stands is looked for, never made.
What it cannot build as the plan has it, it refuses, with the reason and what to do by hand: never a
layout below the promised level, and no disk wiped that is not used.
"""

import re
import shlex
import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Dataset, Disk, Plan, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.works import (
    AccountShut,
    AccountThere,
    FolderAccess,
    GroupThere,
    HomeFolder,
    Work,
    bill,
)
from kavrel.formats.samba import smb_hosts
from kavrel.formats.servers.site import NAMESPACE, Box
from kavrel.formats.servers.template import plain, render


@dataclass(frozen=True)
class Part:
    """A part of the script with its lines."""

    title: str
    lines: tuple[str, ...]


def setup_script(plan: Plan, host: str, origin: str, today: date = date.min) -> str:
    """The text of setup.sh; wanted pools on full disks are left to the run sheet of the shuffle."""
    box = Box(plan, host)
    works = bill(box.index, host, today)
    parts = [Part("groups and accounts", tuple(_people(works)))]
    parts += [Part(f"pool {p.name}", tuple(_pool(box, p))) for p in box.pools]
    datasets = [line for p in box.pools for line in _datasets(box, p, works)]
    parts.append(Part("datasets, their quotas, and who may do what in them", tuple(datasets)))
    parts.append(Part("folders for SFTP", tuple(_shut_in(box))))
    able = [w for w in works if isinstance(w, AccountThere) and not w.by_hand]
    passwords = [f"smbpasswd -a {w.login}" for w in able] if host in smb_hosts(plan) else []
    passwords += [f"passwd {w.login}  # for FTP" for w in able if w.home]
    if host in smb_hosts(plan):
        changing = [a.login for a in plan.accounts if a.must_change and a.works_on(today)]
        passwords += [f"pdbedit --pwd-must-change-now=yes -u {login}" for login in changing]
    return render(
        "setup.sh.j2",
        host=box.host,
        plan=plan,
        origin=origin,
        parts=[p for p in parts if p.lines],
        passwords=passwords,
    )


def _left(text: str) -> str:
    return f"left {shlex.quote(plain(text))}"


def _all_or_left(commands: list[str], text: str) -> str:
    """Commands of which each needs the one before it; where one fails, that is said in the end."""
    return " &&\n  ".join(commands) + f" ||\n  {_left(text)}"


# --- people --------------------------------------------------------------------------------------


def _people(works: Sequence[Work]) -> Iterator[str]:
    for work in works:
        if isinstance(work, GroupThere | AccountThere) and work.by_hand:
            yield _left(work.by_hand)
        elif isinstance(work, GroupThere):
            make = f"have getent group {work.name} || run groupadd {work.name}"
            yield f"{make} || {_left(f'group {work.name} could not be made')}"
        elif isinstance(work, AccountThere):
            yield from _account(work)
        elif isinstance(work, AccountShut):
            shut = f"run usermod --lock --expiredate 1 {work.login}"
            yield f"if have id {work.login}; then {shut}; fi"


def _account(work: AccountThere) -> Iterator[str]:
    name, ends = work.login, work.ends.isoformat() if work.ends else ""
    # A group of the same name is not this account's own: it has members that somebody chose.
    alone = "" if work.own_group else "-N -g nogroup "
    who = shlex.quote(plain(work.full_name).replace(":", " "))
    make = f"run useradd -M -s /usr/sbin/nologin {alone}-c {who}" + (f" -e {ends}" if ends else "")
    yield f"have id {name} || {make} {name} || {_left(f'account {name} could not be made')}"
    if ends:
        yield f"run usermod --expiredate {ends} {name} || true"
    if work.home:
        said = _left(f"{name} has no home folder, and FTP refuses it: usermod --home")
        yield f"has_home {name} || run usermod --home {work.home} {name} || {said}"
    for joined in work.groups:
        said = _left(f"{name} could not be put into group {joined}")
        yield f"run usermod -a -G {joined} {name} || {said}"


# --- pools ---------------------------------------------------------------------------------------


def _variable(disk: Disk) -> str:
    return "disk_" + re.sub(r"[^a-z0-9]", "_", disk.id)


def _names(disks: tuple[str, ...], box: Box) -> str:
    return " ".join(f'"${_variable(box.index.disks[d])}"' for d in disks)


def _there(box: Box, pool: Pool) -> str:
    """A test of the shell that holds where the pool is."""
    name = box.pool_name(pool)
    if FILESYSTEMS[pool.filesystem].by_name:
        return f"pool_is_there {name}"
    return f"is_mounted /srv/{name}"


def _pool(box: Box, pool: Pool) -> Iterator[str]:
    name, there = box.pool_name(pool), _there(box, pool)
    disks = [box.index.disks[d] for d in (*pool.disks, *pool.spares, *pool.tier)]
    if pool.standing:
        way = f"zpool import {name}" if FILESYSTEMS[pool.filesystem].by_name else "mount it first"
        yield f"{there} || {_left(f'pool {pool.name} stands by the plan and is not here: {way}')}"
        for one in disks:
            if one.serial:
                said = (
                    f"disk {one.label}, serial {one.serial}, of pool {pool.name} is not plugged in"
                )
                yield f"find_disk {shlex.quote(plain(one.serial))} >/dev/null || {_left(said)}"
        return
    refused = _refused(box, pool)
    if refused:
        yield f"have {there} || {_left(f'pool {pool.name} is made by hand: {refused}')}"
        return
    used = [box.index.disks[d] for d in (*pool.disks, *_spares(pool))]
    yield f"if have {there}; then say {shlex.quote(f'pool {name} is there')}; else"
    yield "ok=yes"
    for one in used:
        said = f"no disk with serial {one.serial} is plugged in"
        yield (
            f"{_variable(one)}=$(find_disk {shlex.quote(plain(one.serial))}) || "
            f"{{ ok=no; {_left(f'pool {pool.name} was not made: {said}')}; }}"
        )
    yield f"say {shlex.quote(f'Pool {name}: these disks are WIPED. Compare every serial:')}"
    yield from (f"say {shlex.quote(_said(d))}" for d in used)
    make = [f"wipe {_names(tuple(d.id for d in used), box)}", *_made(box, pool, name)]
    yield f'if [ "$ok" = yes ] && may_wipe {name}; then'
    yield _all_or_left(make, f"pool {pool.name} is not finished: see the last line above")
    yield f'elif [ "$ok" = yes ]; then {_left(f"pool {pool.name} was not made: its disks are as they were")}'
    yield "fi"
    yield "fi"
    beside = [*pool.tier, *(d for d in pool.spares if d not in _spares(pool))]
    for key in beside:
        one = box.index.disks[key]
        said = f"disk {one.label} of pool {pool.name} was left alone: put it in by hand (tier or spare)"
        yield _left(said)


def _refused(box: Box, pool: Pool) -> str:
    """Why the script does not make a pool; empty where it does."""
    if any(d in box.index.held for d in pool.disks):
        return "its disks hold data: go by the run sheet of the shuffle"
    by_hand = FAMILIES[pool.family].by_hand
    if by_hand:
        return f"{by_hand}; nothing was wiped"
    if FILESYSTEMS[pool.filesystem].bare:
        return "it has no file system by the plan; nothing was wiped"
    unknown = [d for d in (*pool.disks, *_spares(pool)) if not box.index.disks[d].serial]
    if unknown:
        names = ", ".join(box.index.disks[d].label for d in unknown)
        return f"the serial of {names} is not in the plan, and no disk is wiped by its order"
    return ""


def _spares(pool: Pool) -> tuple[str, ...]:
    """The spares that become part of the pool when it is made."""
    family = FAMILIES[pool.family]
    whole_array = bool(family.md_level) and not family.nested
    return pool.spares if FILESYSTEMS[pool.filesystem].whole_disks or whole_array else ()


def _said(disk: Disk) -> str:
    size = f"{disk.capacity_bytes / 1e12:.2f} TB"
    return plain(f"{disk.label}  serial {disk.serial}  {disk.bay or 'shelf'}  {size}")


def _made(box: Box, pool: Pool, name: str) -> Iterator[str]:
    """Commands that make a pool, each needing the one before it."""
    family = FAMILIES[pool.family]
    system = FILESYSTEMS[pool.filesystem]
    if system.whole_disks:
        kind = f"{family.vdev_word} " if family.vdev_word else ""
        groups = " ".join(f"{kind}{_names(g, box)}" for g in pool.groups)
        spares = f" spare {_names(pool.spares, box)}" if pool.spares else ""
        lock = " -O encryption=on -O keyformat=passphrase" if pool.encrypted else ""
        yield (
            f"run zpool create -o ashift={pool.ashift} -O recordsize={pool.record_kib}K "
            f"-O compression=lz4 -O atime=off -O acltype=posixacl -O xattr=sa "
            f"-O mountpoint=/srv/{name}{lock} {name} {groups}{spares}"
        )
        return
    volume = next(v for v in box.volumes if v.pool is pool)
    *commands, devices = _array(box, pool, name)
    yield from commands
    targets = devices.split()
    if pool.encrypted:
        for n, target in enumerate(targets):
            key = uuid.uuid5(NAMESPACE, f"{box.plan.name}/{pool.id}/locked/{n}")
            mapped = f"{name}-{n}"
            yield f"run cryptsetup luksFormat --uuid {key} {target}"
            yield f"run cryptsetup open {target} {mapped}"
            line = shlex.quote(f"{mapped} UUID={key} none luks,noauto")
            yield f"run append /etc/crypttab {line}"
        targets = [f"/dev/mapper/{name}-{n}" for n in range(len(targets))]
    yield f"run mkfs.{pool.filesystem}{family.profile} {system.made}{volume.uuid} {' '.join(targets)}"
    yield f"run mkdir -p {volume.folder}"
    yield f"run mount UUID={volume.uuid} {volume.folder}"


def _array(box: Box, pool: Pool, name: str) -> Iterator[str]:
    """Commands that make the device, and last the devices that get a file system."""
    members = pool.disks
    create = "run mdadm --create --run --metadata=1.2 --bitmap=none"
    family = FAMILIES[pool.family]
    if family.joined_volumes:
        yield f"run pvcreate -q {_names(members, box)}"
        yield f"run vgcreate -q {name} {_names(members, box)}"
        yield f"run lvcreate -q -y -n data -l 100%FREE {name}"
        yield f"/dev/{name}/data"
    elif family.nested:
        inner = []
        for n, group in enumerate(pool.groups):
            yield (
                f"{create} /dev/md/{name}-{n} --level={family.md_level} "
                f"--raid-devices={len(group)} {_names(group, box)}"
            )
            inner.append(f"/dev/md/{name}-{n}")
        yield (
            f"run mdadm --create --run --metadata=1.2 /dev/md/{name} --level=0 "
            f"--raid-devices={len(inner)} {' '.join(inner)}"
        )
        yield f"/dev/md/{name}"
    elif not family.md_level:
        yield _names(members, box)
    else:
        if not family.outlives(len(members)):
            create = "run mdadm --create --run --metadata=1.2"
        spare = f" --spare-devices={len(pool.spares)}" if pool.spares else ""
        names = _names((*members, *pool.spares), box)
        yield (
            f"{create} /dev/md/{name} --level={family.md_level} "
            f"--raid-devices={len(members)}{spare} {names}"
        )
        yield f"/dev/md/{name}"


# --- datasets ------------------------------------------------------------------------------------


def _datasets(box: Box, pool: Pool, works: Sequence[Work]) -> Iterator[str]:
    """The datasets of a pool, where it is there: nothing is made on the system disk instead."""
    mine = [d for d in box.datasets if d.pool == pool.id]
    if not mine:
        return
    yield f"if {_there(box, pool)}; then"
    if FILESYSTEMS[pool.filesystem].subvolumes and any(d.quota_bytes for d in mine):
        # Without it a limit is refused.
        yield f"run btrfs quota enable /srv/{box.pool_name(pool)} || true"
    access = {w.folder: w for w in works if isinstance(w, FolderAccess)}
    for dataset in mine:
        folder = box.folders[dataset.id]
        list_of = access[folder]
        said = f"dataset {dataset.name} is not finished: see the last line above"
        if FILESYSTEMS[pool.filesystem].by_name:
            lists = f"run zfs set acltype=posixacl xattr=sa {folder.removeprefix('/srv/')}"
        else:
            lists = "true"  # every other one has access lists as it is mounted here
        there = shlex.quote(f"dataset {dataset.name} is there")
        yield f"if have {_dataset_there(pool, folder)}; then"
        yield f"say {there}"
        yield _all_or_left([lists, f"more {_given(list_of)}"], said)
        yield "else"
        yield _all_or_left([*_dataset(box, pool, dataset), lists, f"give {_given(list_of)}"], said)
        yield "fi"
        yield from _cannot(pool, dataset)
        for home in works:
            if isinstance(home, HomeFolder) and home.folder.rpartition("/")[0] == folder:
                yield f"home {home.folder} {home.login} || {_left(f'{home.what} is not made')}"
        yield from _luns(box, pool, dataset)
        yield from _quotas(box, pool, dataset)
    names = ", ".join(d.name for d in mine)
    yield f"else {_left(f'without pool {pool.name} there is no {names}: run this again once it is there')}"
    yield "fi"


def _dataset_there(pool: Pool, folder: str) -> str:
    """A command that succeeds where a dataset is there already."""
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
        return f"zfs list -H -o name {folder.removeprefix('/srv/')}"
    if system.subvolumes:
        return f"btrfs subvolume show {folder}"
    return f"test -d {folder}"


def _dataset(box: Box, pool: Pool, dataset: Dataset) -> Iterator[str]:
    """Commands that make one dataset, each needing the one before it."""
    folder = box.folders[dataset.id]
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
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
    elif system.subvolumes:
        yield f"run mkdir -p {folder.rpartition('/')[0]}"
        yield f"run btrfs subvolume create {folder}"
        if dataset.quota_bytes:
            yield f"run btrfs qgroup limit {dataset.quota_bytes} {folder}"
        if dataset.compression != "lz4":  # which Btrfs does not know: it goes by the mount
            how = "none" if dataset.compression == "off" else dataset.compression
            yield f"run btrfs property set {folder} compression {how}"
        if not dataset.checksums:
            yield f"run chattr +C {folder}"
    else:
        yield f"run mkdir -p {folder}"


def _cannot(pool: Pool, dataset: Dataset) -> Iterator[str]:
    """What the plan wants of a dataset and its file system does not do: said, never left out."""
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
        return
    name = pool.filesystem
    wishes = (
        (dataset.record_kib, f"a record size is ZFS's: {name} has none to set"),
        (dataset.reserve_bytes, f"{name} keeps no room for one folder: leave it free by hand"),
        (dataset.encrypted, f"{name} locks no single folder: encrypt the pool"),
        (
            not system.subvolumes and dataset.quota_bytes,
            f"{name} counts no folder by itself here: it has no limit",
        ),
        (
            not system.subvolumes and dataset.compression == "zstd",
            f"{name} does not compress: what is written takes its full size",
        ),
    )
    for wanted, why in wishes:
        if wanted:
            yield _left(f"dataset {dataset.name}: {why}")


def _given(work: FolderAccess) -> str:
    """A folder's access as the script's own commands take it."""
    return " ".join((work.folder, f"{work.owner}:{work.group}", work.mode, *work.entries()))


def _luns(box: Box, pool: Pool, dataset: Dataset) -> Iterator[str]:
    """Disks for iSCSI: volumes where ZFS makes them, files elsewhere; a thick one has its room now."""
    for export in box.exports("iscsi"):
        if export.dataset != dataset.id:
            continue
        said = _left(f"disk {export.name} is not made")
        if FILESYSTEMS[pool.filesystem].by_name:
            thin = "" if export.thick else " -s"
            lun = f"{box.folders[dataset.id].removeprefix('/srv/')}/{export.name}"
            make = f"run zfs create{thin} -V {export.size_bytes} {lun}"
            yield f"have zfs list -H -o name {lun} || {make} || {said}"
        else:
            image = f"{box.folders[dataset.id]}/{export.name}.img"
            tool = "fallocate -l" if export.thick else "truncate -s"
            make = f"run {tool} {export.size_bytes} {image} && run chmod 600 {image}"
            yield f"have test -e {image} || {{ {make}; }} || {said}"


def _quotas(box: Box, pool: Pool, dataset: Dataset) -> Iterator[str]:
    """What single accounts may fill; only ZFS counts them dataset by dataset."""
    for quota in box.plan.quotas:
        if quota.dataset != dataset.id:
            continue
        account = box.index.accounts[quota.account]
        if not account.enabled:
            continue
        what = f"the quota of {account.login} on {dataset.name}"
        if FILESYSTEMS[pool.filesystem].by_name:
            name = box.folders[dataset.id].removeprefix("/srv/")
            done = f"run zfs set userquota@{account.login}={quota.bytes} {name}"
            yield f"{done} || {_left(f'{what} is not set')}"
        else:
            why = f"{pool.filesystem} counts a user over the whole file system, not in one folder"
            yield _left(f"{what}: {why}; give it a dataset of its own on ZFS, or do without")


def _shut_in(box: Box) -> Iterator[str]:
    """Folders that SFTP accounts are shut in: root's, with the data mounted below."""
    for export in box.exports("sftp"):
        yield f"run mkdir -p /srv/sftp/{export.name}/files"
        yield f"run chmod 755 /srv/sftp /srv/sftp/{export.name}"
