"""Tables as zfs and zpool print them: columns for people, tabs alone with -H. Source: OpenZFS 2.1.11."""

from collections.abc import Collection, Sequence

# Texts stand to the left; all else, as sizes and counts, to the right.
TEXTS = ("name", "mountpoint", "property", "value", "source", "altroot", "type")


def table(
    wanted: Sequence[str], rows: Sequence[Sequence[str]], flags: Collection[str]
) -> list[str]:
    """The lines of a table with these columns."""
    if "H" in flags:
        return ["\t".join(row) for row in rows]
    every = [[w.upper() for w in wanted], *rows]
    wide = [max(map(len, column)) for column in zip(*every, strict=True)]
    left = [w in TEXTS for w in wanted]
    return [
        "  ".join(
            cell.ljust(w) if text else cell.rjust(w)
            for cell, w, text in zip(row, wide, left, strict=True)
        ).rstrip()
        for row in every
    ]


def human(number: float) -> str:
    """Bytes as zfs(8) prints them: 1.27T, 620M."""
    for unit in ("B", "K", "M", "G", "T"):
        if number < 1024:
            return f"{number:.0f}B" if unit == "B" else f"{number:.3g}{unit}"
        number /= 1024
    return f"{number:.3g}P"
