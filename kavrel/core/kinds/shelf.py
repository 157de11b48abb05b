"""A disk copied to by hand and put on the shelf."""

from kavrel.core.kinds.kind import Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return (
        f"take down disk {at.disk}; read the label aloud; let it warm up if it comes from the cold",
        "dock it and mount it read-only: `mount -o ro /dev/DISK1 /mnt`"
        + (
            f"; it is locked: {at.key}; `cryptsetup open /dev/DISK1 shelf` first, then `mount -o ro "
            "/dev/mapper/shelf /mnt`"
            if at.key
            else ""
        ),
        f"copy from it: `rsync -aHAX --partial /mnt/FOLDER/ {at.back}/`; then back on the shelf",
        at.into_place,
    )


SHELF = Kind(
    id="shelf",
    title="shelf copy by hand",
    target="disk",
    does="has somebody dock the disk, copy what changed, and put it back on the shelf",
    needs="the disk, a dock, an afternoon",
    locks="the dock",
    takes="a look at every file, then the changed bytes at the dock's speed",
    protects="everything that travels over a wire, while it stands on the shelf",
    does_not="the months since it was last taken down",
    versions=False,
    reads="files",
    by_hand=True,
    fetch=_fetch,
    looks_at_both=True,
    keeps=frozenset({"last"}),
    told=frozenset({"retention"}),
    logged_as="shelf_copy",
)
