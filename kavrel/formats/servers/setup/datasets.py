"""Datasets, their limits, and who may do what in them, as the script makes them."""

from collections.abc import Iterator, Sequence

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Dataset, Pool
from kavrel.core.works import (
    AccountLimited,
    DatasetLimited,
    DatasetThere,
    FolderAccess,
    HomeFolder,
    RepositoryThere,
    Work,
)
from kavrel.core.works.shut_in import shut_in
from kavrel.core.works.volumes import volumes_of
from kavrel.formats.servers.setup.pools import there_test
from kavrel.formats.servers.setup.words import all_or_left, left, quoted
from kavrel.formats.servers.site import Box


def dataset_lines(box: Box, pool: Pool, works: Sequence[Work]) -> Iterator[str]:
    """The datasets of a pool, where it is there: nothing is made on the system disk instead."""
    mine = [d for d in box.datasets if d.pool == pool.id]
    if not mine and not any(isinstance(w, RepositoryThere) and w.pool == pool.id for w in works):
        return
    yield f"if {there_test(box.index, pool)}; then"
    yield from _counts_already(box, pool)
    access = {w.folder: w for w in works if isinstance(w, FolderAccess)}
    whole = {w.folder: w for w in works if isinstance(w, DatasetThere)}
    for dataset in mine:
        folder = box.folders[dataset.id]
        list_of = access[folder]
        said = f"dataset {dataset.name} is not finished: see the last line above"
        if FILESYSTEMS[pool.filesystem].by_name:
            lists = f"run zfs set acltype=posixacl xattr=sa {box.zfs_name(folder)}"
        else:
            lists = "true"  # every other one has access lists as it is mounted here
        there = quoted(f"dataset {dataset.name} is there")
        exists = _dataset_there(box, pool, folder)
        yield f"if have {exists} && ! unfinished {folder}; then"
        yield f"say {there}"
        yield all_or_left([lists, f"let_more_in {_given(list_of)}"], said)
        yield "else"
        # Nobody's until it has its rights: a run that ends in between leaves nothing open to all.
        create = " && ".join([*_dataset(box, pool, whole[folder]), f"run chmod 700 {folder}"])
        made = [f"making {folder}", f"{{ have {exists} || {{ {create}; }}; }}"]
        made += [*_settings(box, pool, dataset), lists, f"give {_given(list_of)}"]
        yield all_or_left([*made, f"made {folder}", f"done_with dataset{folder}"], said)
        yield "key="
        yield "fi"
        if why := whole[folder].by_hand:
            yield left(f"dataset {dataset.name}: {why}")
        for home in works:
            if isinstance(home, HomeFolder) and home.folder.rpartition("/")[0] == folder:
                yield f"home {home.folder} {home.login} || {left(f'{home.what} is not made')}"
        yield from _luns(box, pool, dataset)
        yield from _limits(box, works, dataset, pool)
    yield from _repositories(pool, works)
    names = ", ".join(d.name for d in mine) or "place for copies"
    yield f"else {left(f'without pool {pool.name} there is no {names}: run this again once it is there')}"
    yield "fi"


def _repositories(pool: Pool, works: Sequence[Work]) -> Iterator[str]:
    """Places of tools; never below a folder that only waits for what is mounted there."""
    by_name = FILESYSTEMS[pool.filesystem].by_name
    for work in works:
        if isinstance(work, RepositoryThere) and work.pool == pool.id:
            above = work.folder.rpartition("/")[0]
            there = (
                f"is_mounted {above}" if by_name else f'{{ [ "$dry" = yes ] || [ -d {above} ]; }}'
            )
            said = left(f"{work.what} is not made: {above} has to be mounted first")
            yield f"{{ {there} && private {work.folder} {work.user}; }} || {said}"


def _counts_already(box: Box, pool: Pool) -> Iterator[str]:
    """Limits of accounts hold from the mount on: to be told so again by each start is no failure.

    Source: quotaon.service of systemd 252, which any mount with usrquota pulls in; ext4 with the quota
    feature answers it EEXIST, tried on a whole system.
    """
    flags = FILESYSTEMS[pool.filesystem].mounted_counting.split(",")
    if "usrquota" in flags and any(v.counting for v in volumes_of(box.index, pool)):
        for line in ("[Service]", "ExecStart=", "ExecStart=-/sbin/quotaon -aug"):
            yield f"keep_line /etc/systemd/system/quotaon.service.d/kavrel.conf '{line}'"


def _dataset_there(box: Box, pool: Pool, folder: str) -> str:
    """A command that succeeds where a dataset is there already."""
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
        return f"zfs list -H -o name {box.zfs_name(folder)}"
    if system.subvolumes:
        return f"btrfs subvolume show {folder}"
    return f"test -d {folder}"


def _dataset(box: Box, pool: Pool, made: DatasetThere) -> Iterator[str]:
    """Commands that make one dataset, each needing the one before it."""
    dataset, folder = made.dataset, made.folder
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
        flags = " ".join(f"-o {name}={value}" for name, value in made.options)
        yield f"nothing_in {folder}"
        run = "run"
        if dataset.encrypted:
            yield f"ask_key {quoted(f'dataset {dataset.name}')}"
            run = "with_key run"
        yield f"{run} zfs create {flags} {box.zfs_name(folder)}"
    elif system.subvolumes:
        yield f"nothing_in {folder}"
        yield f"{{ ! have test -d {folder} || run rmdir {folder}; }}"
        yield f"run mkdir -p {folder.rpartition('/')[0]}"
        yield f"run btrfs subvolume create {folder}"
    else:
        yield f"run mkdir -p {folder}"


def _settings(box: Box, pool: Pool, dataset: Dataset) -> Iterator[str]:
    """What is set on a dataset once it is there, and before anything is in it."""
    folder = box.folders[dataset.id]
    if FILESYSTEMS[pool.filesystem].subvolumes:
        if dataset.compression != "lz4":  # which Btrfs does not know: it goes by the mount
            how = "none" if dataset.compression == "off" else dataset.compression
            yield f"run btrfs property set {folder} compression {how}"
        if not dataset.checksums:
            yield f"run chattr +C {folder}"


def _given(work: FolderAccess) -> str:
    """A folder's access as the script's own commands take it."""
    return " ".join((work.folder, f"{work.owner}:{work.group}", work.mode, *work.entries()))


def _luns(box: Box, pool: Pool, dataset: Dataset) -> Iterator[str]:
    """Disks for iSCSI: volumes where ZFS makes them, files elsewhere; a thick one has its room now."""
    for export in box.exports("iscsi"):
        if export.dataset != dataset.id:
            continue
        said = left(f"disk {export.name} is not made")
        if FILESYSTEMS[pool.filesystem].by_name:
            thin = "" if export.thick else " -s"
            lun = f"{box.zfs_name(box.folders[dataset.id])}/{export.name}"
            make = f"run zfs create{thin} -V {export.size_bytes} {lun}"
            yield f"have zfs list -H -o name {lun} || {make} || {said}"
        else:
            image = f"{box.folders[dataset.id]}/{export.name}.img"
            tool = "fallocate -l" if export.thick else "truncate -s"
            # Whole, and nobody else's, before it has its name.
            part = f"{image}.part"
            make = f"run {tool} {export.size_bytes} {part} && run chmod 600 {part}"
            make += f" && run mv {part} {image}"
            yield f"have test -e {image} || {{ {make}; }} || {said}"


def _limits(box: Box, works: Sequence[Work], dataset: Dataset, pool: Pool) -> Iterator[str]:
    """Set each time, so that a limit that has changed holds."""
    for work in works:
        if isinstance(work, DatasetLimited | AccountLimited) and work.dataset is dataset:
            if work.by_hand:
                yield left(f"{work.what}: {work.by_hand}")
            lines = (
                _limit(box, work, pool)
                if isinstance(work, DatasetLimited)
                else _fill(box, work, pool)
            )
            commands = list(lines) if not work.by_hand or isinstance(work, DatasetLimited) else []
            if commands:
                yield all_or_left(commands, f"{work.what} is not set: see the last line above")


def lifting_lines(works: Sequence[Work]) -> Iterator[str]:
    """What an earlier run limited and the plan no longer does, and nobody else's limits."""
    for work in works:
        if isinstance(work, DatasetLimited) and (work.limit_bytes or work.kept_bytes):
            yield f"limits {quoted(work.back)}"
        if isinstance(work, AccountLimited) and not work.by_hand:
            yield f"limits {quoted(work.back)}"
    yield "lift"


def _limit(box: Box, work: DatasetLimited, pool: Pool) -> Iterator[str]:
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
        name = box.zfs_name(work.folder)
        yield f"run zfs set quota={work.limit_bytes or 'none'} reservation={work.kept_bytes or 'none'} {name}"
    elif system.subvolumes:
        # Without counting switched on a limit is refused.
        yield f"{{ have btrfs qgroup show {work.root} || run btrfs quota enable {work.root}; }}"
        yield f"run btrfs qgroup limit {work.limit_bytes or 'none'} {work.folder}"
    elif work.project is not None:
        # What is there already is counted too; limits are in KiB.
        yield f"run chattr -f -R -p {work.project} {work.folder}"
        yield f"run find {work.folder} -xdev -type d -exec chattr +P {{}} +"
        yield f"run setquota -P {work.project} 0 {-(-work.limit_bytes // 1024)} 0 0 {work.root}"


def _fill(box: Box, work: AccountLimited, pool: Pool) -> Iterator[str]:
    if FILESYSTEMS[pool.filesystem].by_name:
        name = box.zfs_name(work.folder)
        yield f"run zfs set userquota@{work.login}={work.bytes} {name}"
    else:
        yield f"run setquota -u {work.login} 0 {-(-work.bytes // 1024)} 0 0 {work.folder}"


def shut_in_lines(box: Box) -> Iterator[str]:
    """Folders that SFTP accounts are shut in: root's, with the data mounted below."""
    for one in shut_in(box.index, box.host.id):
        yield f"run mkdir -p {one.folder}"
        yield f"run chmod 755 /srv/sftp {one.folder.rpartition('/')[0]}"
