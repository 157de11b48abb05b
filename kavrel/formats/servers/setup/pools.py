"""Pools, as the script makes them: each layer passed over where it is there already.

A disk is taken by its serial alone, and only when exactly one has it and it is as large as planned.
What is on it now is shown before anybody is asked. A pool that was begun and not finished goes on
without a second question, as long as its disks carry nothing but what this pool left on them.
"""

import re
from collections.abc import Iterator, Sequence
from functools import singledispatch

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Disk, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.core.quantities import MIB, size_words
from kavrel.core.shares.names import pool_names, pool_roots
from kavrel.core.works import Work
from kavrel.core.works.pools import (
    ArrayRuns,
    Device,
    DeviceLocked,
    DiskCut,
    DisksFree,
    FilesystemMade,
    FolderMounted,
    ParityKept,
    PoolComplete,
    PoolStands,
    RestCut,
    TreeMounted,
    VolumesJoined,
    ZpoolMade,
    key_file,
    layers_of,
    parity_file,
    spares_within,
    works_of_pool,
)
from kavrel.core.works.volumes import UNION, Tree, made_by_script, tree_of, volumes_of
from kavrel.formats.servers.setup.words import all_or_left, left, quoted
from kavrel.formats.servers.site import Box


def there_test(index: Index, pool: Pool) -> str:
    """A test of the shell that holds where the whole pool is there."""
    name = pool_names(index.plan)[pool.id]
    if FILESYSTEMS[pool.filesystem].by_name:
        return f"pool_is_there {name}"
    tests = []
    for volume in volumes_of(index, pool):
        uuid = f" {volume.uuid}" if volume.uuid else ""
        tests.append(f"is_mounted {volume.folder}{uuid}")
    tree = tree_of(index, pool)
    if tree:
        tests.append(f"is_mounted {tree.folder}")
    return " && ".join(tests) or f"is_mounted {pool_roots(index.plan)[pool.id]}"


def numbers_at(box: Box, pool: Pool) -> str:
    """The folder of a pool in which the numbers of accounts and groups are noted; of a tree one that stays."""
    slow = [v.folder for v in volumes_of(box.index, pool) if not v.fast]
    return slow[0] if slow else pool_roots(box.plan)[pool.id]


def pool_lines(box: Box, pool: Pool) -> Iterator[str]:
    """The part of the script for one pool."""
    works = list(works_of_pool(box.index, pool))
    last = works[-1]
    if isinstance(last, PoolStands):
        yield from _standing(box, pool, last)
    elif last.by_hand:
        yield f"{{ {_held(box, pool)}; }} || {left(f'pool {pool.name} is made by hand: {last.by_hand}')}"
    else:
        yield from _wanted(box, pool, works)


def _held(box: Box, pool: Pool) -> str:
    """A test that it is there, which printing never takes for granted."""
    return f'[ "$dry" = no ] && {there_test(box.index, pool)}'


def _standing(box: Box, pool: Pool, work: PoolStands) -> Iterator[str]:
    said = f"pool {pool.name} stands by the plan and is not here: {work.back}"
    known = [v for v in volumes_of(box.index, pool) if v.uuid and not pool.encrypted]
    everything = volumes_of(box.index, pool)
    mounts = []
    for volume in known if len(known) == len(everything) else ():  # as it is: nothing on it changes
        mount = f"run mount -o {volume.kept} UUID={volume.uuid} {volume.folder}"
        there = f"have is_mounted {volume.folder} {volume.uuid}"
        at = f"run mkdir -p {volume.folder} && nothing_in {volume.folder}"
        mounts.append(f"{{ {there} || {{ {at} && {mount}; }}; }}")
    tree = tree_of(box.index, pool)
    if mounts and tree:
        mounts.append(" && ".join(_joined(tree)))
    if FILESYSTEMS[pool.filesystem].by_name:
        at = f"nothing_in {pool_roots(box.plan)[pool.id]}"
        mounts = [f"importable {work.name}", at, f"run zpool import {work.name}"]
    if pool.encrypted and made_by_script(box.index, pool):
        mounts = _opened_again(box, pool, work.name)
        said = f"pool {pool.name} is not here: it needs all of its disks, or its passphrase; nothing was wiped"
    mounting = f"{{ {' && '.join(['gather', *mounts])}; }} || " if mounts else ""
    yield f"{{ {there_test(box.index, pool)}; }} || {mounting}lacks {work.name} {quoted(said)}"
    if FILESYSTEMS[pool.filesystem].by_name:
        yield from _key_again(pool, work.name)
    yield from _named_again(box, pool, work.name)
    if FAMILIES[pool.family].parity_at:
        file = parity_file(pool_names(box.plan)[pool.id])
        here = f"link the settings that its parity is kept by to {file}, or its job finds none"
        lines = _kept_again(box, pool, work.name)
        again = (
            f"{{ {' && '.join(lines)}; }}" if lines else left(f"parity of pool {pool.name}: {here}")
        )
        yield f"have test -e {file} || {again}"
    for one in (box.index.disks[d] for d in (*pool.disks, *pool.spares, *pool.tier)):
        if one.serial:
            label = quoted(f"disk {one.label}, serial {one.serial}, of pool {pool.name}")
            yield f"look_for {quoted(one.serial)} {one.capacity_bytes} {label}"


def _opened_again(box: Box, pool: Pool, name: str) -> list[str]:
    """Commands that bring back each layer of a locked pool that setup.sh made, on a system installed anew."""
    free, *layers = _layers_made(box, pool, name)
    assert isinstance(free, DisksFree)
    disks = [box.index.disks[d] for d in free.disks]
    found = [f"{_variable(d)}=$(find_disk {quoted(d.serial)} || :)" for d in disks]
    for rest in (w for w in layers if isinstance(w, RestCut)):
        at = _variable(box.index.disks[rest.disk])
        found.append(f'{at}=$(part_known_as {rest.identifier} "${at}" || :)')
    lines = [line for w in layers for line in bring(w, box)]
    return [*found, _asked(name), *lines, "key="]


def _asked(name: str) -> str:
    """The command that asks for a pool's passphrase."""
    return f"ask_key {quoted(f'pool {name}')}"


def _layers_made(box: Box, pool: Pool, name: str) -> list[Work]:
    """What a pool that stands was made of, where setup.sh made it; nothing else is known of others."""
    if not made_by_script(box.index, pool):
        return []
    return list(layers_of(box.index, pool.model_copy(update={"standing": False}), name))


def _kept_again(box: Box, pool: Pool, name: str) -> list[str]:
    """The settings of its parity, as setup.sh wrote them."""
    kept = [w for w in _layers_made(box, pool, name) if isinstance(w, ParityKept)]
    return [f"keep_line {w.file} {quoted(line)}" for w in kept for line in w.lines]


def _named_again(box: Box, pool: Pool, name: str) -> Iterator[str]:
    """Arrays get their names back: a system installed anew has numbers for them, and the sheets names."""
    layers = _layers_made(box, pool, name)
    lines = [line for w in layers if isinstance(w, ArrayRuns) for line in bring(w, box)]
    if lines:
        yield f"if {_held(box, pool)}; then"
        yield from lines
        yield "fi"


def _key_again(pool: Pool, name: str) -> Iterator[str]:
    """A locked pool of ZFS is opened: by a file of the system disk, or by who sits there."""
    if not pool.encrypted:
        return
    file = key_file(pool, name)
    asked, by = _asked(name), f"with_key run zfs load-key {name}"
    if file:
        tried = f"run zfs load-key -n -L file://{file} {name} >/dev/null"
        yield f"if pool_is_there {name} && ! have test -s {file}; then"
        yield all_or_left(
            [asked, f"keep_key {file}", f"{{ {tried} || {{ rm -f {file}; false; }}; }}"],
            f"pool {pool.name} waits at each start: what opens it is not in {file}",
        )
        yield "key="
        yield "fi"
        asked, by = f"have test -s {file}", f"run zfs load-key -L file://{file} {name}"
    yield f"if is_locked {name}; then"
    yield all_or_left(
        [asked, by, "mount_opened"], f"pool {pool.name} is locked: nobody looked into it"
    )
    yield "key="
    yield "fi"


def _wanted(box: Box, pool: Pool, works: Sequence[Work]) -> Iterator[str]:
    free = works[0]
    assert isinstance(free, DisksFree)
    name = free.name
    disks = [box.index.disks[d] for d in free.disks]
    devices = " ".join(f'"${_variable(d)}"' for d in disks)
    marks = " ".join(free.identifiers)
    serials = quoted(" ".join(d.serial for d in disks))
    yield f"pool={name}"
    there = f"say {quoted(f'pool {name} is there')}; {_done(box, pool, name)}"
    yield f"if {_held(box, pool)}; then"
    yield there
    if FILESYSTEMS[pool.filesystem].by_name:
        yield from _key_again(pool, name)
    yield "else"
    yield "ok=yes"
    rest = next((w for w in works if isinstance(w, RestCut)), None)
    for one in disks:
        label = quoted(f"pool {pool.name} was not made: {one.label}")
        taken = f"take {quoted(one.serial)} {one.capacity_bytes} {label}"
        if rest and one.id == rest.disk:
            taken = f"take_rest{taken.removeprefix('take')} {rest.identifier} {rest.mib}"
        yield f"{_variable(one)}=$({taken}) || {{ ok=no; left_of_take; }}"
    yield from _over_nothing(works, pool)
    if FILESYSTEMS[pool.filesystem].by_name:
        yield f'if [ "$ok" = yes ] && importable {name}; then'
        yield "ok=no"
        yield all_or_left(
            [f"run zpool import {name}", _done(box, pool, name)],
            f"a pool {name} is on disks that are plugged in: zpool import {name}; nothing was wiped",
            f"lacks {name}",
        )
        yield from _key_again(pool, name)
        yield "fi"
    yield f'if [ "$ok" = yes ] && ! begun {serials} && carries {devices} -- {marks}; then'
    yield "ok=no"
    yield from _back(box, pool, name, works)
    yield "fi"
    # Whatever else came onto the disks since then is asked about like any other.
    yield f'if [ "$ok" = yes ] && begun {serials} && only {devices} -- {marks}; then'
    yield f"say {quoted(f'Pool {name} was begun before: it goes on where it stopped.')}"
    yield 'elif [ "$ok" = yes ]; then'
    yield from _wiped(box, pool, name, disks, rest)
    yield "fi"
    if pool.encrypted:
        without = left(f"pool {pool.name} is not finished: it has no passphrase")
        yield f'[ "$ok" = no ] || {_asked(name)} || {{ ok=no; {without}; }}'
    yield 'if [ "$ok" = yes ]; then'
    made = [line for w in works[1:] for line in make(w, box)]
    yield all_or_left(
        [*made, "finished", _done(box, pool, name)],
        f"pool {pool.name} is not finished: see the last line above",
    )
    yield "fi"
    yield "key="
    yield "fi"
    yield from _left_alone(box, pool)


def _over_nothing(works: Sequence[Work], pool: Pool) -> Iterator[str]:
    """Refuses, before anything is wiped, a pool whose folder has files on what lies below it."""
    hides = left(f"pool {pool.name} was not made: see the last line above")
    for work in works:
        match work:
            case FolderMounted(volume=one):
                there = f"have is_mounted {one.folder} {one.uuid} || nothing_in {one.folder}"
            case TreeMounted(tree=tree):
                there = f"have is_mounted {tree.folder} || nothing_in {tree.folder}"
            case ZpoolMade():
                there = f"nothing_in {work.root}"
            case _:
                continue
        yield f'[ "$ok" = no ] || {there} || {{ ok=no; {hides}; }}'


def _back(box: Box, pool: Pool, name: str, works: Sequence[Work]) -> Iterator[str]:
    """Puts together what is on the disks of a pool that was made before: nothing on them changes."""
    yield f"say {quoted(f'Pool {name} was made before: it is put together as it is.')}"
    asked = [_asked(name)] if any(isinstance(w, DeviceLocked) for w in works) else []
    lines = [line for w in works[1:] for line in bring(w, box)]
    needs = "it needs its passphrase" if asked else "see the last line above"
    yield all_or_left(
        [*asked, *lines, _done(box, pool, name)],
        f"pool {pool.name} was made already and is not here: {needs}; nothing was wiped",
        f"lacks {name}",
    )
    yield "key="


def _wiped(
    box: Box, pool: Pool, name: str, disks: Sequence[Disk], rest: RestCut | None
) -> Iterator[str]:
    """Asks by serial and by what is on the disks now, then wipes and notes that it was begun."""
    devices = " ".join(f'"${_variable(d)}"' for d in disks)
    serials = quoted(" ".join(d.serial for d in disks))
    yield f"say {quoted(f'Pool {name}: these disks are WIPED. Compare every serial:')}"
    for one in disks:
        said = _said(one)
        if rest and one.id == rest.disk:
            left_there = size_words(rest.mib * MIB)
            said = (
                f"of {said}: only what the system leaves, {left_there}; the system stays as it is"
            )
        yield f'on_it {quoted(said)} "${_variable(one)}"'
    refused = left(f"pool {pool.name} was not made: its disks are as they were")
    yield f"may_wipe {name} || {{ ok=no; {refused}; }}"
    unfinished = left(f"pool {pool.name} was not made: see the last line above")
    cut = "".join(f"{line} && " for line in make(rest, box)) if rest else ""
    yield f'[ "$ok" = no ] || {{ {cut}wipe {devices} && begin {serials}; }} || {{ ok=no; {unfinished}; }}'


def _left_alone(box: Box, pool: Pool) -> Iterator[str]:
    """What the pool has and the script does not put in."""
    within = spares_within(pool)
    for key in (
        *(() if has_tier(pool) else pool.tier),
        *(d for d in pool.spares if d not in within),
    ):
        said = f"disk {box.index.disks[key].label} of pool {pool.name} was left alone: put it in by hand "
        why = "a tree over this file system takes no snapshots" if key in pool.tier else "a spare"
        yield left(f"{said}({why})")


def _done(box: Box, pool: Pool, name: str) -> str:
    """Notes that the pool was made, with what it is known by."""
    volumes = volumes_of(box.index, pool)
    known = f" uuid={','.join(v.uuid or '' for v in volumes)}" if volumes else ""
    return f"done_with pool/{name}{known}"


def _variable(disk: Disk) -> str:
    return "disk_" + re.sub(r"[^a-z0-9]", "_", disk.id)


def _said(disk: Disk) -> str:
    size = size_words(disk.capacity_bytes)
    return f"{disk.label}  serial {disk.serial}  {disk.bay or 'shelf'}  {size}"


def _device(device: Device, box: Box) -> str:
    if not device.disk:
        return device.path
    whole = f'"${_variable(box.index.disks[device.disk])}"'
    return f'"$(part {whole} {device.part})"' if device.part else whole


@singledispatch
def bring(work: Work, box: Box) -> Iterator[str]:
    """Commands that bring back what a work once made; those of a mount are what made it."""
    yield from make(work, box)


@bring.register
def _(work: DiskCut, box: Box) -> Iterator[str]:
    yield from ()


@bring.register
def _(work: RestCut, box: Box) -> Iterator[str]:
    yield from ()


@bring.register
def _(work: ArrayRuns, box: Box) -> Iterator[str]:
    key = _md_key(work)
    yield f"runs {work.name} {key} >/dev/null"
    yield _md_line(work)


@bring.register
def _(work: VolumesJoined, box: Box) -> Iterator[str]:
    data = f"/dev/{work.name}/data"
    yield f"{{ have test -e {data} || run lvchange -q -ay {work.name}/data; }}"


@bring.register
def _(work: DeviceLocked, box: Box) -> Iterator[str]:
    device = _device(work.device, box)
    yield f"{{ have test -e /dev/mapper/{work.name} || unlock {device} {work.name}; }}"
    yield from _opened(work, device)


@bring.register
def _(work: FilesystemMade, box: Box) -> Iterator[str]:
    if FILESYSTEMS[work.filesystem].subvolumes:
        yield "run btrfs device scan"


@singledispatch
def make(work: Work, box: Box) -> Iterator[str]:
    """Commands that make a work true, each a test of the shell that holds afterwards."""
    raise TypeError(f"the script does not make {type(work).__name__}")


@make.register
def _(work: PoolComplete, box: Box) -> Iterator[str]:
    yield from ()


@make.register
def _(work: DiskCut, box: Box) -> Iterator[str]:
    disk = _device(Device(work.disk), box)
    parts = " ".join(f"'start={s}MiB, size={n}MiB'" for s, n in work.parts)
    yield f"{{ have is_cut {work.identifier} {disk} || cut_disk {work.identifier} {disk} {parts}; }}"


@make.register
def _(work: RestCut, box: Box) -> Iterator[str]:
    disk = box.index.disks[work.disk]
    told = f'{quoted(disk.serial)} {work.identifier} "${_variable(disk)}" {work.mib}'
    yield f"{{ have is_rest {told} || cut_rest {told}; }}"


@make.register
def _(work: ArrayRuns, box: Box) -> Iterator[str]:
    device, key = f"/dev/md/{work.name}", _md_key(work)
    bitmap = "" if work.bitmap else " --bitmap=none"
    spares = f" --spare-devices={len(work.spares)}" if work.spares else ""
    members = " ".join(_device(d, box) for d in (*work.members, *work.spares))
    yield (
        f"{{ have runs {work.name} {key} || run mdadm --create --run --metadata=1.2 --uuid={key}{bitmap} "
        f"{device} --level={work.level} --raid-devices={len(work.members)}{spares} {members}; }}"
    )
    yield _md_line(work)


def _md_key(work: ArrayRuns) -> str:
    key = work.identifier.replace("-", "")
    return ":".join(key[n : n + 8] for n in range(0, 32, 8))


def _md_line(work: ArrayRuns) -> str:
    array = f"ARRAY /dev/md/{work.name} metadata=1.2 UUID={_md_key(work)}"
    return f"keep_line /etc/mdadm/mdadm.conf '{array}'"


@make.register
def _(work: VolumesJoined, box: Box) -> Iterator[str]:
    names = [_device(d, box) for d, _ in work.devices]
    for name, (_, key) in zip(names, work.devices, strict=True):
        # LVM writes its identifiers in groups of its own.
        digits = key.replace("-", "")
        ends = (6, 10, 14, 18, 22, 26, 32)
        own = "-".join(digits[a:b] for a, b in zip((0, *ends), ends, strict=False))
        made = f"run pvcreate -q -y --norestorefile --uuid {own} {name}"
        yield f"{{ have is_pv {own} {name} || {made}; }}"
    group = f"{work.name} {' '.join(names)}"
    yield f"{{ have joined {group} || run vgcreate -q -y {group}; }}"
    data = f"/dev/{work.name}/data"
    yield f"{{ have lvs {work.name}/data || run lvcreate -q -y -W n -n data -l 100%FREE {work.name}; }}"
    yield f"{{ have test -e {data} || run lvchange -q -ay {work.name}/data; }}"


@make.register
def _(work: DeviceLocked, box: Box) -> Iterator[str]:
    device = _device(work.device, box)
    mark = f"locked-{work.identifier}"
    yield f"{{ did {mark} || {{ lock {work.identifier} {device} && note {mark}; }}; }}"
    yield f"{{ have test -e /dev/mapper/{work.name} || unlock {device} {work.name}; }}"
    yield from _opened(work, device)


def _opened(work: DeviceLocked, device: str) -> Iterator[str]:
    """How it is opened after a start."""
    opened = "none luks,noauto"
    if work.key_file:  # beside the passphrase, which opens it when the system disk is gone
        opened = f"{work.key_file} luks,nofail"
        yield f"{{ have test -s {work.key_file} || random_key {work.key_file}; }}"
        yield f"{{ have opens {device} {work.key_file} || add_key {device} {work.key_file}; }}"
    yield f"keep_line /etc/crypttab '{work.name} UUID={work.identifier} {opened}'"


@make.register
def _(work: FilesystemMade, box: Box) -> Iterator[str]:
    devices = [_device(d, box) for d in work.devices]
    system = FILESYSTEMS[work.filesystem]
    flags = (system.made_counting if work.counting else "") + system.made
    mark = f"filesystem-{work.identifier}"
    made = f"mkfs.{work.filesystem}{work.profile} {flags}{work.identifier} {' '.join(devices)}"
    yield f"{{ did {mark} || {{ run {made} && note {mark}; }}; }}"


@make.register
def _(work: FolderMounted, box: Box) -> Iterator[str]:
    one = work.volume
    yield f"run mkdir -p {one.folder}"
    yield (
        f"{{ have is_mounted {one.folder} {one.uuid} || "
        f"run mount -o {one.kept} UUID={one.uuid} {one.folder}; }}"
    )


@make.register
def _(work: ParityKept, box: Box) -> Iterator[str]:
    yield "run mkdir -p /var/lib/kavrel"
    yield from (f"keep_line {work.file} '{line}'" for line in work.lines)


def _joined(tree: Tree) -> Iterator[str]:
    yield f"run mkdir -p {tree.folder}"
    mount = f"run mount -t {UNION} -o {tree.mounted} {tree.what} {tree.folder}"
    yield f"{{ have is_mounted {tree.folder} || {{ nothing_in {tree.folder} && {mount}; }}; }}"


@make.register
def _(work: TreeMounted, box: Box) -> Iterator[str]:
    yield from _joined(work.tree)


@make.register
def _(work: ZpoolMade, box: Box) -> Iterator[str]:
    pool = work.pool
    kind = f"{work.word} " if work.word else ""

    def names(disks: Sequence[str]) -> str:
        return " ".join(_device(Device(d), box) for d in disks)

    groups = " ".join(f"{kind}{names(g)}" for g in pool.groups)
    spares = f" spare {names(pool.spares)}" if pool.spares else ""
    lock, run = "", "run"
    if pool.encrypted:
        lock = " -O encryption=on -O keyformat=passphrase"
        run = "with_key run"
    if work.key_file:  # it holds the passphrase itself: what is typed opens the pool too
        run = "run"
        lock += f" -O keylocation=file://{work.key_file}"
        yield f"keep_key {work.key_file}"
    # Without -f it refuses groups of unlike widths and disks of unlike sizes, which the plan means and the
    # proof reckons with. What else -f passes over was asked about and wiped above; a disk in use stays refused.
    yield (
        f"{run} zpool create -f -o ashift={pool.ashift} -O recordsize={pool.record_kib}K "
        f"-O compression=lz4 -O atime=off -O acltype=posixacl -O xattr=sa "
        f"-O mountpoint={work.root}{lock} {work.name} {groups}{spares}"
    )
