"""Image backup of virtual machines and containers, each whole and bootable."""

from kavrel.core.kinds.kind import RULES, Kind, Whereabouts, reads_all_seconds


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return (
        f"the images lie on {at.pool} in {at.box}" + (f"; {at.key}" if at.key else ""),
        "restore one as a new guest beside the old one, with its network unplugged",
        "start it and look inside; only then take the old one away and plug the network in",
    )


IMAGE = Kind(
    id="image",
    title="image backup",
    article="an",
    target="pool",
    does="reads every image in a frozen state and writes it out whole, or what is new to a chunk store",
    needs="the hypervisor to freeze the guest for a moment",
    locks="the guest, for seconds",
    takes="reading every image whole, and writing it whole unless its store keeps chunks once",
    protects="loss of a guest, of the pool or the box",
    does_not="a single file quickly; loss of the site unless it goes elsewhere",
    compresses=True,
    reads="everything",
    archives=True,
    consistent=True,
    lands=frozenset({"nfs", "rsync", "sftp", "s3"}),
    by_tool=True,
    fetch=_fetch,
    keeps=RULES,
    told=frozenset({"retention"}),
    floor=reads_all_seconds,
)
